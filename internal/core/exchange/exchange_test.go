package exchange

import (
	"bytes"
	"compress/flate"
	"compress/gzip"
	"compress/zlib"
	"context"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"go.uber.org/goleak"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

func TestListsAndLinks(t *testing.T) {
	assert.Equal(t, []string{"a", `"b,c"`, "d"}, SplitList(`a, "b,c",, `, `d`))
	assert.Equal(t, []string{`"x\"y,z"`}, SplitList(`"x\"y,z"`))
	links := Links([]string{`<?p=2,3>; rel="prev next"; title="a, \"b\"; c", <http://h/x>;REL=last`, `broken, <also`})
	if assert.Len(t, links, 2) {
		assert.Equal(t, "?p=2,3", links[0].Target)
		assert.True(t, links[0].Has("NEXT") && !links[0].Has("nex"))
		assert.Equal(t, `a, "b"; c`, links[0].Params["title"])
		assert.True(t, links[1].Has("last"))
	}
}

func TestMediaTypes(t *testing.T) {
	for ct, json := range map[string]bool{"application/json": true, "Application/Problem+JSON; charset=utf-8": true, "text/html": false, "": false, "application/json-seq": false, "application/json; bad==": true} {
		assert.Equal(t, json, IsJSON(ct), ct)
	}
	for _, c := range []struct{ ct, body, text, problem string }{
		{"text/plain", "é", "é", ""}, {"text/plain; charset=iso-8859-1", "\xe9", "é", ""}, {"text/plain", "\xe9", "é", ""}, {"text/plain; charset=utf-8", "\xe9", "é", "the body is not valid utf-8"},
		{"text/plain; charset=utf-16le", "h\x00i\x00", "hi", ""}, {"text/plain; charset=klingon", "x", "x", "charset klingon is not known"},
	} {
		a := &Answer{Header: http.Header{"Content-Type": {c.ct}}, Body: []byte(c.body)}
		text, problem := a.Text()
		assert.Equal(t, c.text, text, c.ct)
		assert.Equal(t, c.problem, problem, c.ct)
	}
}

func TestLoopback(t *testing.T) {
	for host, want := range map[string]bool{"127.0.0.1": true, "127.9.9.9": true, "::1": true, "[::1]": true, "localhost": true, "x.localhost": true, "192.0.2.1": false, "localhost.example": false, "0.0.0.0": false, "10.0.0.1": false} {
		assert.Equal(t, want, Loopback(host), host)
	}
}

func TestDo(t *testing.T) {
	coded := map[string][]byte{}
	for name, open := range map[string]func(io.Writer) io.WriteCloser{
		"gzip":    func(w io.Writer) io.WriteCloser { return gzip.NewWriter(w) },
		"deflate": func(w io.Writer) io.WriteCloser { return zlib.NewWriter(w) },
		"bare": func(w io.Writer) io.WriteCloser {
			f, _ := flate.NewWriter(w, 5)
			return f
		},
	} {
		var b bytes.Buffer
		w := open(&b)
		_, _ = w.Write([]byte("hello"))
		_ = w.Close()
		coded[name] = b.Bytes()
	}
	var seen []string
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		seen = append(seen, r.Method+" "+r.RequestURI+" "+r.Header.Get("Authorization")+r.UserAgent())
		switch r.URL.Path {
		case "/gzip", "/deflate":
			w.Header().Set("Content-Encoding", r.URL.Path[1:])
			_, _ = w.Write(coded[r.URL.Path[1:]])
		case "/bare":
			w.Header().Set("Content-Encoding", "deflate")
			_, _ = w.Write(coded["bare"])
		case "/br":
			w.Header().Set("Content-Encoding", "br")
			_, _ = w.Write([]byte("x"))
		case "/kept":
			http.Redirect(w, r, "/gzip", http.StatusTemporaryRedirect)
		default:
			_, _ = w.Write([]byte("plain"))
		}
	}))
	defer s.Close()
	c := NewClient(Options{Agent: "test"})
	defer c.Close()
	do := func(r *Request) *Exchange {
		r.URL = s.URL + r.URL
		r.Timeout = 5 * time.Second
		return c.Do(context.Background(), r)
	}
	for path, want := range map[string]string{"/gzip": "hello", "/deflate": "hello", "/bare": "hello", "/x": "plain"} {
		assert.Equal(t, want, string(do(&Request{Method: "GET", URL: path}).Answer.Body), path)
	}
	assert.Equal(t, BadEncoding, do(&Request{Method: "GET", URL: "/br"}).Failure.Kind)
	for layers, ok := range map[int]bool{1: true, 3: true, 4: false, 500: false} {
		body := []byte("hello")
		for range layers {
			var b bytes.Buffer
			w := gzip.NewWriter(&b)
			_, _ = w.Write(body)
			_ = w.Close()
			body = b.Bytes()
			if len(body) > 1<<20 {
				break
			}
		}
		got, failure := c.decode(strings.TrimSuffix(strings.Repeat("gzip, ", layers), ", "), body)
		if ok {
			assert.Equal(t, "hello", string(got))
		} else if assert.NotNil(t, failure, layers) {
			assert.Contains(t, failure.Error(), "at most 3 are undone")
		}
	}
	seen = nil
	x := do(&Request{Method: "PUT", URL: "/kept", Body: []byte("b"), Follow: 1, Header: []Field{{"Authorization", "k"}}})
	assert.Equal(t, []string{"PUT /kept ktest", "PUT /gzip ktest"}, seen)
	assert.Equal(t, s.URL+"/gzip", x.Answer.From)
	assert.Positive(t, x.Timing.Total)
	seen = nil
	assert.NotNil(t, do(&Request{Method: "OPTIONS", URL: "/*"}).Answer)
	assert.Nil(t, do(&Request{Method: "BREW-IT", URL: "/tea%2Fpot?a=%20"}).Failure)
	assert.Equal(t, []string{"BREW-IT /tea%2Fpot?a=%20 test"}, seen[len(seen)-1:])
	assert.NotNil(t, do(&Request{Method: "GET", URL: "/%zz?a=%"}).Answer, "a broken path is for the service to refuse")
	for _, bad := range []*Request{{Method: "PUT", URL: "/%zz"}, {Method: "CONNECT", URL: "/"}, {Method: "GET", URL: "/", Header: []Field{{"A b", "c"}}}} {
		x := do(bad)
		if assert.NotNil(t, x.Failure, bad.URL) {
			assert.Equal(t, BadRequest, x.Failure.Kind)
		}
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	assert.Equal(t, Interrupted, c.Do(ctx, &Request{Method: "GET", URL: s.URL}).Failure.Kind)
	for _, k := range []Kind{Refused, Reset, ClosedEarly, Between, SlowConnect, SlowAnswer, SlowBody, NotHTTP, TooLarge, BadLength, BadChunk, BadEncoding, TooManyHops, HopRefused, HostRefused, UnknownHost, TLS} {
		assert.NotEmpty(t, (&Failure{Kind: k}).Look(), k)
	}
}
