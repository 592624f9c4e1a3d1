// Package report turns the events of a run into what people and programs read.
// It knows no engine.
package report

import (
	"bytes"
	"fmt"
	"strings"
	"unicode"
	"unicode/utf16"
	"unicode/utf8"
)

// Clean makes a text safe for a terminal: control characters, bad bytes and
// characters that turn the direction of text are written as escapes. Line ends
// and tabs stay when lines is set.
func Clean(s string, lines bool) string {
	plain := true
	for _, r := range s {
		if unsafe(r) && !(lines && (r == '\n' || r == '\t')) || r == utf8.RuneError {
			plain = false
			break
		}
	}
	if plain {
		return s
	}
	var b strings.Builder
	for i := 0; i < len(s); {
		r, size := utf8.DecodeRuneInString(s[i:])
		switch {
		case r == utf8.RuneError && size <= 1:
			fmt.Fprintf(&b, `\x%02x`, s[i])
		case lines && (r == '\n' || r == '\t'):
			b.WriteRune(r)
		case r == '\n':
			b.WriteString(`\n`)
		case r == '\r':
			b.WriteString(`\r`)
		case r == '\t':
			b.WriteString(`\t`)
		case unsafe(r):
			fmt.Fprintf(&b, `\u%04x`, r)
		default:
			b.WriteRune(r)
		}
		i += max(size, 1)
	}
	return b.String()
}

// Escaped is JSON in which what may turn or hide text is written as escapes.
func Escaped(data []byte) []byte {
	if !bytes.ContainsFunc(data, func(r rune) bool { return r >= 0x7f && unsafe(r) }) {
		return data
	}
	var out bytes.Buffer
	for _, r := range string(data) {
		switch {
		case r < 0x7f || !unsafe(r):
			out.WriteRune(r)
		case r > 0xffff:
			high, low := utf16.EncodeRune(r)
			fmt.Fprintf(&out, `\u%04x\u%04x`, high, low)
		default:
			fmt.Fprintf(&out, `\u%04x`, r)
		}
	}
	return out.Bytes()
}

func unsafe(r rune) bool {
	return unicode.IsControl(r) || unicode.Is(unicode.Cf, r) && r != 0x200c && r != 0x200d || r == 0x2028 || r == 0x2029
}
