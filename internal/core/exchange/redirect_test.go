package exchange

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What is sent where a redirect leads (RFC 9110 §15.4): the method, the body, and no credentials
// to another origin (§4.3.1).
func TestWhereRedirectsLead(t *testing.T) {
	var seen string
	note := func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		var kept []string
		for _, n := range []string{"Authorization", "Cookie", "Proxy-Authorization", "X-Api-Key", "X-Note"} {
			if r.Header.Get(n) != "" {
				kept = append(kept, n)
			}
		}
		seen = fmt.Sprintf("%s %q %s", r.Method, body, strings.Join(kept, ","))
		w.WriteHeader(200)
	}
	other := httptest.NewServer(http.HandlerFunc(note))
	defer other.Close()
	secure := httptest.NewTLSServer(http.HandlerFunc(note))
	defer secure.Close()
	at := http.NewServeMux()
	same := httptest.NewServer(at)
	defer same.Close()
	at.HandleFunc("/end", note)
	port := func(raw string) string { u, _ := url.Parse(raw); return u.Port() }
	leads := map[string]string{"same": "/end", "whole": same.URL + "/end", "upper": strings.Replace(same.URL, "http://", "HTTP://", 1) + "/end", "port": other.URL + "/end",
		"host": "http://localhost:" + port(same.URL) + "/end"}
	at.HandleFunc("/to/", func(w http.ResponseWriter, r *http.Request) {
		var status int
		var where string
		_, _ = fmt.Sscanf(r.URL.Path, "/to/%d/%s", &status, &where)
		w.Header().Set("Location", leads[where])
		w.WriteHeader(status)
	})
	const all, public = "Authorization,Cookie,Proxy-Authorization,X-Api-Key,X-Note", "X-Note"
	for _, c := range []struct {
		method, to, want string
	}{
		{"GET", "301/same", `GET "" ` + all}, {"GET", "302/same", `GET "" ` + all}, {"GET", "303/same", `GET "" ` + all}, {"GET", "307/same", `GET "" ` + all}, {"GET", "308/same", `GET "" ` + all},
		{"HEAD", "303/same", `HEAD "" ` + all},
		{"POST", "301/same", `GET "" ` + all}, {"POST", "302/same", `GET "" ` + all}, {"POST", "303/same", `GET "" ` + all}, {"POST", "307/same", `POST "b" ` + all}, {"POST", "308/same", `POST "b" ` + all},
		{"PUT", "301/same", `PUT "b" ` + all}, {"PUT", "302/same", `PUT "b" ` + all}, {"PUT", "303/same", `GET "" ` + all}, {"PUT", "307/same", `PUT "b" ` + all},
		{"DELETE", "302/same", `DELETE "b" ` + all}, {"DELETE", "303/same", `GET "" ` + all}, {"DELETE", "308/same", `DELETE "b" ` + all},
		{"GET", "302/whole", `GET "" ` + all}, {"GET", "302/upper", `GET "" ` + all},
		{"GET", "302/port", `GET "" ` + public}, {"GET", "302/host", `GET "" ` + public}, {"PUT", "307/port", `PUT "b" ` + public}, {"POST", "308/host", `POST "b" ` + public},
		{"POST", "304/same", ""}, {"GET", "300/same", ""},
	} {
		t.Run(c.method+" "+c.to, func(t *testing.T) {
			seen = ""
			client := NewClient(Options{Agent: "test"})
			defer client.Close()
			r := &Request{Method: c.method, URL: same.URL + "/to/" + c.to, Follow: 1, Timeout: 5 * time.Second,
				Header:  []Field{{"Authorization", "Bearer k"}, {"Cookie", "a=b"}, {"Proxy-Authorization", "Basic k"}, {"X-Api-Key", "k"}, {"X-Note", "n"}, {"Content-Type", "text/plain"}},
				Private: func(f Field) bool { return f.Name == "X-Api-Key" }}
			if c.method != "GET" && c.method != "HEAD" {
				r.Body = []byte("b")
			}
			x := client.Do(context.Background(), r)
			require.NotNil(t, x.Answer, "%v", x.Failure)
			assert.Equal(t, c.want, seen)
		})
	}
	t.Run("another scheme", func(t *testing.T) {
		a, _ := url.Parse("https://127.0.0.1:80/x")
		b, _ := url.Parse("http://127.0.0.1/x")
		c, _ := url.Parse("HTTP://127.0.0.1:80")
		assert.NotEqual(t, origin(a), origin(b))
		assert.Equal(t, origin(b), origin(c))
	})
	t.Run("what is asked before a hop", func(t *testing.T) {
		seen = ""
		client := NewClient(Options{Agent: "test"})
		defer client.Close()
		var asked []string
		x := client.Do(context.Background(), &Request{Method: "PUT", URL: same.URL + "/to/307/port", Body: []byte("b"), Follow: 3, Timeout: 5 * time.Second,
			Hop: func(next *Request) string { asked = append(asked, next.Method+" "+next.URL); return "not there" }})
		require.NotNil(t, x.Failure)
		assert.Equal(t, HopRefused, x.Failure.Kind)
		assert.Equal(t, "not there", x.Failure.Detail)
		assert.Equal(t, []string{"PUT " + other.URL + "/end"}, asked)
		assert.Empty(t, seen)
	})
	t.Run("further than it may", func(t *testing.T) {
		client := NewClient(Options{Agent: "test"})
		defer client.Close()
		leads["circle"] = "/to/302/circle"
		x := client.Do(context.Background(), &Request{Method: "GET", URL: same.URL + "/to/302/circle", Follow: 3, Timeout: 5 * time.Second})
		require.NotNil(t, x.Failure)
		assert.Equal(t, TooManyHops, x.Failure.Kind)
		x = client.Do(context.Background(), &Request{Method: "GET", URL: same.URL + "/to/302/circle", Timeout: 5 * time.Second})
		require.NotNil(t, x.Answer, "none is followed unless it is said")
	})
}

// Only this machine is spoken to, by its name and by what that is resolved to.
func TestWhoIsSpokenTo(t *testing.T) {
	for host, ok := range map[string]bool{"localhost": true, "LOCALHOST.": true, "gull.localhost": true, "127.0.0.1": true, "127.9.9.9": true, "::1": true, "[::1]": true, "10.0.0.1": false, "gull.example": false, "localhost.example": false, "0.0.0.0": false, "": false} {
		assert.Equal(t, ok, Loopback(host), host)
		c := NewClient(Options{})
		d, err := c.dialer(host, "80")
		if !ok {
			assert.Error(t, err, host)
			continue
		}
		require.NoError(t, err, host)
		require.NotNil(t, d.Control, host)
		for resolved, allowed := range map[string]bool{"127.0.0.1:80": true, "[::1]:80": true, "10.0.0.1:80": false, "[2001:db8::1]:80": false, "gull:80": false, "": false} {
			assert.Equal(t, allowed, d.Control("tcp", resolved, nil) == nil, "%s as %s", host, resolved)
		}
	}
	c := NewClient(Options{Allow: []string{"gull.example", "10.0.0.1:8080"}})
	for _, at := range [][2]string{{"gull.example", "80"}, {"gull.example", "443"}, {"10.0.0.1", "8080"}} {
		d, err := c.dialer(at[0], at[1])
		require.NoError(t, err)
		assert.Nil(t, d.Control)
	}
	_, err := c.dialer("10.0.0.1", "80")
	assert.Error(t, err, "another port was not allowed")
}
