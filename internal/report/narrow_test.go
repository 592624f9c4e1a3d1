package report

import (
	"bytes"
	"strings"
	"testing"

	"github.com/charmbracelet/lipgloss"
	"github.com/charmbracelet/x/ansi"
	"github.com/stretchr/testify/assert"
)

// Nothing is wider than the terminal, nothing is lost, and commands stay whole.
func TestNarrowBreaksLines(t *testing.T) {
	text := "short\n    expected  a rather long expectation that goes on and on, with a very_long_word_that_has_no_blank_in_it_at_all\n" +
		"\x1b[31m              + {\"id\": 14, \"name\": \"Grey Heron\", \"length_m\": 9.8, \"home_port\": \"Gull Point\"}\x1b[0m\n    again     usualpath demo --fault put-appends --only \"a boat's whole life, and what comes after it\"\n"
	for _, width := range []int{20, 40, 70, 200} {
		var out bytes.Buffer
		n := &Narrow{W: &out, Width: width}
		for piece := range strings.SplitSeq(text+"no end", " ") {
			_, err := n.Write([]byte(piece + " "))
			assert.NoError(t, err)
		}
		n.Flush()
		squeeze := func(s string) string { return strings.Join(strings.Fields(ansi.Strip(s)), "") }
		assert.Equal(t, squeeze(text+"no end"), squeeze(out.String()))
		for line := range strings.SplitSeq(out.String(), "\n") {
			if width >= Narrowest && strings.Contains(line, "usualpath") {
				assert.Contains(t, line, "comes after it")
				continue
			}
			assert.LessOrEqual(t, lipgloss.Width(strings.TrimRight(line, " ")), width, "%q", line)
		}
		if width == 70 {
			assert.Contains(t, out.String(), "\n              very_long", "below the text")
		}
	}
}
