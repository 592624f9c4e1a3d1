package tests

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// rawly answers requests on a connection as it is told: what it writes is the answer, and false
// closes the connection.
func rawly(t *testing.T, answer func(r *http.Request, body []byte, c net.Conn) bool) string {
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
				in := bufio.NewReader(c)
				for {
					r, err := http.ReadRequest(in)
					if err != nil {
						if !errors.Is(err, io.EOF) {
							_, _ = io.WriteString(c, "HTTP/1.1 400 Bad Request\r\nContent-Length: 0\r\n\r\n")
						}
						return
					}
					if r.Header.Get("Expect") != "" {
						_, _ = io.WriteString(c, "HTTP/1.1 100 Continue\r\n\r\n")
					}
					body, _ := io.ReadAll(r.Body)
					if !answer(r, body, c) {
						return
					}
				}
			}()
		}
	}()
	return "http://" + l.Addr().String()
}

// recorder turns a handler's answer into bytes.
type recorder struct {
	header http.Header
	status int
	body   strings.Builder
}

func (w *recorder) Header() http.Header         { return w.header }
func (w *recorder) WriteHeader(status int)      { w.status = status }
func (w *recorder) Write(p []byte) (int, error) { return w.body.Write(p) }

func served(h http.HandlerFunc, r *http.Request, body []byte) string {
	w := &recorder{header: http.Header{}, status: 200}
	r.Body = io.NopCloser(strings.NewReader(string(body)))
	h(w, r)
	var out strings.Builder
	fmt.Fprintf(&out, "HTTP/1.1 %d %s\r\n", w.status, http.StatusText(w.status))
	_ = w.header.Write(&out)
	text := w.body.String()
	if w.status != 204 {
		fmt.Fprintf(&out, "Content-Length: %d\r\n", len(text))
	}
	out.WriteString("\r\n")
	if r.Method != "HEAD" {
		out.WriteString(text)
	}
	return out.String()
}

// A service that closes connections after its answers, and does not say so, is checked like any
// other: nothing is sent twice, claimed or left because of that.
func TestConnectionsThatAreClosedWithoutAWord(t *testing.T) {
	t.Parallel()
	plainOnly(t)
	s := newCrates(crateManners{})
	var first atomic.Int64
	base := rawly(t, func(r *http.Request, body []byte, c net.Conn) bool {
		_, _ = io.WriteString(c, served(s.ServeHTTP, r, body))
		// The next request may be on its way.
		time.Sleep(time.Duration(first.Add(1)%4) * 100 * time.Microsecond)
		return false
	})
	plain := newCrates(crateManners{})
	for _, workers := range []string{"1", "4"} {
		dir := folder(t, "crates.upath", "base "+base+"\n\n"+cratesResource, "plain.upath", "base "+service(t, plain.ServeHTTP)+"\n\n"+cratesResource)
		_, want := missed(t, dir, "run", "plain.upath", "--workers", workers)
		r, got := missed(t, dir, "run", "crates.upath", "--workers", workers)
		assert.Equal(t, want, got, "%s", tail(r.out))
		assert.NotContains(t, r.out, "cannot tell")
		assert.NotContains(t, r.out, "left on the service")
		assert.Equal(t, userItems, s.size())
	}
}

// A write that has no answer is sent once, whatever its size, and the crash is told.
func TestAWriteWithoutAnAnswerIsSentOnce(t *testing.T) {
	t.Parallel()
	for _, size := range []int{10, 70 << 10, 1 << 20} {
		var stored atomic.Int64
		base := rawly(t, func(r *http.Request, _ []byte, c net.Conn) bool {
			if r.Method == "POST" {
				stored.Add(1)
				return false
			}
			_, _ = io.WriteString(c, "HTTP/1.1 200 OK\r\nContent-Length: 0\r\n\r\n")
			return true
		})
		dir := folder(t, "a.upath", scenario(base, "  step \"store it\"\n    send POST /crates\n      json { \"name\": \"{repeat(\"x\", "+fmt.Sprint(size)+")}\" }\n    expect status 201\n"))
		r := run(t, dir, "run")
		assert.Equal(t, 1, r.code, r.out)
		assert.Contains(t, r.out, "closed early")
		assert.EqualValues(t, 1, stored.Load(), "%d bytes", size)
	}
}

// A create that is carried out and answered too late is not sent again, nothing is claimed about
// counts after it, and what it made is removed.
func TestACreateThatIsAnsweredTooLate(t *testing.T) {
	t.Parallel()
	plainOnly(t)
	s := newCrates(crateManners{})
	var posts atomic.Int64
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		s.ServeHTTP(w, r)
		if r.Method == "POST" && posts.Add(1) == 5 {
			time.Sleep(400 * time.Millisecond)
		}
	})
	dir := folder(t, "crates.upath", "base "+base+"\n\n"+cratesResource)
	r := run(t, dir, "run", "--timeout", "200ms", "--family", "lifecycle")
	assert.NotContains(t, r.out, "gained", "%s", tail(r.out))
	assert.Equal(t, userItems, s.size(), "%s", tail(r.out))
}

// Bytes that come behind an answer without a body, later than the next step, are told of the
// step that they belong to.
func TestBytesThatComeLate(t *testing.T) {
	t.Parallel()
	base := rawly(t, func(r *http.Request, _ []byte, c net.Conn) bool {
		if r.Method == "DELETE" {
			_, _ = io.WriteString(c, "HTTP/1.1 204 No Content\r\n\r\n")
			time.Sleep(20 * time.Millisecond)
			_, _ = io.WriteString(c, "squawk")
			return true
		}
		_, _ = io.WriteString(c, "HTTP/1.1 200 OK\r\nContent-Length: 2\r\n\r\nok")
		return true
	})
	for _, pause := range []string{"1ms", "60ms"} {
		dir := folder(t, "a.upath", scenario(base, "  step \"remove it\"\n    send DELETE /crates/1\n    expect status 204\n  step \"look\"\n    pause "+pause+"\n    send GET /crates\n    expect text is \"ok\"\n"))
		r := run(t, dir, "run")
		assert.Equal(t, 0, r.code, r.out)
		assert.Regexp(t, `behind the answer to DELETE \S*/crates/1`, strings.Join(strings.Fields(r.out), " "))
	}
}

// What is waited for ends with an interrupt, or by itself.
func TestWhatIsWaitedForEnds(t *testing.T) {
	t.Parallel()
	plainOnly(t)
	s := newCrates(crateManners{})
	base := service(t, s.ServeHTTP)
	scene := "\nscenario \"s\"\n  step \"t\"\n    send GET /crates\n    expect status 200\n"
	dir := folder(t, "slow/project.upath", "project p\n\nservice crates\n  start \"sleep 60\"\n  ready GET / is 200 within 50s\n", "slow/a.upath", scene, "a.upath", "base "+base+"\n"+scene)
	r := runWithin(t, dir+"/slow", 20*time.Second, 500*time.Millisecond, "", "run")
	assert.Equal(t, 130, r.code, r.out+r.err)
	if runtime.GOOS == "windows" {
		return
	}
	require.NoError(t, syscall.Mkfifo(dir+"/pipe", 0o600))
	r = runWithin(t, dir, 20*time.Second, 0, "", "run", "a.upath", "--save", "pipe")
	assert.NotEqual(t, 0, r.code)
	assert.Contains(t, r.err, "nobody reads from the pipe")
	// What a run that was killed has left half-written goes with the next one.
	old := exec.Command("true")
	require.NoError(t, old.Run())
	left := fmt.Sprintf("%s/.usualpath-%d-77", dir, old.Process.Pid)
	mine := fmt.Sprintf("%s/.usualpath-%d-77", dir, os.Getpid())
	for _, name := range []string{left, mine} {
		require.NoError(t, os.WriteFile(name, nil, 0o600))
	}
	require.Equal(t, 0, run(t, dir, "run", "a.upath", "--report", "junit=r.xml").code)
	assert.NoFileExists(t, left)
	assert.FileExists(t, mine, "it belongs to a process that lives")
}

// heavy are files that could take a machine's memory, as pairs of name and text.
func heavy() []string {
	var aliases, uses, resources, wide strings.Builder
	for i := range 2000 {
		fmt.Fprintf(&wide, "a%d,", i)
	}
	wide.WriteString("z\n")
	aliases.WriteString("openapi: 3.0.3\ninfo: {title: a, version: '1'}\na0: &a0 [x, x]\n")
	for i := 1; i < 60; i++ {
		fmt.Fprintf(&aliases, "a%d: &a%d [*a%d, *a%d]\n", i, i, i-1, i-1)
	}
	pairs := []string{"bomb.yaml", aliases.String(), "deep.json", `{"openapi": "3.0.3", "x": ` + strings.Repeat(`{"a":`, 5000) + "1" + strings.Repeat("}", 5001),
		"long.json", `{"$schema": "https://json-schema.org/draft/2020-12/schema", "type": "object", "properties": {"a": {"type": "string", "minLength": 1000000000000}, "b": {"type": "array", "minItems": 1000000000000, "items": {"type": "integer"}}}}`,
		"wide.csv", wide.String(), "wide.upath", "scenario \"s\"\n  for each case in \"wide.csv\"\n  step \"t\"\n    send GET /\n    expect status 200\n"}
	for i := range 260 {
		pairs = append(pairs, fmt.Sprintf("u/u%03d.upath", i), fmt.Sprintf("use \"u%03d.upath\"\nlet n%d = 1\n", i+1, i))
		fmt.Fprintf(&resources, "resource r%d\n  collection /r%d\n  make { \"a\": \"x {turn}\" }\n\n", i, i)
	}
	fmt.Fprint(&uses, "let last = 1\n")
	pairs = append(pairs, "u/u260.upath", uses.String(), "many.upath", resources.String())
	var entries []string
	for i := range 1200 {
		entries = append(entries, fmt.Sprintf(`{"request": {"method": "GET", "url": "http://127.0.0.1:1/a/%d"}, "response": {"status": 200, "content": {"mimeType": "application/json", "text": "{\"n\": %d}"}}}`, i, i))
	}
	pairs = append(pairs, "many.har", `{"log": {"entries": [`+strings.Join(entries, ",")+`]}}`)
	return pairs
}

// limits are the commands that read them, by what they say.
var limits = map[string][]string{
	"once its aliases are written out":      {"new", "a", "--from-openapi", "bomb.yaml"},
	"deeper than 500 levels":                {"new", "b", "--from-openapi", "deep.json"},
	"at most 1000 are read":                 {"lint", "wide.upath"},
	"more than 200 deep":                    {"lint", "u/u000.upath"},
	"more than 200 resources":               {"run", "many.upath", "--base", "http://127.0.0.1:1"},
	"more than 1000 requests":               {"new", "c", "--from-har", "many.har"},
	"has at least 1000000000000 characters": {"new", "d", "--from-openapi", "long.json"},
	"260 resources with":                    {"lint", "many.upath"},
}

// What could take a machine's memory ends with a word about its limit.
func TestInputsAreBounded(t *testing.T) {
	plainOnly(t)
	t.Parallel()
	dir := folder(t, heavy()...)
	for says, args := range limits {
		r := run(t, dir, args...)
		assert.Contains(t, r.out+r.err, says, "%v: %s", args, tail(r.out+r.err))
		assert.Contains(t, []int{0, 2}, r.code)
	}
}

// Credentials and secrets stay with the origin that they were written for.
func TestSecretsStayWithTheirOrigin(t *testing.T) {
	var came []string
	var mu sync.Mutex
	other := service(t, func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		mu.Lock()
		defer mu.Unlock()
		came = append(came, r.Method+" "+r.Header.Get("Authorization")+r.Header.Get("X-Pier")+r.Header.Get("X-Mine")+r.Header.Get("X-Key")+string(body))
	})
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		http.Redirect(w, r, other+"/end", http.StatusTemporaryRedirect)
	})
	t.Setenv("KEY", "mooring-77-line")
	dir := folder(t, "a.upath", "base "+base+`
secret key from env KEY

scenario "s"
  auth header "X-Pier" "pier-nine-9"
  header X-Mine: a {key} b
  header X-Key: plain
  step "a read"
    send GET /a
      follow 1
    expect status 200
  step "a write"
    send POST /a
      follow 1
      json { "name": "Tern" }
    expect status 200
  step "a write with a secret"
    send POST /a
      follow 1
      json { "word": {key} }
    expect status 200
`)
	r := run(t, dir, "run", "-v")
	mu.Lock()
	defer mu.Unlock()
	assert.Equal(t, []string{"GET ", `POST {"name":"Tern"}`}, came, r.out)
	assert.Contains(t, strings.Join(strings.Fields(r.out), " "), "holds a secret")
}
