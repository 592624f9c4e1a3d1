package report

import (
	"fmt"
	"strings"

	"github.com/charmbracelet/lipgloss"

	"usualpath/internal/core/event"
)

// touched writes what a run has touched of what there is, and where it departs from what
// is described.
func (t *Terminal) touched() {
	c := t.against
	if c == nil {
		return
	}
	s := t.Style
	width, seen := 0, 0
	for _, r := range c.Operations {
		width = max(width, lipgloss.Width(Clean(r.Operation, false)))
		// A long row has what was never seen behind it, not under all others.
		if n := lipgloss.Width(strings.Join(r.Said(), "  ")); n <= 36 && !r.Beside {
			seen = max(seen, n)
		}
	}
	fmt.Fprintf(t.W, "\n%s  %s\n", s.Strong("coverage of "+c.Document), c.Words())
	if !t.Quiet && !t.Silent {
		t.operations(c, width, seen)
	}
	if len(c.Unjudged) > 0 && !t.Quiet {
		fmt.Fprintf(t.W, "  %s\n", s.Faint("not judged: "+Clean(strings.Join(c.Unjudged, ", "), false)))
	}
	if len(c.Departures) == 0 {
		return
	}
	fmt.Fprintf(t.W, "\n%s\n", s.Strong(c.Departed()))
	for _, d := range c.Departures {
		mark := s.mark(1)
		if d.Warns {
			mark = s.mark(2)
		}
		fmt.Fprintf(t.W, "  %s %s\n      %s\n", mark, Clean(d.Text, false), s.Faint(fmt.Sprintf("%s, first in %s", times(d.Times), Clean(d.Where(), false))))
	}
}

// mostUntouched is how many operations without a request are listed.
const mostUntouched = 40

func (t *Terminal) operations(c *event.Against, width, seen int) {
	s := t.Style
	untouched := 0
	for _, r := range c.Operations {
		if r.Beside {
			continue
		}
		if r.Requests == 0 {
			if untouched++; untouched > mostUntouched && !t.Verbose {
				continue
			}
		}
		mark, says := s.mark(0), strings.Join(r.Said(), "  ")
		if r.Requests == 0 {
			mark, says = s.mark(3), "no request"
		}
		line := fmt.Sprintf("  %s %s  %s", mark, pad(Clean(r.Operation, false), width), pad(says, seen))
		if r.Requests > 0 && len(r.Never) > 0 {
			line += "  " + s.Faint("never "+Clean(strings.Join(r.Never, ", "), false))
		}
		fmt.Fprintln(t.W, strings.TrimRight(line, " "))
	}
	if more := untouched - mostUntouched; more > 0 && !t.Verbose {
		fmt.Fprintf(t.W, "  %s\n", s.Faint(fmt.Sprintf("and %d more without a request", more)))
	}
	told := false
	for _, r := range c.Operations {
		if !r.Beside {
			continue
		}
		if !told {
			fmt.Fprintf(t.W, "  %s\n", s.Faint("beside them"))
			told = true
		}
		fmt.Fprintf(t.W, "    %s  %s\n", pad(Clean(r.Operation, false), width), strings.Join(r.Said(), "  "))
	}
}

func times(n int) string {
	if n == 1 {
		return "once"
	}
	return fmt.Sprintf("%d times", n)
}
