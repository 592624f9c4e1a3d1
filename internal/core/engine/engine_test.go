package engine

import (
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

	"usualpath/internal/core/event"
	"usualpath/internal/core/project"
)

// pier is a service that remembers what it was asked, and keeps a list.
type pier struct {
	mu    sync.Mutex
	asked []string
	list  []string
	slow  int
}

func (p *pier) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	body, _ := io.ReadAll(r.Body)
	p.mu.Lock()
	defer p.mu.Unlock()
	line := strings.TrimSpace(r.Method + " " + r.URL.RequestURI() + " " + string(body))
	if h := r.Header.Get("X-Note"); h != "" {
		line += " note=" + h
	}
	p.asked = append(p.asked, line)
	w.Header().Set("Content-Type", "application/json")
	switch {
	case r.URL.Path == "/list" && r.Method == "POST":
		p.list = append(p.list, fmt.Sprintf(`{"id": %d}`, len(p.list)+1))
		w.WriteHeader(201)
		fmt.Fprint(w, p.list[len(p.list)-1])
	case r.URL.Path == "/list" && r.Method == "DELETE":
		p.list = nil
		w.WriteHeader(204)
	case r.URL.Path == "/list":
		fmt.Fprintf(w, "[%s]", strings.Join(p.list, ", "))
	case r.URL.Path == "/slow" && p.slow > 0:
		p.slow--
		w.WriteHeader(503)
	case r.URL.Path == "/missing":
		w.WriteHeader(404)
		fmt.Fprint(w, `{"title": "no"}`)
	case r.URL.Path == "/moved":
		w.Header().Set("Location", "/list")
		w.WriteHeader(302)
	default:
		fmt.Fprintf(w, `{"path": %q, "token": "s3cret-token"}`, r.URL.Path)
	}
}

// ran runs a text against a fresh pier, and gives the steps by title.
func ran(t *testing.T, text string, set func(*Options)) (*pier, map[string]*event.StepFinished, *event.RunFinished) {
	t.Helper()
	p := &pier{slow: 2}
	s := httptest.NewServer(p)
	defer s.Close()
	// Random values follow the file's name too, so it is the same each time.
	name := filepath.Join(os.TempDir(), "a-pier-that-is-not-there", "a.upath")
	loaded := project.Load([]string{name}, project.Options{Overlay: map[string]string{name: text}})
	require.Zero(t, loaded.Diagnostics.Errors(), "%v", loaded.Diagnostics)
	steps := map[string]*event.StepFinished{}
	o := Options{Base: s.URL, Timeout: 2 * time.Second, MaxBody: 1 << 20, Seed: 7, Workers: 1, Tool: "t", Getenv: func(n string) (string, bool) { return "s3cret-token", n == "TOKEN" },
		Emit: func(e event.Event) {
			if st, ok := e.(*event.StepFinished); ok {
				steps[st.Title] = st
			}
		}}
	if set != nil {
		set(&o)
	}
	return p, steps, Run(context.Background(), loaded, o)
}

func TestSteps(t *testing.T) {
	for name, c := range map[string]struct {
		text string
		// want are the verdicts of the steps, asked what came to the service.
		want  map[string]event.Verdict
		asked []string
	}{
		"values go where they are named": {`
let name = "a b"
scenario "s"
  step "one"
    send POST /{name}/x
      query q = {name}
      header X-Note: n-{name}
      json { "n": {name}, "k": 1.50 }
    expect status 200
`, map[string]event.Verdict{"one": event.Held}, []string{`POST /a%20b/x?q=a%20b {"n":"a b","k":1.50} note=n-a b`}},
		"what is kept is used": {`
scenario "s"
  step "make"
    send POST /list
    keep id from $.id
  step "use"
    send GET /x/{id}
`, map[string]event.Verdict{"make": event.Held, "use": event.Held}, []string{"POST /list", "GET /x/1"}},
		"what was never kept blocks": {`
scenario "s"
  step "make"
    send GET /missing
    keep id from $.id
  step "use"
    send GET /x/{id}
  step "other"
    send GET /y
`, map[string]event.Verdict{"make": event.Failed, "use": event.Blocked, "other": event.Held}, []string{"GET /missing", "GET /y"}},
		"what is needed ends the scenario, and afterwards still runs": {`
scenario "s"
  step "one"
    send GET /missing
    need status 2xx
  step "two"
    send GET /y
afterwards
  step "end"
    send DELETE /list
`, map[string]event.Verdict{"one": event.Blocked, "two": event.NotReached, "end": event.Held}, []string{"GET /missing", "DELETE /list"}},
		"effects are what came and went": {`
scenario "s"
  observe list at /list by $.id
  step "one"
    send POST /list
    expect list gains 1
  step "two"
    send GET /x
    expect list gains 1
  step "three"
    send DELETE /list
    expect list unchanged
`, map[string]event.Verdict{"one": event.Held, "two": event.Failed, "three": event.Failed}, nil},
		"a wish that is missed warns": {`
scenario "s"
  step "one"
    send GET /x
    prefer header ETag exists
    expect status 200
`, map[string]event.Verdict{"one": event.Warned}, []string{"GET /x"}},
		"again sends once more": {`
scenario "s"
  step "one"
    send POST /list
    expect status 201
    again 2 times
      without header X-None
    expect $.id is 3
`, map[string]event.Verdict{"one": event.Failed}, []string{"POST /list", "POST /list", "POST /list"}},
		"together counts copies": {`
scenario "s"
  observe list at /list by $.id
  step "one"
    send POST /list
      together 4
    expect exactly 4 status 201
    expect list gains 4
`, map[string]event.Verdict{"one": event.Held}, nil},
		"retry waits for it": {`
scenario "s"
  step "one"
    send GET /slow
      retry for 2s every 10ms
    expect status 200
`, map[string]event.Verdict{"one": event.Held}, []string{"GET /slow", "GET /slow", "GET /slow"}},
		"when leaves a step out": {`
scenario "s"
  step "one"
    send GET /missing
  step "two"
    when status 2xx of "one"
    send GET /x
  step "three"
    when status 404 of "one"
    send GET /y
`, map[string]event.Verdict{"one": event.Held, "two": event.Skipped, "three": event.Held}, []string{"GET /missing", "GET /y"}},
		"redirects are followed when asked for": {`
scenario "s"
  step "one"
    send GET /moved
    expect status 302
  step "two"
    send GET /moved
      follow 1
    expect body is []
`, map[string]event.Verdict{"one": event.Held, "two": event.Held}, []string{"GET /moved", "GET /moved", "GET /list"}},
		"routines run in place": {`
routine "make one" takes note
  step "made by routine"
    send POST /list
      header X-Note: {note}
    keep id from $.id
  give id
scenario "s"
  do "make one" with note = "hi"
  step "use"
    send GET /x/{id}
`, map[string]event.Verdict{"made by routine": event.Held, "use": event.Held}, []string{"POST /list note=hi", "GET /x/1"}},
	} {
		p, steps, _ := ran(t, strings.TrimLeft(c.text, "\n"), nil)
		got := map[string]event.Verdict{}
		for title, st := range steps {
			got[title] = st.Verdict
		}
		assert.Equal(t, c.want, got, name)
		if c.asked != nil {
			assert.Equal(t, c.asked, p.asked, name)
		}
	}
}

func TestSecretsNeverLeaveTheEngine(t *testing.T) {
	_, steps, _ := ran(t, "secret key from env TOKEN\nscenario \"s\"\n  step \"one\"\n    send POST /{key}\n      auth bearer {key}\n      json { \"k\": {key} }\n    expect $.token is \"other\"\n", nil)
	st := steps["one"]
	require.Equal(t, event.Failed, st.Verdict)
	said := fmt.Sprintf("%v %s %s %v %s", st.Findings, st.Sent[0].Exchange.Request.URL, st.Sent[0].Exchange.Request.Body, st.Sent[0].Exchange.Request.Header, st.Sent[0].Exchange.Answer.Body)
	assert.NotContains(t, said, "s3cret-token")
	assert.Contains(t, said, "•••")
}

func TestRowsShardsAndSeeds(t *testing.T) {
	text := "scenario \"row {n}\"\n  for each case\n    { \"n\": 1 }\n    { \"n\": 2 }\n    { \"n\": 3 }\n  step \"one {n}\"\n    send GET /{n}/{random_int(1, 1000000)}\nscenario \"alone\"\n  alone\n  step \"last\"\n    send GET /last\n"
	first, _, done := ran(t, text, nil)
	assert.Equal(t, 4, done.Counts.Scenarios.All)
	second, _, _ := ran(t, text, func(o *Options) { o.Workers = 3 })
	assert.ElementsMatch(t, first.asked, second.asked, "the seed decides, not who runs it")
	other, _, _ := ran(t, text, func(o *Options) { o.Seed = 8 })
	assert.NotEqual(t, first.asked, other.asked)
	var dealt []string
	for i := 1; i <= 2; i++ {
		part, _, _ := ran(t, text, func(o *Options) { o.Select.Shard = Shard{I: i, N: 2} })
		dealt = append(dealt, part.asked...)
	}
	assert.ElementsMatch(t, first.asked, dealt, "the shards are the whole")
	only, _, _ := ran(t, text, func(o *Options) { o.Select.Only = []string{"row 2"} })
	assert.Len(t, only.asked, 1)
	for text, ok := range map[string]bool{"1/2": true, "2/2": true, "0/2": false, "3/2": false, "x": false, "1/0": false} {
		_, err := ParseShard(text)
		assert.Equal(t, ok, err == nil, text)
	}
}

func TestAStoppedRunCleansUp(t *testing.T) {
	p, steps, done := ran(t, "scenario \"s\"\n  step \"one\"\n    send GET /x\n  step \"two\"\n    send GET /y\nafterwards\n  step \"end\"\n    send DELETE /list\nscenario \"t\"\n  step \"never\"\n    send GET /z\n", func(o *Options) {
		soft, emit := make(chan struct{}), o.Emit
		o.Stop = soft
		o.Emit = func(e event.Event) {
			emit(e)
			if st, ok := e.(*event.StepFinished); ok && st.Title == "one" {
				close(soft)
			}
		}
	})
	assert.True(t, done.Interrupted)
	assert.Equal(t, []string{"GET /x", "DELETE /list"}, p.asked, "what was begun is cleaned up, and nothing else begun")
	assert.Equal(t, event.NotReached, steps["two"].Verdict)
	assert.Nil(t, steps["never"])
}

func TestAServiceThatIsNotThere(t *testing.T) {
	_, steps, done := ran(t, "scenario \"s\"\n  step \"one\"\n    send GET /x\n    expect status 200\n", func(o *Options) { o.Base = "http://127.0.0.1:1" })
	assert.True(t, done.Unreachable)
	assert.Equal(t, event.Failed, steps["one"].Verdict)
	_, steps, _ = ran(t, "scenario \"s\"\n  step \"one\"\n    send GET http://192.0.2.1/x\n    expect status 200\n", nil)
	assert.Contains(t, fmt.Sprint(steps["one"].Findings), "--allow-host", "no other machine is spoken to")
}

// What is waited for in vain is looked for once more when the time is over.
func TestTheLastTryIsWhenTheTimeIsOver(t *testing.T) {
	_, steps, _ := ran(t, "scenario \"s\"\n  step \"wait\"\n    send GET /missing\n      retry for 90ms every 60ms\n    expect status 200\n", nil)
	sent := steps["wait"].Sent
	require.GreaterOrEqual(t, len(sent), 2)
	assert.GreaterOrEqual(t, sent[len(sent)-1].Exchange.Start.Sub(sent[0].Exchange.Start), 80*time.Millisecond)
}
