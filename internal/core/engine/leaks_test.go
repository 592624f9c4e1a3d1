package engine

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"testing"

	"github.com/stretchr/testify/assert"

	"usualpath/internal/core/event"
)

// What error answers to any check show of the inside is told once, unless the check that looks for it
// has told of it, or does not run.
func TestWhatAnswersShowOfTheInside(t *testing.T) {
	step := func(title, target, claims string) string {
		return "\n  step \"" + title + "\"\n    send GET " + target + "\n" + claims
	}
	check := func(id, steps string) string {
		return "scenario \"boats " + id + "\"\n  check " + id + " of boats on read\n" + steps + "\n"
	}
	looks := check(leaksNothing, step("an odd one", "/fine", "    expect body leaks nothing\n"))
	reads := check("absence/missing-read", step("one", "/sql", "    expect status 500\n")+step("two", "/sql?b", "    expect status 500\n")+step("three", "/fine", "    expect status 404\n"))
	for name, c := range map[string]struct {
		text  string
		found []string
	}{
		"it is told once":        {looks + reads, []string{`the body holds SQL: "SELECT name FROM boats"`, `in step "one" of "boats absence/missing-read"`, "and in 1 more answer"}},
		"its check does not run": {reads, nil},
		"its check tells of it":  {check(leaksNothing, step("an odd one", "/sql", "    expect body leaks nothing\n")) + reads, nil},
		"it is what was sent":    {looks + check("absence/missing-read", step("one", `/echo?SELECT%20name%20FROM%20boats`, "    expect status 400\n")), nil},
		"it is no check":         {looks + "scenario \"s\"\n" + step("one", "/sql", "    expect status 500\n"), nil},
	} {
		t.Run(name, func(t *testing.T) {
			server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				switch r.URL.Path {
				case "/sql":
					w.WriteHeader(500)
					fmt.Fprint(w, "broken: SELECT name FROM boats")
				case "/echo":
					w.WriteHeader(400)
					text, _ := url.QueryUnescape(r.URL.RawQuery) // it is well-formed
					fmt.Fprint(w, text)
				default:
					w.WriteHeader(404)
				}
			}))
			defer server.Close()
			var found []string
			ran(t, c.text, func(o *Options) {
				o.Base = server.URL
				o.Emit = func(e event.Event) {
					if st, ok := e.(*event.StepFinished); ok && st.Scenario >= firstLeak {
						assert.Equal(t, event.Failed, st.Verdict)
						for _, f := range st.Findings {
							found = append(found, f.Observed...)
						}
					}
				}
			})
			assert.Equal(t, c.found, found)
		})
	}
}
