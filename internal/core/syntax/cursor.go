package syntax

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"usualpath/internal/core/source"
)

// cursor moves over the text; it is the scanner of the language, whose tokens
// depend on where they are: a path, a header value, JSON.
type cursor struct {
	file  *source.File
	s     string
	i     int
	diags source.Diagnostics
	// failed is set by the first mistake of a statement; later ones of the
	// same statement would only be its echo.
	failed bool
	// failedAt is where it was.
	failedAt int
	// pending are comments met inside a value, not yet given to a member.
	pending []Comment
	// literal are the places of a `{` that begins no {…}: trying them again, from
	// inside and from outside a string, would take time without end.
	literal map[int]bool
	// nested counts the {…} around the cursor.
	nested int
}

func (c *cursor) fail(span source.Span, message, hint string) {
	if c.failed {
		return
	}
	c.failed, c.failedAt = true, span.Start
	c.report(span, message, hint)
}

// report adds a mistake that does not spoil the rest of the statement.
func (c *cursor) report(span source.Span, message, hint string) {
	c.diags = append(c.diags, source.Diagnostic{File: c.file, Span: span, Message: message, Hint: hint})
}

func (c *cursor) failHere(message, hint string) { c.fail(c.token(), message, hint) }

// token is the span of whatever is at the cursor, for a message.
func (c *cursor) token() source.Span {
	end := c.i
	for end < len(c.s) && wordByte(c.s[end]) {
		end++
	}
	if end == c.i && c.i < len(c.s) && c.s[c.i] != '\n' && c.s[c.i] != '\r' {
		_, size := utf8.DecodeRuneInString(c.s[c.i:])
		end += size
	}
	return source.Span{Start: c.i, End: end}
}

// found names what is at the cursor.
func (c *cursor) found() string {
	if c.i >= len(c.s) {
		return "the end of the file"
	}
	if c.s[c.i] == '\n' || c.s[c.i] == '\r' || c.s[c.i] == '#' && c.commentHere() {
		return "the end of the line"
	}
	t := c.token()
	text := c.s[t.Start:t.End]
	if r, _ := utf8.DecodeRuneInString(text); !unicode.IsPrint(r) {
		return fmt.Sprintf("character U+%04X", r)
	}
	return "`" + text + "`"
}

func wordByte(b byte) bool {
	return b >= 'a' && b <= 'z' || b >= 'A' && b <= 'Z' || b >= '0' && b <= '9' || b == '_'
}

func (c *cursor) peek() byte {
	if c.i < len(c.s) {
		return c.s[c.i]
	}
	return 0
}

func (c *cursor) at(prefix string) bool { return strings.HasPrefix(c.s[c.i:], prefix) }

// spaces skips spaces and tabs.
func (c *cursor) spaces() {
	for c.i < len(c.s) && (c.s[c.i] == ' ' || c.s[c.i] == '\t') {
		c.i++
	}
}

// commentHere tells whether the # at the cursor starts a comment.
func (c *cursor) commentHere() bool { return c.peek() == '#' && commentAt(c.s, c.i) }

func commentAt(s string, i int) bool {
	return i == 0 || strings.IndexByte(" \t\n\r", s[i-1]) >= 0
}

// lineDone tells whether nothing but a comment is left on this line.
func (c *cursor) lineDone() bool {
	c.spaces()
	return c.i >= len(c.s) || c.s[c.i] == '\n' || c.at("\r\n") || c.commentHere()
}

// trivia skips spaces, line ends and comments inside brackets; comments are
// kept. It tells whether a line end was among them.
func (c *cursor) trivia() bool {
	broke := false
	for c.i < len(c.s) {
		switch b := c.s[c.i]; {
		case b == '\n':
			broke = true
			c.i++
		case b == ' ' || b == '\t' || b == '\r':
			c.i++
		case b == '#' && c.commentHere():
			c.pending = append(c.pending, Comment{c.commentText()})
		default:
			return broke
		}
	}
	return broke
}

// commentText reads a comment to the end of its line.
func (c *cursor) commentText() string {
	end := strings.IndexByte(c.s[c.i:], '\n')
	if end < 0 {
		end = len(c.s) - c.i
	}
	text := strings.TrimRight(c.s[c.i:c.i+end], " \t\r")
	c.i += end
	return text
}

func (c *cursor) takePending() []Comment {
	out := c.pending
	c.pending = nil
	return out
}

// word reads letters, digits and underscores; "" when none is here.
func (c *cursor) word() string {
	start := c.i
	for c.i < len(c.s) && wordByte(c.s[c.i]) {
		c.i++
	}
	return c.s[start:c.i]
}

// takeWord skips a given word and the spaces before it.
func (c *cursor) takeWord(w string) bool {
	mark := c.i
	c.spaces()
	if c.at(w) && (c.i+len(w) == len(c.s) || !wordByte(c.s[c.i+len(w)])) {
		c.i += len(w)
		return true
	}
	c.i = mark
	return false
}

// nextWord looks at the next word without taking it.
func (c *cursor) nextWord() string {
	mark := c.i
	c.spaces()
	w := c.word()
	c.i = mark
	return w
}

// takeByte skips one character and the spaces before it.
func (c *cursor) takeByte(b byte) bool {
	mark := c.i
	c.spaces()
	if c.peek() == b {
		c.i++
		return true
	}
	c.i = mark
	return false
}

// needWord is takeWord, or a mistake.
func (c *cursor) needWord(w, form string) bool {
	if c.takeWord(w) {
		return true
	}
	c.spaces()
	c.failHere("expected `"+w+"`, found "+c.found(), "write "+form)
	return false
}

// name reads a name; what says what for.
func (c *cursor) name(what string) (string, source.Span) {
	c.spaces()
	start := c.i
	w := c.word()
	span := source.Span{Start: start, End: c.i}
	switch {
	case w == "":
		c.failHere("expected "+what+", found "+c.found(), "names are letters, digits and `_`")
	case w[0] >= '0' && w[0] <= '9':
		c.fail(span, "a name cannot start with a digit", "put a letter or `_` before it")
	case c.peek() == '-' && w != "":
		c.fail(source.Span{Start: start, End: c.i + 1}, "`-` is not allowed in a name", "names are letters, digits and `_`")
	}
	return w, span
}

// names reads a list of names.
func (c *cursor) names(what string) []NameAt {
	var out []NameAt
	for {
		n, span := c.name(what)
		if c.failed {
			return out
		}
		out = append(out, NameAt{n, span})
		if !c.takeByte(',') {
			return out
		}
	}
}

// tokenByte tells whether a byte is of a token, as in a header or media type: RFC 9110 §5.6.2.
func tokenByte(b byte) bool {
	return wordByte(b) || strings.IndexByte("!#$%&'*+-.^`|~", b) >= 0
}

func (c *cursor) httpToken() string {
	start := c.i
	for c.i < len(c.s) && tokenByte(c.s[c.i]) {
		c.i++
	}
	return c.s[start:c.i]
}

// nearest proposes the word meant, as a hint.
func nearest(word string, among []string) string {
	slices.Sort(among)
	if n := source.Nearest(word, among); n != "" {
		return "did you mean `" + n + "`?"
	}
	return ""
}
