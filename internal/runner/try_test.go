package runner

import (
	"errors"
	"io"
	"maps"
	"net/http"
	"net/http/httptest"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/engine"
	"usualpath/internal/draft"
)

// One typed request goes out as it was typed, with what the project knows; what it is filed as runs
// without what must not be written down. Each row is what was typed, what came of it, and what is in
// the file then.
func TestARequestIsTriedAndFiled(t *testing.T) {
	base := ""
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		w.Header().Set("Content-Type", "application/json")
		w.Header().Set("Location", r.URL.Path+"/7")
		w.WriteHeader(map[string]int{"POST": 201}[r.Method] + map[bool]int{true: 200}[r.Method != "POST"])
		_, _ = io.WriteString(w, `{"id": 7, "heard": "`+r.Method+" "+r.URL.RequestURI()+" "+strings.Join(slices.Sorted(maps.Keys(r.Header)), ",")+" "+strings.ReplaceAll(string(body), `"`, "'")+`"}`)
	}))
	defer server.Close()
	base = server.URL
	for name, c := range map[string]struct {
		try Try
		// files are there before; env is the environment.
		files, env map[string]string
		// heard is what the service was sent, in parts; fault what is told in its place.
		heard []string
		fault string
		// holds are parts of the file that it is filed into, lacks what must not be in it.
		holds, lacks, notes []string
	}{
		"a path and a base": {try: Try{Typed: &draft.Typed{Method: "GET", Target: "/boats?n=1", Query: []string{"flag=NL"}}, Engine: engine.Options{Base: "BASE"}}, heard: []string{"GET /boats?n=1&flag=NL"}},
		"a whole URL":       {try: Try{Typed: &draft.Typed{Method: "DELETE", Target: "BASE/boats/1"}}, heard: []string{"DELETE /boats/1"}},
		"of the project": {try: Try{Typed: &draft.Typed{Method: "GET", Target: "/boats/{n}"}}, files: map[string]string{"project.upath": "project p\nbase BASE\nlet n = 12\ndefaults\n  header X-Trace: on\n"},
			heard: []string{"GET /boats/12", "X-Trace"}},
		"filed": {try: Try{Typed: &draft.Typed{Method: "POST", Target: "/boats", JSON: `{"name": "Ruff"}`, Header: []string{"Authorization: Bearer made-up-77"}}, Into: "boats.upath", Step: "register"},
			files: map[string]string{"project.upath": "project p\nbase BASE\n"}, heard: []string{"POST /boats", "Authorization", "{'name':'Ruff'}"},
			holds: []string{`step "register"`, "secret token from env TOKEN", "auth bearer {token}", "send POST /boats", "expect status 201", "afterwards"}, lacks: []string{"made-up-77", "BASE"}, notes: []string{"set TOKEN"}},
		"signed in, and filed behind what is there": {try: Try{Typed: &draft.Typed{Method: "PUT", Target: "BASE/boats/7", JSON: `{"name": "Ruff"}`}, SignIn: "basic", Into: "boats.upath", Scenario: "mine"},
			files: map[string]string{"boats.upath": "base BASE\n\nscenario \"mine\"\n  step \"look\"\n    send GET /\n    expect status 200\n"}, env: map[string]string{"SERVICE_USER": "wren", "SERVICE_PASSWORD": "made-up-88"},
			heard: []string{"PUT /boats/7", "Authorization"}, holds: []string{"step \"look\"", "/boats/7\n", "auth basic {user} {password}"}, lacks: []string{"made-up-88"}},
		"a file that is sent": {try: Try{Typed: &draft.Typed{Method: "POST", Target: "BASE/charts", File: "chart.txt"}, Files: map[string][]byte{"chart.txt": []byte("soundings")}}, heard: []string{"POST /charts", "soundings"}},
		"without a header":    {try: Try{Typed: &draft.Typed{Method: "GET", Target: "BASE/boats", Header: []string{"X-Trace: on"}}, Repeat: 3, Without: []string{"header X-Trace"}}, heard: []string{"GET /boats", "X-Trace"}},
		"no base":             {try: Try{Typed: &draft.Typed{Method: "GET", Target: "/boats"}}, fault: "no base URL is known"},
		"no such credentials": {try: Try{Typed: &draft.Typed{Method: "GET", Target: "BASE/"}, SignIn: "bearer"}, fault: "nobody is there to type TOKEN"},
		"into something else": {try: Try{Typed: &draft.Typed{Method: "GET", Target: "BASE/"}, Into: "boats.txt"}, fault: "is not a scenario file"},
		"without what":        {try: Try{Typed: &draft.Typed{Method: "GET", Target: "BASE/"}, Without: []string{"hope"}}, fault: "name what to leave out"},
		"a file with errors":  {try: Try{Typed: &draft.Typed{Method: "GET", Target: "BASE/"}, Into: "boats.upath"}, files: map[string]string{"boats.upath": "scenari\n"}, heard: []string{"GET /"}, fault: "mend the file first"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Chdir(t.TempDir())
			for file, text := range c.files {
				require.NoError(t, os.WriteFile(file, []byte(strings.ReplaceAll(text, "BASE", base)), 0o600))
			}
			try := c.try
			try.Typed.Target = strings.ReplaceAll(try.Typed.Target, "BASE", base)
			try.Engine.Base = strings.ReplaceAll(try.Engine.Base, "BASE", base)
			try.Engine.Timeout, try.Engine.MaxBody, try.Engine.Getenv = 5*time.Second, 1<<20, func(n string) (string, bool) { v, ok := c.env[n]; return v, ok }
			try.Ask = func(n string) (string, error) { return "", errors.New("nobody is there to type " + n) }
			try.Repeat = max(try.Repeat, 1)
			d, err := try.Send(t.Context())
			if err == nil {
				require.NotNil(t, d.First.Answer, "%v", d.First.Failure)
				for _, part := range c.heard {
					assert.Contains(t, string(d.First.Answer.Body), part)
				}
				assert.Len(t, d.Again, try.Repeat-1)
				assert.Len(t, d.Without, len(try.Without))
				for _, x := range d.Without {
					assert.NotContains(t, string(x.Answer.Body), "X-Trace")
				}
				try.Remember(d)
				if last := draft.LoadLast("."); last != nil {
					assert.NotContains(t, strings.Join(last.Typed.Header, " "), "made-up")
				}
			}
			if err == nil && try.Into != "" {
				var filed *Filed
				if filed, err = try.File(d); err == nil {
					text, bad := os.ReadFile(try.Into)
					require.NoError(t, bad)
					for _, part := range c.holds {
						assert.Contains(t, string(text), part)
					}
					for _, part := range c.lacks {
						assert.NotContains(t, string(text), strings.ReplaceAll(part, "BASE", base), "but for the head")
					}
					for _, part := range c.notes {
						assert.Contains(t, strings.Join(filed.Notes, "\n"), part)
					}
				}
			}
			if c.fault == "" {
				require.NoError(t, err)
				return
			}
			text := ""
			if fault := (*Fault)(nil); errors.As(err, &fault) {
				text = fault.Message + fault.Hint
			} else if err != nil {
				text = err.Error()
			}
			assert.Contains(t, text, c.fault)
		})
	}
}
