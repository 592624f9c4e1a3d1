package value

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf16"
	"unicode/utf8"
)

// Limits bound what Decode takes. Zero fields mean the defaults.
type Limits struct {
	// Depth is how deep arrays and objects may nest; default 1,000.
	Depth int
	// Bytes is how long the text may be; default 64 MiB.
	Bytes int
	// Lenient takes what many services send and strict readers refuse: half a
	// surrogate pair and bytes that are not UTF-8 become U+FFFD, of members that
	// appear twice the last one holds. It is for looking, never for judging.
	Lenient bool
}

const (
	defaultDepth = 1000
	defaultBytes = 64 << 20
)

// Error says why a text is not JSON. Name is one of a fixed set of short
// names ("duplicate member", "lone surrogate", …).
type Error struct {
	Name string
	// Offset is the byte at which the text stops being JSON.
	Offset int
	// Detail goes on from the name; may be empty.
	Detail string
}

func (e *Error) Error() string {
	if e.Detail == "" {
		return fmt.Sprintf("%s at byte %d", e.Name, e.Offset)
	}
	return fmt.Sprintf("%s at byte %d: %s", e.Name, e.Offset, e.Detail)
}

// Decode reads exactly one JSON document (RFC 8259): valid UTF-8 without a
// byte order mark, no duplicate member names, no lone surrogates. The error,
// if there is one, is always an *Error.
func Decode(text string, limits Limits) (*Value, error) { return decode(text, limits, nil) }

func decode(text string, limits Limits, a *again) (*Value, error) {
	if limits.Depth == 0 {
		limits.Depth = defaultDepth
	}
	if limits.Bytes == 0 {
		limits.Bytes = defaultBytes
	}
	if len(text) > limits.Bytes {
		return nil, &Error{"too large", limits.Bytes, fmt.Sprintf("%d bytes, the limit is %d", len(text), limits.Bytes)}
	}
	d := decoder{s: text, depth: limits.Depth, limit: limits.Depth, lenient: limits.Lenient, again: a}
	if limits.Lenient && !utf8.ValidString(text) {
		d.s = strings.ToValidUTF8(text, "\ufffd")
	}
	if strings.HasPrefix(text, "\ufeff") {
		return nil, &Error{"byte order mark", 0, "RFC 8259 §8.1 forbids it"}
	}
	d.space()
	if d.i == len(d.s) {
		return nil, &Error{"empty text", d.i, "a JSON document holds one value"}
	}
	v := d.value()
	if d.err == nil {
		d.space()
		if d.i < len(d.s) {
			d.fail("text after the value", d.i, "a JSON document holds one value; found "+shown(d.s[d.i:]))
		}
	}
	if d.err != nil {
		return nil, d.err
	}
	return v, nil
}

type decoder struct {
	lenient bool

	s     string
	i     int
	depth int
	limit int
	err   *Error
	// last are the names of the object that was read last. No value's names are changed in
	// place: Add makes others.
	last []string
	// slab hands out values a block at a time.
	slab []Value
	size int
	// items and names are the stack of what open containers hold so far.
	items []*Value
	names []string
	// again is set where a body like one before it is read.
	again *again
}

func (d *decoder) fail(name string, at int, detail string) *Value {
	if d.err == nil {
		d.err = &Error{name, at, detail}
	}
	return nil
}

func (d *decoder) make(kind Kind) *Value {
	if len(d.slab) == 0 {
		d.size = min(max(8, d.size*2), 256)
		d.slab = make([]Value, d.size)
	}
	v := &d.slab[0]
	d.slab = d.slab[1:]
	v.Kind = kind
	return v
}

func (d *decoder) space() {
	for d.i < len(d.s) {
		switch d.s[d.i] {
		case ' ', '\t', '\n', '\r':
			d.i++
		default:
			return
		}
	}
}

func inWord(r rune) bool {
	return r >= '0' && r <= '9' || r >= 'A' && r <= 'Z' || r >= 'a' && r <= 'z' || r == '_'
}

func shown(rest string) string {
	r, size := utf8.DecodeRuneInString(rest)
	if r == utf8.RuneError && size <= 1 {
		return fmt.Sprintf("byte 0x%02x", rest[0])
	}
	if end := strings.IndexFunc(rest, func(r rune) bool { return !inWord(r) }); inWord(r) {
		if end < 0 {
			end = len(rest)
		}
		return "`" + rest[:min(end, 12)] + "`"
	}
	return "`" + strings.Trim(Quoted(rest[:size]), `"`) + "`"
}

func (d *decoder) value() *Value {
	if d.i == len(d.s) {
		return d.fail("cut off", d.i, "a value is missing")
	}
	switch c := d.s[d.i]; {
	case c == '{':
		return d.object()
	case c == '[':
		return d.array()
	case c == '"':
		text, ok := d.str()
		if !ok {
			return nil
		}
		v := d.make(String)
		v.Text = text
		return v
	case c == '-' || c >= '0' && c <= '9':
		return d.number()
	case c == 't' && strings.HasPrefix(d.s[d.i:], "true"):
		d.i += 4
		v := d.make(Bool)
		v.Bool = true
		return v
	case c == 'f' && strings.HasPrefix(d.s[d.i:], "false"):
		d.i += 5
		return d.make(Bool)
	case c == 'n' && strings.HasPrefix(d.s[d.i:], "null"):
		d.i += 4
		return d.make(Null)
	case c == '\'':
		return d.fail("single quotes", d.i, `strings are written in double quotes "…"`)
	case c == '/' && d.i+1 < len(d.s) && (d.s[d.i+1] == '/' || d.s[d.i+1] == '*'):
		return d.fail("comment", d.i, "JSON has none")
	case c == '+':
		return d.fail("bad number", d.i, "no `+` before a number")
	case c == '.':
		return d.fail("bad number", d.i, "write a digit before the point: 0.5")
	case c == '<':
		return d.fail("not JSON", d.i, "starts like markup")
	case c == ']' || c == '}' || c == ',':
		return d.fail("missing value", d.i, "expected a value before "+shown(d.s[d.i:]))
	}
	word := shown(d.s[d.i:])
	switch strings.Trim(word, "`") {
	case "NaN", "Infinity":
		return d.fail("bad number", d.i, "JSON has no "+strings.Trim(word, "`"))
	case "True", "False", "TRUE", "FALSE":
		return d.fail("unknown word", d.i, word+"; JSON writes "+strings.ToLower(word))
	case "None", "nil", "undefined", "NULL", "Null":
		return d.fail("unknown word", d.i, word+"; JSON writes `null`")
	}
	return d.fail("unknown word", d.i, "expected a value, found "+word)
}

func (d *decoder) open() bool {
	d.depth--
	if d.depth < 0 {
		d.fail("too deep", d.i, fmt.Sprintf("more than %d levels of nesting", d.limit))
		return false
	}
	return true
}

func (d *decoder) array() *Value {
	v := d.make(Array)
	if !d.open() {
		return nil
	}
	d.i++
	mark := len(d.items)
	d.space()
	if d.i < len(d.s) && d.s[d.i] == ']' {
		d.i++
		d.depth++
		return v
	}
	var all Elements
	outermost := d.again != nil && !d.again.inside
	if outermost {
		d.again.inside = true
		if before := d.again.before; before != nil {
			all.spans, all.was = make([][2]int32, 0, len(before.items)+1), make([]int32, 0, len(before.items)+1)
		}
	}
	for {
		var item *Value
		if outermost {
			start := d.i
			var was int32
			item, was = d.element()
			all.spans, all.was = append(all.spans, [2]int32{int32(start), int32(d.i)}), append(all.was, was)
		} else {
			item = d.value()
		}
		if d.err != nil {
			return nil
		}
		d.items = append(d.items, item)
		d.space()
		if d.i == len(d.s) {
			return d.fail("cut off", d.i, "`]` is missing")
		}
		switch d.s[d.i] {
		case ',':
			comma := d.i
			d.i++
			d.space()
			if d.i < len(d.s) && d.s[d.i] == ']' {
				return d.fail("trailing comma", comma, "no comma before `]`")
			}
			continue
		case ']':
			d.i++
			d.depth++
			v.Items = append([]*Value(nil), d.items[mark:]...)
			d.items = d.items[:mark]
			if outermost {
				d.again.inside = false
				if len(all.spans) > len(d.again.found.spans) {
					all.deep, all.items = d.depth-1, v.Items
					d.again.found = all
				}
			}
			return v
		}
		return d.fail("missing comma", d.i, "expected `,` or `]`, found "+shown(d.s[d.i:]))
	}
}

func (d *decoder) object() *Value {
	v := d.make(Object)
	if !d.open() {
		return nil
	}
	d.i++
	mark, nameMark := len(d.items), len(d.names)
	var seen map[string]bool
	d.space()
	if d.i < len(d.s) && d.s[d.i] == '}' {
		d.i++
		d.depth++
		return v
	}
	for {
		at := d.i
		name, ok := d.memberName()
		if !ok {
			return nil
		}
		var twice bool
		twice, seen = d.twice(name, d.names[nameMark:], seen)
		if twice && !d.lenient {
			return d.fail("duplicate member", at, Quoted(Cut(name, 60))+" appears twice in one object")
		}
		if !d.colon(name) {
			return nil
		}
		item := d.value()
		if d.err != nil {
			return nil
		}
		if twice {
			// The last one counts.
			sofar := d.names[nameMark:]
			d.items[len(d.items)-len(sofar)+slices.Index(sofar, name)] = item
		} else {
			d.items, d.names = append(d.items, item), append(d.names, name)
		}
		d.space()
		if d.i == len(d.s) {
			return d.fail("cut off", d.i, "`}` is missing")
		}
		switch d.s[d.i] {
		case ',':
			comma := d.i
			d.i++
			d.space()
			if d.i < len(d.s) && d.s[d.i] == '}' {
				return d.fail("trailing comma", comma, "no comma before `}`")
			}
			continue
		case '}':
			d.i++
			d.depth++
			v.Items = append([]*Value(nil), d.items[mark:]...)
			v.Names = d.sameNames(d.names[nameMark:])
			d.items, d.names = d.items[:mark], d.names[:nameMark]
			return v
		}
		return d.fail("missing comma", d.i, "expected `,` or `}`, found "+shown(d.s[d.i:]))
	}
}

// sameNames are the names of an object: those of the last one, where they are the same, as
// in most lists.
func (d *decoder) sameNames(names []string) []string {
	if !slices.Equal(names, d.last) {
		d.last = slices.Clip(slices.Clone(names))
	}
	return d.last
}

// memberName reads the name of a member; false when there is none.
func (d *decoder) memberName() (string, bool) {
	switch {
	case d.i == len(d.s):
		d.fail("cut off", d.i, "a member name is missing")
	case d.s[d.i] == '"':
		return d.str()
	case d.s[d.i] == '\'':
		d.fail("single quotes", d.i, `member names are written in double quotes "…"`)
	default:
		d.fail("bad member name", d.i, `expected a name in double quotes, found `+shown(d.s[d.i:]))
	}
	return "", false
}

// twice tells whether a name is in an object already. seen holds the names
// once there are many; the one given back is for the next call.
func (d *decoder) twice(name string, sofar []string, seen map[string]bool) (bool, map[string]bool) {
	if len(sofar) < 16 {
		return slices.Contains(sofar, name), seen
	}
	if seen == nil {
		seen = make(map[string]bool, 64)
		for _, n := range sofar {
			seen[n] = true
		}
	}
	twice := seen[name]
	seen[name] = true
	return twice, seen
}

// colon reads what is between a name and its value.
func (d *decoder) colon(name string) bool {
	d.space()
	switch {
	case d.i == len(d.s):
		d.fail("cut off", d.i, "`:` is missing")
		return false
	case d.s[d.i] != ':':
		d.fail("missing colon", d.i, "expected `:` after "+Quoted(Cut(name, 60))+", found "+shown(d.s[d.i:]))
		return false
	}
	d.i++
	d.space()
	return true
}

func (d *decoder) digits() bool {
	from := d.i
	for d.i < len(d.s) && d.s[d.i] >= '0' && d.s[d.i] <= '9' {
		d.i++
	}
	return d.i > from
}

func (d *decoder) number() *Value {
	start := d.i
	if d.s[d.i] == '-' {
		d.i++
	}
	whole := d.i
	if !d.digits() {
		return d.fail("bad number", start, "a digit is missing after `-`")
	}
	if d.s[whole] == '0' && d.i > whole+1 {
		return d.fail("bad number", start, "no zeros before a number")
	}
	if d.i < len(d.s) && d.s[d.i] == '.' {
		d.i++
		if !d.digits() {
			return d.fail("bad number", start, "a digit is missing after the point")
		}
	}
	if d.i < len(d.s) && (d.s[d.i] == 'e' || d.s[d.i] == 'E') {
		d.i++
		if d.i < len(d.s) && (d.s[d.i] == '+' || d.s[d.i] == '-') {
			d.i++
		}
		if !d.digits() {
			return d.fail("bad number", start, "a digit is missing in the exponent")
		}
	}
	v := d.make(Number)
	v.Text = d.s[start:d.i]
	return v
}

// str reads a string; without escapes its text is a piece of the input.
func (d *decoder) str() (string, bool) {
	open := d.i
	d.i++
	from := d.i
	ascii := true
	for d.i < len(d.s) {
		c := d.s[d.i]
		if c == '"' {
			text := d.s[from:d.i]
			if !ascii && !d.validUTF8(text, from) {
				return "", false
			}
			d.i++
			return text, true
		}
		if c == '\\' {
			return d.escaped(open, from)
		}
		if c < ' ' {
			d.fail("control character", d.i, fmt.Sprintf("byte 0x%02x inside a string must be written \\u%04x", c, c))
			return "", false
		}
		ascii = ascii && c < utf8.RuneSelf
		d.i++
	}
	d.fail("cut off", len(d.s), fmt.Sprintf("the string that starts at byte %d is not closed", open))
	return "", false
}

func (d *decoder) validUTF8(text string, at int) bool {
	if utf8.ValidString(text) {
		return true
	}
	for i := 0; i < len(text); {
		r, size := utf8.DecodeRuneInString(text[i:])
		if r == utf8.RuneError && size <= 1 {
			d.fail("bad UTF-8", at+i, fmt.Sprintf("byte 0x%02x is not part of a character", text[i]))
			return false
		}
		i += size
	}
	return true
}

func (d *decoder) escaped(open, from int) (string, bool) {
	var b strings.Builder
	for d.i < len(d.s) {
		c := d.s[d.i]
		switch {
		case c == '"':
			if !d.validUTF8(d.s[from:d.i], from) {
				return "", false
			}
			b.WriteString(d.s[from:d.i])
			d.i++
			return b.String(), true
		case c < ' ':
			d.fail("control character", d.i, fmt.Sprintf("byte 0x%02x inside a string must be written \\u%04x", c, c))
			return "", false
		case c != '\\':
			d.i++
			continue
		}
		if !d.validUTF8(d.s[from:d.i], from) {
			return "", false
		}
		b.WriteString(d.s[from:d.i])
		r, ok := d.escape()
		if !ok {
			return "", false
		}
		b.WriteRune(r)
		from = d.i
	}
	d.fail("cut off", len(d.s), fmt.Sprintf("the string that starts at byte %d is not closed", open))
	return "", false
}

func (d *decoder) escape() (rune, bool) {
	at := d.i
	if at+1 >= len(d.s) {
		d.fail("cut off", len(d.s), "an escape is not finished")
		return 0, false
	}
	d.i += 2
	switch c := d.s[at+1]; c {
	case '"', '\\', '/':
		return rune(c), true
	case 'b':
		return '\b', true
	case 'f':
		return '\f', true
	case 'n':
		return '\n', true
	case 'r':
		return '\r', true
	case 't':
		return '\t', true
	case 'u':
		first, ok := d.hex(at)
		if !ok {
			return 0, false
		}
		if !utf16.IsSurrogate(first) {
			return first, true
		}
		if first < 0xdc00 && strings.HasPrefix(d.s[d.i:], `\u`) {
			mark := d.i
			d.i += 2
			second, ok := d.hex(mark)
			if !ok {
				return 0, false
			}
			if r := utf16.DecodeRune(first, second); r != utf8.RuneError {
				return r, true
			}
			if d.lenient {
				d.i = mark
			}
		}
		if d.lenient {
			return utf8.RuneError, true
		}
		d.fail("lone surrogate", at, d.s[at:at+6]+" is half of a pair")
		return 0, false
	}
	d.fail("bad escape", at, "no such escape: "+d.s[at:at+1]+strings.Trim(shown(d.s[at+1:]), "`"))
	return 0, false
}

func (d *decoder) hex(at int) (rune, bool) {
	if d.i+4 > len(d.s) {
		d.fail("cut off", len(d.s), "an escape is not finished")
		return 0, false
	}
	var r rune
	for _, c := range []byte(d.s[d.i : d.i+4]) {
		switch {
		case c >= '0' && c <= '9':
			r = r<<4 | rune(c-'0')
		case c >= 'a' && c <= 'f':
			r = r<<4 | rune(c-'a'+10)
		case c >= 'A' && c <= 'F':
			r = r<<4 | rune(c-'A'+10)
		default:
			d.fail("bad escape", at, "four hexadecimal digits follow \\u")
			return 0, false
		}
	}
	d.i += 4
	return r, true
}
