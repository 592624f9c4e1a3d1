// Package value is exact JSON: decoded strictly (RFC 8259), every digit kept,
// compared without floats, with the smallest difference between two values.
package value

import (
	"strconv"
	"strings"
	"unicode/utf8"
)

// Kind is one of the six kinds of JSON value (RFC 8259 §3).
type Kind uint8

// The kinds; Null is the zero value.
const (
	Null Kind = iota
	Bool
	Number
	String
	Array
	Object
)

var kindNames = [...]string{"null", "boolean", "number", "string", "array", "object"}

func (k Kind) String() string { return kindNames[k] }

// Value is one JSON value. It is never changed once it has been handed on.
type Value struct {
	Kind Kind
	// Bool is the truth of a Bool.
	Bool bool
	// Text is the content of a String, or a Number as it was written.
	Text string
	// Items are the elements of an Array, or the values of an Object.
	Items []*Value
	// Names are the member names of an Object, in step with Items.
	Names []string
}

// NewString makes a string.
func NewString(s string) *Value { return &Value{Kind: String, Text: s} }

// NewBool makes a boolean.
func NewBool(b bool) *Value { return &Value{Kind: Bool, Bool: b} }

// NewInt makes a whole number.
func NewInt(n int64) *Value { return &Value{Kind: Number, Text: strconv.FormatInt(n, 10)} }

// NewNumber makes a number from a JSON number literal, which it trusts.
func NewNumber(literal string) *Value { return &Value{Kind: Number, Text: literal} }

// NewNull makes null.
func NewNull() *Value { return &Value{} }

// NewArray makes an array of these elements.
func NewArray(items ...*Value) *Value { return &Value{Kind: Array, Items: items} }

// NewObject makes an object without members; Add fills it while it is built.
func NewObject() *Value { return &Value{Kind: Object} }

// Add appends a member while an object is being built.
func (v *Value) Add(name string, member *Value) *Value {
	v.Names = append(v.Names, name)
	v.Items = append(v.Items, member)
	return v
}

// Get is the member of an object with that name.
func (v *Value) Get(name string) (*Value, bool) {
	if v == nil || v.Kind != Object {
		return nil, false
	}
	for i, n := range v.Names {
		if n == name {
			return v.Items[i], true
		}
	}
	return nil, false
}

// IsInteger tells whether a number has no fraction: 1.0 and 1e2 are integers.
func (v *Value) IsInteger() bool { return v.Kind == Number && isInteger(v.Text) }

// Int is the number as an int, when it is whole and fits.
func (v *Value) Int() (int, bool) {
	if !v.IsInteger() {
		return 0, false
	}
	n, err := strconv.Atoi(PlainInteger(v.Text))
	return n, err == nil
}

// Plain is the value as text for a URL, a header or inside another string: a
// string without quotes, anything else as compact JSON.
func (v *Value) Plain() string {
	if v.Kind == String {
		return v.Text
	}
	return v.String()
}

// Length is what JSONPath's length() counts (RFC 9535 §2.4.4): characters,
// elements or members; false for other kinds.
func (v *Value) Length() (int, bool) {
	switch v.Kind {
	case String:
		return utf8.RuneCountInString(v.Text), true
	case Array, Object:
		return len(v.Items), true
	}
	return 0, false
}

// String is compact JSON with one space after each colon and comma, as it is
// shown to people.
func (v *Value) String() string {
	var b strings.Builder
	v.write(&b, ", ", ": ")
	return b.String()
}

// JSON is the most compact JSON, as it is sent.
func (v *Value) JSON() string {
	var b strings.Builder
	v.write(&b, ",", ":")
	return b.String()
}

func (v *Value) write(b *strings.Builder, comma, colon string) {
	switch v.Kind {
	case Null:
		b.WriteString("null")
	case Bool:
		b.WriteString(strconv.FormatBool(v.Bool))
	case Number:
		b.WriteString(v.Text)
	case String:
		quote(b, v.Text)
	case Array:
		b.WriteByte('[')
		for i, item := range v.Items {
			if i > 0 {
				b.WriteString(comma)
			}
			item.write(b, comma, colon)
		}
		b.WriteByte(']')
	case Object:
		b.WriteByte('{')
		for i, item := range v.Items {
			if i > 0 {
				b.WriteString(comma)
			}
			quote(b, v.Names[i])
			b.WriteString(colon)
			item.write(b, comma, colon)
		}
		b.WriteByte('}')
	}
}

const hexDigits = "0123456789abcdef"

// quote writes s as a JSON string (RFC 8259 §7): only what must be escaped is,
// and DEL, C1 controls and line separators, so that no text drives a terminal.
func quote(b *strings.Builder, s string) {
	b.WriteByte('"')
	from := 0
	for i := 0; i < len(s); {
		c := s[i]
		if c < utf8.RuneSelf && c >= ' ' && c != '"' && c != '\\' && c != 0x7f {
			i++
			continue
		}
		if c >= utf8.RuneSelf {
			r, size := utf8.DecodeRuneInString(s[i:])
			if !hidden(r) {
				i += size
				continue
			}
			b.WriteString(s[from:i])
			writeEscape(b, r)
			i += size
			from = i
			continue
		}
		b.WriteString(s[from:i])
		switch c {
		case '"', '\\':
			b.WriteByte('\\')
			b.WriteByte(c)
		case '\n':
			b.WriteString(`\n`)
		case '\r':
			b.WriteString(`\r`)
		case '\t':
			b.WriteString(`\t`)
		case '\b':
			b.WriteString(`\b`)
		case '\f':
			b.WriteString(`\f`)
		default:
			writeEscape(b, rune(c))
		}
		i++
		from = i
	}
	b.WriteString(s[from:])
	b.WriteByte('"')
}

// hidden tells which characters are written as escapes although JSON would
// take them: C1 controls, line separators, and the ones that turn the
// direction of the text around them.
func hidden(r rune) bool {
	return r >= 0x80 && r < 0xa0 || r == 0x2028 || r == 0x2029 || r == 0xfeff ||
		r >= 0x202a && r <= 0x202e || r >= 0x2066 && r <= 0x2069 || r == 0x200e || r == 0x200f
}

func writeEscape(b *strings.Builder, r rune) {
	b.WriteString(`\u`)
	for shift := 12; shift >= 0; shift -= 4 {
		b.WriteByte(hexDigits[r>>shift&15])
	}
}

// Quoted is s as a JSON string.
func Quoted(s string) string {
	var b strings.Builder
	quote(&b, s)
	return b.String()
}
