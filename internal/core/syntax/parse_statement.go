package syntax

import (
	"errors"
	"math"
	"regexp"
	"strconv"
	"strings"
	"time"

	"usualpath/internal/core/source"
)

// str reads a string in quotes.
func (p *parser) str(what, form string) *Node {
	p.spaces()
	if p.peek() == '"' {
		return p.stringNode()
	}
	hint := "write " + form
	if text := strings.Trim(p.rest().Text(p.s), `:={}"' `); text != "" && strings.Contains(form, ` "title"`) {
		word, _, _ := strings.Cut(form, " ")
		hint = "write " + word + ` "` + text + `"`
	}
	if p.peek() == '\'' {
		hint = `text is written in double quotes: "…"`
	}
	p.failHere("expected "+what+" in quotes, found "+p.found(), hint)
	return nil
}

// plainString is a string without names in it.
func (p *parser) plainString(what, form string) *Node {
	n := p.str(what, form)
	if n != nil && !p.failed {
		if _, ok := n.Template.Plain(); !ok {
			p.fail(n.Span, "names are not allowed here", `a literal brace is written \{`)
		}
	}
	return n
}

func (p *parser) title(word string) *Node {
	n := p.str("a title", word+` "title"`)
	if n == nil || p.failed {
		return n
	}
	if strings.TrimSpace(n.Template.Raw) == "" {
		p.report(n.Span, "this title is empty", "say in a few words what it does")
	}
	if n.Block {
		p.report(n.Span, "a title is a single line", "")
	}
	return n
}

// needLine reads the rest of the line as text; it must not be empty.
func (p *parser) needLine(what, form string) *Template {
	t := p.line()
	if !p.failed && t.Raw == "" {
		p.failHere("expected "+what+", found "+p.found(), "write "+form)
	}
	return t
}

func (p *parser) paths() []*Path {
	var out []*Path
	for {
		one := p.path()
		if p.failed {
			return out
		}
		out = append(out, one)
		if !p.takeByte(',') {
			return out
		}
	}
}

// bracesOf finds a name in two braces, or in one behind a dollar.
func bracesOf(target string) []string {
	if strings.Contains(target, "{{") || strings.Contains(target, "${") {
		return otherBraces.FindStringSubmatch(target)
	}
	return nil
}

// otherBraces finds names as other notations write them.
var otherBraces = regexp.MustCompile(`\{\{(\w*)|\$\{(\w*)`)

func (p *parser) needTarget(form string) *Template {
	p.spaces()
	if p.lineDone() {
		p.failHere("expected a path, found "+p.found(), "write "+form)
		return &Template{}
	}
	start := p.i
	t := p.target()
	if len(t.Parts) == 0 {
		// A stray carriage return ends a target, and no line.
		p.failHere("expected a path, found "+p.found(), "write "+form)
		return t
	}
	if m := bracesOf(t.Raw); m != nil {
		name := m[1] + m[2]
		if name == "" {
			name = "name"
		}
		p.fail(source.Span{Start: start, End: p.i}, "a name in a path is written in single braces", "write {"+name+"}; a brace of the path itself is %7B")
		return &Template{}
	}
	if first := t.Parts[0]; first.Expr == nil {
		switch {
		case strings.HasPrefix(first.Text, "/"), strings.HasPrefix(first.Text, "http://"), strings.HasPrefix(first.Text, "https://"):
		case first.Text == "*":
		case strings.HasPrefix(first.Text, `"`):
			p.fail(source.Span{Start: start, End: p.i}, "a path is written without quotes", "write send GET /path")
		case strings.Contains(first.Text, "://"):
			p.fail(source.Span{Start: start, End: p.i}, "unknown scheme in this URL", "use http:// or https://")
		default:
			p.fail(source.Span{Start: start, End: p.i}, "a path starts with `/`, a URL with http:// or https://", "write /"+strings.TrimLeft(t.Raw, "/"))
		}
	}
	return t
}

func (p *parser) headerName() string {
	p.spaces()
	start := p.i
	n := p.httpToken()
	if n == "" {
		hint := "write header Name: value"
		if p.peek() == '"' {
			hint = "write the name without quotes"
		}
		p.failHere("expected a header's name, found "+p.found(), hint)
		p.i = start
	}
	return n
}

func (p *parser) quoteOr(span source.Span) string {
	if span.Start == span.End {
		return p.found()
	}
	return "`" + p.s[span.Start:span.End] + "`"
}

// xpath is in quotes, or runs to a space outside brackets and quotes.
func (p *parser) xpath() string {
	p.spaces()
	if p.peek() == '"' {
		n := p.plainString("an XPath", `xml "//boat/name"`)
		text, _ := n.Template.Plain()
		return text
	}
	start, deep := p.i, 0
	var quote byte
	for p.i < len(p.s) && p.s[p.i] != '\n' && p.s[p.i] != '\r' {
		b := p.s[p.i]
		switch {
		case quote != 0:
			if b == quote {
				quote = 0
			}
		case b == '\'' || b == '"':
			quote = b
		case b == '[' || b == '(':
			deep++
		case b == ']' || b == ')':
			deep--
		}
		if deep == 0 && quote == 0 && (b == ' ' || b == '\t') {
			break
		}
		p.i++
	}
	if p.i == start {
		p.failHere("expected an XPath, found "+p.found(), "write xml /harbour/boat/name")
	}
	return p.s[start:p.i]
}

func (p *parser) wholeNumber(form string, lo, hi int) *Node {
	p.spaces()
	start := p.i
	if p.peek() == '{' {
		if e := p.tryExpr(); e != nil {
			return &Node{Kind: Ref, Expr: e, Span: e.Span}
		}
	}
	n := p.numberNode()
	if n == nil {
		p.failHere("expected a whole number, found "+p.found(), "write "+form)
		return nil
	}
	at := 0
	for _, b := range []byte(n.Text) {
		if b < '0' || b > '9' || at > hi {
			at = -1
			break
		}
		at = at*10 + int(b-'0')
	}
	if at < lo || at > hi {
		p.fail(source.Span{Start: start, End: p.i}, "expected a whole number from "+strconv.Itoa(lo)+" to "+strconv.Itoa(hi), "write "+form)
	}
	return n
}

// duration reads 200ms, 5s, 2m.
func (p *parser) duration(form string) Duration {
	p.spaces()
	start := p.i
	for p.i < len(p.s) && (wordByte(p.s[p.i]) || p.s[p.i] == '.') {
		p.i++
	}
	raw := p.s[start:p.i]
	span := source.Span{Start: start, End: p.i}
	d, err := ParseDuration(raw)
	if err != nil {
		if raw == "" {
			span = p.token()
		}
		hint := "write " + form
		if raw != "" && strings.Trim(raw, "0123456789") == "" {
			hint = "say of what: " + raw + "ms or " + raw + "s"
		}
		p.fail(span, "expected a duration, found "+p.quoteOr(span), hint)
	}
	return Duration{Raw: raw, D: d}
}

// ParseDuration reads a duration of the language: a number and ms, s, m, h or
// d, of at most some 290 years.
func ParseDuration(raw string) (time.Duration, error) {
	for _, unit := range []string{"ms", "s", "m", "h", "d"} {
		n, ok := strings.CutSuffix(raw, unit)
		if !ok || n == "" || strings.Trim(n, "0123456789.") != "" {
			continue
		}
		if unit != "d" {
			return time.ParseDuration(raw)
		}
		days, err := strconv.ParseFloat(n, 64)
		if err != nil || days*24 >= math.MaxInt64/float64(time.Hour) {
			return 0, errDuration
		}
		return time.Duration(days * 24 * float64(time.Hour)), nil
	}
	return 0, errDuration
}

var errDuration = errors.New("a duration is a number and ms, s, m, h or d: 200ms, 5s, 2m")
