package lsp

import "strings"

// summary is the line of a run's output that counts what held.
func summary(text string) string {
	lines := strings.Split(strings.TrimSpace(text), "\n")
	if len(lines) > 1 {
		return strings.TrimSpace(lines[len(lines)-2])
	}
	return lines[0]
}
