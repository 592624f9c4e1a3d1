package report

import (
	"bytes"
	"io"
	"strings"
	"sync"

	"usualpath/internal/core/late"

	"github.com/charmbracelet/lipgloss"
	"github.com/charmbracelet/x/ansi"
)

// command finds lines that are copied to be run: the terminal breaks those itself.
var command = late.Regexp(`^ +(again|explain|→|->) +usualpath `)

// label finds the label of a field.
var label = late.Regexp(`^ {4,6}[a-z][a-z ]{8} `)

// Narrow breaks lines that are wider than a terminal: what goes on is indented as
// the line was. Colours go through.
type Narrow struct {
	W     io.Writer
	Width int

	mu   sync.Mutex
	rest []byte
}

// Write takes text; a line that has not ended is kept until it does.
func (n *Narrow) Write(p []byte) (int, error) {
	n.mu.Lock()
	defer n.mu.Unlock()
	if bytes.HasPrefix(p, []byte("\r")) {
		// A live line, which is written over.
		_, err := n.W.Write(p)
		return len(p), err
	}
	n.rest = append(n.rest, p...)
	end := bytes.LastIndexByte(n.rest, '\n') + 1
	if end == 0 {
		return len(p), nil
	}
	var out strings.Builder
	for line := range strings.SplitSeq(string(n.rest[:end-1]), "\n") {
		out.WriteString(n.broken(line) + "\n")
	}
	n.rest = append(n.rest[:0], n.rest[end:]...)
	_, err := io.WriteString(n.W, out.String())
	return len(p), err
}

// Flush writes what has not ended.
func (n *Narrow) Flush() {
	n.mu.Lock()
	defer n.mu.Unlock()
	if len(n.rest) > 0 {
		// There is nobody to tell an error to.
		_, _ = io.WriteString(n.W, n.broken(string(n.rest)))
		n.rest = nil
	}
}

func (n *Narrow) broken(line string) string {
	if lipgloss.Width(line) <= n.Width || n.Width >= Narrowest && command().MatchString(ansi.Strip(line)) {
		return line
	}
	// What goes on stands below the text, not below its label.
	plain := ansi.Strip(line)
	lead := len(plain) - len(strings.TrimLeft(plain, " "))
	if m := label().FindString(plain); m != "" {
		lead = len(m)
	}
	if lead > n.Width/3 {
		lead = len(plain) - len(strings.TrimLeft(plain, " "))
		lead = min(lead, n.Width/3)
	}
	indent := lead
	if lead < 8 {
		indent += 2
	}
	head, rest := ansi.Cut(line, 0, lead), ansi.Cut(line, lead, lipgloss.Width(line))
	parts := strings.Split(ansi.Hardwrap(ansi.Wrap(rest, n.Width-indent, " "), n.Width-indent, true), "\n")
	for i := range parts {
		if i > 0 {
			head = strings.Repeat(" ", indent)
		}
		parts[i] = head + strings.TrimRight(parts[i], " ")
	}
	return strings.Join(parts, "\n")
}
