package out

import (
	"bufio"
	"fmt"
	"io"
	"strings"

	"github.com/goccy/go-yaml"

	"usualpath/internal/core/event"
)

// tap writes version 14 of the Test Anything Protocol: a point for each
// scenario, with a YAML block for what did not hold.
type tap struct {
	gather
	w *bufio.Writer
	n int
}

var _ = format("tap", newTAP)

func newTAP(w io.Writer) (Sink, error) {
	t := &tap{w: bufio.NewWriter(w)}
	t.caused = true
	t.begin = func(e *event.RunStarted) { fmt.Fprintf(t.w, "TAP version 14\n# %s, seed %d\n", safe(e.Tool), e.Seed) }
	t.each = t.scenario
	t.notice = func(e *event.Notice) {
		for _, line := range strings.Split(safeLines(e.Text), "\n") {
			fmt.Fprintf(t.w, "# %s\n", line)
		}
	}
	t.end = func(*event.RunFinished) {
		t.held()
		fmt.Fprintf(t.w, "1..%d\n", t.n)
	}
	return t, nil
}

var tapEscapes = strings.NewReplacer(`\`, `\\`, `#`, `\#`)

// missedYAML is one expectation in a YAML block.
type missedYAML struct {
	Step     string   `yaml:"step"`
	At       string   `yaml:"at"`
	Sent     string   `yaml:"sent,omitempty"`
	Answered string   `yaml:"answered,omitempty"`
	Expected string   `yaml:"expected,omitempty"`
	Observed []string `yaml:"observed,omitempty"`
	Because  string   `yaml:"because,omitempty"`
	Lacks    []string `yaml:"lacks,omitempty"`
}

type blockYAML struct {
	Verdict string       `yaml:"verdict"`
	Proves  string       `yaml:"proves,omitempty"`
	Why     string       `yaml:"why,omitempty"`
	Cause   string       `yaml:"cause,omitempty"`
	With    []string     `yaml:"with,omitempty"`
	Missed  []missedYAML `yaml:"missed,omitempty"`
}

func (t *tap) scenario(s *scenario) {
	t.n++
	v := s.finished.Verdict
	word := "ok"
	if bad(v) {
		word = "not ok"
	}
	fmt.Fprintf(t.w, "%s %d - %s", word, t.n, tapEscapes.Replace(safe(s.File+": "+s.name())))
	switch v {
	case event.Skipped:
		fmt.Fprint(t.w, " # SKIP not applicable")
	case event.NotReached:
		fmt.Fprint(t.w, " # SKIP not reached")
	}
	fmt.Fprintln(t.w)
	if !bad(v) && v != event.Warned {
		return
	}
	b := blockYAML{Verdict: string(v), Why: safe(s.finished.Why), Cause: s.first, With: s.with}
	if s.Check != nil {
		b.Proves = safe(s.About)
	}
	for _, st := range s.steps {
		at := fmt.Sprintf("%s:%d", safe(st.File), lineOf(st))
		for _, f := range st.Findings {
			m := missedYAML{Step: safe(st.Title), At: at, Expected: safe(f.Expected), Because: safe(f.Because)}
			for _, o := range f.Observed {
				m.Observed = append(m.Observed, safe(o))
			}
			if f.Sent >= 0 && f.Sent < len(st.Sent) {
				m.Sent, m.Answered = safe(sentLine(st.Sent[f.Sent])), safe(answeredLine(st.Sent[f.Sent]))
			}
			b.Missed = append(b.Missed, m)
		}
		if len(st.Lacks) > 0 {
			m := missedYAML{Step: safe(st.Title), At: at}
			for _, l := range st.Lacks {
				m.Lacks = append(m.Lacks, safe(l))
			}
			b.Missed = append(b.Missed, m)
		}
	}
	data, err := yaml.Marshal(b)
	if err != nil {
		data = []byte("verdict: " + string(v) + "\n")
	}
	fmt.Fprint(t.w, "  ---\n")
	for _, line := range strings.Split(strings.TrimRight(string(data), "\n"), "\n") {
		fmt.Fprintf(t.w, "  %s\n", line)
	}
	fmt.Fprint(t.w, "  ...\n")
}

func (t *tap) Close() error {
	t.release()
	return t.w.Flush()
}

// held writes a point for each departure from a document, and one for how much of it was
// touched.
func (t *tap) held() {
	a := t.against
	if a == nil {
		return
	}
	for _, d := range a.Departures {
		t.n++
		word := "not ok"
		if d.Warns {
			word = "ok"
		}
		fmt.Fprintf(t.w, "%s %d - %s\n", word, t.n, tapEscapes.Replace(safe(a.Document+": "+d.Text)))
	}
	t.n++
	word := "ok"
	if a.Short() {
		word = "not ok"
	}
	fmt.Fprintf(t.w, "%s %d - %s\n", word, t.n, tapEscapes.Replace(safe(a.Document+": "+a.Words())))
}
