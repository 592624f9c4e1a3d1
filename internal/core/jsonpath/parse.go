package jsonpath

import (
	"fmt"
	"strconv"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"usualpath/internal/core/value"
)

// Error says why a text is not a JSONPath.
type Error struct {
	// Offset is the byte at which the mistake stands.
	Offset  int
	Message string
	// Hint says how to mend it; may be empty.
	Hint string
}

func (e *Error) Error() string { return fmt.Sprintf("%s (at character %d)", e.Message, e.Offset+1) }

// Parse reads a query (RFC 9535 §2). The error, if any, is an *Error.
func Parse(text string) (*Query, error) {
	p := &parser{s: text}
	if !utf8.ValidString(text) {
		return nil, &Error{0, "the path is not valid UTF-8", ""}
	}
	if !strings.HasPrefix(text, "$") {
		return nil, &Error{0, "a JSONPath starts with `$`", ""}
	}
	p.i = 1
	segments := p.segments()
	if p.err == nil && p.i < len(text) {
		if strings.TrimLeft(text[p.i:], " \t\r\n") == "" {
			p.fail(p.i, "no spaces after a JSONPath", "")
		} else {
			p.fail(p.i, "expected a JSONPath segment: `.name`, `[…]` or `..`, found "+p.here(), "")
		}
	}
	if p.err != nil {
		return nil, p.err
	}
	return &Query{text, segments}, nil
}

// maxDepth bounds parentheses, negations and filters inside filters.
const maxDepth = 100

type parser struct {
	s    string
	i    int
	deep int
	err  *Error
}

func (p *parser) fail(at int, message, hint string) {
	if p.err == nil {
		p.err = &Error{at, message, hint}
	}
}

func (p *parser) here() string {
	if p.i >= len(p.s) {
		return "the end"
	}
	_, size := utf8.DecodeRuneInString(p.s[p.i:])
	return "`" + p.s[p.i:p.i+size] + "`"
}

func (p *parser) peek() byte {
	if p.i < len(p.s) {
		return p.s[p.i]
	}
	return 0
}

func (p *parser) has(prefix string) bool { return strings.HasPrefix(p.s[p.i:], prefix) }

func (p *parser) take(prefix string) bool {
	if p.has(prefix) {
		p.i += len(prefix)
		return true
	}
	return false
}

func (p *parser) spaces() {
	for p.i < len(p.s) && strings.IndexByte(" \t\r\n", p.s[p.i]) >= 0 {
		p.i++
	}
}

// segments reads as many as there are; spaces may come before each.
func (p *parser) segments() []segment {
	var out []segment
	for p.err == nil {
		mark := p.i
		p.spaces()
		switch {
		case p.take(".."):
			s := segment{descend: true}
			switch {
			case p.peek() == '[':
				s.selectors = p.bracket()
			case p.take("*"):
				s.selectors = []selector{{kind: byWildcard}}
			default:
				s.selectors = []selector{{kind: byName, name: p.shorthand("after `..`")}}
			}
			out = append(out, s)
		case p.take("."):
			if p.take("*") {
				out = append(out, segment{selectors: []selector{{kind: byWildcard}}})
			} else {
				out = append(out, segment{selectors: []selector{{kind: byName, name: p.shorthand("after `.`")}}})
			}
		case p.peek() == '[':
			out = append(out, segment{selectors: p.bracket()})
		default:
			p.i = mark
			return out
		}
	}
	return out
}

func nameFirst(r rune) bool {
	return r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r == '_' || r >= 0x80
}

func (p *parser) shorthand(where string) string {
	start := p.i
	for p.i < len(p.s) {
		r, size := utf8.DecodeRuneInString(p.s[p.i:])
		if !nameFirst(r) && !(p.i > start && r >= '0' && r <= '9') {
			break
		}
		p.i += size
	}
	if p.i == start {
		hint := ""
		if p.i < len(p.s) && (p.s[p.i] == '-' || p.s[p.i] >= '0' && p.s[p.i] <= '9') {
			hint = "write a name with other characters as ['…'], an index as [0]"
		}
		p.fail(p.i, "expected a member name "+where+", found "+p.here(), hint)
	} else if p.peek() == '-' {
		p.fail(p.i, "`-` is not allowed in a short member name", "write it as ['…']")
	}
	return p.s[start:p.i]
}

func (p *parser) bracket() []selector {
	open := p.i
	p.i++
	var out []selector
	for p.err == nil {
		p.spaces()
		out = append(out, p.selector())
		p.spaces()
		if p.err != nil {
			break
		}
		if p.take(",") {
			continue
		}
		if p.take("]") {
			return out
		}
		if p.i == len(p.s) {
			p.fail(open, "this `[` is not closed", "")
		} else {
			p.fail(p.i, "expected `,` or `]`, found "+p.here(), "")
		}
	}
	return out
}

func (p *parser) selector() selector {
	switch c := p.peek(); {
	case c == '\'' || c == '"':
		return selector{kind: byName, name: p.quoted()}
	case c == '*':
		p.i++
		return selector{kind: byWildcard}
	case c == '?':
		p.i++
		p.spaces()
		return selector{kind: byFilter, filter: p.or()}
	case c == ':' || c == '-' || c >= '0' && c <= '9':
		return p.indexOrSlice()
	}
	hint := ""
	if nameFirst(rune(p.peek())) {
		hint = "member names in brackets are written in quotes: ['…']"
	}
	p.fail(p.i, "expected a selector: a quoted name, an index, a slice, `*` or `?…`, found "+p.here(), hint)
	return selector{}
}

func (p *parser) indexOrSlice() selector {
	var first *int64
	if p.peek() != ':' {
		n := p.integer()
		first = &n
		mark := p.i
		p.spaces()
		if p.peek() != ':' {
			p.i = mark
			return selector{kind: byIndex, index: n}
		}
	}
	s := selector{kind: bySlice, start: first}
	p.i++
	p.spaces()
	if c := p.peek(); c == '-' || c >= '0' && c <= '9' {
		n := p.integer()
		s.end = &n
		p.spaces()
	}
	if p.take(":") {
		mark := p.i
		p.spaces()
		if c := p.peek(); c == '-' || c >= '0' && c <= '9' {
			n := p.integer()
			s.step = &n
		} else {
			p.i = mark
		}
	}
	return s
}

const maxInteger = 1<<53 - 1

// integer is "0" or a number without leading zeros, within ±(2^53-1) (§2.1).
func (p *parser) integer() int64 {
	start := p.i
	p.take("-")
	digits := p.i
	for p.i < len(p.s) && p.s[p.i] >= '0' && p.s[p.i] <= '9' {
		p.i++
	}
	text := p.s[start:p.i]
	switch {
	case p.i == digits:
		p.fail(start, "expected a digit after `-`", "")
	case p.s[digits] == '0' && p.i > digits+1:
		p.fail(start, "no zeros before an index", "")
	case text == "-0":
		p.fail(start, "-0 is not an index", "")
	}
	n, err := strconv.ParseInt(text, 10, 64)
	if p.err == nil && (err != nil || n > maxInteger || n < -maxInteger) {
		p.fail(start, text+" is outside ±(2^53-1)", "")
	}
	return n
}

func (p *parser) quoted() string {
	open := p.i
	quote := p.s[p.i]
	p.i++
	var b strings.Builder
	for p.i < len(p.s) {
		c := p.s[p.i]
		switch {
		case c == quote:
			p.i++
			return b.String()
		case c < ' ':
			p.fail(p.i, "a control character inside a string must be escaped", "")
			return ""
		case c == '\\':
			p.escape(&b, quote)
			if p.err != nil {
				return ""
			}
		default:
			b.WriteByte(c)
			p.i++
		}
	}
	p.fail(open, "this string is not closed", "")
	return ""
}

func (p *parser) escape(b *strings.Builder, quote byte) {
	at := p.i
	p.i++
	c := p.peek()
	p.i++
	switch c {
	case 'b':
		b.WriteByte('\b')
	case 'f':
		b.WriteByte('\f')
	case 'n':
		b.WriteByte('\n')
	case 'r':
		b.WriteByte('\r')
	case 't':
		b.WriteByte('\t')
	case '/', '\\':
		b.WriteByte(c)
	case quote:
		b.WriteByte(c)
	case 'u':
		r, ok := p.hex()
		if ok && utf16.IsSurrogate(r) {
			ok = r < 0xdc00 && p.take(`\u`)
			if ok {
				var low rune
				low, ok = p.hex()
				r = utf16.DecodeRune(r, low)
				ok = ok && r != utf8.RuneError
			}
			if !ok {
				p.fail(at, "half of a surrogate pair", "")
				return
			}
		}
		if !ok {
			p.fail(at, `four hexadecimal digits follow \u`, "")
			return
		}
		b.WriteRune(r)
	default:
		p.fail(at, "no such escape in a JSONPath string", `a backslash is written \\`)
	}
}

func (p *parser) hex() (rune, bool) {
	if p.i+4 > len(p.s) {
		return 0, false
	}
	for _, c := range []byte(p.s[p.i : p.i+4]) {
		if !(c >= '0' && c <= '9' || c >= 'a' && c <= 'f' || c >= 'A' && c <= 'F') {
			return 0, false
		}
	}
	n, _ := strconv.ParseUint(p.s[p.i:p.i+4], 16, 32)
	p.i += 4
	return rune(n), true
}

func (p *parser) or() logical {
	p.deep++
	defer func() { p.deep-- }()
	if p.deep > maxDepth {
		p.fail(p.i, "a filter nests more than 100 levels deep", "")
		return nil
	}
	out := either{p.and()}
	for p.err == nil {
		mark := p.i
		p.spaces()
		if !p.take("||") {
			p.i = mark
			break
		}
		p.spaces()
		out = append(out, p.and())
	}
	if len(out) == 1 {
		return out[0]
	}
	return out
}

func (p *parser) and() logical {
	out := both{p.basic()}
	for p.err == nil {
		mark := p.i
		p.spaces()
		if !p.take("&&") {
			p.i = mark
			break
		}
		p.spaces()
		out = append(out, p.basic())
	}
	if len(out) == 1 {
		return out[0]
	}
	return out
}

// basic is a parenthesised expression, a comparison or a test, perhaps negated.
func (p *parser) basic() logical {
	if p.peek() == '!' {
		p.i++
		p.spaces()
		at := p.i
		inner := p.unit()
		if _, compared := inner.(comparison); compared {
			p.fail(at, "`!` before a comparison needs parentheses", "write !(a == b)")
		}
		return negated{inner}
	}
	return p.unit()
}

func (p *parser) unit() logical {
	if p.take("(") {
		open := p.i - 1
		p.spaces()
		inner := p.or()
		p.spaces()
		if p.err == nil && !p.take(")") {
			p.fail(open, "this `(` is not closed", "")
		}
		return parenthesised{inner}
	}
	start := p.i
	left, test := p.comparable()
	if p.err != nil {
		return nil
	}
	mark := p.i
	p.spaces()
	for _, op := range []string{"==", "!=", "<=", ">=", "<", ">"} {
		if !p.take(op) {
			continue
		}
		if left == nil {
			p.notComparable(start, test)
			return nil
		}
		p.spaces()
		at := p.i
		right, other := p.comparable()
		if p.err == nil && right == nil {
			p.notComparable(at, other)
			return nil
		}
		return comparison{left, right, op}
	}
	if p.peek() == '=' {
		p.fail(p.i, "`=` compares nothing", "write `==`")
	}
	p.i = mark
	if test == nil {
		what := "a value by itself is not a condition"
		if c, ok := left.(*call); ok {
			what = c.name + "() gives a value, which is not a condition by itself"
		}
		p.fail(start, what, "compare it with something")
	}
	return test
}

func (p *parser) notComparable(at int, test logical) {
	if c, ok := test.(*call); ok {
		p.fail(at, c.name+"() holds or does not and cannot be compared", "use it by itself")
		return
	}
	p.fail(at, "only a path to one value can be compared", "names and indexes only, or value(…) or count(…)")
}

// parenthesised keeps `!(a == b)` apart from `!a == b`.
type parenthesised struct{ logical }

// comparable reads a literal, a query or a call. The first result is set when
// it can be compared, the second when it can be as a test.
func (p *parser) comparable() (operand, logical) {
	switch c := p.peek(); {
	case c == '\'' || c == '"':
		return literal{value.NewString(p.quoted())}, nil
	case c == '-' || c >= '0' && c <= '9':
		return literal{value.NewNumber(p.number())}, nil
	case c == '@' || c == '$':
		p.i++
		q := subquery{c == '$', p.segments()}
		if p.err == nil && singular(q.segments) {
			return singularOperand{q}, exists{q}
		}
		return nil, exists{q}
	case c >= 'a' && c <= 'z':
		return p.word()
	}
	hint := ""
	if p.peek() == '(' || p.peek() == '!' {
		hint = "parentheses are not allowed inside a comparison"
	}
	p.fail(p.i, "expected a condition: `@…`, `$…`, a literal or a function, found "+p.here(), hint)
	return nil, nil
}

func (p *parser) word() (operand, logical) {
	start := p.i
	for p.i < len(p.s) && (p.s[p.i] >= 'a' && p.s[p.i] <= 'z' || p.s[p.i] == '_' || p.s[p.i] >= '0' && p.s[p.i] <= '9') {
		p.i++
	}
	name := p.s[start:p.i]
	if p.peek() != '(' {
		switch name {
		case "true", "false":
			return literal{value.NewBool(name == "true")}, nil
		case "null":
			return literal{value.NewNull()}, nil
		}
		p.fail(start, "unknown word `"+name+"`", "text is written in quotes; members of the current node are written @."+name)
		return nil, nil
	}
	types, known := functionTypes[name]
	if !known {
		p.fail(start, "unknown function "+name+"()", "there are "+functionNames())
		return nil, nil
	}
	p.deep++
	defer func() { p.deep-- }()
	if p.deep > maxDepth {
		p.fail(p.i, "a filter nests more than 100 levels deep", "")
		return nil, nil
	}
	p.i++
	c := &call{name: name}
	for n := 0; n < len(types)-1 && p.err == nil; n++ {
		p.spaces()
		if n > 0 {
			if !p.take(",") {
				p.fail(p.i, fmt.Sprintf("%s() takes %d arguments", name, len(types)-1), "")
				return nil, nil
			}
			p.spaces()
		}
		p.argument(c, types[n], n)
	}
	p.spaces()
	if p.err == nil && !p.take(")") {
		p.fail(p.i, fmt.Sprintf("expected `)` after argument %d of %s(), found %s", len(types)-1, name, p.here()), "")
	}
	if p.err != nil {
		return nil, nil
	}
	if types[len(types)-1] == 'L' {
		if l, ok := c.values[1].(literal); ok && l.v.Kind == value.String {
			c.compiled = compilePattern(l.v.Text)
		}
		return nil, c
	}
	return c, nil
}

func (p *parser) argument(c *call, want byte, n int) {
	at := p.i
	if p.peek() == ')' {
		p.fail(at, c.name+"() needs another argument", "")
		return
	}
	got, test := p.comparable()
	if p.err != nil {
		return
	}
	if want == 'N' {
		if e, ok := test.(exists); ok {
			c.query = e.query
			return
		}
		p.fail(at, c.name+"() takes a path", "")
		return
	}
	if got == nil {
		p.fail(at, fmt.Sprintf("argument %d of %s() must be one value", n+1, c.name), "a literal, a path of names and indexes, or a function that gives a value")
		return
	}
	c.values = append(c.values, got)
}

// number is a JSON number, as filters compare it (§2.3.5.1).
func (p *parser) number() string {
	start := p.i
	p.take("-")
	whole := p.i
	digits := func() bool {
		from := p.i
		for p.i < len(p.s) && p.s[p.i] >= '0' && p.s[p.i] <= '9' {
			p.i++
		}
		return p.i > from
	}
	ok := digits() && (p.s[whole] != '0' || p.i == whole+1)
	if ok && p.take(".") {
		ok = digits()
	}
	if ok && (p.peek() == 'e' || p.peek() == 'E') {
		p.i++
		if p.peek() == '+' || p.peek() == '-' {
			p.i++
		}
		ok = digits()
	}
	if !ok {
		p.fail(start, "this is not a JSON number", "")
		return "0"
	}
	return p.s[start:p.i]
}
