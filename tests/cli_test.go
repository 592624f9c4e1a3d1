package tests

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"net"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestBadInputSendsNothing(t *testing.T) {
	t.Parallel()
	sent := 0
	base := service(t, func(http.ResponseWriter, *http.Request) { sent++ })
	good := scenario(base, "  step \"t\"\n    send GET /\n    expect status 200\n")
	for name, c := range map[string]struct {
		files, args []string
		says        []string
	}{
		"a missing file":        {nil, []string{"run", "gone.upath"}, []string{"gone.upath", "there is no such file or folder"}},
		"an empty folder":       {nil, []string{"run", "."}, []string{"no scenario files in this folder"}},
		"a binary file":         {[]string{"a.upath", "\x00\x01\x02", "b.upath", good}, []string{"run"}, []string{"NUL byte"}},
		"bad UTF-8":             {[]string{"a.upath", "let a = \"\xff\"\n"}, []string{"run"}, []string{"not UTF-8 text", "a.upath:1:10"}},
		"cut off in JSON":       {[]string{"a.upath", scenario(base, "  step \"t\"\n    send POST /\n      json { \"a\": [1,")}, []string{"run"}, []string{"a.upath:6:22", "end of the file"}},
		"mistakes in two files": {[]string{"a.upath", "scenari\n", "b.upath", "let\n", "c.upath", good}, []string{"run"}, []string{"a.upath:1:1", "b.upath:1:4", "2 errors; nothing was sent"}},
		"no base":               {[]string{"a.upath", "scenario \"s\"\n  step \"t\"\n    send GET /x\n    expect status 200\n"}, []string{"run"}, []string{"this path has no base URL"}},
		"a name never bound":    {[]string{"a.upath", strings.Replace(good, "GET /", "GET /{x}", 1)}, []string{"run"}, []string{"`x` is never bound"}},
		"another file":          {[]string{"a.txt", good}, []string{"run", "a.txt"}, []string{"scenario files end in .upath"}},
		"single quotes in try":  {nil, []string{"try", "POST", base + "/x", "--json", "{'a': 1}"}, []string{"single quotes", "^"}},
		"a file outside":        {[]string{"p/project.upath", "project p\n", "p/a.upath", strings.Replace(good, "GET /", "POST /\n      file \"../secret\"", 1), "secret", "x"}, []string{"run", "p"}, []string{"outside the project's folder"}},
	} {
		t.Run(name, func(t *testing.T) {
			r := run(t, folder(t, c.files...), c.args...)
			assert.Equal(t, 2, r.code, r.out+r.err)
			for _, s := range c.says {
				assert.Contains(t, r.out+r.err, s)
			}
		})
	}
	assert.Zero(t, sent)
}

func TestTry(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		serve http.HandlerFunc
		args  []string
		says  []string
		not   []string
	}{
		"a good answer": {func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Content-Type", "application/json")
			w.Header().Set("X-Odd", "1")
			fmt.Fprint(w, `{"a":9007199254740993,"b":[1.50,{"c":null}]}`)
		}, []string{"GET"}, []string{"200 OK", "9007199254740993", "1.50", "application/json"}, []string{"X-Odd", "noteworthy"}},
		"all headers":          {func(w http.ResponseWriter, r *http.Request) { w.Header().Set("X-Odd", "1"); fmt.Fprint(w, "x") }, []string{"GET", "-v"}, []string{"X-Odd: 1", "connecting", "HTTP/1.1"}, nil},
		"201 without Location": {func(w http.ResponseWriter, r *http.Request) { w.WriteHeader(201) }, []string{"POST", "--json", "{}"}, []string{"201 Created", "201 without Location", "RFC 9110 §15.3.2"}, nil},
		"405 without Allow":    {func(w http.ResponseWriter, r *http.Request) { w.WriteHeader(405) }, []string{"PUT"}, []string{"405 without Allow"}, nil},
		"HTML for JSON": {func(w http.ResponseWriter, r *http.Request) {
			w.WriteHeader(500)
			fmt.Fprint(w, "<html><body>goroutine 1 [running]:\nmain.go</body></html>")
		}, []string{"POST", "--json", "{}"}, []string{"HTML where JSON was asked for", "a stack trace"}, nil},
		"JSON labelled as text": {func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Content-Type", "text/plain")
			fmt.Fprint(w, `{"a":1}`)
		}, []string{"GET"}, []string{"JSON that is labelled text/plain"}, nil},
		"text labelled as JSON": {func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Content-Type", "application/json")
			fmt.Fprint(w, `{"a":1,}`)
		}, []string{"GET"}, []string{"trailing comma", `{"a":1,}`}, nil},
		"200 with nothing": {func(w http.ResponseWriter, r *http.Request) {}, []string{"GET"}, []string{"200 with an empty body"}, nil},
		"an error in a success": {func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Content-Type", "application/json")
			fmt.Fprint(w, `{"error":"no such boat"}`)
		}, []string{"GET"}, []string{"an error inside a success"}, nil},
		"another status inside": {func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Content-Type", "application/problem+json")
			w.WriteHeader(404)
			fmt.Fprint(w, `{"status":400}`)
		}, []string{"GET"}, []string{"the body says status 400, the answer 404"}, nil},
		"control characters": {func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Content-Type", "text/plain")
			fmt.Fprint(w, "a\x1b[31mred\u202eb\x00")
		}, []string{"GET"}, nil, []string{"\x1b", "\u202e"}},
		"no error, no remark": {func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Content-Type", "application/json")
			fmt.Fprint(w, `{"error":null,"errors":[],"status":"ok","success":true}`)
		}, []string{"GET"}, nil, []string{"noteworthy"}},
	} {
		t.Run(name, func(t *testing.T) {
			base := service(t, c.serve)
			args := append([]string{"try", c.args[0], base + "/x"}, c.args[1:]...)
			r := run(t, ".", args...)
			assert.Equal(t, 0, r.code, r.err)
			for _, s := range c.says {
				assert.Contains(t, r.out, s)
			}
			for _, s := range c.not {
				assert.NotContains(t, r.out, s)
			}
		})
	}
}

// raw answers every connection with these bytes, and closes it.
func raw(t *testing.T, answer string, hold time.Duration) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = l.Close() })
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go func() {
				defer c.Close()
				_ = c.SetDeadline(time.Now().Add(5 * time.Second))
				_, _ = c.Read(make([]byte, 4096))
				_, _ = c.Write([]byte(answer))
				time.Sleep(hold)
			}()
		}
	}()
	return "http://" + l.Addr().String()
}

func TestFailedExchangesHaveNames(t *testing.T) {
	t.Parallel()
	gone, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	refused := "http://" + gone.Addr().String()
	require.NoError(t, gone.Close())
	var zipped bytes.Buffer
	z := gzip.NewWriter(&zipped)
	_, _ = z.Write(bytes.Repeat([]byte("a"), 3<<20))
	_ = z.Close()
	for name, c := range map[string]struct{ base, says string }{
		"refused":                {refused, "connection refused"},
		"closed early":           {raw(t, "", 0), "closed early: before an answer"},
		"half a body":            {raw(t, "HTTP/1.1 200 OK\r\nContent-Length: 10\r\n\r\nabc", 0), "closed early: after 3 of the 10 bytes"},
		"slow answer":            {raw(t, "", time.Second), "timed out waiting"},
		"slow body":              {raw(t, "HTTP/1.1 200 OK\r\nContent-Length: 10\r\n\r\nabc", time.Second), "timed out reading"},
		"not HTTP":               {raw(t, "SSH-2.0-harbour\r\n", 0), "not HTTP"},
		"bad chunk":              {raw(t, "HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\nzz\r\nabc\r\n", 0), "bad chunk"},
		"bad length":             {raw(t, "HTTP/1.1 200 OK\r\nContent-Length: 1\r\nContent-Length: 2\r\n\r\nabc", 0), "bad length"},
		"bad gzip":               {raw(t, "HTTP/1.1 200 OK\r\nContent-Encoding: gzip\r\nContent-Length: 3\r\n\r\nabc", 0), "bad encoding"},
		"too large":              {raw(t, "HTTP/1.1 200 OK\r\nContent-Length: 2000000\r\n\r\n", 0), "too large"},
		"too large once decoded": {raw(t, fmt.Sprintf("HTTP/1.1 200 OK\r\nContent-Encoding: gzip\r\nContent-Length: %d\r\n\r\n%s", zipped.Len(), zipped.String()), 0), "once it is decoded"},
		"TLS":                    {strings.Replace(raw(t, "HTTP/1.1 200 OK\r\n\r\n", 0), "http:", "https:", 1), "TLS"},
		"host":                   {"http://192.0.2.1", "host not allowed"},
	} {
		t.Run(name, func(t *testing.T) {
			dir := folder(t, "a.upath", scenario(c.base, "  step \"t\"\n    send POST /x\n    expect status 200\n  step \"u\"\n    send POST /x\n    expect answer missing\n"))
			r := run(t, dir, "run", "--timeout", "200ms", "--max-body", "1MiB")
			assert.Contains(t, r.out, c.says)
			assert.Contains(t, r.out, "2 steps (1 failed)", r.out)
			want := 1
			if name == "refused" {
				want = 3
			}
			assert.Equal(t, want, r.code, r.out)
		})
	}
}

func TestRedirectsAreFollowedOnlyWhenAsked(t *testing.T) {
	t.Parallel()
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/end" {
			fmt.Fprint(w, `"`+r.Method+`"`)
			return
		}
		http.Redirect(w, r, map[string]string{"/a": "/b", "/b": "/end", "/round": "/round"}[r.URL.Path], http.StatusSeeOther)
	})
	r := run(t, folder(t, "a.upath", scenario(base, "  step \"t\"\n    send POST /a\n    expect status 303\n  step \"u\"\n    send POST /a\n      follow 2\n    expect $ is \"GET\"\n  step \"v\"\n    send GET /round\n      follow 5\n    expect answer missing\n")), "run")
	assert.Equal(t, 0, r.code, r.out)
}
