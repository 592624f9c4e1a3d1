package syntax

import "strings"

// Expectation is `[QUANTIFIER] SUBJECT PREDICATE [when …] [because "…"]`.
type Expectation struct {
	Claim
	// Quantifier is every, exactly, at least or at most; N its number.
	Quantifier string
	N          *Node
	// When is the condition under which this is expected at all.
	When    *When
	Because *Node
}

// Expect, Prefer and Need are the same claim with more or less weight: missed,
// it fails, warns, or blocks.
type (
	Expect struct{ Expectation }
	Prefer struct{ Expectation }
	Need   struct{ Expectation }
)

// Claiming is one of these.
type Claiming interface {
	Body
	Claimed() *Expectation
}

// Claimed is what is claimed.
func (b *Expectation) Claimed() *Expectation { return b }

const expectation = `[every | exactly N | at least N | at most N] SUBJECT PREDICATE [when SUBJECT PREDICATE [of "STEP"]] [because "…"]`

var (
	_ = form(Form{Word: "expect", In: InStep, Role: roleClaim, Usage: "expect " + expectation, Help: "Fails the step when it does not hold.",
		Example: `expect status 200`}, func() Body { return &Expect{} })
	_ = form(Form{Word: "prefer", In: InStep, Role: roleClaim, Usage: "prefer, as expect", Help: "Warns when it does not hold.",
		Example: `prefer header ETag exists`}, func() Body { return &Prefer{} })
	_ = form(Form{Word: "need", In: InHead | InStep, Role: roleClaim, Usage: "need, as expect", Help: "Blocks the rest of the scenario when it does not hold: nothing can be told then. Before the first step it is about all answers.",
		Example: `need status 2xx`}, func() Body { return &Need{} })
)

func (b *Expectation) read(p *parser) {
	b.quantifier(p)
	if p.failed {
		return
	}
	p.claim(&b.Claim)
	if !p.failed && p.takeWord("when") {
		b.When = &When{}
		b.When.read(p)
	}
	if !p.failed && p.takeWord("because") {
		b.Because = p.str("a reason", `because "why it matters"`)
	}
}

func (b *Expectation) quantifier(p *parser) {
	switch {
	case p.takeWord("every"):
		b.Quantifier = "every"
	case p.takeWord("exactly"):
		b.Quantifier = "exactly"
	case p.nextWord() == "at":
		p.takeWord("at")
		switch {
		case p.takeWord("least"):
			b.Quantifier = "at least"
		case p.takeWord("most"):
			b.Quantifier = "at most"
		default:
			p.spaces()
			p.failHere("expected `least` or `most`, found "+p.found(), "write expect at least 1 status 201")
			return
		}
	}
	if b.Quantifier != "" && b.Quantifier != "every" {
		b.N = p.wholeNumber("expect "+b.Quantifier+" 1 status 201", 0, 10_000)
	}
}

func (b *Expectation) print(l *layout) {
	b.printClaim(l)
	if b.Because != nil {
		l.b.WriteString("  because")
		l.node(b.Because)
	}
}

func (b *Expectation) printClaim(l *layout) {
	if b.Quantifier != "" {
		l.write(b.Quantifier)
		l.node(b.N)
	}
	l.claim(b.Claim)
	if b.When != nil {
		l.write("when")
		b.When.print(l)
	}
}

func (b *Expectation) walk(w walker) {
	w.node(b.N)
	w.claim(b.Claim)
	if b.When != nil {
		b.When.walk(w)
	}
	w.node(b.Because)
}

func (b *Expectation) binds(out []NameAt) []NameAt {
	out = bound(b.Predicate.Shape, out)
	for _, e := range b.Predicate.Effects {
		out = bound(e.Shape, out)
	}
	return out
}

// ExpectText is an expectation on one line without its reason.
func ExpectText(b *Expectation) string {
	l := &layout{}
	b.printClaim(l)
	return l.b.String()
}

// Keep is `keep NAME from SOURCE`.
type Keep struct {
	// Every keeps the value of each copy, as a list; IfThere binds nothing when
	// the source has nothing, where else the step would fail.
	Every, IfThere bool
	// Secret hides the value from then on; Last keeps the last segment of a URL in
	// a header, decoded.
	Secret, Last bool
	// Or is where it is kept from when the first place has nothing.
	Or       *Keep
	Name     string
	NameSpan span
	// From is path, header, cookie, status, body, text or xml.
	From    string
	Path    *Path
	Key     string
	Pattern *Node
}

var _ = form(Form{Word: "keep", In: InStep, Role: roleClaim, Usage: "keep [every] [secret] NAME from SOURCE [or SOURCE] [if there]", Help: "Binds a value of the answer to a name: from a JSONPath, header H [last segment, or /re(group)/], cookie C, status, body, text /re(group)/ or xml XPATH. A `secret` is not shown from then on.",
	Example: `keep name from $.id`}, func() Body { return &Keep{} })

func (b *Keep) read(p *parser) {
	if mark := p.i; p.takeWord("every") {
		b.Every = p.nextWord() != "from"
		if !b.Every {
			p.i = mark
		}
	}
	if mark := p.i; p.takeWord("secret") {
		b.Secret = p.nextWord() != "from"
		if !b.Secret {
			p.i = mark
		}
	}
	if p.spaces(); p.peek() == '$' {
		path := p.targetText()
		hint := "write keep id from " + path
		if _, name, ok := strings.Cut(strings.TrimPrefix(p.rest().Text(p.s), path), " as "); ok {
			hint = "write keep " + strings.TrimSpace(name) + " from " + path
		}
		p.failHere("expected a name, found "+p.found(), hint)
		return
	}
	b.Name, b.NameSpan = p.name("a name")
	if p.spaces(); !p.failed && (p.peek() == '=' || p.peek() == ':') {
		p.failHere("expected `from`, found "+p.found(), "write keep "+b.Name+" from "+strings.TrimLeft(p.rest().Text(p.s), "=: "))
		return
	}
	if p.failed || !p.needWord("from", "keep name from $.id") {
		return
	}
	b.source(p)
	for last := b; !p.failed && p.takeWord("or"); last = last.Or {
		last.Or = &Keep{Name: b.Name}
		last.Or.source(p)
	}
	if !p.failed && p.takeWord("if") {
		b.IfThere = p.needWord("there", "keep "+b.Name+" from … if there")
	}
}

func (b *Keep) source(p *parser) {
	p.spaces()
	if p.peek() == '$' {
		b.From, b.Path = "path", p.path()
		return
	}
	start := p.i
	b.From = p.word()
	span := span{Start: start, End: p.i}
	switch b.From {
	case "status":
	case "body":
		if p.peek() == '.' {
			p.failHere("`body` is kept whole", "write keep "+b.Name+" from $"+p.memberText())
			return
		}
	case "header", "cookie":
		b.Key = p.headerName()
		if b.From == "header" && !p.failed && p.takeWord("last") {
			b.Last = p.needWord("segment", "keep "+b.Name+" from header Location last segment")
		} else if p.spaces(); b.From == "header" && p.peek() == '/' {
			b.Pattern = p.regexNode()
		}
	case "text":
		p.spaces()
		if p.peek() != '/' {
			p.failHere("expected a regular expression, found "+p.found(), "write keep name from text /id=(\\d+)/")
			return
		}
		b.Pattern = p.regexNode()
	case "xml":
		b.Key = p.xpath()
	default:
		if span.Start == span.End {
			span = p.token()
		}
		hint := ""
		if p.peek() == '.' {
			hint = "write keep " + b.Name + " from $" + strings.TrimPrefix(strings.TrimPrefix(p.memberText(), ".body"), ".json")
		}
		if hint == "" {
			hint = nearest(b.From, []string{"status", "body", "header", "cookie", "text", "xml"})
		}
		if hint == "" {
			hint = "values come from a JSONPath ($.id), header N, cookie C, status, body, text /re/ or xml XPATH"
		}
		p.fail(span, "nothing can be kept from "+p.quoteOr(span), hint)
	}
}

func (b *Keep) print(l *layout) {
	if b.Every {
		l.write("every")
	}
	if b.Secret {
		l.write("secret")
	}
	l.write(b.Name, "from")
	b.printSource(l)
	for o := b.Or; o != nil; o = o.Or {
		l.write("or")
		o.printSource(l)
	}
	if b.IfThere {
		l.write("if there")
	}
}

func (b *Keep) printSource(l *layout) {
	if b.Path != nil {
		l.write(b.Path.Raw)
	} else {
		l.write(b.From)
		l.write(quoteXPath(b.From, b.Key))
		l.node(b.Pattern)
		if b.Last {
			l.write("last segment")
		}
	}
}

func (b *Keep) walk(w walker) {
	for o := b; o != nil; o = o.Or {
		w.path(o.Path)
	}
}

func (b *Keep) binds(out []NameAt) []NameAt { return append(out, NameAt{b.Name, b.NameSpan}) }
