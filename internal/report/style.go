package report

import (
	"io"
	"strings"

	"github.com/charmbracelet/lipgloss"
	"github.com/muesli/termenv"
)

// Style is how text is set off on a terminal; without colour it changes nothing.
type Style struct {
	held, failed, warned, faint, strong, name, text, number, word lipgloss.Style
	// marks of the trail, in the order held, failed, warned, not reached.
	marks [4]string
	line  string
	bar   string
	under string
	arrow string
	none  string
	on    bool
}

// NewStyle makes a style; ascii replaces every glyph outside ASCII.
func NewStyle(color, ascii bool) *Style {
	profile := termenv.Ascii
	if color {
		profile = termenv.ANSI256
	}
	r := lipgloss.NewRenderer(io.Discard, termenv.WithProfile(profile))
	r.SetColorProfile(profile)
	r.SetHasDarkBackground(true)
	fg := func(c string) lipgloss.Style { return r.NewStyle().Foreground(lipgloss.Color(c)) }
	s := &Style{on: color,
		held: fg("72"), failed: fg("209").Bold(true), warned: fg("179"), faint: fg("245"), strong: r.NewStyle().Bold(true),
		name: fg("110"), text: fg("151"), number: fg("180"), word: fg("139"),
		marks: [4]string{"●", "▲", "◇", "○"}, line: "─", bar: "│", under: "▔", arrow: "→", none: "·",
	}
	if ascii {
		s.marks = [4]string{"o", "X", "!", "."}
		s.line, s.bar, s.under, s.arrow, s.none = "-", "|", "^", "->", "-"
	}
	return s
}

// border is that of tables.
func (s *Style) border() lipgloss.Border {
	if s.line == "-" {
		return lipgloss.ASCIIBorder()
	}
	return lipgloss.NormalBorder()
}

// paint colours a text, if there is colour; it may hold several lines.
func (s *Style) paint(st lipgloss.Style, text string) string {
	if !s.on || text == "" {
		return text
	}
	if !strings.Contains(text, "\n") {
		return st.Render(text)
	}
	lines := strings.Split(text, "\n")
	for i, l := range lines {
		if l != "" {
			lines[i] = st.Render(l)
		}
	}
	return strings.Join(lines, "\n")
}

// pad fills a text up to a width in cells; colour takes no room.
func pad(text string, width int) string {
	if w := lipgloss.Width(text); w < width {
		return text + strings.Repeat(" ", width-w)
	}
	return text
}

// fit shortens a plain text to a width in cells.
func fit(text string, width int) string {
	if lipgloss.Width(text) <= width {
		return text
	}
	out, used := "", 0
	for _, r := range text {
		w := lipgloss.Width(string(r))
		if used+w > width-1 {
			break
		}
		out += string(r)
		used += w
	}
	return out + "…"
}

// Arrow points to how something is mended.
func (s *Style) Arrow() string { return s.paint(s.faint, s.arrow) }

// Strong sets a text off, Faint takes it back.
func (s *Style) Strong(text string) string { return s.paint(s.strong, text) }

// Faint is for what is said beside the matter.
func (s *Style) Faint(text string) string { return s.paint(s.faint, text) }
