package out

import (
	"fmt"
	"strings"
	"unicode/utf8"

	"usualpath/internal/core/value"
	"usualpath/internal/report"
)

// excerpt is a body on one line, shortened and safe to print.
func excerpt(body []byte, n int) string {
	if len(body) == 0 {
		return ""
	}
	if !utf8.Valid(body) {
		return fmt.Sprintf("%d bytes that are not text", len(body))
	}
	return safe(value.Cut(strings.Join(strings.Fields(string(body)), " "), n))
}

// safe is a text without what would do harm where it is shown: control
// characters and those that turn the direction of text are written out.
func safe(text string) string { return report.Clean(text, false) }

// safeLines is safe for a text of several lines.
func safeLines(text string) string { return report.Clean(text, true) }
