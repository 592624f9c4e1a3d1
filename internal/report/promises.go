package report

import (
	"fmt"
	"slices"
	"strings"

	"github.com/charmbracelet/lipgloss"
	"github.com/charmbracelet/x/ansi"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/late"
)

// promises are the checks of one resource, until they are told.
type promises struct {
	file, resource string
	checks         []*Checked
}

// promised takes in a finished check.
func (t *Terminal) promised(e *event.ScenarioFinished) {
	s := t.scenario
	if t.promises == nil || t.promises.file != s.File || t.promises.resource != s.Check.Resource {
		t.tellPromises()
		t.promises = &promises{file: s.File, resource: s.Check.Resource}
	}
	o := &Checked{Started: s, Finished: e}
	if e.Verdict != event.Held && e.Verdict != event.Skipped {
		o.Steps = t.all
	}
	t.promises.checks = append(t.promises.checks, o)
}

// tellPromises writes the grid of a resource, and what did not hold.
func (t *Terminal) tellPromises() {
	p := t.promises
	if p == nil {
		return
	}
	t.promises = nil
	groups := Causes(p.checks)
	if t.Quiet {
		groups = slices.DeleteFunc(groups, func(c *Cause) bool { return !grave(c.First.Finished.Verdict) })
		if len(groups) == 0 {
			t.waitingNotices()
			return
		}
	}
	if t.file == p.file && !t.spaced {
		fmt.Fprintln(t.W)
	}
	t.fileLine(p.file)
	if !t.Quiet {
		t.grid(p)
	}
	for _, g := range groups {
		t.group(g)
	}
	fmt.Fprintln(t.W)
	t.spaced = true
	if t.waitingNotices() > 0 {
		fmt.Fprintln(t.W)
	}
}

// waitingNotices tells what has waited for the grid, and how much that was.
func (t *Terminal) waitingNotices() int {
	notices := t.notices
	t.notices = nil
	for _, n := range notices {
		t.notice(n)
	}
	return len(notices)
}

// worst is the mark of a verdict, and how much it counts.
func worst(v event.Verdict) (mark, rank int) {
	switch v {
	case event.Failed:
		return 1, 4
	case event.Blocked, event.NotReached:
		return 3, 3
	case event.Warned:
		return 2, 2
	case event.Held:
		return 0, 1
	}
	return 3, 0
}

// grid draws the operations by the families of checks.
func (t *Terminal) grid(p *promises) {
	m := &Grid{}
	for _, o := range p.checks {
		m.add(o.check(), o.Finished)
	}
	s := t.Style
	first := max(10, lipgloss.Width(Clean(p.resource, false))+2)
	// As many columns as there is room for; the others below, with the rows they have.
	gap, room := 2, t.width()-2-first
	if wide(m, m.Families, gap) > room && wide(m, m.Families, 1) <= room {
		gap = 1
	}
	families := m.Families
	for heading := pad(s.paint(s.strong, Clean(p.resource, false)), first); len(families) > 0; heading = pad("", first) {
		n := len(families)
		for n > 1 && wide(m, families[:n], gap) > room {
			n--
		}
		t.gridPart(m, families[:n], heading, first, gap)
		families = families[n:]
	}
	var parts []string
	for _, one := range m.Tally() {
		parts = append(parts, s.paint(map[event.Verdict]lipgloss.Style{event.Held: s.held, event.Failed: s.failed, event.Warned: s.warned, event.Blocked: s.warned, event.Skipped: s.faint}[one.Verdict],
			fmt.Sprintf("%d %s", one.N, one.Word)))
	}
	fmt.Fprintf(t.W, "    %s: %s   %s\n", event.Count(len(p.checks), "check"), strings.Join(parts, ", "),
		s.paint(s.faint, fmt.Sprintf("%s, observations among them   %s", event.Count(m.Requests, "request"), exchange.Took(m.Took))))
}

// column is how wide a family's column is: its heading, or its widest cell.
func column(m *Grid, family string) int {
	out := lipgloss.Width(m.Head(family))
	for _, op := range m.Rows {
		if c := m.At(op, family); c != nil {
			out = max(out, 2+len(c.Text()))
		}
	}
	return out
}

// wide is how wide columns are together, with gaps before them.
func wide(m *Grid, families []string, gap int) int {
	out := 0
	for _, f := range families {
		out += gap + column(m, f)
	}
	return out
}

// gridPart draws some columns of a grid.
func (t *Terminal) gridPart(m *Grid, families []string, heading string, first, gap int) {
	s := t.Style
	between := strings.Repeat(" ", gap)
	var head strings.Builder
	for _, f := range families {
		head.WriteString(between + pad(m.Head(f), column(m, f)))
	}
	fmt.Fprintf(t.W, "  %s%s\n", heading, s.paint(s.faint, strings.TrimRight(head.String(), " ")))
	for _, op := range m.Rows {
		var line strings.Builder
		empty := true
		for _, f := range families {
			text := s.paint(s.faint, s.none)
			if c := m.At(op, f); c != nil {
				mark, _ := worst(c.Worst)
				text, empty = t.paintMark(mark)+" "+c.Text(), false
			}
			line.WriteString(between + pad(text, column(m, f)))
		}
		if empty && strings.TrimSpace(heading) == "" {
			continue
		}
		fmt.Fprintf(t.W, "    %s%s\n", pad(op, first-2), strings.TrimRight(line.String(), " "))
	}
}

// mostNamed bounds how many checks of one cause are named: beyond it they are
// nearly all.
const mostNamed = 40

// group writes one failure block: what was done, step by step, what was
// expected and why, and what follows from it.
func (t *Terminal) group(g *Cause) {
	s := t.Style
	o := g.First
	mark, _ := worst(o.Finished.Verdict)
	id := s.paint(s.strong, o.check().ID)
	word := ""
	if o.Finished.Verdict == event.Blocked {
		word = "  cannot tell"
		if n := len(g.With); n > 0 {
			word = fmt.Sprintf("  and %s cannot tell", event.Count(n, "more check"))
		}
	}
	place := o.check().Level + "   " + Clean(o.Started.File, false) + fmt.Sprintf(":%d", o.Started.Line)
	width := t.width()
	fmt.Fprintf(t.W, "\n  %s %s  %s\n", t.paintMark(mark), pad(id+word, max(width-6-lipgloss.Width(place), 30)), s.paint(s.faint, place))
	t.field("proves", folded(o.Started.About, max(width-16, 20)))
	if len(o.Steps) == 0 && o.Finished.Why != "" {
		t.field("since", o.Finished.Why)
	}
	t.checkSteps(o.Steps)
	if o.Finished.Verdict == event.Failed || o.Finished.Verdict == event.Warned {
		if t.Since != nil {
			t.field("since", t.Since(o.Started.File, o.Started.Pattern))
		}
		if t.AgainCheck != nil {
			t.field("again", t.AgainCheck(o.Started.File, o.check().ID, o.check().Level))
		}
		t.field("explain", "usualpath explain "+o.check().ID)
	}
	if names := g.Others(); len(g.With) > 0 && len(g.With) < mostNamed {
		t.field("with it", folded(fmt.Sprintf("%s for the same cause: %s", event.Count(len(names), "more check"), strings.Join(names, ", ")), max(width-16, 20)))
	}
}

// checkSteps are the steps of a check as far as they matter: those that lead to
// a miss, and each kind of miss once. The others of a kind are named.
func (t *Terminal) checkSteps(steps []*event.StepFinished) {
	told := map[string]bool{}
	var before []*event.StepFinished
	var alike []string
	for _, st := range steps {
		if len(st.Findings)+len(st.Lacks) == 0 {
			before = append(before, st)
			continue
		}
		kind := kindOf(st)
		if told[kind] {
			alike = append(alike, Clean(st.Title, false))
			before = nil
			continue
		}
		told[kind] = true
		t.heldSteps(before)
		before = nil
		t.checkStep(st)
	}
	if len(told) == 0 {
		t.heldSteps(before)
	}
	if len(alike) > 0 {
		width := t.width()
		t.field("alike", folded(fmt.Sprintf("%s: %s", event.Count(len(alike), "more step"), strings.Join(alike, ", ")), max(width-16, 20)))
	}
}

// mostHeld bounds how many steps are shown that lead to a miss: the first two,
// and the last.
const mostHeld = 5

func (t *Terminal) heldSteps(list []*event.StepFinished) {
	list = slices.DeleteFunc(slices.Clone(list), func(st *event.StepFinished) bool {
		return st.Afterwards || st.Verdict == event.Skipped || st.Verdict == event.NotReached
	})
	for i, st := range list {
		if len(list) > mostHeld && i >= 2 && i < len(list)-1 {
			if i == 2 {
				fmt.Fprintf(t.W, "    %s\n", t.Style.paint(t.Style.faint, fmt.Sprintf("… %s held", event.Count(len(list)-3, "more step"))))
			}
			continue
		}
		t.checkStep(st)
	}
}

// inQuotes are the values in what was expected and observed.
var inQuotes = late.Regexp(`"(?:[^"\\]|\\.)*"`)

// kindOf is what a step has in common with others that missed the same.
func kindOf(st *event.StepFinished) string {
	var b strings.Builder
	b.WriteString(string(st.Verdict))
	for _, f := range st.Findings {
		if f.Sent >= 0 && f.Sent < len(st.Sent) {
			x := st.Sent[f.Sent].Exchange
			b.WriteString(" " + x.Request.Method)
			if x.Answer != nil {
				b.WriteString(" " + fmt.Sprint(x.Answer.Status))
			}
		}
		claim, _, _ := strings.Cut(f.Expected, "{")
		text := claim + strings.Join(f.Observed, " ")
		b.WriteString(" " + digits().ReplaceAllString(inQuotes().ReplaceAllString(text, "…"), "0"))
	}
	for _, l := range st.Lacks {
		b.WriteString(" lacks " + l)
	}
	return b.String()
}

// checkStep is a step of a check on one line, and what was missed below it.
func (t *Terminal) checkStep(st *event.StepFinished) {
	s := t.Style
	if st.Afterwards && len(st.Findings) == 0 || st.Verdict == event.Skipped || st.Verdict == event.NotReached {
		return
	}
	mark := 0
	switch st.Verdict {
	case event.Failed:
		mark = 1
	case event.Warned:
		mark = 2
	case event.Blocked:
		mark = 3
	}
	width := t.width()
	main := -1
	for i, x := range st.Sent {
		if x.Role != event.Observation {
			main = i
			break
		}
	}
	wide := 30
	if width < 90 {
		wide = 20
	}
	title := pad(fit(Clean(st.Title, false), wide), wide)
	line := ""
	if main >= 0 {
		x := st.Sent[main].Exchange
		line = x.Request.Method + " " + short(x.Request.URL)
		line = fit(line, max(width-26-wide, 20))
		if room := width - 30 - wide - lipgloss.Width(line); len(x.Request.Body) > 0 && room > 12 {
			line += "  " + excerpt(x.Request.Body, room)
		}
		became := ""
		if a := x.Answer; a != nil {
			became = a.StatusText()
		} else {
			became = string(x.Failure.Kind)
		}
		line = Clean(line, false) + "  " + s.Arrow() + " " + became
	}
	fmt.Fprintf(t.W, "    %s %s %s\n", t.paintMark(mark), title, line)
	told := -1
	for _, f := range st.Findings {
		if f.Sent != told && f.Sent >= 0 && f.Sent < len(st.Sent) {
			told = f.Sent
			x := st.Sent[f.Sent]
			role := ""
			if x.Role == event.Repeat || x.Role == event.Copy {
				role = fmt.Sprintf("   (%s %d)", x.Role, x.N)
			}
			if x.Exchange.Answer != nil {
				t.inner("answered", answered(x.Exchange, max(width-18, 20))+role)
			}
		}
		label := map[event.Verdict]string{event.Failed: "expected", event.Warned: "preferred", event.Blocked: "needed"}[f.Verdict]
		t.inner(label, f.Expected)
		t.inner("observed", strings.Join(f.Observed, "\n"))
		t.inner("because", f.Because)
		t.inner("look", f.Look)
	}
	for _, l := range st.Lacks {
		t.inner("lacks", l)
	}
}

// folded breaks a text into lines of about that many characters.
func folded(text string, width int) string { return strings.Join(Fold(text, width), "\n") }

// Fold breaks a text at its spaces into lines of about that many characters.
func Fold(text string, width int) []string {
	// The library breaks behind hyphens, of which commands and names of checks are
	// full: they go through it as non-breaking ones.
	const hyphen, firm = "-", "\u2011"
	joined := strings.ReplaceAll(strings.Join(strings.Fields(text), " "), hyphen, firm)
	return strings.Split(strings.ReplaceAll(ansi.Wordwrap(joined, width, ""), firm, hyphen), "\n")
}
