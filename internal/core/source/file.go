// Package source holds the texts a tester wrote, places in them, and what is
// to be said about those places. It knows no language and no terminal.
package source

import (
	"slices"
	"strings"
	"unicode/utf8"
)

// File is one text with its line starts.
type File struct {
	// Name is the path as the user gave it or as it is best shown to them.
	Name string
	// Text is the content, unchanged.
	Text string

	starts []int
}

// NewFile indexes the lines of text. LF and CRLF both end a line.
func NewFile(name, text string) *File {
	f := &File{Name: name, Text: text, starts: make([]int, 1, strings.Count(text, "\n")+1)}
	for i := 0; i < len(text); i++ {
		if text[i] == '\n' {
			f.starts = append(f.starts, i+1)
		}
	}
	return f
}

// Span is a range of byte offsets; End is not part of it.
type Span struct{ Start, End int }

// Text is what stands there.
func (s Span) Text(in string) string { return in[s.Start:s.End] }

// Position is a place for people: both numbers start at 1, columns count
// characters, not bytes.
type Position struct{ Line, Column int }

// Position tells where a byte offset is. Offsets outside the text are moved
// to its nearest end.
func (f *File) Position(offset int) Position {
	offset = min(max(offset, 0), len(f.Text))
	line, _ := slices.BinarySearch(f.starts, offset+1)
	line--
	return Position{line + 1, utf8.RuneCountInString(f.Text[f.starts[line]:offset]) + 1}
}

// Line is the text of line n (from 1), without its end; empty when there is
// no such line.
func (f *File) Line(n int) string {
	if n < 1 || n > len(f.starts) {
		return ""
	}
	end := len(f.Text)
	if n < len(f.starts) {
		end = f.starts[n]
	}
	return strings.TrimRight(f.Text[f.starts[n-1]:end], "\r\n")
}

// Lines is the number of lines.
func (f *File) Lines() int { return len(f.starts) }
