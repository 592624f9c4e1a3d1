package report

import (
	"fmt"
	"strings"

	"github.com/charmbracelet/lipgloss"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
)

// found tells what roaming knows of a scenario that it has brought back: how often
// it shows, what the clients did, and the scenario itself, unless it is in a file.
func (t *Terminal) found(f *event.Found) {
	s := t.Style
	fmt.Fprintln(t.W)
	t.field("roamed", f.Replays())
	for _, m := range f.Moments {
		text := m.What()
		if m.Answer {
			text = s.paint(s.faint, "→ ") + Clean(m.Text, false)
		}
		if room := max(t.width()-40-2*len(m.Open), 20); lipgloss.Width(text) > room {
			text = fit(Clean(m.What(), false), room)
		}
		fmt.Fprintf(t.W, "    %s  %s %s %s\n", s.paint(s.faint, fmt.Sprintf("%10s", m.When())), s.paint(s.warned, m.Bars()), s.paint(s.faint, fmt.Sprintf("%-9s", m.Who())), text)
	}
	if f.Text == "" || t.Kept != "" {
		if f.Text != "" {
			t.field("kept in", t.Kept)
		}
		return
	}
	fmt.Fprintln(t.W)
	for line := range strings.SplitSeq(strings.TrimRight(f.Text, "\n"), "\n") {
		fmt.Fprintln(t.W, strings.TrimRight("    "+Clean(line, false), " "))
	}
}

// roamed tells how far roaming went: what was walked, and what was not.
func (t *Terminal) roamed(e *event.Roamed) {
	t.tellPromises()
	s := t.Style
	t.walks = e
	if t.Silent {
		return
	}
	if !t.spaced && t.file != "" {
		fmt.Fprintln(t.W)
	}
	t.spaced = true
	for _, u := range e.Unwalked {
		fmt.Fprintln(t.W, s.paint(s.warned, Clean(u.Words(), false)))
	}
	for _, line := range e.Others() {
		fmt.Fprintln(t.W, s.paint(s.faint, Clean(line, false)))
	}
	if t.Quiet {
		return
	}
	for _, w := range e.Walked {
		t.walked(w)
	}
	fmt.Fprintf(t.W, "%s%s\n\n", e.Words(), s.paint(s.faint, "   "+exchange.Took(e.Duration())))
}

// walked draws the grid of a resource.
func (t *Terminal) walked(w event.Walked) {
	s := t.Style
	widths := make([]int, len(w.Columns))
	for i, c := range w.Columns {
		widths[i] = len(c)
		for _, r := range w.Rows {
			widths[i] = max(widths[i], len(fmt.Sprint(r.Cells[i])))
		}
	}
	fmt.Fprintf(t.W, "%s  %s\n", s.paint(s.strong, Clean(w.Resource, false)), s.paint(s.faint, "requests by how many items there were, and by which one was meant"))
	line := "            "
	for i, c := range w.Columns {
		line += fmt.Sprintf("  %*s", widths[i], c)
	}
	fmt.Fprintln(t.W, s.paint(s.faint, line))
	for _, r := range w.Rows {
		line := fmt.Sprintf("  %-10s", r.Operation)
		for i, n := range r.Cells {
			cell := fmt.Sprintf("  %*d", widths[i], n)
			if n == 0 {
				cell = s.paint(s.faint, fmt.Sprintf("  %*s", widths[i], "·"))
			}
			line += cell
		}
		fmt.Fprintln(t.W, line)
	}
	fmt.Fprintf(t.W, "%s\n\n", s.paint(s.faint, "  "+w.Tally()))
}
