package out

import (
	"bufio"
	"fmt"
	"html"
	"io"
	"strings"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/report"
)

// markdown writes what fits into a pull request: the summary, the promise
// grids, and what did not hold, folded.
type markdown struct {
	gather
	w       io.Writer
	body    *spool
	grids   *report.Grids
	walks   *event.Roamed
	notices []string
	err     error
}

var _ = format("markdown", newMarkdown)

func newMarkdown(w io.Writer) (Sink, error) {
	body, err := newSpool()
	if err != nil {
		return nil, err
	}
	m := &markdown{w: w, body: body, grids: report.NewGrids()}
	m.caused = true
	m.each = m.scenario
	m.notice = func(e *event.Notice) { m.notices = append(m.notices, e.Text) }
	m.roamed = func(e *event.Roamed) { m.walks = e }
	m.end = m.finish
	return m, nil
}

// inline is a text that Markdown takes for nothing but text.
func inline(s string) string {
	var b strings.Builder
	for _, r := range safe(s) {
		if strings.ContainsRune("\\`*_{}[]()#+-!|~", r) {
			b.WriteByte('\\')
		}
		b.WriteString(html.EscapeString(string(r)))
	}
	return b.String()
}

// fenced is a text in a code block whose fence it does not hold.
func fenced(s string) string {
	fence := "```"
	for strings.Contains(s, fence) {
		fence += "`"
	}
	return fence + "text\n" + strings.TrimRight(safeLines(s), "\n") + "\n" + fence
}

var marks = map[event.Verdict]string{event.Held: "●", event.Failed: "▲", event.Warned: "◇", event.Blocked: "○", event.NotReached: "○", event.Skipped: "○"}

func (m *markdown) scenario(s *scenario) {
	m.grids.Add(s.ScenarioStarted, s.finished)
	v := s.finished.Verdict
	if v == event.Held || v == event.Skipped || s.first != "" {
		return
	}
	fmt.Fprintf(m.body, "<details>\n<summary>%s %s: <b>%s</b> in %s</summary>\n\n%s\n\n</details>\n\n", marks[v], v, html.EscapeString(safe(s.name())), html.EscapeString(safe(s.File)), fenced(story(s)))
}

func (m *markdown) finish(e *event.RunFinished) {
	w := bufio.NewWriter(m.w)
	c, both := e.Counts, e.Counts.Both()
	word := "all held"
	switch {
	case e.Interrupted:
		word = "interrupted"
	case both.Failed > 0:
		word = fmt.Sprintf("%d failed", both.Failed)
	case departs(m.against) != "":
		word = inline(departs(m.against))
	case both.Blocked > 0:
		word = fmt.Sprintf("%d blocked", both.Blocked)
	case both.Warned > 0:
		word = fmt.Sprintf("%d warned", both.Warned)
	}
	fmt.Fprintf(w, "## Usual Path: %s\n\n| | all | held | failed | blocked | warned | not applicable |\n|---|---|---|---|---|---|---|\n", word)
	for _, row := range []struct {
		name string
		event.Verdicts
	}{{"scenarios", c.Scenarios}, {"checks", c.Checks}} {
		if row.All > 0 {
			fmt.Fprintf(w, "| %s | %d | %d | %d | %d | %d | %d |\n", row.name, row.All, row.Held, row.Failed, row.Blocked, row.Warned, row.Skipped)
		}
	}
	fmt.Fprintf(w, "\n%s, %s, %s, %s", event.Count(c.Steps.Ran(), "step"), event.Count(c.Expectations, "expectation"), event.Count(c.Requests+c.Observations, "request"), exchange.Took(e.Took))
	if m.run != nil {
		fmt.Fprintf(w, ", seed %d", m.run.Seed)
	}
	fmt.Fprint(w, "\n\n")
	for _, n := range m.notices {
		fmt.Fprintf(w, "> %s\n\n", strings.ReplaceAll(inline(n), "\n", "\n> "))
	}
	for _, g := range m.grids.All() {
		fmt.Fprintf(w, "### %s (%s)\n\n| |", inline(g.Resource), inline(g.File))
		for _, f := range g.Families {
			fmt.Fprintf(w, " %s |", f)
		}
		fmt.Fprintf(w, "\n|---|%s\n", strings.Repeat("---|", len(g.Families)))
		for _, op := range g.Rows {
			fmt.Fprintf(w, "| %s |", op)
			for _, f := range g.Families {
				if cell := g.At(op, f); cell != nil {
					fmt.Fprintf(w, " %s %s |", marks[cell.Worst], cell.Text())
				} else {
					fmt.Fprint(w, " |")
				}
			}
			fmt.Fprintln(w)
		}
		fmt.Fprintln(w)
	}
	m.walked(w)
	toldAgainst(w, m.against)
	m.err = m.body.pour(w)
	if err := w.Flush(); m.err == nil {
		m.err = err
	}
	m.body = nil
}

func (m *markdown) Close() error {
	m.release()
	if m.body != nil {
		m.finish(&event.RunFinished{})
	}
	return m.err
}

// walked writes what roaming has walked.
func (m *markdown) walked(w io.Writer) {
	if m.walks == nil {
		return
	}
	for _, g := range m.walks.Walked {
		fmt.Fprintf(w, "### %s, off the usual path\n\n| among so many items | %s |\n|---|%s\n", inline(g.Resource), strings.Join(g.Columns, " | "), strings.Repeat("---|", len(g.Columns)))
		for _, r := range g.Rows {
			fmt.Fprintf(w, "| %s |", r.Operation)
			for _, n := range r.Cells {
				fmt.Fprintf(w, " %d |", n)
			}
			fmt.Fprintln(w)
		}
		fmt.Fprintf(w, "\n%s\n\n", g.Tally())
	}
	fmt.Fprintf(w, "%s\n\n", inline(roamedWords(m.walks)))
}
