// Package out turns the events of a run into documents for programs and
// people: HTML, JUnit, TAP, JSON, Markdown, HAR. All of them stream: what has
// been told is not kept.
package out

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"usualpath/internal/core/event"
	"usualpath/internal/report"
)

// Sink takes the events of a run and writes a document of them. Close ends the
// document; it does not close the writer.
type Sink interface {
	Event(e event.Event)
	Close() error
}

// formats are all formats, by name. Each is added by the file that writes it.
var formats = map[string]func(w io.Writer) (Sink, error){}

// format adds a format.
func format(name string, make func(w io.Writer) (Sink, error)) struct{} {
	formats[name] = make
	return struct{}{}
}

// Formats are the names of the formats, sorted.
func Formats() []string {
	var out []string
	for f := range formats {
		out = append(out, f)
	}
	slices.Sort(out)
	return out
}

// New makes a sink for a format.
func New(format string, w io.Writer) (Sink, error) {
	make, ok := formats[format]
	if !ok {
		return nil, fmt.Errorf("there is no format %q; there are %s", format, strings.Join(Formats(), ", "))
	}
	return make(w)
}

// scenario is one scenario with all that became of it.
type scenario struct {
	*event.ScenarioStarted
	steps    []*event.StepFinished
	finished *event.ScenarioFinished
	// first is the check whose failure explains that of this one, "" for none; with
	// are those that this one explains.
	first string
	with  []string
}

// name is the title; that of a check names its resource and its id.
func (s *scenario) name() string { return s.Title }

// gather puts the events of a scenario together.
type gather struct {
	now *scenario
	run *event.RunStarted
	// caused holds the checks of a resource until all of them are there, so that
	// each can say which of them it follows from.
	caused bool
	held   []*scenario
	// The events that a document is made of.
	begin  func(*event.RunStarted)
	each   func(*scenario)
	notice func(*event.Notice)
	roamed func(*event.Roamed)
	// against is what was touched of a document, of all parts of a run.
	against *event.Against
	end     func(*event.RunFinished)
}

func (g *gather) Event(e event.Event) {
	switch e := e.(type) {
	case *event.RunStarted:
		g.run = e
		if g.begin != nil {
			g.begin(e)
		}
	case *event.ScenarioStarted:
		g.now = &scenario{ScenarioStarted: e}
	case *event.StepFinished:
		if g.now != nil {
			g.now.steps = append(g.now.steps, e)
		}
	case *event.ScenarioFinished:
		if g.now != nil {
			g.now.finished = e
			g.take(g.now)
			g.now = nil
		}
	case *event.Roamed:
		if g.roamed != nil {
			g.release()
			g.roamed(e)
		}
	case *event.Against:
		if g.against == nil {
			g.against = &event.Against{Document: e.Document, Unjudged: e.Unjudged}
		}
		g.against.Merge(e)
	case *event.Notice:
		if g.notice != nil {
			g.notice(e)
		}
	case *event.RunFinished:
		g.release()
		if g.end != nil {
			g.end(e)
		}
	}
}

// take hands a scenario on, or holds it for the rest of its resource.
func (g *gather) take(s *scenario) {
	if n := len(g.held); n > 0 && (s.Check == nil || s.File != g.held[n-1].File || s.Check.Resource != g.held[n-1].Check.Resource) {
		g.release()
	}
	if !g.caused || s.Check == nil {
		g.each(s)
		return
	}
	g.held = append(g.held, s)
}

// release hands on what is held.
func (g *gather) release() {
	list := g.held
	g.held = nil
	of := map[*report.Checked]*scenario{}
	var checks []*report.Checked
	for _, s := range list {
		c := &report.Checked{Started: s.ScenarioStarted, Finished: s.finished, Steps: s.steps}
		of[c] = s
		checks = append(checks, c)
	}
	for _, c := range report.Causes(checks) {
		of[c.First].with = c.Others()
		for _, w := range c.With {
			of[w].first = c.First.Started.Check.ID
		}
	}
	for _, s := range list {
		g.each(s)
	}
}

// spool keeps what comes before its head is known in a temporary file.
type spool struct {
	f *os.File
	*bufio.Writer
}

func newSpool() (*spool, error) {
	f, err := os.CreateTemp("", "usualpath-report-*")
	if err != nil {
		return nil, err
	}
	return &spool{f, bufio.NewWriterSize(f, 64<<10)}, nil
}

// pour writes all of it to w, and removes the file.
func (s *spool) pour(w io.Writer) error {
	err := s.Flush()
	if err == nil {
		_, err = s.f.Seek(0, io.SeekStart)
	}
	if err == nil {
		_, err = io.Copy(w, s.f)
	}
	return errors.Join(err, s.f.Close(), os.Remove(s.f.Name()))
}

// bad tells whether a verdict is one that a run fails by.
func bad(v event.Verdict) bool { return v == event.Failed || v == event.Blocked }

// story is why a scenario did not hold, as plain text.
func story(s *scenario) string {
	var b strings.Builder
	if s.Check != nil && s.About != "" {
		fmt.Fprintf(&b, "%s\n", s.About)
	}
	if s.finished.Why != "" {
		fmt.Fprintf(&b, "%s\n", s.finished.Why)
	}
	if s.first != "" {
		fmt.Fprintf(&b, "for the same cause as %s\n", s.first)
	}
	for _, st := range s.steps {
		if len(st.Findings)+len(st.Lacks) == 0 {
			continue
		}
		fmt.Fprintf(&b, "step %d %q (%s:%d)\n", st.Index, st.Title, st.File, lineOf(st))
		last := -1
		for _, f := range st.Findings {
			if f.Sent != last && f.Sent >= 0 && f.Sent < len(st.Sent) {
				last = f.Sent
				fmt.Fprintf(&b, "  sent      %s\n  answered  %s\n", sentLine(st.Sent[f.Sent]), answeredLine(st.Sent[f.Sent]))
			}
			fmt.Fprintf(&b, "  %-9s %s\n  observed  %s\n", expectedWord(f.Verdict), f.Expected, strings.Join(f.Observed, "\n            "))
			if f.Because != "" {
				fmt.Fprintf(&b, "  because   %s\n", f.Because)
			}
		}
		for _, l := range st.Lacks {
			fmt.Fprintf(&b, "  lacks     %s\n", l)
		}
	}
	if f := s.Found; f != nil {
		b.WriteString(foundStory(f))
	}
	if n := len(s.with); n > 0 {
		fmt.Fprintf(&b, "with it %d more for the same cause: %s\n", n, strings.Join(s.with, ", "))
	}
	return b.String()
}

// lineOf is where the first thing that was missed stands.
func lineOf(st *event.StepFinished) int {
	for _, f := range st.Findings {
		if f.Line > 0 {
			return f.Line
		}
	}
	return st.Line
}

func expectedWord(v event.Verdict) string {
	switch v {
	case event.Warned:
		return "preferred"
	case event.Blocked:
		return "needed"
	}
	return "expected"
}

func sentLine(x event.Sent) string {
	line := x.Exchange.Request.Method + " " + x.Exchange.Request.URL
	if b := excerpt(x.Exchange.Request.Body, 200); b != "" {
		line += "  " + b
	}
	return line
}

func answeredLine(x event.Sent) string {
	a := x.Exchange.Answer
	if a == nil {
		return "nothing: " + x.Exchange.Failure.Error()
	}
	line := a.StatusText()
	if ct := a.Header.Get("Content-Type"); ct != "" {
		line += "  " + ct
	}
	if b := excerpt(a.Body, 200); b != "" {
		line += "  " + b
	}
	return line
}

// headline is the first thing that was missed, in one line.
func headline(s *scenario) string {
	for _, st := range s.steps {
		for _, f := range st.Findings {
			if bad(f.Verdict) || s.finished.Verdict == event.Warned {
				text := expectedWord(f.Verdict) + " " + f.Expected
				if len(f.Observed) > 0 {
					text += ", found " + f.Observed[0]
				}
				return text
			}
		}
	}
	if s.finished.Why != "" {
		return s.finished.Why
	}
	return string(s.finished.Verdict)
}
