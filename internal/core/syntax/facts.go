package syntax

import (
	"slices"
	"strings"

	"usualpath/internal/core/value"
)

// Methods are those of RFC 9110 §9.3 and RFC 5789, the commonest first.
var Methods = []string{"GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS", "TRACE", "CONNECT"}

// SafeMethod tells whether a method changes nothing (RFC 9110 §9.2.1).
func SafeMethod(method string) bool {
	return slices.Contains([]string{"GET", "HEAD", "OPTIONS", "TRACE"}, method)
}

// IsName tells whether a text can be a name: letters, digits and `_`, no digit
// first.
func IsName(text string) bool {
	if text == "" || !nameStart(text[0]) {
		return false
	}
	for i := range len(text) {
		if !wordByte(text[i]) {
			return false
		}
	}
	return true
}

// NameByte tells whether a byte can be part of a name.
func NameByte(b byte) bool { return wordByte(b) }

// Quoted is a text as a string of the language: no brace in it stands for a name.
func Quoted(text string) string {
	plain := value.Quoted(text)
	var b strings.Builder
	for i := range len(plain) {
		if plain[i] == '{' && wordByte(plain[i+1]) {
			b.WriteByte('\\')
		}
		b.WriteByte(plain[i])
	}
	return b.String()
}

// TitleText is a title as it is compared: its text, or what is there when
// names are in it; "" for none.
func TitleText(n *Node) string {
	if n == nil {
		return ""
	}
	if text, ok := n.Template.Plain(); ok {
		return text
	}
	return n.Template.Raw
}

// titled is a body with a title.
type titled interface{ heading() *Node }

// StepTitle is the title of a statement that has one: a step, a scenario, a
// routine or the call of one; else "".
func StepTitle(st *Statement) string { return TitleText(TitleOf(st)) }

// TitleOf is the title of a statement, nil for one that has none.
func TitleOf(st *Statement) *Node {
	if t, ok := st.Body.(titled); ok {
		return t.heading()
	}
	return nil
}

// Reserved tells whether an observation cannot have a name, since expectations
// begin with it.
func Reserved(name string) bool {
	return slices.Contains(subjectWords, name) || slices.Contains([]string{"every", "exactly", "at"}, name)
}

// Is tells whether a statement is of a form: Is[*Scenario](st).
func Is[T Body](st *Statement) bool {
	_, ok := st.Body.(T)
	return ok
}

// IsMethod tells whether a text may be a method: a token (RFC 9110 §5.6.2).
func IsMethod(text string) bool {
	return text != "" && !strings.ContainsFunc(text, func(r rune) bool { return r > 126 || !tokenByte(byte(r)) })
}
