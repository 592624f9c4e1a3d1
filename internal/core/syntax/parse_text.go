package syntax

import (
	"errors"
	"slices"
	"strings"
	"unicode/utf8"

	"usualpath/internal/core/jsonpath"
	"usualpath/internal/core/source"
	"usualpath/internal/core/value"
)

// line reads a template to the end of the line, or to a comment.
func (c *cursor) line() *Template {
	c.spaces()
	return c.template(func() bool {
		b := c.s[c.i]
		return b == '\n' || b == '#' && c.commentHere()
	}, true)
}

// target reads a template up to a space.
func (c *cursor) target() *Template {
	c.spaces()
	return c.template(func() bool {
		b := c.s[c.i]
		return b == '\n' || b == ' ' || b == '\t' || b == '\r'
	}, false)
}

// template reads text with names until stop says so. In text, `{` followed by
// a name and `}` is that name; any other `{` is itself, and so is `\{`; `\#`
// is a `#` that starts no comment.
func (c *cursor) template(stop func() bool, trim bool) *Template {
	start := c.i
	t := &Template{}
	var text strings.Builder
	flush := func() {
		if text.Len() > 0 {
			t.Parts = append(t.Parts, Part{Text: text.String()})
			text.Reset()
		}
	}
	spaces := 0
	for c.i < len(c.s) && !stop() {
		b := c.s[c.i]
		switch {
		case b == '\\' && c.i+1 < len(c.s) && (c.s[c.i+1] == '{' || trim && c.s[c.i+1] == '#'):
			text.WriteByte(c.s[c.i+1])
			c.i += 2
		case b == '{':
			if e := c.tryExpr(); e != nil {
				flush()
				t.Parts = append(t.Parts, Part{Expr: e})
			} else {
				text.WriteByte(b)
				c.i++
			}
		default:
			text.WriteByte(b)
			c.i++
		}
		if b == ' ' || b == '\t' || b == '\r' {
			spaces++
		} else {
			spaces = 0
		}
	}
	end := c.i
	if trim {
		// Blanks before the end of the line belong to nobody.
		end -= spaces
		s := text.String()
		text.Reset()
		text.WriteString(s[:max(0, len(s)-spaces)])
	}
	flush()
	t.Span = source.Span{Start: start, End: end}
	t.Raw = c.s[start:end]
	if trim && strings.HasPrefix(t.Raw, "#") {
		// Without its space a word and a `#` are text; printed with one, the rest
		// would become a comment.
		t.Raw = `\` + t.Raw
	}
	return t
}

// tryExpr reads {name…} when that is what is at the cursor; else it moves
// nothing and gives nil.
func (c *cursor) tryExpr() *Expr {
	if c.i+1 >= len(c.s) || !nameStart(c.s[c.i+1]) {
		return nil
	}
	return c.braces()
}

// maxNested is how deep {…} may be in strings of {…}: a stack has an end.
const maxNested = 50

func nameStart(b byte) bool { return wordByte(b) && (b < '0' || b > '9') }

// braces reads `{ expr }`; nil and unmoved when it is not an expression.
func (c *cursor) braces() *Expr {
	mark, failed := c.i, c.failed
	if c.nested > maxNested || c.literal[mark] {
		return nil
	}
	c.nested++
	defer func() { c.nested-- }()
	c.i++
	start := c.i
	c.spaces()
	e := c.sum(0)
	if e != nil {
		c.spaces()
		if c.peek() == '}' {
			e.Raw = strings.Trim(c.s[start:c.i], " \t")
			e.Span = source.Span{Start: mark, End: c.i + 1}
			c.i++
			return e
		}
	}
	c.i, c.failed = mark, failed
	if c.literal == nil {
		c.literal = map[int]bool{}
	}
	c.literal[mark] = true
	return nil
}

func (c *cursor) sum(deep int) *Expr {
	left := c.term(deep)
	for left != nil {
		mark := c.i
		c.spaces()
		op := c.peek()
		if op != '+' && op != '-' {
			c.i = mark
			return left
		}
		c.i++
		c.spaces()
		right := c.term(deep)
		if right == nil {
			return nil
		}
		left = &Expr{Op: op, Left: left, Right: right, Span: source.Span{Start: left.Span.Start, End: c.i}}
	}
	return nil
}

// term is a name with access, a call, or a literal; nil when none.
func (c *cursor) term(deep int) *Expr {
	if deep > 50 {
		return nil
	}
	start := c.i
	switch b := c.peek(); {
	case b >= '0' && b <= '9' || b == '-':
		if n := c.offset(); n != nil {
			return &Expr{Literal: n, Span: n.Span}
		}
		n := c.numberNode()
		if n == nil {
			return nil
		}
		return &Expr{Literal: n, Span: n.Span}
	case b == '"':
		mark := len(c.diags)
		n := c.stringNode()
		if c.failed {
			c.diags = c.diags[:mark]
			return nil
		}
		return &Expr{Literal: n, Span: n.Span}
	case !nameStart(b):
		return nil
	}
	e := &Expr{Name: c.word()}
	if c.peek() == '(' && !c.arguments(e, deep) || !c.accesses(e) {
		return nil
	}
	e.Span = source.Span{Start: start, End: c.i}
	return e
}

// offset is a duration with or without a sign, as now(-5m) takes it: a text; nil
// and unmoved when there is none.
func (c *cursor) offset() *Node {
	start, i := c.i, c.i
	if c.s[i] == '-' {
		i++
	}
	from := i
	for i < len(c.s) && (wordByte(c.s[i]) || c.s[i] == '.') {
		i++
	}
	if _, err := ParseDuration(c.s[from:i]); err != nil {
		return nil
	}
	c.i = i
	text, span := c.s[start:i], source.Span{Start: start, End: i}
	return &Node{Kind: String, Template: &Template{Span: span, Raw: text, Parts: []Part{{Text: text}}}, Span: span}
}

// arguments reads what is in the brackets of a call.
func (c *cursor) arguments(e *Expr, deep int) bool {
	e.Call = true
	c.i++
	c.spaces()
	for c.peek() != ')' {
		arg := c.sum(deep + 1)
		if arg == nil {
			return false
		}
		e.Args = append(e.Args, arg)
		c.spaces()
		if c.peek() == ',' {
			c.i++
			c.spaces()
		} else if c.peek() != ')' {
			return false
		}
	}
	c.i++
	return true
}

// accesses reads the steps inside a value: .member, ["member"], [index].
func (c *cursor) accesses(e *Expr) bool {
	for c.i < len(c.s) {
		switch {
		case c.peek() == '.' && c.i+1 < len(c.s) && nameStart(c.s[c.i+1]):
			c.i++
			e.Access = append(e.Access, Access{Member: c.word()})
		case c.at(`["`):
			// A member whose name is not a word, as a JSON string: no names in it.
			c.i++
			text, ok := c.jsonString()
			if !ok || c.peek() != ']' {
				return false
			}
			c.i++
			e.Access = append(e.Access, Access{Member: text})
		case c.peek() == '[':
			n, ok := c.index()
			if !ok {
				return false
			}
			e.Access = append(e.Access, Access{Index: n, Element: true})
		default:
			return true
		}
	}
	return true
}

// jsonString reads "…" as RFC 8259 §7 has it, and `\{`; the cursor is at the
// opening quote and goes behind the closing one.
func (c *cursor) jsonString() (text string, ok bool) {
	raw := []byte{'"'}
	for i := c.i + 1; i < len(c.s) && c.s[i] != '\n'; i++ {
		switch {
		case c.s[i] == '\\' && i+1 < len(c.s):
			if c.s[i+1] != '{' {
				raw = append(raw, '\\')
			}
			i++
		case c.s[i] == '"':
			v, err := value.Decode(string(append(raw, '"')), value.Limits{})
			if err != nil {
				return "", false
			}
			c.i = i + 1
			return v.Text, true
		}
		raw = append(raw, c.s[i])
	}
	return "", false
}

// index reads [N] or [-N].
func (c *cursor) index() (n int, ok bool) {
	c.i++
	negative := c.peek() == '-'
	if negative {
		c.i++
	}
	for c.peek() >= '0' && c.peek() <= '9' && n < 1<<30 {
		n, ok = n*10+int(c.peek()-'0'), true
		c.i++
	}
	if !ok || c.peek() != ']' {
		return 0, false
	}
	c.i++
	if negative {
		n = -n
	}
	return n, true
}

// stringNode reads "…" with JSON's escapes, `\{`, and names; the cursor
// is at the opening quote.
func (c *cursor) stringNode() *Node {
	start := c.i
	if c.at(`"""`) {
		return c.blockNode()
	}
	c.i++
	t := &Template{}
	var text strings.Builder
	flush := func() {
		if text.Len() > 0 {
			t.Parts = append(t.Parts, Part{Text: text.String()})
			text.Reset()
		}
	}
	from := c.i
	for {
		if c.i >= len(c.s) || c.s[c.i] == '\n' {
			c.fail(source.Span{Start: start, End: min(c.i, len(c.s))}, "this string is not closed on its line",
				`end it with ", or open a text of several lines with """`)
			return &Node{Kind: String, Template: t, Span: source.Span{Start: start, End: c.i}}
		}
		b := c.s[c.i]
		switch {
		case b == '"':
			flush()
			t.Raw, t.Span = c.s[from:c.i], source.Span{Start: from, End: c.i}
			c.i++
			return &Node{Kind: String, Template: t, Span: source.Span{Start: start, End: c.i}}
		case b == '\\':
			c.stringEscape(&text)
			if c.failed {
				return &Node{Kind: String, Template: t}
			}
		case b == '{':
			if e := c.tryExpr(); e != nil {
				flush()
				t.Parts = append(t.Parts, Part{Expr: e})
			} else {
				text.WriteByte(b)
				c.i++
			}
		case b < ' ' && b != '\t':
			c.fail(source.Span{Start: c.i, End: c.i + 1}, "a control character inside a string", `write it as an escape: \n, \u001b`)
			return &Node{Kind: String, Template: t}
		default:
			text.WriteByte(b)
			c.i++
		}
	}
}

func (c *cursor) stringEscape(text *strings.Builder) {
	if c.i+1 < len(c.s) && c.s[c.i+1] == '{' {
		text.WriteByte('{')
		c.i += 2
		return
	}
	// One escape, or the two of a surrogate pair, decoded as JSON does.
	length := 2
	if c.i+1 < len(c.s) && c.s[c.i+1] == 'u' {
		length = 6
		if c.i+8 <= len(c.s) && c.s[c.i+6:c.i+8] == `\u` && strings.ContainsRune("dD", rune(c.s[c.i+2])) {
			length = 12
		}
	}
	end := min(c.i+length, len(c.s))
	v, err := value.Decode(`"`+c.s[c.i:end]+`"`, value.Limits{})
	var mistake *value.Error
	if errors.As(err, &mistake) && mistake.Name == "lone surrogate" {
		c.fail(source.Span{Start: c.i, End: end}, "half of a surrogate pair", "write both halves: \\ud83d\\udea2; or write the character itself")
		return
	}
	if err != nil {
		c.fail(source.Span{Start: c.i, End: min(c.i+2, len(c.s))}, "no such escape in a string",
			`JSON's escapes are \" \\ \/ \b \f \n \r \t \u0041; a backslash is written \\`)
		return
	}
	text.WriteString(v.Text)
	c.i = end
}

// blockNode reads """ … """: the lines between, without their common
// indentation and without the last line end. Only {name} and \{ are special.
func (c *cursor) blockNode() *Node {
	start := c.i
	c.i += 3
	end := strings.Index(c.s[c.i:], `"""`)
	if end < 0 {
		c.fail(source.Span{Start: start, End: start + 3}, "this text is not closed", `end it with """ on a line of its own`)
		return &Node{Kind: String, Block: true, Template: &Template{}}
	}
	body := strings.ReplaceAll(c.s[c.i:c.i+end], "\r\n", "\n")
	first, rest, several := strings.Cut(body, "\n")
	if strings.TrimLeft(first, " \t") != "" || !several {
		c.fail(source.Span{Start: c.i, End: c.i + len(first)}, `nothing may follow an opening """ on its line`,
			`start the text on the next line`)
		return &Node{Kind: String, Block: true, Template: &Template{}}
	}
	bodyStart := c.i
	c.i += end + 3
	lines := strings.Split(rest, "\n")
	if strings.TrimLeft(lines[len(lines)-1], " \t") != "" {
		c.fail(source.Span{Start: bodyStart + end, End: c.i}, `the closing """ is on a line of its own`, "")
	}
	lines = lines[:len(lines)-1]
	raw := strings.Join(dedent(lines), "\n")
	// The text is scanned by a cursor of its own, since its lines were moved.
	inner := &cursor{file: c.file, s: raw}
	t := inner.template(func() bool { return false }, false)
	t.Raw = raw
	t.Span = source.Span{Start: start, End: c.i}
	for _, p := range t.Parts {
		moveExpr(p.Expr, t.Span)
	}
	return &Node{Kind: String, Block: true, Template: t, Span: t.Span}
}

// moveExpr gives expressions of a text block the place of the block.
func moveExpr(e *Expr, to source.Span) {
	if e == nil {
		return
	}
	e.Span = to
	moveExpr(e.Left, to)
	moveExpr(e.Right, to)
	for _, a := range e.Args {
		moveExpr(a, to)
	}
}

func dedent(lines []string) []string {
	common := -1
	for _, l := range lines {
		bare := strings.TrimLeft(l, " \t")
		if bare == "" {
			continue
		}
		if n := len(l) - len(bare); common < 0 || n < common {
			common = n
		}
	}
	out := make([]string, len(lines))
	for i, l := range lines {
		if strings.TrimLeft(l, " \t") != "" {
			out[i] = l[common:]
		}
	}
	return out
}

// regexNode reads /…/ or /…/i.
func (c *cursor) regexNode() *Node {
	start := c.i
	c.i++
	for c.i < len(c.s) && c.s[c.i] != '/' && c.s[c.i] != '\n' {
		if c.s[c.i] == '\\' && c.i+1 < len(c.s) && c.s[c.i+1] != '\n' {
			c.i++
		}
		c.i++
	}
	n := &Node{Kind: Regex}
	if c.peek() != '/' {
		c.fail(source.Span{Start: start, End: c.i}, "this regular expression is not closed on its line", `write /…/; a slash inside is \/`)
		return n
	}
	n.Text = c.s[start+1 : c.i]
	c.i++
	if c.peek() == 'i' && (c.i+1 >= len(c.s) || !wordByte(c.s[c.i+1])) {
		n.Fold = true
		c.i++
	}
	n.Span = source.Span{Start: start, End: c.i}
	var err error
	if n.Regexp, err = compileRegex(n); err != nil {
		c.fail(n.Span, "not a regular expression: "+strings.TrimPrefix(err.Error(), "error parsing regexp: "),
			"the syntax is RE2's: no look-around, no back-references")
	}
	return n
}

// path reads a JSONPath up to a space or comma outside its brackets, perhaps
// with names in it.
func (c *cursor) path() *Path {
	c.spaces()
	start := c.i
	if c.peek() != '$' {
		hint := ""
		if w := c.nextWord(); w != "" {
			hint = "write $." + w
		}
		c.failHere("expected a JSONPath, found "+c.found(), hint)
		return nil
	}
	t := &Template{}
	text := func(from int) {
		if c.i > from {
			t.Parts = append(t.Parts, Part{Text: c.s[from:c.i]})
		}
	}
	deep, from := 0, c.i
	var quote byte
	for c.i < len(c.s) {
		b := c.s[c.i]
		if b == '\n' && (deep == 0 || quote != 0) {
			break
		}
		if quote == 0 && deep == 0 && (b == ' ' || b == '\t' || b == ',' || b == '\r') {
			// Blanks may stand before a segment (RFC 9535 §2.1.1); no word begins so.
			rest := strings.TrimLeft(c.s[c.i:], " \t")
			if rest == "" || rest[0] != '[' && rest[0] != '.' {
				break
			}
		}
		switch {
		case b == '\\' && quote != 0 && c.i+1 < len(c.s):
			c.i += 2
			continue
		case quote != 0 && b == quote:
			quote = 0
		case quote == 0 && (b == '\'' || b == '"'):
			quote = b
		case quote == 0 && (b == '[' || b == '('):
			deep++
		case quote == 0 && (b == ']' || b == ')'):
			deep--
		case b == '{' && quote != 0 && category(c.s[start:c.i]):
			// A class of characters in a pattern (RFC 9485): '\\p{Lu}'.
		case b == '{':
			text(from)
			if e := c.tryExpr(); e != nil {
				t.Parts = append(t.Parts, Part{Expr: e, Text: string(rune(quote))})
				from = c.i
				continue
			}
			from = c.i
		}
		if deep < 0 {
			break
		}
		c.i++
	}
	text(from)
	return c.query(t, start)
}

// category tells whether a text ends where a class of characters is named.
func category(before string) bool {
	return strings.HasSuffix(before, `\\p`) || strings.HasSuffix(before, `\\P`)
}

// query makes a JSONPath of what was read, and says what is wrong with it.
func (c *cursor) query(t *Template, start int) *Path {
	p := &Path{Span: source.Span{Start: start, End: c.i}, Raw: c.s[start:c.i]}
	t.Span, t.Raw = p.Span, p.Raw
	check := p.Raw
	if slices.ContainsFunc(t.Parts, func(part Part) bool { return part.Expr != nil }) {
		p.Template = t
		// Checked with a stand-in of the same length, so that places agree.
		var b strings.Builder
		for _, part := range t.Parts {
			switch {
			case part.Expr == nil:
				b.WriteString(part.Text)
			case part.Text == "\x00":
				b.WriteString("0" + strings.Repeat(" ", part.Expr.Span.End-part.Expr.Span.Start-1))
			default:
				b.WriteString(strings.Repeat("x", part.Expr.Span.End-part.Expr.Span.Start))
			}
		}
		check = b.String()
	}
	q, err := jsonpath.Parse(check)
	if err != nil {
		e := err.(*jsonpath.Error)
		at := min(start+e.Offset, c.i)
		end := at
		if at < c.i {
			_, size := utf8.DecodeRuneInString(c.s[at:])
			end += size
		}
		c.fail(source.Span{Start: at, End: end}, "not a JSONPath: "+e.Message, e.Hint)
		return p
	}
	if p.Template == nil {
		p.Query = q
	}
	return p
}
