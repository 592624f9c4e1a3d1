package engine

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"

	"usualpath/internal/core/event"
)

// gate lets in who has a token, for so many requests; it gives new ones until it is closed.
type gate struct {
	mu          sync.Mutex
	uses, given int
	left        map[string]int
	closesAfter int
	asked       []string
}

func (g *gate) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	g.mu.Lock()
	defer g.mu.Unlock()
	if r.URL.Path == "/in" {
		g.given++
		if g.closesAfter > 0 && g.given > g.closesAfter {
			w.WriteHeader(403)
			return
		}
		token := fmt.Sprintf("token-%d", g.given)
		g.left[token] = g.uses
		w.WriteHeader(201)
		fmt.Fprintf(w, `{"token": %q}`, token)
		return
	}
	token := strings.TrimPrefix(r.Header.Get("Authorization"), "Bearer ")
	status := 200
	if g.left[token]--; g.left[token] < 0 || r.URL.Path == "/never" {
		status = 401
	}
	g.asked = append(g.asked, fmt.Sprintf("%s %s %s %d", r.Method, r.URL.Path, token, status))
	w.WriteHeader(status)
}

// A session that ends is opened once more; who asks for 401 gets it.
func TestSessionsThatEnd(t *testing.T) {
	const in = "before all \"sign in\"\n  step \"in\"\n    send POST /in\n    need status 201\n    keep token from $.token\n\n"
	const signed = "      auth bearer \"{token}\"\n"
	get := func(title, path, claim string) string {
		return "  step \"" + title + "\"\n    send GET " + path + "\n" + signed + "    expect " + claim + "\n"
	}
	for name, c := range map[string]struct {
		uses, closes int
		steps        string
		asked        []string
		verdict      event.Verdict
		says         string
	}{
		"it ends": {2, 0, get("a", "/x", "status 200") + get("b", "/x", "status 200") + get("c", "/x", "status 200") + get("d", "/x", "status 200"),
			[]string{"GET /x token-1 200", "GET /x token-1 200", "GET /x token-1 401", "GET /x token-2 200", "GET /x token-2 200"}, event.Held, ""},
		"401 is asked for":    {1, 0, get("a", "/x", "status 200") + get("b", "/x", "status 401"), []string{"GET /x token-1 200", "GET /x token-1 401"}, event.Held, ""},
		"401 is in a body":    {1, 0, get("a", "/x", "status 200") + get("b", "/x", "text lacks \"401\""), []string{"GET /x token-1 200", "GET /x token-1 401", "GET /x token-2 200"}, event.Held, ""},
		"it was never let in": {9, 0, get("a", "/x", "status 200") + get("b", "/never", "status 200"), []string{"GET /x token-1 200", "GET /never token-1 401"}, event.Failed, "401 Unauthorized"},
		"others are": {1, 0, get("a", "/x", "status 200") + "  step \"b\"\n    send GET /x\n      auth bearer \"nobodys\"\n    expect status 200\n",
			[]string{"GET /x token-1 200", "GET /x nobodys 401"}, event.Failed, "401 Unauthorized"},
		"nobody signs in any more": {1, 1, get("a", "/x", "status 200") + get("b", "/x", "status 200"), []string{"GET /x token-1 200", "GET /x token-1 401"}, event.Failed, "401 Unauthorized"},
		"the new ones are refused": {0, 0, get("a", "/x", "status 4xx") + get("b", "/y", "status 200"), []string{"GET /x token-1 401", "GET /y token-1 401"}, event.Failed, "401 Unauthorized"},
	} {
		t.Run(name, func(t *testing.T) {
			g := &gate{uses: c.uses, closesAfter: c.closes, left: map[string]int{}}
			server := httptest.NewServer(g)
			defer server.Close()
			var said []string
			verdict := event.Held
			_, _, _ = ran(t, in+"scenario \"s\"\n"+c.steps, func(o *Options) {
				o.Base = server.URL
				emit := o.Emit
				o.Emit = func(e event.Event) {
					if st, ok := e.(*event.StepFinished); ok {
						for _, f := range st.Findings {
							verdict, said = f.Verdict, append(said, f.Observed...)
						}
					}
					emit(e)
				}
			})
			assert.Equal(t, c.asked, g.asked)
			assert.Equal(t, c.verdict, verdict)
			assert.Contains(t, strings.Join(said, "; "), c.says)
		})
	}
}

// Where the answer to new credentials is 401 too, nothing can be told.
func TestCredentialsThatAreRefusedNow(t *testing.T) {
	g := &gate{uses: 1, left: map[string]int{}}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if g.ServeHTTP(w, r); len(g.asked) == 1 {
			g.uses = 0
		}
	}))
	defer server.Close()
	_, steps, _ := ran(t, "before all \"sign in\"\n  step \"in\"\n    send POST /in\n    need status 201\n    keep token from $.token\n\nscenario \"s\"\n  auth bearer \"{token}\"\n"+
		"  step \"a\"\n    send GET /x\n    expect status 200\n  step \"b\"\n    send GET /x\n    expect status 200\n", func(o *Options) { o.Base = server.URL })
	assert.Equal(t, []string{"GET /x token-1 200", "GET /x token-1 401", "GET /x token-2 401"}, g.asked)
	assert.Equal(t, event.Blocked, steps["b"].Verdict)
	assert.Contains(t, steps["b"].Findings[0].Observed[0], "refused now")
}
