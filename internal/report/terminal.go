package report

import (
	"fmt"
	"io"
	"net/url"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/charmbracelet/lipgloss"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/late"
	"usualpath/internal/core/value"
)

// Terminal writes a run for people while it happens: a trail for each
// scenario, a block for each failure, a summary.
type Terminal struct {
	W     io.Writer
	Style *Style
	// Verbose shows every exchange; Quiet only failures and the summary, Silent only
	// the summary.
	Verbose, Quiet, Silent bool
	// Width is that of the terminal, in cells.
	Width int
	// Again is the command that runs one scenario again.
	Again func(file, title string) string
	// AgainCheck is the command that runs one check of a resource again.
	AgainCheck func(file, id, level string) string
	// Kept is the file that what roaming finds is kept in, "" for none.
	Kept string
	// Since says how long a scenario fails already, "" for not; it may be nil.
	Since func(file, pattern string) string

	started  *event.RunStarted
	file     string
	scenario *event.ScenarioStarted
	// spaced is set when a blank line has been written last.
	spaced bool
	marks  []int
	steps  int
	// troubled are the steps to be told about below the trail.
	troubled []*event.StepFinished
	all      []*event.StepFinished
	// promises are the checks of the resource that is being run.
	promises *promises
	// walks is how far roaming went, nil where there was none.
	walks *event.Roamed
	// against is what was touched of a document, nil where none was asked for.
	against *event.Against
	// notices wait for the grid.
	notices []*event.Notice
}

// Event takes one event of the run.
func (t *Terminal) Event(e event.Event) {
	switch e := e.(type) {
	case *event.RunStarted:
		t.started = e
	case *event.ScenarioStarted:
		t.scenario, t.marks, t.troubled, t.all, t.steps = e, t.marks[:0], nil, nil, 0
	case *event.StepFinished:
		t.step(e)
	case *event.ScenarioFinished:
		t.finished(e)
	case *event.Roamed:
		t.roamed(e)
	case *event.Notice:
		t.notice(e)
	case *event.Against:
		if t.against == nil {
			t.against = &event.Against{Document: e.Document, Unjudged: e.Unjudged}
		}
		t.against.Merge(e)
	case *event.RunFinished:
		t.tellPromises()
		t.summary(e)
		t.touched()
	}
}

// Narrowest is the width in cells below which columns are put below each other.
const Narrowest = 60

func (t *Terminal) width() int { return min(max(t.Width, 20), 110) }

func (t *Terminal) notice(e *event.Notice) {
	if t.Quiet && !e.Severe {
		return
	}
	if t.promises != nil {
		// Told below the grid that it would part from its file.
		t.notices = append(t.notices, e)
		return
	}
	style := t.Style.faint
	if e.Severe {
		style = t.Style.failed
	}
	for line := range strings.SplitSeq(Clean(e.Text, true), "\n") {
		if width := min(t.Width, 110); width >= 20 && lipgloss.Width(line) > width {
			line = folded(line, width)
		}
		fmt.Fprintln(t.W, t.Style.paint(style, line))
	}
}

// digits are what differs between two answers of one kind.
var digits = late.Regexp(`[0-9]+(\.[0-9]+)?|[0-9a-f]{8}-[0-9a-f-]{27}`)

const mostMarks = 30

func (t *Terminal) step(e *event.StepFinished) {
	t.steps++
	mark := 0
	switch e.Verdict {
	case event.Failed:
		mark = 1
	case event.Warned:
		mark = 2
	case event.Blocked, event.NotReached, event.Skipped:
		mark = 3
	}
	if e.Afterwards && e.Verdict == event.Skipped {
		// A clean-up with nothing to clean up is not shown.
		return
	}
	// Of a very long scenario the trail shows the beginning and all trouble.
	if len(t.marks) < mostMarks || mark == 1 && len(t.marks) < 2*mostMarks {
		t.marks = append(t.marks, mark)
	}
	if mark != 0 {
		t.troubled = append(t.troubled, e)
	}
	if t.Verbose || t.scenario.Check != nil {
		t.all = append(t.all, e)
	}
}

func (t *Terminal) paintMark(m int) string {
	return t.Style.mark(m)
}

// mark is a painted mark: held, failed, warned, not reached.
func (s *Style) mark(m int) string {
	return s.paint([]lipgloss.Style{s.held, s.failed, s.warned, s.faint}[m], s.marks[m])
}

func (t *Terminal) trail() string {
	var b strings.Builder
	for i, m := range t.marks {
		if i > 0 {
			b.WriteString(t.Style.paint(t.Style.faint, t.Style.line))
		}
		b.WriteString(t.paintMark(m))
	}
	if t.steps > mostMarks {
		b.WriteString(t.Style.paint(t.Style.faint, t.Style.line+"…"))
	}
	return b.String()
}

// grave tells whether a verdict is told by a quiet run.
func grave(v event.Verdict) bool { return v == event.Failed || v == event.Blocked }

func (t *Terminal) finished(e *event.ScenarioFinished) {
	if t.Silent || t.Quiet && t.scenario.Check == nil && !grave(e.Verdict) {
		return
	}
	s := t.Style
	if t.scenario.Check != nil {
		t.promised(e)
		if !t.Verbose {
			return
		}
	} else {
		t.tellPromises()
	}
	t.fileLine(t.scenario.File)
	what, style := event.Count(e.Steps, "step"), s.faint
	switch e.Verdict {
	case event.Failed:
		what, style = "failed", s.failed
	case event.Blocked:
		what, style = "blocked", s.warned
	case event.Warned:
		what, style = "warned", s.warned
	case event.NotReached:
		what = "not finished"
	case event.Skipped:
		what = "skipped"
	}
	width := t.width()
	took := s.paint(s.faint, fmt.Sprintf("%9s", exchange.Took(e.Took)))
	if width < Narrowest {
		// One below the other.
		fmt.Fprintf(t.W, "  %s\n  %s\n  %s %s\n", t.trail(), folded(Clean(t.scenario.Title, false), width-4), s.paint(style, what), strings.TrimSpace(took))
	} else {
		trail := pad(t.trail(), 17)
		room := max(width-2-lipgloss.Width(trail)-2-24, 15)
		title := pad(fit(Clean(t.scenario.Title, false), room), room)
		fmt.Fprintf(t.W, "  %s  %s  %s %s\n", trail, title, s.paint(style, pad(what, 12)), took)
	}
	if t.Verbose {
		for _, st := range t.all {
			t.exchanges(st)
		}
	}
	told := false
	if t.scenario.Check != nil {
		// Told below the grid.
		t.troubled = nil
	}
	for _, st := range t.troubled {
		if t.block(st) {
			told = true
		}
	}
	if f := t.scenario.Found; f != nil {
		t.found(f)
		told = true
	}
	if told {
		fmt.Fprintln(t.W)
	}
	t.spaced = told
}

// fileLine heads what comes from a file, once.
func (t *Terminal) fileLine(file string) {
	if file == t.file {
		return
	}
	if t.file != "" && !t.spaced {
		fmt.Fprintln(t.W)
	}
	t.file, t.spaced = file, false
	fmt.Fprintln(t.W, t.Style.paint(t.Style.strong, Clean(t.file, false)))
}

// block tells about one step that did not hold; false when there is nothing to
// tell.
func (t *Terminal) block(e *event.StepFinished) bool {
	s := t.Style
	heading := func(mark int, word string) {
		title := fmt.Sprintf("step %d %q", e.Index, Clean(e.Title, false))
		if word != "" {
			title += "  " + word
		}
		line := e.Line
		if len(e.Findings) > 0 && e.Findings[0].Line > 0 {
			// What was missed stands there.
			line = e.Findings[0].Line
		}
		place := fmt.Sprintf("%s:%d", Clean(e.File, false), line)
		width := t.width()
		fmt.Fprintf(t.W, "\n  %s %s  %s\n", t.paintMark(mark), pad(s.paint(s.strong, title), max(width-6-lipgloss.Width(place), 40)), s.paint(s.faint, place))
	}
	switch e.Verdict {
	case event.Blocked:
		heading(3, "blocked")
		for _, l := range e.Lacks {
			t.field("lacks", l)
		}
	case event.Skipped:
		if !t.Verbose {
			return false
		}
		heading(3, "skipped")
		t.field("why", e.Why)
	case event.NotReached:
		return false
	}
	if len(e.Findings) == 0 {
		return true
	}
	if e.Verdict != event.Blocked {
		mark := 1
		if e.Verdict == event.Warned {
			mark = 2
		}
		heading(mark, "")
	}
	last := -2
	for i, f := range e.Findings {
		if f.Sent != last && f.Sent >= 0 && f.Sent < len(e.Sent) {
			if i > 0 {
				fmt.Fprintln(t.W)
			}
			t.sent(e.Sent[f.Sent])
			last = f.Sent
		}
		if i > 0 && f.Line > 0 && f.Line != e.Findings[i-1].Line {
			t.field("at", fmt.Sprintf("%s:%d", e.File, f.Line))
		}
		t.finding(f)
	}
	if e.Why != "" {
		t.field("note", e.Why)
	}
	if e.Verdict == event.Failed && t.Since != nil {
		t.field("since", t.Since(t.scenario.File, t.scenario.Pattern))
	}
	if e.Verdict == event.Failed && t.Again != nil && t.scenario.Found == nil {
		if t.scenario.Pattern != "" {
			t.field("again", t.Again(t.scenario.File, t.scenario.Title))
		}
	}
	return true
}

func (t *Terminal) finding(f event.Finding) {
	word := "expected"
	if f.Verdict == event.Warned {
		word = "preferred"
	}
	t.field(word, f.Expected)
	t.field("observed", strings.Join(f.Observed, "\n"))
	t.field("because", f.Because)
	t.field("look", f.Look)
}

// field writes a label and its text; further lines are below the first.
func (t *Terminal) field(label, text string) { t.labelled("    ", label, text) }

// inner is a field of a step inside a block.
func (t *Terminal) inner(label, text string) { t.labelled("      ", label, text) }

func (t *Terminal) labelled(indent, label, text string) {
	if text == "" {
		return
	}
	s := t.Style
	for i, line := range strings.Split(Clean(text, true), "\n") {
		if i > 0 {
			label = ""
		}
		switch label {
		case "observed":
			line = s.paint(s.failed, line)
		case "sent", "answered", "again", "because":
		}
		fmt.Fprintf(t.W, "%s%s %s\n", indent, s.paint(s.faint, fmt.Sprintf("%-9s", label)), line)
	}
}

// sent writes request and answer of one exchange, a line each.
func (t *Terminal) sent(x event.Sent) {
	r := x.Exchange.Request
	room := max(t.width()-16, 20)
	line := r.Method + " " + short(r.URL)
	if len(r.Body) > 0 {
		line += "   " + excerpt(r.Body, max(room-lipgloss.Width(line), 30))
	}
	if x.Role == event.Repeat || x.Role == event.Copy {
		line += fmt.Sprintf("   (%s %d)", x.Role, x.N)
	}
	t.field("sent", line)
	if a := x.Exchange.Answer; a != nil {
		t.field("answered", answered(x.Exchange, room))
		return
	}
	t.field("answered", "nothing: "+x.Exchange.Failure.Error())
}

// answered is an answer on one line of about that many cells: status, type,
// time, and what the body holds.
func answered(x *exchange.Exchange, room int) string {
	a := x.Answer
	parts := []string{a.StatusText()}
	if ct := a.Header.Get("Content-Type"); ct != "" {
		parts = append(parts, ct)
	}
	parts = append(parts, exchange.Took(x.Timing.Total))
	if len(a.Body) > 0 {
		parts = append(parts, excerpt(a.Body, max(room-lipgloss.Width(strings.Join(parts, "   ")), 30)))
	} else {
		parts = append(parts, "no body")
	}
	return strings.Join(parts, "   ")
}

// excerpt is a body on one line, shortened.
func excerpt(body []byte, n int) string {
	if !utf8.Valid(body) {
		return fmt.Sprintf("%d bytes that are not text", len(body))
	}
	if v, err := value.Decode(string(body), value.Limits{}); err == nil {
		return value.Cut(v.String(), n)
	}
	return value.Cut(strings.Join(strings.Fields(string(body)), " "), n)
}

// short is a URL as written in the request line, without scheme and host,
// unless the host is another machine.
func short(raw string) string {
	u, err := url.Parse(raw)
	if err != nil || u.Host == "" || !exchange.Loopback(u.Hostname()) {
		return raw
	}
	return u.RequestURI()
}

// exchanges writes every exchange of a step, for -v.
func (t *Terminal) exchanges(e *event.StepFinished) {
	s := t.Style
	fmt.Fprintf(t.W, "\n    %s\n", s.paint(s.strong, fmt.Sprintf("%d  %s", e.Index, Clean(e.Title, false))))
	for _, x := range e.Sent {
		role := ""
		switch x.Role {
		case event.Observation:
			role = "   observes " + x.Name
		case event.Repeat, event.Copy, event.Retry:
			role = fmt.Sprintf("   %s %d", x.Role, x.N)
		}
		// A refusal that was expected is as good as a success.
		style := *s
		if e.Verdict == event.Held {
			style.failed = s.held
		}
		writeExchange(t.W, &style, x.Shown(), role, "      ", x.Role == event.Observation)
	}
}

// writeExchange writes one exchange: request with headers and body, answer with
// headers and body; brief leaves the headers away.
func writeExchange(w io.Writer, s *Style, x *exchange.Exchange, note, indent string, brief bool) {
	r := x.Request
	fmt.Fprintf(w, "%s%s%s\n", indent, s.paint(s.strong, Clean(r.Method+" "+r.URL, false)), s.paint(s.faint, note))
	if !brief {
		for _, h := range r.Header {
			fmt.Fprintf(w, "%s  %s %s\n", indent, s.paint(s.name, Clean(h.Name, false)+":"), Clean(h.Value, false))
		}
	}
	if len(r.Body) > 0 {
		fmt.Fprintf(w, "%s  %s\n", indent, Clean(excerpt(r.Body, 400), false))
	}
	if x.Failure != nil {
		fmt.Fprintf(w, "%s%s\n", indent, s.paint(s.failed, Clean(x.Failure.Error(), false)))
		return
	}
	a := x.Answer
	fmt.Fprintf(w, "%s%s  %s\n", indent, statusPaint(s, a.Status, a.StatusText()), s.paint(s.faint, exchange.Took(x.Timing.Total)))
	if !brief {
		for _, n := range a.Names() {
			for _, v := range a.Header[n] {
				fmt.Fprintf(w, "%s  %s %s\n", indent, s.paint(s.name, headerName(n)+":"), Clean(v, false))
			}
		}
	}
	if len(a.Body) > 0 {
		fmt.Fprintf(w, "%s  %s\n", indent, Clean(excerpt(a.Body, 400), false))
	}
}

func statusPaint(s *Style, status int, text string) string {
	switch status / 100 {
	case 2:
		return s.paint(s.held, text)
	case 4, 5:
		return s.paint(s.failed, text)
	}
	return s.paint(s.warned, text)
}

func (t *Terminal) summary(e *event.RunFinished) {
	s, c := t.Style, e.Counts
	if !t.Silent && c.Both().All > 0 && !t.spaced && t.file != "" {
		fmt.Fprintln(t.W)
	}
	var parts []string
	add := func(n int, word string, st lipgloss.Style) {
		if n > 0 {
			parts = append(parts, s.paint(st, fmt.Sprintf("%d %s", n, word)))
		}
	}
	line := func(v event.Verdicts) string {
		parts = nil
		add(v.Held, "held", s.held)
		add(v.Failed, "failed", s.failed)
		add(v.Blocked, "blocked", s.warned)
		add(v.Warned, "warned", s.warned)
		add(v.Skipped, "not applicable", s.faint)
		add(v.NotReached, "not finished", s.warned)
		return strings.Join(parts, ", ")
	}
	tail := "   " + exchange.Took(e.Took.Round(time.Millisecond))
	if t.started != nil {
		tail += fmt.Sprintf("   seed %d", t.started.Seed)
	}
	if t.walks != nil && c.Both().All == 0 {
		// Roaming alone brings scenarios only of what it has found.
		text := s.paint(s.held, "nothing found")
		if t.walks.Steps == 0 {
			text = s.paint(s.warned, "nothing was walked")
		}
		fmt.Fprintln(t.W, text+s.paint(s.faint, tail))
		t.ending(e)
		return
	}
	if c.Scenarios.All > 0 || c.Checks.All == 0 {
		fmt.Fprintf(t.W, "%s: %s", event.Count(c.Scenarios.All, "scenario"), line(c.Scenarios))
	}
	if c.Checks.All > 0 {
		if c.Scenarios.All > 0 {
			fmt.Fprint(t.W, "   ")
		}
		fmt.Fprintf(t.W, "%s of %s: %s", event.Count(c.Checks.All, "check"), event.Count(c.Resources, "resource"), line(c.Checks))
	}
	gap := "   "
	if c.Checks.All > 0 {
		gap = "\n"
	}
	fmt.Fprintf(t.W, "%s%s", gap, event.Count(c.Steps.Ran(), "step"))
	if c.Steps.Failed+c.Steps.Blocked > 0 {
		var inner []string
		for _, x := range []struct {
			n    int
			word string
		}{{c.Steps.Failed, "failed"}, {c.Steps.Blocked, "blocked"}, {c.Steps.NotReached, "not reached"}} {
			if x.n > 0 {
				inner = append(inner, fmt.Sprintf("%d %s", x.n, x.word))
			}
		}
		fmt.Fprintf(t.W, " (%s)", strings.Join(inner, ", "))
	}
	fmt.Fprintf(t.W, ", %s, %s", event.Count(c.Expectations, "expectation"), event.Count(c.Requests+c.Observations, "request"))
	fmt.Fprintln(t.W, s.paint(s.faint, tail))
	t.ending(e)
}

// ending says why a run has ended early.
func (t *Terminal) ending(e *event.RunFinished) {
	s := t.Style
	if e.Interrupted {
		fmt.Fprintln(t.W, s.paint(s.warned, "interrupted: the rest was not run"))
	}
	if e.Unreachable {
		fmt.Fprintln(t.W, s.paint(s.failed, "not one request reached a service: is it running, and is the base URL right?"))
	}
}
