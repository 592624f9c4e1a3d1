package engine

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/tools/txtar"

	"usualpath/internal/core/event"
	"usualpath/internal/core/project"
	"usualpath/internal/golden"
)

// canned answers from the files of an archive: "GET /path" holds answers as
// HTTP writes them, without the version, with lines of `~` between those of
// repeats; the last one stays.
type canned struct {
	mu      sync.Mutex
	answers map[string][]string
	asked   []string
}

func newCanned(in map[string]string) *canned {
	c := &canned{answers: map[string][]string{}}
	for name, text := range in {
		if method, _, ok := strings.Cut(name, " "); ok && method == strings.ToUpper(method) {
			c.answers[name] = strings.Split(text, "~\n")
		}
	}
	return c
}

// shown are the headers worth telling of a request.
var shown = []string{"Accept", "Authorization", "Content-Type", "Cookie", "If-Match", "X-Note"}

func (c *canned) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	body, _ := io.ReadAll(r.Body)
	c.mu.Lock()
	defer c.mu.Unlock()
	line := r.Method + " " + r.URL.RequestURI()
	for _, name := range shown {
		for _, v := range r.Header.Values(name) {
			media, boundary, parts := strings.Cut(v, "boundary=")
			if parts {
				body, v = bytes.ReplaceAll(body, []byte(boundary), []byte("BOUNDARY")), media+"boundary=BOUNDARY"
			}
			line += "\n  " + name + ": " + v
		}
	}
	if len(body) > 0 {
		line += "\n  " + strings.ReplaceAll(strings.ReplaceAll(string(body), "\r", ""), "\n", "\n  ")
	}
	c.asked = append(c.asked, line)
	key := r.Method + " " + r.URL.Path
	list := c.answers[key]
	if len(list) == 0 {
		w.WriteHeader(http.StatusNotFound)
		return
	}
	if len(list) > 1 {
		c.answers[key] = list[1:]
	}
	if strings.HasPrefix(list[0], "BREAKS") {
		panic(http.ErrAbortHandler)
	}
	head := bufio.NewReader(strings.NewReader("HTTP/1.1 " + list[0]))
	answer, err := http.ReadResponse(head, r)
	if err != nil {
		panic(fmt.Sprintf("%s: %v", key, err))
	}
	rest, _ := io.ReadAll(answer.Body)
	for name, values := range answer.Header {
		w.Header()[name] = values
	}
	w.Header()["Date"] = nil
	w.WriteHeader(answer.StatusCode)
	_, _ = w.Write(bytes.TrimSuffix(rest, []byte("\n")))
}

// The archives hold scenarios, a service's answers, what became of each step
// and what the service was asked.
func TestScenarios(t *testing.T) {
	t.Cleanup(func() { assert.NoError(t, os.RemoveAll(filepath.Join(os.TempDir(), "a-quay-of-tests"))) })
	golden.Each(t, "testdata/*.txtar", func(t *testing.T, in map[string]string) []txtar.File {
		service := newCanned(in)
		s := httptest.NewServer(service)
		defer s.Close()
		// Random values follow the file's name too, so it is the same each time.
		dir := filepath.Join(os.TempDir(), "a-quay-of-tests", t.Name())
		require.NoError(t, os.MkdirAll(dir, 0o755))
		for name, text := range in {
			if !strings.Contains(name, " ") {
				require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o755))
				require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
			}
		}
		p := project.Load([]string{filepath.Join(dir, "a.upath")}, project.Options{})
		require.Zero(t, p.Diagnostics.Errors(), "%v", p.Diagnostics)
		var became strings.Builder
		plain := func(text string) string {
			return strings.NewReplacer(s.URL, "http://quay", strings.TrimPrefix(s.URL, "http://"), "quay", dir, "DIR").Replace(text)
		}
		Run(context.Background(), p, Options{Base: s.URL, Timeout: 2 * time.Second, MaxBody: 1 << 20, Seed: 7, Workers: 1, Tool: "t",
			Getenv: func(n string) (string, bool) { return "s3cret-" + strings.ToLower(n), n == "TOKEN" },
			Emit:   func(e event.Event) { became.WriteString(plain(told(e))) }})
		return []txtar.File{{Name: "became", Data: []byte(became.String())}, {Name: "asked", Data: []byte(plain(strings.Join(service.asked, "\n")))}}
	})
}

// told is what an event says, without times.
func told(e event.Event) string {
	var b strings.Builder
	switch e := e.(type) {
	case *event.ScenarioStarted:
		fmt.Fprintf(&b, "%s\n", e.Title)
	case *event.StepFinished:
		fmt.Fprintf(&b, "  %s: %s\n", e.Title, e.Verdict)
		if e.Why != "" {
			fmt.Fprintf(&b, "    why: %s\n", e.Why)
		}
		for _, l := range e.Lacks {
			fmt.Fprintf(&b, "    lacks %s\n", l)
		}
		for _, f := range e.Findings {
			fmt.Fprintf(&b, "    %s expected %s\n      found %s\n", f.Verdict, f.Expected, strings.Join(f.Observed, "\n            "))
			if f.Because != "" {
				fmt.Fprintf(&b, "      because %s\n", f.Because)
			}
			if f.Look != "" {
				fmt.Fprintf(&b, "      look %s\n", f.Look)
			}
		}
	case *event.ScenarioFinished:
		fmt.Fprintf(&b, "  = %s %s\n", e.Verdict, e.Why)
	case *event.Notice:
		fmt.Fprintf(&b, "! %s\n", e.Text)
	}
	return b.String()
}
