package report

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/charmbracelet/lipgloss"

	"usualpath/internal/contract"
	"usualpath/internal/core/event"
)

// Coverage writes what a run has touched of what there is, and what it met that
// is not described; brief leaves the table out.
func Coverage(w io.Writer, c *contract.Coverage, brief bool, s *Style) {
	of := c.Of()
	rows := c.Rows()
	touched, all, width, seen := 0, 0, 0, 0
	for _, r := range rows {
		width = max(width, lipgloss.Width(Clean(r.Operation, false)))
		if r.Beside {
			continue
		}
		all++
		// A long row has what was never seen behind it, not under all others.
		if n := lipgloss.Width(strings.Join(r.Statuses, "  ")); n <= 36 {
			seen = max(seen, n)
		}
		if r.Requests > 0 {
			touched++
		}
	}
	fmt.Fprintf(w, "\n%s  %d of %s touched\n", s.Strong("coverage of "+of), touched, event.Count(all, "operation"))
	for _, r := range rows {
		if r.Beside || brief {
			continue
		}
		mark, says := s.mark(0), strings.Join(r.Statuses, "  ")
		if r.Requests == 0 {
			mark, says = s.mark(3), "no request"
		}
		line := fmt.Sprintf("  %s %s  %s", mark, pad(Clean(r.Operation, false), width), pad(says, seen))
		if r.Requests > 0 && len(r.Missing)+len(r.Params) > 0 {
			line += "  " + s.Faint("never "+Clean(strings.Join(append(slices.Clone(r.Missing), r.Params...), ", "), false))
		}
		fmt.Fprintln(w, strings.TrimRight(line, " "))
	}
	if !brief {
		besides(w, rows, width, s)
	}
	problems := c.Problems()
	if len(problems) == 0 {
		return
	}
	fmt.Fprintf(w, "\n%s\n", s.Strong(event.Count(len(problems), "thing")+" that "+of+" does not describe"))
	for _, p := range problems {
		fmt.Fprintf(w, "  %s %s\n      %s\n", s.mark(1), Clean(p.Text, false), s.Faint(fmt.Sprintf("%s, first in %s", times(p.N), Clean(p.Where, false))))
	}
}

func besides(w io.Writer, rows []contract.Row, width int, s *Style) {
	told := false
	for _, r := range rows {
		if !r.Beside {
			continue
		}
		if !told {
			fmt.Fprintf(w, "  %s\n", s.Faint("beside them"))
			told = true
		}
		fmt.Fprintf(w, "    %s  %s\n", pad(Clean(r.Operation, false), width), strings.Join(r.Statuses, "  "))
	}
}

func times(n int) string {
	if n == 1 {
		return "once"
	}
	return fmt.Sprintf("%d times", n)
}
