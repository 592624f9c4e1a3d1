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
		if m.Answer && t.Style != nil {
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
	if t.Silent {
		return
	}
	if !t.spaced && t.file != "" {
		fmt.Fprintln(t.W)
	}
	t.spaced = true
	for _, u := range e.Unwalked {
		fmt.Fprintf(t.W, "%s\n", s.paint(s.warned, Clean(u.Resource+" was not walked: "+u.Why, false)))
	}
	for title, also := range e.Also {
		fmt.Fprintf(t.W, "%s\n", s.paint(s.faint, Clean("on the same way as \""+title+"\": "+strings.Join(also, "; "), false)))
	}
	if t.Quiet {
		return
	}
	for _, w := range e.Walked {
		t.walked(w)
	}
	fmt.Fprintf(t.W, "roamed: %s in %s, %s (%d of them replays)%s\n\n", count(e.Moves, "move"), count(e.Walks, "walk"), count(e.Requests, "request"), e.Replays,
		s.paint(s.faint, "   "+exchange.Took(e.Duration())))
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
	fmt.Fprintf(t.W, "%s  %s\n", s.paint(s.strong, Clean(w.Resource, false)), s.paint(s.faint, "walked among so many items, and on which of them"))
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
	text := fmt.Sprintf("  pairs of writes on one item: %d of %d", w.Pairs, w.Of)
	if w.Rounds > 0 {
		text += "   " + count(w.Rounds, "round") + " of several clients"
	}
	fmt.Fprintf(t.W, "%s\n\n", s.paint(s.faint, text))
}
