package syntax

import (
	"strconv"
	"strings"

	"usualpath/internal/core/source"
	"usualpath/internal/core/value"
)

// maxNesting bounds values and shapes inside each other.
const maxNesting = 500

// value reads a JSON value with names in it.
func (c *cursor) value() *Node {
	c.spaces()
	return c.node(false, 0)
}

// shape reads a shape: alternatives joined by `or`.
func (c *cursor) shape() *Node {
	c.spaces()
	return c.alternatives(0)
}

func (c *cursor) alternatives(deep int) *Node {
	first := c.alternative(deep)
	if c.failed || !c.takeShapeWord("or", deep) {
		return first
	}
	n := &Node{Kind: Or, Items: []*Item{{Value: first}}}
	for {
		c.gap(deep)
		n.Items = append(n.Items, &Item{Value: c.alternative(deep)})
		if c.failed || !c.takeShapeWord("or", deep) {
			n.Span = source.Span{Start: first.Span.Start, End: c.i}
			return n
		}
	}
}

// gap skips what may be between the parts of a shape: line ends too, inside
// brackets.
func (c *cursor) gap(deep int) {
	if deep > 0 {
		c.trivia()
	} else {
		c.spaces()
	}
}

func (c *cursor) takeShapeWord(w string, deep int) bool {
	mark, kept := c.i, len(c.pending)
	c.gap(deep)
	if c.takeWord(w) {
		return true
	}
	c.i, c.pending = mark, c.pending[:kept]
	return false
}

func (c *cursor) alternative(deep int) *Node {
	start := c.i
	if deep > maxNesting {
		c.failHere("shapes nest more than 500 levels deep", "")
		return &Node{}
	}
	if c.takeWord("not") {
		c.gap(deep)
		inner := c.alternative(deep + 1)
		return &Node{Kind: Not, Items: []*Item{{Value: inner}}, Span: source.Span{Start: start, End: c.i}}
	}
	n := c.node(true, deep)
	if c.failed || !c.takeShapeWord("as", deep) {
		return n
	}
	name, span := c.name("a name to bind")
	return &Node{Kind: As, Text: name, Items: []*Item{{Value: n}}, Span: source.Span{Start: start, End: span.End}}
}

// node reads one value or, with shapes, one primary shape.
func (c *cursor) node(shapes bool, deep int) *Node {
	start := c.i
	if deep > maxNesting {
		c.failHere("values nest more than 500 levels deep", "")
		return &Node{}
	}
	switch b := c.peek(); {
	case b == '{':
		return c.objectOrRef(shapes, deep)
	case b == '[':
		return c.array(shapes, false, deep)
	case b == '"':
		return c.stringNode()
	case b == '-' || b >= '0' && b <= '9':
		if n := c.numberNode(); n != nil {
			return n
		}
		c.failHere("not a number", "JSON numbers look like 12, -3.5 or 1e9: no zeros in front, a digit on both sides of the point")
		return &Node{}
	case b == '/' && shapes:
		return c.regexNode()
	case b == '\'':
		c.failHere("JSON strings are written in double quotes", `write "…" in place of '…'`)
		return &Node{}
	case b == '$':
		if c.at("${") {
			c.failHere("expected a value, found "+c.found(), "a name is written {name}, without `$`")
			return &Node{}
		}
		c.failHere("expected a value, found a JSONPath", "keep it under a name first: keep name from "+strings.TrimRight(c.targetText(), "}],"))
		return &Node{}
	case c.i >= len(c.s):
		c.fail(source.Span{Start: len(c.s), End: len(c.s)}, "expected a value, found the end of the file", "")
		return &Node{}
	case !nameStart(b):
		hint := valueHint(b)
		if b == '\n' || b == '\r' {
			hint = "write a value, or take away the word before"
		}
		c.failHere("expected a value, found "+c.found(), hint)
		return &Node{}
	}
	w := c.word()
	n := &Node{Span: source.Span{Start: start, End: c.i}}
	switch {
	case w == "null":
		// `null` is also a type of that one value.
		n.Kind = Null
	case w == "true":
		n.Kind = True
	case w == "false":
		n.Kind = False
	case shapes && w == "any" && c.nextWord() == "order":
		c.takeWord("order")
		c.gap(deep)
		if c.peek() != '[' {
			c.failHere("expected `[` after `any order`, found "+c.found(), "write any order [ … ]")
			return n
		}
		arr := c.array(true, true, deep)
		arr.Span.Start = start
		return arr
	case shapes && typeWords[w]:
		n.Kind, n.Text = Type, w
		c.limits(n, deep)
		n.Span.End = c.i
	default:
		message := unknownValue(w, shapes)
		if c.peek() == '(' {
			message = "a function is written in braces"
		}
		c.fail(n.Span, message, c.wordHint(w, shapes))
	}
	return n
}

func (c *cursor) targetText() string {
	mark := c.i
	t := c.target()
	c.i = mark
	return t.Raw
}

func valueHint(b byte) string {
	switch b {
	case '<', '>':
		return "to compare, leave `is` out: expect $.length > 3; markup is written in quotes"
	case '.':
		return "write a digit before the point: 0.5"
	case '+':
		return "no `+` before a number"
	}
	return ""
}

func unknownValue(w string, shapes bool) string {
	if shapes {
		return "`" + w + "` is neither a value nor a type"
	}
	if typeWords[w] {
		return "`" + w + "` is a type; expected a value"
	}
	return "`" + w + "` is not a value"
}

func (c *cursor) wordHint(w string, shapes bool) string {
	switch strings.ToLower(w) {
	case "true", "false", "null":
		return "JSON writes " + strings.ToLower(w)
	case "none", "nil", "undefined":
		return "JSON writes null"
	case "nan", "infinity":
		return "JSON has no such number"
	}
	if c.peek() == '(' {
		return "write {" + w + "(…)}"
	}
	lower := w == strings.ToLower(w)
	if shapes && lower {
		words := []string{"true", "false", "null"}
		for t := range typeWords {
			words = append(words, t)
		}
		if ours := asType[w]; ours != "" {
			return "write " + ours
		}
		if w == "empty" {
			return `write "" for a text, [] for a list, null for no value; of the body: expect body empty`
		}
		if h := nearest(w, words); h != "" {
			return h
		}
	} else if typeWords[w] {
		return "types are allowed in shapes, after `is`"
	}
	hint := c.quotedHere(c.i - len(w))
	if lower && hint == `text is written in quotes: "`+w+`"` {
		hint += "; the value of a name in braces: {" + w + "}"
	}
	return hint
}

// numberNode reads a JSON number; nil and unmoved when there is none. In
// 1..60 the number ends before the points.
func (c *cursor) numberNode() *Node {
	start, i := c.i, c.i
	digits := func() bool {
		from := i
		for i < len(c.s) && c.s[i] >= '0' && c.s[i] <= '9' {
			i++
		}
		return i > from
	}
	if i < len(c.s) && c.s[i] == '-' {
		i++
	}
	whole := i
	if !digits() || c.s[whole] == '0' && i > whole+1 {
		return nil
	}
	if i < len(c.s) && c.s[i] == '.' && !strings.HasPrefix(c.s[i:], "..") {
		i++
		if !digits() {
			return nil
		}
	}
	if i < len(c.s) && (c.s[i] == 'e' || c.s[i] == 'E') {
		i++
		if i < len(c.s) && (c.s[i] == '+' || c.s[i] == '-') {
			i++
		}
		if !digits() {
			return nil
		}
	}
	c.i = i
	return &Node{Kind: Number, Text: c.s[start:i], Span: source.Span{Start: start, End: i}}
}

func (c *cursor) objectOrRef(shapes bool, deep int) *Node {
	start := c.i
	// {name} or { name }: after the brace a name, where an object has a quote.
	i := c.i + 1
	for i < len(c.s) && (c.s[i] == ' ' || c.s[i] == '\t') {
		i++
	}
	if i < len(c.s) && nameStart(c.s[i]) {
		if e := c.braces(); e != nil {
			return &Node{Kind: Ref, Expr: e, Span: e.Span}
		}
		c.i = i
		w := c.word()
		c.fail(source.Span{Start: i, End: c.i}, "`"+w+"` starts neither a member nor a name in braces",
			`member names are written in double quotes: "`+w+`": …; a name is written alone: {`+w+`}`)
		return &Node{}
	}
	return c.object(shapes, deep, start)
}

// spread skips trivia after a comma or an opening bracket; a comment on the
// same line goes to the member before it, if there is one.
func (c *cursor) spread(last *Comments) (broke bool) {
	c.spaces()
	if c.commentHere() {
		text := c.commentText()
		if last != nil && last.Trail == "" {
			last.Trail = text
		} else {
			c.pending = append(c.pending, Comment{text})
		}
		broke = true
	}
	return c.trivia() || broke
}

func (c *cursor) object(shapes bool, deep, start int) *Node {
	n := &Node{Kind: Object}
	outer := c.takePending()
	c.i++
	n.Broken = c.spread(nil)
	var last *Comments
	seen := map[string]bool{}
	for !c.failed {
		if c.peek() == '}' {
			if last != nil && !n.Open {
				c.failHere("no comma before `}`", "remove the comma")
			}
			break
		}
		if shapes && c.at("...") {
			c.i += 3
			n.Open = true
			n.Broken = c.spread(last) || n.Broken
			if c.peek() != '}' {
				c.unclosed(start, '}', "`...` comes last; expected `}`")
			}
			break
		}
		f := &Field{Comments: Comments{Lead: c.takePending()}}
		if c.peek() != '"' {
			c.memberName(start)
			break
		}
		f.Key = c.stringNode()
		if c.failed {
			break
		}
		if key, ok := f.Key.Template.Plain(); ok {
			if seen[key] {
				c.report(f.Key.Span, "member "+value.Quoted(key)+" appears twice in one object", "remove one of them")
			}
			seen[key] = true
		}
		c.trivia()
		if c.peek() == '?' {
			if !shapes {
				c.failHere("`?` is only allowed in shapes", "write it after `is`, or remove it")
				break
			}
			f.Optional = true
			c.i++
			c.trivia()
		}
		if c.peek() != ':' {
			c.failHere("expected `:` after the member's name, found "+c.found(), "")
			break
		}
		c.i++
		c.trivia()
		f.Value = c.element(shapes, deep)
		if c.failed {
			break
		}
		f.Lead = append(f.Lead, c.takePending()...)
		n.Fields = append(n.Fields, f)
		last = &f.Comments
		n.Broken = c.spread(last) || n.Broken
		if c.peek() == ',' {
			c.i++
			n.Broken = c.spread(last) || n.Broken
			continue
		}
		if c.peek() != '}' {
			if c.peek() == '"' && !c.failed {
				c.failHere("expected `,` or `}`, found "+c.found(), "a comma is missing before this member")
			}
			c.unclosed(start, '}', "expected `,` or `}`")
		}
		break
	}
	c.close(n, outer)
	n.Span = source.Span{Start: start, End: c.i}
	return n
}

func (c *cursor) element(shapes bool, deep int) *Node {
	if shapes {
		return c.alternatives(deep + 1)
	}
	return c.node(false, deep+1)
}

// close takes the closing bracket and sorts the comments that are left.
func (c *cursor) close(n *Node, outer []Comment) {
	if !c.failed {
		c.i++
	}
	n.Tail = c.takePending()
	c.pending = outer
	if len(n.Tail) > 0 {
		n.Broken = true
	}
	for _, f := range n.Fields {
		n.Broken = n.Broken || needsLines(f.Comments, f.Value) || needsLines(Comments{}, f.Key)
	}
	for _, it := range n.Items {
		n.Broken = n.Broken || needsLines(it.Comments, it.Value)
	}
	if len(n.Fields) == 0 && len(n.Items) == 0 && !n.Open && len(n.Tail) == 0 {
		n.Broken = false
	}
}

func needsLines(around Comments, n *Node) bool {
	return len(around.Lead) > 0 || around.Trail != "" || multiline(n)
}

// multiline tells whether a node is printed on several lines.
func multiline(n *Node) bool {
	if n == nil {
		return false
	}
	if n.Broken || n.Block {
		return true
	}
	switch n.Kind {
	case Or, Not, As:
		for _, it := range n.Items {
			if multiline(it.Value) {
				return true
			}
		}
	case Type:
		return n.Limits != nil && multiline(n.Limits.Of)
	}
	return false
}

func (c *cursor) unclosed(start int, bracket byte, expected string) {
	open := c.file.Position(start)
	hint := ""
	if c.file.Position(c.i).Line != open.Line {
		hint = "the `" + c.s[start:start+1] + "` of line " + strconv.Itoa(open.Line) + " is not closed"
		if bracket == '}' {
			hint += " by a `}`"
		} else {
			hint += " by a `]`"
		}
	}
	c.failHere(expected+", found "+c.found(), hint)
}

func (c *cursor) memberName(start int) {
	if c.peek() == '\'' {
		c.failHere("JSON member names are written in double quotes", `write "…" in place of '…'`)
		return
	}
	if w := c.nextWord(); w != "" && !isStatementLine(c.s, c.i) {
		c.failHere("expected a member name in double quotes, found "+c.found(), `write "`+w+`"`)
		return
	}
	c.unclosed(start, '}', "expected a member name or `}`")
}

func (c *cursor) array(shapes, anyOrder bool, deep int) *Node {
	start := c.i
	n := &Node{Kind: Array, AnyOrder: anyOrder}
	outer := c.takePending()
	c.i++
	n.Broken = c.spread(nil)
	var last *Comments
	for !c.failed {
		if c.peek() == ']' {
			if last != nil && !n.Open {
				c.failHere("no comma before `]`", "remove the comma")
			}
			break
		}
		if shapes && c.at("...") {
			c.i += 3
			n.Open = true
			n.Broken = c.spread(last) || n.Broken
			if c.peek() != ']' {
				c.unclosed(start, ']', "`...` comes last; expected `]`")
			}
			break
		}
		it := &Item{Comments: Comments{Lead: c.takePending()}}
		if isStatementLine(c.s, c.i) {
			c.unclosed(start, ']', "expected a value or `]`")
			break
		}
		it.Value = c.element(shapes, deep)
		if c.failed {
			break
		}
		it.Lead = append(it.Lead, c.takePending()...)
		n.Items = append(n.Items, it)
		last = &it.Comments
		n.Broken = c.spread(last) || n.Broken
		if c.peek() == ',' {
			c.i++
			n.Broken = c.spread(last) || n.Broken
			continue
		}
		if c.peek() != ']' {
			if b := c.peek(); !c.failed && (b == '"' || b == '{' || b == '[' || b >= '0' && b <= '9') {
				c.failHere("expected `,` or `]`, found "+c.found(), "a comma is missing before this element")
			}
			c.unclosed(start, ']', "expected `,` or `]`")
		}
		break
	}
	c.close(n, outer)
	n.Span = source.Span{Start: start, End: c.i}
	return n
}

// limits reads what narrows a type.
func (c *cursor) limits(n *Node, deep int) {
	l := &Limits{}
	set := false
	for !c.failed {
		mark := c.i
		c.spaces()
		switch b := c.peek(); {
		case (b == '.' && c.at("..") && !c.at("...")) || b == '-' || b >= '0' && b <= '9' || b == '{':
			if !numeric(n.Text) {
				c.failHere("a range goes with number or integer, not with "+n.Text, `write string length 1..60 for a length`)
				return
			}
			if l.Range != nil {
				c.failHere("a second range", "")
				return
			}
			l.Range = c.rangeOf()
		case (b == '<' || b == '>') && numeric(n.Text) && (l.Range == nil || l.Range.half()):
			c.compared(l)
		case b == '/':
			if n.Text != "string" && n.Text != "any" {
				c.failHere("a pattern goes with string, not with "+n.Text, "")
				return
			}
			l.Pattern = c.regexNode()
		case c.takeWord("within"):
			timely := n.Text == "datetime" || n.Text == "date"
			if !timely && !numeric(n.Text) {
				c.failHere("`within` goes with number, integer, datetime and date, not with "+n.Text, "")
				return
			}
			l.Within = c.within(timely, !timely)
		case c.takeWord("length"):
			if n.Text != "string" {
				c.failHere("a length goes with string, not with "+n.Text, "arrays have count: array count 1..5")
				return
			}
			l.Length = c.rangeOf()
		case n.Text == "array" && c.takeWord("count"):
			l.Count = c.rangeOf()
		case n.Text == "array" && l.Of == nil && c.takeWord("of"):
			c.gap(deep)
			// One alternative: `array of integer or null` is an array or null.
			l.Of = c.alternative(deep + 1)
		default:
			c.i = mark
			if set {
				n.Limits = l
			}
			return
		}
		set = true
	}
	n.Limits = l
}

// within reads `0.1 of 12.5` or `5m of {now()}`.
func (c *cursor) within(times, numbers bool) *Within {
	b := &Within{}
	c.spaces()
	start := c.i
	n := c.numberNode()
	switch number := n != nil && (c.i >= len(c.s) || !wordByte(c.s[c.i])); {
	case number:
		b.Number = n
	case n == nil && c.peek() == '{':
		if e := c.tryExpr(); e != nil {
			b.Number = &Node{Kind: Ref, Expr: e, Span: e.Span}
		}
	default:
		c.i = start
		for c.i < len(c.s) && (wordByte(c.s[c.i]) || c.s[c.i] == '.') {
			c.i++
		}
		d, err := ParseDuration(c.s[start:c.i])
		if err == nil {
			b.Duration = Duration{Raw: c.s[start:c.i], D: d}
		}
	}
	span := source.Span{Start: start, End: c.i}
	switch {
	case b.Number == nil && b.Duration.Raw == "":
		c.i = start
		c.failHere("expected a distance, found "+c.found(), "write within 0.1 of 12.5, or within 5m of {now()}")
		return b
	case b.Number != nil && b.Number.Kind == Number && !numbers:
		c.fail(span, "expected a duration", "say of what: "+b.Number.Text+"s, "+b.Number.Text+"m or "+b.Number.Text+"d")
		return b
	case b.Number != nil && b.Number.Kind == Number && strings.HasPrefix(b.Number.Text, "-"):
		c.fail(span, "a distance is not negative", "write it without the sign")
		return b
	case b.Duration.Raw != "" && !times:
		c.fail(span, "expected a number, found a duration", "times are datetime: datetime within "+b.Duration.Raw+" of {now()}")
		return b
	}
	c.spaces()
	if !c.takeWord("of") {
		c.failHere("expected `of`, found "+c.found(), "write within 0.1 of 12.5")
		return b
	}
	c.spaces()
	b.Of = c.node(false, 0)
	return b
}

// half tells whether an end of a range is still to be said.
func (r *Range) half() bool {
	return (r.LoOpen || r.HiOpen || r.Lo != r.Hi) && (r.Lo == nil || r.Hi == nil)
}

// compared reads one end of a range as a comparison: `> 0`, `<= 60`.
func (c *cursor) compared(l *Limits) {
	start := c.i
	op := c.comparator()
	c.spaces()
	end := c.bound()
	if end == nil || c.failed {
		c.failHere("expected a number, found "+c.found(), "write number > 0, or number > 0 <= 60")
		return
	}
	r := l.Range
	if r == nil {
		r = &Range{}
	}
	switch {
	case op[0] == '>' && r.Lo == nil:
		r.Lo, r.LoOpen = end, op == ">"
	case op[0] == '<' && r.Hi == nil:
		r.Hi, r.HiOpen = end, op == "<"
	default:
		c.fail(source.Span{Start: start, End: c.i}, "this end of the range is said already", "")
		return
	}
	if r.Lo != nil && r.Hi != nil && r.Lo.Kind == Number && r.Hi.Kind == Number {
		if o := value.CompareNumbers(r.Lo.Text, r.Hi.Text); o > 0 || o == 0 && (r.LoOpen || r.HiOpen) {
			c.fail(source.Span{Start: start, End: c.i}, "this range is empty", "")
			return
		}
	}
	r.Span = source.Span{Start: start, End: c.i}
	l.Range = r
}

func numeric(t string) bool { return t == "number" || t == "integer" }

// rangeOf reads A..B, A.., ..B, or a single A, which is A..A.
func (c *cursor) rangeOf() *Range {
	c.spaces()
	start := c.i
	r := &Range{Lo: c.bound()}
	if c.failed {
		return r
	}
	if c.at("..") && !c.at("...") {
		c.i += 2
		r.Hi = c.bound()
	} else if r.Lo != nil {
		r.Hi = r.Lo
	}
	r.Span = source.Span{Start: start, End: c.i}
	if r.Lo == nil && r.Hi == nil {
		c.failHere("expected a range, found "+c.found(), "write 1..60, 1.. or ..60")
	} else if r.Lo != nil && r.Hi != nil && r.Lo.Kind == Number && r.Hi.Kind == Number && value.CompareNumbers(r.Lo.Text, r.Hi.Text) > 0 {
		c.fail(r.Span, "this range is empty", "the smaller number comes first")
	}
	return r
}

func (c *cursor) bound() *Node {
	if c.peek() == '{' {
		if e := c.tryExpr(); e != nil {
			return &Node{Kind: Ref, Expr: e, Span: e.Span}
		}
	}
	return c.numberNode()
}
