package exchange

import (
	"bytes"
	"compress/gzip"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"log"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What an error of the network is called, and what is said of it.
func TestNamesOfFailures(t *testing.T) {
	op := func(err error) error {
		return &net.OpError{Op: "dial", Net: "tcp", Addr: &net.TCPAddr{IP: net.IPv4(127, 0, 0, 1), Port: 9}, Err: os.NewSyscallError("connect", err)}
	}
	for _, c := range []struct {
		err  error
		at   phase
		said string
	}{
		{&hostError{"192.0.2.1"}, connecting, "host not allowed: 192.0.2.1 is not a loopback address"},
		{fmt.Errorf("x: %w", errBetween), waiting, "closed between requests"},
		{context.Canceled, reading, "interrupted"},
		{context.DeadlineExceeded, connecting, "timed out connecting"},
		{context.DeadlineExceeded, waiting, "timed out waiting"},
		{os.ErrDeadlineExceeded, reading, "timed out reading"},
		{&net.DNSError{Name: "gull.localhost"}, connecting, "unknown host: gull.localhost"},
		{op(syscall.ECONNREFUSED), connecting, "connection refused: 127.0.0.1:9"},
		{syscall.ECONNREFUSED, connecting, "connection refused"},
		{syscall.ECONNRESET, waiting, "connection reset"},
		{&tls.CertificateVerificationError{Err: errors.New("x509: odd")}, connecting, "TLS: tls: failed to verify certificate: x509: odd"},
		{tls.RecordHeaderError{Msg: "odd"}, connecting, "TLS: the service speaks plain HTTP there"},
		{errors.New("http: server gave HTTP response to HTTPS client"), waiting, "TLS: the service speaks plain HTTP there"},
		{errors.New("tls: no"), connecting, "TLS: tls: no"},
		{errors.New("remote error: tls: no"), connecting, "TLS: remote error: tls: no"},
		{gzip.ErrHeader, reading, "bad encoding: gzip: invalid header"},
		{gzip.ErrChecksum, reading, "bad encoding: gzip: invalid checksum"},
		{errors.New("malformed chunked encoding"), reading, "bad chunk: malformed chunked encoding"},
		{errors.New("invalid byte in chunk length"), reading, "bad chunk: invalid byte in chunk length"},
		{errors.New(`http: bad Content-Length "x"`), waiting, `bad length: bad Content-Length "x"`},
		{errors.New("unsupported transfer encoding"), waiting, "bad length: unsupported transfer encoding"},
		{errors.New(`net/http: HTTP/1.x transport connection broken: malformed HTTP response "x"`), waiting, `not HTTP: malformed HTTP response "x"`},
		{errors.New("unsupported protocol scheme"), waiting, "not HTTP: unsupported protocol scheme"},
		{errLongHead, waiting, "too large: the header section is longer than 1 MiB"},
		{io.ErrUnexpectedEOF, reading, "closed early: in the middle of the body"},
		{io.ErrUnexpectedEOF, waiting, "closed early: before an answer"},
		{io.EOF, reading, "closed early: before an answer"},
		{errIdle, waiting, "closed early: before an answer"},
		{errors.New("net/http: invalid header field value"), connecting, "cannot be sent: invalid header field value"},
		{errors.New("invalid method"), connecting, "cannot be sent: invalid method"},
		{errors.New("net/http: http: odd"), waiting, "failed: odd"},
	} {
		assert.EqualError(t, classify(c.err, c.at), c.said)
	}
	assert.EqualError(t, &hostError{"h"}, "host h is not allowed")
	assert.Contains(t, (&Failure{TooLarge, "the header section is longer"}).Look(), "set again and again")
	assert.Contains(t, (&Failure{TooLarge, "the body"}).Look(), "--max-body")
	assert.Empty(t, (&Failure{Kind: OtherFailure}).Look())
	assert.EqualError(t, cutShort(io.ErrUnexpectedEOF, 3, 5), "closed early: after 3 of the 5 bytes that Content-Length promised")
	assert.EqualError(t, cutShort(io.ErrUnexpectedEOF, 3, -1), "closed early: in the middle of the body")
	assert.EqualError(t, cutShort(io.ErrUnexpectedEOF, 0, 0), "closed early: after 0 of the 0 bytes that Content-Length promised")
	assert.EqualError(t, cutShort(os.ErrDeadlineExceeded, 3, 5), "timed out reading")
}

func TestWordsOfAnswers(t *testing.T) {
	for d, want := range map[time.Duration]string{0: "0.0 ms", 9990 * time.Microsecond: "10.0 ms", 10 * time.Millisecond: "10 ms", 999 * time.Millisecond: "999 ms", time.Second: "1.0 s", 119 * time.Second: "119.0 s", 2 * time.Minute: "2m0s", 125300 * time.Millisecond: "2m5s"} {
		assert.Equal(t, want, Took(d))
	}
	for status, want := range map[int]string{200: "200 OK", 299: "299", 404: "404 Not Found"} {
		assert.Equal(t, want, (&Answer{Status: status}).StatusText())
	}
	assert.Equal(t, []string{"", "Gone"}, []string{Phrase(299), Phrase(410)})
	assert.Equal(t, []string{"A", "B", "C"}, (&Answer{Header: http.Header{"B": nil, "C": nil, "A": nil}}).Names())
	for ct, is := range map[string]bool{"application/xml": true, "text/xml; charset=utf-8": true, "image/svg+XML": true, "application/json": false, "text/plain": false, "": false} {
		assert.Equal(t, is, IsXML(ct), ct)
	}
	for ct, want := range map[string]string{"Text/HTML; a=b": "text/html", "Text/Odd ; =": "text/odd", "": "", " A/B ;;;": "a/b"} {
		assert.Equal(t, want, MediaType(ct), ct)
	}
	for ct, is := range map[string]bool{"text/json": true, "application/vnd.gull+json": true, "application/jsonp": false} {
		assert.Equal(t, is, IsJSON(ct), ct)
	}
	for list, want := range map[string]string{"": "", "a": "a", "a,b": "a|b", ",": "", `"a\",b",c`: `"a\",b"|c`, `a\,b`: `a\|b`} {
		assert.Equal(t, want, strings.Join(SplitList(list), "|"), list)
	}
	for header, want := range map[string]string{
		`<a>; rel=next`: "a next", `<a,b>;rel="x next"`: "a,b x next", `x, <b>; rel=last`: "b last", `<a`: "", `<a>; rel="a\"b"`: `a a"b`, `<a>; rel=one; rel=two`: "a one", `<a>; ; REL = "x"`: "a x", `<"a>; rel=q`: `"a q`,
		`<a>; title="<b>, c"; rel=z`: "a z", `<a>; rel="`: `a "`, `<a>; rel="\`: "", `<a>; rel=""`: "a ", `<a>; rel=x"y`: `a x"y`, `<a>; t="\\"; rel=b`: "a b", "< a >; rel=b": "a b", `<a>; t=";"; rel=k`: "a k", `<a>; t="\";"; rel=m`: "a m",
	} {
		var got []string
		for _, l := range Links([]string{header}) {
			got = append(got, l.Target+" "+l.Params["rel"])
		}
		assert.Equal(t, want, strings.Join(got, "|"), header)
	}
}

// A request as it goes over the wire, without what is added to it.
func TestWire(t *testing.T) {
	for _, c := range []struct {
		r    Request
		want string
	}{
		{Request{Method: "GET", URL: "http://h/x"}, "Host: h|User-Agent: gull/1"},
		{Request{Method: "POST", URL: "http://h:8/x", Body: []byte("ab"), Header: []Field{{"x-note", "a"}, {"Host", "other"}, {"User-Agent", "u"}}}, "Host: other|User-Agent: u|Content-Length: 2|X-Note: a"},
		{Request{Method: "GET", URL: "http://h/x", Header: []Field{{"Accept-Encoding", "gzip"}}}, "Host: h|User-Agent: gull/1|Accept-Encoding: gzip"},
		{Request{Method: "CONNECT", URL: "http://h/x", Header: []Field{{"A", "b"}}}, "A: b"},
		{Request{Method: "GET", URL: "http://h/x", Header: []Field{{"Long", strings.Repeat("x", 100_000)}}}, "Host: h|User-Agent: gull/1|Long: " + strings.Repeat("x", 100_000)},
	} {
		var got []string
		for _, f := range Wire(&c.r, "gull/1") {
			got = append(got, f.Name+": "+f.Value)
		}
		assert.ElementsMatch(t, strings.Split(c.want, "|"), got)
	}
}

// What a request is made of, and what cannot be sent.
func TestWhatIsSent(t *testing.T) {
	c := NewClient(Options{Agent: "gull/1", Unsent: true})
	defer c.Close()
	for _, one := range []struct {
		r    Request
		want string
	}{
		{Request{Method: "GET", URL: "http://h/x"}, "GET /x h 0 gull/1 false false"},
		{Request{Method: "GET", URL: "https://h/x?q=1"}, "GET /x?q=1 h 0 gull/1 false false"},
		{Request{Method: "POST", URL: "http://h/x", Body: []byte("abc"), Header: []Field{{"host", "o"}, {"user-agent", "u"}}}, "POST /x o 3 u true false"},
		{Request{Method: "POST", URL: "http://h/x", Body: []byte{}}, "POST /x h 0 gull/1 true false"},
		{Request{Method: "POST", URL: "http://h/x", Body: []byte("abc"), NoBody: true}, "POST /x h 0 gull/1 false false"},
		{Request{Method: "POST", URL: "http://h/x", Body: []byte("abc"), Header: []Field{{"Idempotency-Key", "k"}}}, "POST /x h 3 gull/1 false false k"},
		{Request{Method: "POST", URL: "http://h/x", Body: []byte("abc"), Header: []Field{{"Connection", "Close"}}}, "POST /x h 3 gull/1 true true"},
		{Request{Method: "GET", URL: "http://h/x", Header: []Field{{"Connection", "keep-alive"}}}, "GET /x h 0 gull/1 false false"},
		{Request{Method: "OPTIONS", URL: "http://h/*"}, "OPTIONS * h 0 gull/1 false false"},
		{Request{Method: "GET", URL: "http://h/*"}, "GET /* h 0 gull/1 false false"},
		{Request{Method: "OPTIONS", URL: "http://h/x"}, "OPTIONS /x h 0 gull/1 false false"},
		{Request{Method: "GET", URL: "http://h/%zz?a=%"}, "GET /%zz?a=% h 0 gull/1 false false"},
		{Request{Method: "HEAD", URL: "http://h/%zz"}, "HEAD /%zz h 0 gull/1 false false"},
		{Request{Method: "PUT", URL: "http://h/%zz"}, `cannot be sent: the URL is not valid: parse "http://h/%zz": invalid URL escape "%zz"`},
		{Request{Method: "GET", URL: "http://h h/%zz"}, `cannot be sent: the URL is not valid: parse "http://h h/%zz": invalid character " " in host name`},
		{Request{Method: "GET", URL: "ftp://h/x"}, "cannot be sent: the URL needs http:// or https:// and a host: ftp://h/x"},
		{Request{Method: "GET", URL: "http:///x"}, "cannot be sent: the URL needs http:// or https:// and a host: http:///x"},
		{Request{Method: "GET", URL: "/x"}, "cannot be sent: the URL needs http:// or https:// and a host: /x"},
		{Request{Method: "GET", URL: "http://u:p@h/x"}, "cannot be sent: a user and password in the URL are not sent: write `auth basic USER PASSWORD`, with a secret from the environment"},
		{Request{Method: "CONNECT", URL: "http://h/x"}, "cannot be sent: CONNECT asks a proxy for a tunnel and has no answer to check"},
	} {
		req, failure := c.build(&one.r)
		x := c.Do(context.Background(), &one.r)
		if failure != nil {
			assert.EqualError(t, failure, one.want)
			assert.EqualError(t, x.Failure, one.want)
			continue
		}
		assert.Equal(t, Unsent, x.Failure.Kind)
		got := fmt.Sprint(req.Method, " ", req.URL.RequestURI(), " ", req.Host, " ", req.ContentLength, " ", req.UserAgent(), " ", req.GetBody != nil, " ", req.Close)
		if k := req.Header.Get("Idempotency-Key"); k != "" {
			got += " " + k
		}
		assert.Equal(t, one.want, got)
		if req.GetBody != nil {
			again, err := req.GetBody()
			require.NoError(t, err)
			body, _ := io.ReadAll(again)
			assert.Equal(t, string(one.r.Body), string(body))
		}
		assert.Equal(t, one.r.Body != nil && len(one.r.Body) == 0, req.Body == http.NoBody)
	}
}

// Which requests are spoken directly.
func TestWhatIsSpokenDirectly(t *testing.T) {
	c := NewClient(Options{Agent: "gull/1"})
	defer c.Close()
	for _, one := range []struct {
		r  Request
		is bool
	}{
		{Request{Method: "GET", URL: "http://h/x"}, true}, {Request{Method: "GET", URL: "https://h/x"}, false}, {Request{Method: "POST", URL: "http://h/x", Body: make([]byte, bigBody)}, true}, {Request{Method: "POST", URL: "http://h/x", Body: make([]byte, bigBody+1)}, false},
		{Request{Method: "A B", URL: "http://h/x"}, false}, {Request{Method: "GET", URL: "http://h/x", Header: []Field{{"Expect", "100-continue"}}}, false}, {Request{Method: "GET", URL: "http://h/x", Header: []Field{{"Upgrade", "gull"}}}, false}, {Request{Method: "GET", URL: "http://h/x", Header: []Field{{"A b", "c"}}}, false},
		{Request{Method: "GET", URL: "http://h/x", Header: []Field{{"A", "c\n"}}}, false}, {Request{Method: "GET", URL: "http://é/x"}, false}, {Request{Method: "GET", URL: "http://h/x", Header: []Field{{"Host", "a\x00b"}}}, false},
	} {
		req, failure := c.build(&one.r)
		require.Nil(t, failure)
		assert.Equal(t, one.is, speaks(req), "%v", one.r)
	}
	now := time.Now()
	assert.WithinDuration(t, now.Add(50*time.Millisecond), sooner(time.Time{}), 40*time.Millisecond)
	assert.Equal(t, now, sooner(now))
	assert.WithinDuration(t, now.Add(50*time.Millisecond), sooner(now.Add(time.Hour)), 40*time.Millisecond)
}

// Only this machine is spoken to, whatever a name is resolved to.
func TestDialing(t *testing.T) {
	s := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) {}))
	defer s.Close()
	_, port, _ := net.SplitHostPort(s.Listener.Addr().String())
	c := NewClient(Options{Allow: []string{"gull.example", "tern.example:80"}})
	defer c.Close()
	for host, ok := range map[string]bool{"127.0.0.1": true, "LOCALHOST": true, "localhost.": true, "gull.LocalHost": true} {
		conn, err := c.dial(context.Background(), "tcp", net.JoinHostPort(host, port))
		if assert.NoError(t, err, host) && ok {
			_ = conn.Close()
		}
	}
	_, err := c.dial(context.Background(), "tcp", "192.0.2.1:80")
	assert.EqualError(t, err, "host 192.0.2.1 is not allowed")
	_, err = c.dial(context.Background(), "tcp", "127.0.0.1")
	assert.ErrorContains(t, err, "missing port")
	for address, want := range map[[2]string]string{{"gull.example", "8"}: "", {"tern.example", "80"}: "", {"tern.example", "81"}: "host tern.example is not allowed", {"localhost", "80"}: ""} {
		d, err := c.dialer(address[0], address[1])
		if want != "" {
			assert.EqualError(t, err, want)
			continue
		}
		require.NoError(t, err)
		assert.Equal(t, address[0] == "localhost", d.Control != nil, "only a host that was not allowed is looked at again")
	}
}

// A body is taken up to its limit, as it travels and once it is decoded.
func TestLimitsOfBodies(t *testing.T) {
	coded := func(n int) []byte {
		var b bytes.Buffer
		w := gzip.NewWriter(&b)
		_, _ = w.Write(bytes.Repeat([]byte("a"), n))
		_ = w.Close()
		return b.Bytes()
	}
	for name, c := range map[string]struct {
		coding  string
		body    []byte
		chunked bool
		want    string
	}{
		"as long as may be":                    {"", bytes.Repeat([]byte("a"), 100), false, "100"},
		"longer":                               {"", bytes.Repeat([]byte("a"), 101), false, "too large: Content-Length is 101 bytes, the limit 100"},
		"in chunks":                            {"", bytes.Repeat([]byte("a"), 100), true, "100"},
		"longer, in chunks":                    {"", bytes.Repeat([]byte("a"), 101), true, "too large: the body is longer than the limit of 100 bytes"},
		"decoded":                              {"x-gzip", coded(100), false, "100"},
		"longer, decoded":                      {"gzip", coded(101), false, "too large: the body is longer than the limit of 100 bytes once it is decoded"},
		"identity":                             {"identity, ", []byte("abc"), false, "3"},
		"identity around gzip":                 {"Gzip, identity", coded(3), false, "3"},
		"not what it is said to be":            {"gzip", []byte("abc"), false, "bad encoding: unexpected EOF"},
		"cut":                                  {"gzip", coded(90)[:20], false, "bad encoding: unexpected EOF"},
		"empty":                                {"gzip", nil, false, "0"},
		"empty, of a coding that is not known": {"br", nil, false, "0"},
	} {
		t.Run(name, func(t *testing.T) {
			s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
				if c.coding != "" {
					w.Header().Set("Content-Encoding", c.coding)
				}
				if c.chunked {
					w.(http.Flusher).Flush()
				}
				_, _ = w.Write(c.body)
			}))
			defer s.Close()
			client := NewClient(Options{MaxBody: 100})
			defer client.Close()
			x := client.Do(context.Background(), &Request{Method: "GET", URL: s.URL, Timeout: 5 * time.Second})
			if x.Failure != nil {
				assert.EqualError(t, x.Failure, c.want)
				return
			}
			assert.Equal(t, c.want, fmt.Sprint(len(x.Answer.Body)))
			assert.Equal(t, len(c.body), x.Answer.Wire)
		})
	}
}

// Where the time went, and what came back, on a new connection and on one that is used again, in
// plain text and over TLS.
func TestTimingsAndReasons(t *testing.T) {
	handler := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/slow" {
			time.Sleep(300 * time.Millisecond)
		}
		time.Sleep(5 * time.Millisecond)
		w.WriteHeader(418)
		w.(http.Flusher).Flush()
		time.Sleep(5 * time.Millisecond)
		_, _ = io.WriteString(w, r.Host)
	})
	for _, secure := range []bool{false, true} {
		s := httptest.NewUnstartedServer(handler)
		if secure {
			s.StartTLS()
		} else {
			s.Start()
		}
		c := NewClient(Options{})
		c.transport.TLSClientConfig.InsecureSkipVerify = true
		for n := range 2 {
			x := c.Do(context.Background(), &Request{Method: "GET", URL: s.URL, Timeout: 5 * time.Second})
			require.Nil(t, x.Failure)
			assert.Equal(t, n == 0, x.Timing.Connect > 0)
			assert.GreaterOrEqual(t, x.Timing.Wait, 4*time.Millisecond)
			assert.GreaterOrEqual(t, x.Timing.Read, 4*time.Millisecond)
			assert.GreaterOrEqual(t, x.Timing.Total, 9*time.Millisecond)
			if !secure {
				assert.Equal(t, "I'm a teapot", x.Answer.Reason)
			}
			assert.Empty(t, x.Answer.From)
		}
		c.Close()
		s.Close()
	}
	s := httptest.NewUnstartedServer(handler)
	s.Config.ErrorLog = log.New(io.Discard, "", 0)
	s.StartTLS()
	defer s.Close()
	c := NewClient(Options{})
	defer c.Close()
	assert.Equal(t, TLS, c.Do(context.Background(), &Request{Method: "GET", URL: s.URL, Timeout: 5 * time.Second}).Failure.Kind)
	assert.Equal(t, TLS, c.Do(context.Background(), &Request{Method: "GET", URL: strings.Replace(plainURL(t), "http:", "https:", 1), Timeout: 5 * time.Second}).Failure.Kind)
	c.transport.TLSClientConfig.InsecureSkipVerify = true
	require.Nil(t, c.Do(context.Background(), &Request{Method: "GET", URL: s.URL, Timeout: 5 * time.Second}).Failure)
	assert.Equal(t, SlowAnswer, c.Do(context.Background(), &Request{Method: "GET", URL: s.URL + "/slow", Timeout: 150 * time.Millisecond}).Failure.Kind)
}

func plainURL(t *testing.T) string {
	s := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) {}))
	t.Cleanup(s.Close)
	return s.URL
}

// Bytes behind an answer without a body are told once the connection is used again, or looked at.
func TestLateBytes(t *testing.T) {
	for name, c := range map[string]struct{ answers, want string }{
		"while idle":           {"HTTP/1.1 204 No Content\r\n\r\n", "squawk"},
		"behind one with body": {"HTTP/1.1 200 OK\r\nContent-Length: 1\r\n\r\na", ""},
	} {
		t.Run(name, func(t *testing.T) {
			l, err := net.Listen("tcp", "127.0.0.1:0")
			require.NoError(t, err)
			defer l.Close()
			go func() {
				for {
					conn, err := l.Accept()
					if err != nil {
						return
					}
					go func() {
						head := make([]byte, 400)
						_, _ = conn.Read(head)
						_, _ = io.WriteString(conn, c.answers)
						time.Sleep(20 * time.Millisecond)
						_, _ = io.WriteString(conn, "squawk")
						_, _ = io.Copy(io.Discard, conn)
						_ = conn.Close()
					}()
				}
			}()
			var mu sync.Mutex
			told := ""
			client := NewClient(Options{Late: func(of *Exchange, text []byte) {
				mu.Lock()
				defer mu.Unlock()
				told += string(text)
				assert.Equal(t, 204, of.Answer.Status)
			}})
			defer client.Close()
			for range 2 {
				x := client.Do(context.Background(), &Request{Method: "GET", URL: "http://" + l.Addr().String(), Timeout: 5 * time.Second})
				require.Nil(t, x.Failure)
				time.Sleep(60 * time.Millisecond)
			}
			mu.Lock()
			defer mu.Unlock()
			assert.Equal(t, c.want, told)
		})
	}
}

// Redirects are followed as far as was said, and what leads nowhere is the answer.
func TestHops(t *testing.T) {
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/nowhere":
			w.WriteHeader(302)
		case "/odd":
			w.Header().Set("Location", "http://[")
			w.WriteHeader(302)
		case "/300":
			w.Header().Set("Location", "/end")
			w.WriteHeader(300)
		case "/end":
		default:
			w.Header().Set("Location", r.URL.Path+"x")
			w.WriteHeader(307)
		}
	}))
	defer s.Close()
	c := NewClient(Options{})
	defer c.Close()
	for path, want := range map[string]string{"/nowhere": "302", "/odd": "302", "/300": "300", "/end": "200", "/r": "too many redirects: more than 2, the last to /rxxx"} {
		x := c.Do(context.Background(), &Request{Method: "GET", URL: s.URL + path, Follow: 2, Timeout: 5 * time.Second})
		if x.Failure != nil {
			assert.EqualError(t, x.Failure, want)
			assert.Nil(t, x.Answer)
			continue
		}
		assert.Equal(t, want, fmt.Sprint(x.Answer.Status), path)
	}
	x := c.Do(context.Background(), &Request{Method: "GET", URL: s.URL + "/r", Follow: 2, Timeout: 5 * time.Second, Hop: func(next *Request) string { return "no " + next.URL[len(s.URL):] }})
	assert.EqualError(t, x.Failure, "redirect not followed: no /rx")
	assert.Nil(t, x.Answer)
	x = c.Do(context.Background(), &Request{Method: "GET", URL: s.URL + "/r", Timeout: 5 * time.Second})
	assert.Equal(t, 307, x.Answer.Status)
}

// Of idle connections so many are kept as was said, and none after Forget.
func TestIdleConnections(t *testing.T) {
	open := 0
	var mu sync.Mutex
	s := httptest.NewUnstartedServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { time.Sleep(20 * time.Millisecond) }))
	s.Config.ConnState = func(_ net.Conn, state http.ConnState) {
		mu.Lock()
		defer mu.Unlock()
		switch state {
		case http.StateNew:
			open++
		case http.StateClosed:
			open--
		}
	}
	s.Start()
	defer s.Close()
	c := NewClient(Options{Connections: 2})
	var all sync.WaitGroup
	for range 4 {
		all.Go(func() {
			c.Do(context.Background(), &Request{Method: "GET", URL: s.URL, Timeout: 5 * time.Second})
		})
	}
	all.Wait()
	now := func() int { mu.Lock(); defer mu.Unlock(); return open }
	assert.Eventually(t, func() bool { return now() == 2 }, 2*time.Second, 5*time.Millisecond)
	c.Forget()
	assert.Eventually(t, func() bool { return now() == 0 }, 2*time.Second, 5*time.Millisecond)
	c.Do(context.Background(), &Request{Method: "GET", URL: s.URL, Timeout: 5 * time.Second})
	c.Close()
	assert.Eventually(t, func() bool { return now() == 0 }, 2*time.Second, 5*time.Millisecond)
}
