package exchange

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// spoken is a service that is told what to write for each request of each
// connection; "" closes it.
func spoken(t *testing.T, connections ...[]string) (url string) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = l.Close() })
	go func() {
		for _, answers := range connections {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go func() {
				in := bufio.NewReader(c)
				for _, a := range answers {
					r, err := http.ReadRequest(in)
					if err != nil {
						break
					}
					if r.Header.Get("Expect") != "" && !strings.Contains(a, "417") {
						_, _ = io.WriteString(c, "HTTP/1.1 100 Continue\r\n\r\n")
					}
					if !strings.Contains(a, "417") {
						_, _ = io.Copy(io.Discard, r.Body)
					}
					if a == "" {
						break
					}
					_, _ = io.WriteString(c, a)
				}
				_ = c.Close()
			}()
		}
	}()
	return "http://" + l.Addr().String()
}

func TestConnectionsAreUsedAgain(t *testing.T) {
	ok := func(n int) string { return fmt.Sprintf("HTTP/1.1 200 OK\r\nContent-Length: 1\r\n\r\n%d", n) }
	get, post := Request{Method: "GET"}, Request{Method: "POST", Body: []byte("{}")}
	for _, c := range []struct {
		name string
		// connections are the answers on each, asked the requests in order, want the bodies or
		// failures.
		connections [][]string
		asked       []Request
		want        string
	}{
		{"one after the other", [][]string{{ok(1), ok(2)}}, []Request{get, post}, "1 2"},
		{"a refusal before the body was read", [][]string{{"HTTP/1.1 400 Bad Request\r\nContent-Length: 1\r\n\r\nx", ok(9)}, {ok(2)}}, []Request{post, get}, "x 2"},
		{"closed by the service", [][]string{{"HTTP/1.1 200 OK\r\nConnection: close\r\nContent-Length: 1\r\n\r\na", ok(9)}, {ok(2)}}, []Request{get, get}, "a 2"},
		{"closed while idle", [][]string{{ok(1)}, {ok(2)}}, []Request{get, post}, "1 2"},
		{"closed without an answer, a read", [][]string{{ok(1), ""}, {ok(2)}}, []Request{get, get}, "1 2"},
		{"closed without an answer, a write", [][]string{{ok(1), ""}, {ok(2)}}, []Request{get, post, get}, "1 closed between requests 2"},
		{"closed without an answer, a write, and from then on each write has its own", [][]string{{ok(1), ""}, {ok(2), ok(4)}, {ok(3)}}, []Request{get, post, post, post, get}, "1 closed between requests 2 3 4"},
		{"closed without an answer, a read with a body", [][]string{{ok(1), ""}, {ok(2)}}, []Request{get, {Method: "GET", Body: []byte("{}")}}, "1 2"},
		{"after HEAD without a body", [][]string{{"HTTP/1.1 200 OK\r\nContent-Length: 1\r\n\r\n", ok(9)}, {ok(2)}}, []Request{{Method: "HEAD"}, get}, " 2"},
		{"not an answer, behind one without a body", [][]string{{"HTTP/1.1 204 No Content\r\n\r\n", "squawk\r\n\r\n"}, {ok(2)}}, []Request{get, get}, " 2"},
		{"not an answer, behind one without a body, a write", [][]string{{"HTTP/1.1 204 No Content\r\n\r\n", "squawk\r\n\r\n"}, {ok(2)}}, []Request{get, post, get}, " closed between requests 2"},
		{"not an answer, behind one with a body", [][]string{{ok(1), "squawk\r\n\r\n"}, {ok(2)}}, []Request{get, get, get}, "1 not HTTP 2"},
		{"a long answer", [][]string{{"HTTP/1.1 200 OK\r\nContent-Length: 2097152\r\n\r\n" + strings.Repeat("a", 2<<20), ok(2)}}, []Request{get, get}, strings.Repeat("a", 2<<20) + " 2"},
		{"another protocol", [][]string{{"HTTP/1.1 101 Switching Protocols\r\nUpgrade: gull\r\nConnection: Upgrade\r\n\r\n", ok(9)}, {ok(2)}}, []Request{get, get}, " 2"},
		{"closed twice without an answer, a read", [][]string{{ok(1), ""}, {""}}, []Request{get, get}, "1 closed early"},
		{"closed on a fresh connection, a read", [][]string{{""}, {ok(2)}}, []Request{get, get}, "closed early 2"},
		{"closed on a fresh connection, a DELETE", [][]string{{""}, {ok(2)}}, []Request{{Method: "DELETE"}, get}, "closed early 2"},
		{"a refusal that has read the body", [][]string{{"HTTP/1.1 422 Unprocessable Content\r\nContent-Length: 1\r\n\r\nx", ok(2)}}, []Request{post, get}, "x 2"},
		{"a server error before the body was read", [][]string{{"HTTP/1.1 503 Service Unavailable\r\nContent-Length: 1\r\n\r\nx", ok(9)}, {ok(2)}}, []Request{post, get}, "x 2"},
		{"bytes behind an answer with a body", [][]string{{ok(1) + "squawk", ok(9)}, {ok(2)}}, []Request{get, get}, "1 2"},
		{"the client closes", [][]string{{ok(1), ok(9)}, {ok(2)}}, []Request{{Method: "GET", Header: []Field{{"Connection", "close"}}}, get}, "1 2"},
		{"HTTP/1.0 is not kept", [][]string{{"HTTP/1.0 200 OK\r\nContent-Length: 1\r\n\r\na"}, {ok(2)}}, []Request{get, get}, "a 2"},
		{"HTTP/1.0 that is kept", [][]string{{"HTTP/1.0 200 OK\r\nConnection: keep-alive\r\nContent-Length: 1\r\n\r\na", ok(2)}}, []Request{get, get}, "a 2"},
		{"a big body is asked about first", [][]string{{ok(1)}}, []Request{{Method: "POST", Body: make([]byte, bigBody+1)}}, "1"},
		{"the expectation is not known", [][]string{{"HTTP/1.1 417 Expectation Failed\r\nContent-Length: 0\r\nConnection: close\r\n\r\n"}, {ok(2)}}, []Request{{Method: "POST", Body: make([]byte, bigBody+1)}}, "2"},
		{"a big body without an answer", [][]string{{""}, {ok(2)}}, []Request{{Method: "POST", Body: make([]byte, bigBody+1)}, get}, "closed early 2"},
		{"interim answers", [][]string{{"HTTP/1.1 103 Early Hints\r\nLink: <a>\r\n\r\n" + ok(1), ok(2)}}, []Request{get, get}, "1 2"},
		{"bytes that nobody asked for", [][]string{{"HTTP/1.1 204 No Content\r\n\r\nsquawk"}, {ok(2)}}, []Request{get, get}, "6 stray 2"},
		{"after HEAD", [][]string{{"HTTP/1.1 200 OK\r\nContent-Length: 1\r\n\r\nx", ok(9)}, {ok(2)}}, []Request{{Method: "HEAD"}, get}, "1 stray 2"},
		{"until the end", [][]string{{"HTTP/1.0 200 OK\r\n\r\nall"}, {ok(2)}}, []Request{get, get}, "all 2"},
		{"in chunks", [][]string{{"HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\n1\r\nc\r\n0\r\n\r\n", ok(2)}}, []Request{get, get}, "c 2"},
		{"cut short", [][]string{{"HTTP/1.1 200 OK\r\nContent-Length: 5\r\n\r\nabc"}}, []Request{get}, "closed early: after 3 of the 5 bytes that Content-Length promised"},
		{"a header without end", [][]string{{"HTTP/1.1 200 OK\r\nA: " + strings.Repeat("a", 2<<20)}}, []Request{get}, "too large: the header section is longer than 1 MiB"},
		{"not HTTP", [][]string{{"SSH-2.0-gull\r\n"}}, []Request{get}, `not HTTP: malformed HTTP response "SSH-2.0-gull"`},
	} {
		t.Run(c.name, func(t *testing.T) {
			url := spoken(t, c.connections...)
			client := NewClient(Options{Agent: "test"})
			defer client.Close()
			var got []string
			for _, r := range c.asked {
				r.URL = url + "/boats"
				if r.Method != "GET" {
					r.Timeout = 5 * time.Second
				}
				x := client.Do(context.Background(), &r)
				switch {
				case x.Failure != nil && len(c.asked) > 1:
					got = append(got, string(x.Failure.Kind))
				case x.Failure != nil:
					got = append(got, x.Failure.Error())
				case x.Answer.Stray > 0:
					got = append(got, fmt.Sprintf("%d stray", x.Answer.Stray))
				default:
					got = append(got, string(x.Answer.Body))
				}
				// The end of a connection is heard a little later than the answer.
				time.Sleep(10 * time.Millisecond)
			}
			assert.Equal(t, c.want, strings.Join(got, " "))
		})
	}
}

func TestAnInterruptBreaksOff(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	c := NewClient(Options{Agent: "test"})
	defer c.Close()
	ctx, cancel := context.WithCancel(context.Background())
	go func() {
		time.Sleep(30 * time.Millisecond)
		cancel()
	}()
	r := &Request{Method: "GET", URL: "http://" + l.Addr().String(), Timeout: 10 * time.Second}
	assert.Equal(t, Interrupted, c.Do(ctx, r).Failure.Kind)
	r.Timeout = 30 * time.Millisecond
	assert.Equal(t, SlowAnswer, c.Do(context.Background(), r).Failure.Kind)
}
