package syntax

import (
	"errors"
	"regexp"
	"strconv"
	"strings"

	"usualpath/internal/core/source"
)

func (p *cursor) comparator() string {
	for _, op := range []string{"<=", ">=", "<", ">"} {
		if p.at(op) {
			p.i += len(op)
			return op
		}
	}
	return ""
}

func (p *parser) needShape() *Node {
	p.spaces()
	if p.lineDone() {
		p.failHere("expected a shape, found "+p.found(), `write a value, a type or a pattern: is "B2", is integer 1.., is /re/`)
		return nil
	}
	return p.shape()
}

func (p *parser) needValues(n int) []*Node {
	var out []*Node
	for range n {
		p.spaces()
		if p.lineDone() {
			p.failHere("expected a value, found "+p.found(), `text is written in quotes: "…"`)
			return out
		}
		out = append(out, p.value())
	}
	return out
}

// listItems reads GET, HEAD or quoted strings with commas between.
func (p *parser) listItems() []*Node {
	var out []*Node
	for !p.failed {
		p.spaces()
		start := p.i
		switch p.peek() {
		case '"':
			out = append(out, p.stringNode())
		case '{':
			if e := p.tryExpr(); e != nil {
				out = append(out, &Node{Kind: Ref, Expr: e, Span: e.Span})
				break
			}
			fallthrough
		default:
			for p.i < len(p.s) && (tokenByte(p.s[p.i]) || p.s[p.i] == '/') {
				p.i++
			}
			if p.i == start {
				p.failHere("expected a list item, found "+p.found(), listHint(p.peek()))
				return out
			}
			raw := p.s[start:p.i]
			span := source.Span{Start: start, End: p.i}
			out = append(out, &Node{Kind: String, Text: raw, Span: span,
				Template: &Template{Raw: raw, Span: span, Parts: []Part{{Text: raw}}}})
		}
		if !p.takeByte(',') {
			break
		}
	}
	return out
}

func listHint(b byte) string {
	if b == '[' {
		return "no brackets: names are joined by commas"
	}
	return "write one after the other, with commas: GET, HEAD"
}

// ParseSize reads a size of the language in bytes: 512B, 10KiB, 2MiB, 1GiB.
func ParseSize(raw string) (int64, error) {
	for unit, by := range map[string]float64{"KiB": 1 << 10, "MiB": 1 << 20, "GiB": 1 << 30} {
		if n, ok := strings.CutSuffix(raw, unit); ok {
			f, err := strconv.ParseFloat(n, 64)
			if err != nil || f < 0 || f > 1<<30 {
				return 0, errSize
			}
			return int64(f * by), nil
		}
	}
	n, err := strconv.ParseInt(strings.TrimSuffix(raw, "B"), 10, 64)
	if err != nil || n < 0 {
		return 0, errSize
	}
	return n, nil
}

var errSize = errors.New("a size is a number and B, KiB, MiB or GiB: 10KiB, 2MiB")

var (
	statusRest = regexp.MustCompile(`^(is|in|==?|be|equals|to be|:|not in)\b? *\[?["0-9]`)
	anyStatus  = regexp.MustCompile(`[1-5](?:[0-9]{2}|xx)`)
)

// statusForm is how statuses are written, those of the line where it has some.
func statusForm(line string) string {
	if !statusRest.MatchString(line) {
		return "write expect status 200, 200 or 204, 2xx, or not 5xx"
	}
	return "write expect status " + strings.Join(anyStatus.FindAllString(line, -1), " or ")
}

// statuses reads 200 or 204, 2xx, not 5xx, {code}.
func (p *parser) statuses() []StatusClass {
	var out []StatusClass
	p.spaces()
	rest := p.rest()
	for {
		var one StatusClass
		one.Not = p.takeWord("not")
		p.spaces()
		start := p.i
		if p.peek() == '{' {
			if e := p.tryExpr(); e != nil {
				one.Ref = &Node{Kind: Ref, Expr: e, Span: e.Span}
			}
		}
		if one.Ref == nil {
			w := p.word()
			one.Span = source.Span{Start: start, End: p.i}
			code, err := strconv.Atoi(strings.TrimSuffix(w, "xx"))
			one.Class = strings.HasSuffix(w, "xx")
			one.Code = code
			switch {
			case w == "":
				p.failHere("expected a status, found "+p.found(), statusForm(rest.Text(p.s)))
				return out
			case w == "is":
				p.fail(one.Span, "statuses follow directly", statusForm(rest.Text(p.s)))
				return out
			case err != nil:
				p.fail(one.Span, "`"+w+"` is not a status", statusForm(rest.Text(p.s)))
				return out
			case one.Class && (code < 1 || code > 5), !one.Class && (code < 100 || code > 599):
				p.fail(one.Span, "`"+w+"` is not a status", "statuses are 100 to 599 (RFC 9110 §15), classes 1xx to 5xx")
				return out
			}
		}
		one.Span = source.Span{Start: start, End: p.i}
		out = append(out, one)
		if !p.listing && p.takeByte(',') {
			p.fail(source.Span{Start: p.i - 1, End: p.i}, "statuses are joined by `or`", "write 200 or 204")
			return out
		}
		// What must not be is joined by `and`, as one says it.
		if !p.takeWord("or") && !(one.Not && p.takeWord("and")) {
			return out
		}
	}
}
