package report

import (
	"fmt"
	"io"
	"strings"

	"github.com/charmbracelet/lipgloss"

	"usualpath/internal/core/source"
)

// Diagnostics writes what is wrong with files: place, message, the line with
// the place marked, how to mend it.
func Diagnostics(w io.Writer, list source.Diagnostics, s *Style) {
	for i, d := range list {
		if i > 0 {
			fmt.Fprintln(w)
		}
		diagnostic(w, d, s)
	}
}

func diagnostic(w io.Writer, d source.Diagnostic, s *Style) {
	word, paint := "error", s.failed
	if d.Severity == source.Warning {
		word, paint = "warning", s.warned
	}
	if d.Whole {
		fmt.Fprintf(w, "%s  %s  %s\n", s.paint(s.strong, d.File.Name), s.paint(paint, word), d.Message)
		hint(w, d.Hint, "    ", s)
		return
	}
	at := d.File.Position(d.Span.Start)
	fmt.Fprintf(w, "%s  %s  %s\n", s.paint(s.strong, fmt.Sprintf("%s:%d:%d", d.File.Name, at.Line, at.Column)), s.paint(paint, word), Clean(d.Message, false))
	line := d.File.Line(at.Line)
	number := fmt.Sprintf("%5d ", at.Line)
	before, marked, after := cutLine(line, at.Column-1, length(d, at))
	fmt.Fprintf(w, "%s%s %s%s%s\n", s.paint(s.faint, number), s.paint(s.faint, s.bar), before, s.paint(paint, marked), after)
	gap := strings.Repeat(" ", lipgloss.Width(before))
	under := strings.Repeat(s.under, max(1, lipgloss.Width(marked)))
	fmt.Fprintf(w, "      %s %s%s\n", s.paint(s.faint, s.bar), gap, s.paint(paint, under))
	hint(w, d.Hint, "      "+s.paint(s.faint, s.bar)+" ", s)
}

func hint(w io.Writer, text, indent string, s *Style) {
	if text != "" {
		fmt.Fprintf(w, "%s%s %s\n", indent, s.paint(s.faint, s.arrow), Clean(text, false))
	}
}

// length is how many characters of the line the span covers.
func length(d source.Diagnostic, at source.Position) int {
	end := d.File.Position(d.Span.End)
	if end.Line != at.Line {
		return len([]rune(d.File.Line(at.Line))) - at.Column + 1
	}
	return end.Column - at.Column
}

// widest is how much of a long line is shown around the place.
const widest = 110

// cutLine splits a line around the marked place, and shortens long ones. Tabs
// become spaces, control characters escapes.
func cutLine(line string, from, count int) (before, marked, after string) {
	r := []rune(line)
	from = min(max(from, 0), len(r))
	to := min(from+max(count, 0), len(r))
	start := 0
	if from > widest*2/3 {
		start = from - widest/2
	}
	end := min(len(r), start+widest)
	to = min(to, end)
	clean := func(part []rune) string { return Clean(strings.ReplaceAll(string(part), "\t", " "), false) }
	before, marked, after = clean(r[start:from]), clean(r[from:to]), clean(r[to:end])
	if start > 0 {
		before = "…" + before
	}
	if end < len(r) {
		after += "…"
	}
	return before, marked, after
}
