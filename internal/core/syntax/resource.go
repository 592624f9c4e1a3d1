package syntax

import (
	"strings"

	"usualpath/internal/core/source"
)

// Operations are what a resource can do, in the order of its life.
var Operations = []string{"list", "create", "read", "replace", "amend", "delete"}

// Levels are those of derived checks, the strictest first.
var Levels = []string{"must", "should", "usual"}

var answerWords = []string{"list", "create", "read", "replace", "amend", "delete", "repeat delete", "missing", "invalid"}

// resourceLine reads the lines of a resource, and the `check` that a derived
// scenario carries.
func (p *parser) resourceLine(st *Statement) {
	switch st.Word {
	case "check":
		st.Body = p.check()
	case "collection", "item":
		st.Body = &Target{Path: p.needTarget(st.Word + " /boats")}
	case "members", "content":
		st.Body = &Where{Path: p.path()}
	case "identity":
		st.Body = p.identity()
	case "make", "remake", "amend":
		if p.lineDone() {
			p.failHere("a JSON value was expected, found "+p.found(), "write "+keywords[st.Word].form)
			st.Body = &Content{}
			return
		}
		c := &Content{Value: p.value()}
		c.Media = p.media()
		st.Body = c
	case "assigned", "required", "unique", "hidden":
		st.Body = &Listing{Items: p.listItems()}
	case "volatile":
		st.Body = &Paths{List: p.paths()}
	case "reads":
		st.Body = &Reads{Shape: p.needShape()}
	case "filter":
		st.Body = p.pair("filter")
	case "paging":
		l := &Listing{Items: p.listItems()}
		if !p.failed && len(l.Items) != 2 {
			p.failHere("paging names two query parameters", "write paging limit, offset")
		}
		st.Body = l
	case "supports":
		st.Body = p.supports()
	case "answers":
		st.Body = p.answers()
	case "under":
		n, _ := p.name("a resource's name")
		st.Body = &Named{Name: n}
	case "idempotency":
		p.needWord("key", "idempotency key")
		st.Body = &Block{}
	case "disposable":
		st.Body = &Block{}
	case "skip":
		st.Body = p.skip()
	}
}

// checkID reads FAMILY/NAME.
func (p *parser) checkID(form string) (string, source.Span) {
	p.blanks()
	start := p.i
	for p.i < len(p.s) && (wordByte(p.s[p.i]) || p.s[p.i] == '-' || p.s[p.i] == '/') {
		p.i++
	}
	span := source.Span{Start: start, End: p.i}
	id := p.s[start:p.i]
	if family, name, ok := strings.Cut(id, "/"); !ok || family == "" || name == "" || strings.Contains(name, "/") {
		if id == "" {
			span = p.token()
		}
		p.fail(span, "a check was expected, found "+p.quoteOr(span), "write "+form+"; usualpath explain lists the checks")
	}
	return id, span
}

func (p *parser) check() *Check {
	form := "check lifecycle/deleted-is-gone of boats on delete"
	c := &Check{Level: "must"}
	c.ID, c.Span = p.checkID(form)
	if p.failed || !p.needWord("of", form) {
		return c
	}
	c.Resource, _ = p.name("a resource's name")
	if p.failed || !p.needWord("on", form) {
		return c
	}
	c.Operation = p.oneOf(Operations, "an operation")
	if !p.failed && p.takeWord("level") {
		c.Level = p.oneOf(Levels, "a level")
	}
	return c
}

// oneOf reads one of a few words.
func (p *parser) oneOf(words []string, what string) string {
	for _, w := range words {
		if p.takeWord(w) {
			return w
		}
	}
	p.blanks()
	hint := nearest(p.nextWord(), append([]string(nil), words...))
	if hint == "" {
		hint = "there are " + strings.Join(words, ", ")
	}
	p.failHere(what+" was expected, found "+p.found(), hint)
	return ""
}

func (p *parser) identity() *Identity {
	id := &Identity{}
	p.blanks()
	switch {
	case p.peek() == '$':
		id.Path = p.path()
		return id
	case p.takeWord("header"):
		id.Header = p.headerName()
	case p.takeWord("chosen"):
		id.Chosen = p.str("a name with {turn} in it", `identity chosen "GP{turn}"`)
	default:
		p.failHere("how an item is told from others was expected, found "+p.found(), "write "+keywords["identity"].form)
	}
	if !p.failed && p.takeWord("by") {
		id.By = p.path()
	}
	return id
}

func (p *parser) supports() *Listing {
	l := &Listing{}
	for !p.failed {
		start := p.i
		w := p.oneOf(Operations, "an operation")
		span := source.Span{Start: start, End: p.i}
		l.Items = append(l.Items, &Node{Kind: String, Text: w, Span: span, Template: &Template{Raw: w, Span: span, Parts: []Part{{Text: w}}}})
		if !p.takeByte(',') {
			break
		}
	}
	return l
}

func (p *parser) answers() *Answers {
	a := &Answers{}
	p.listing = true
	defer func() { p.listing = false }()
	for !p.failed {
		p.blanks()
		start := p.i
		one := AnswerFor{}
		if p.takeWord("repeat") {
			if !p.needWord("delete", "answers repeat delete 404") {
				return a
			}
			one.What = "repeat delete"
		} else {
			one.What = p.oneOf(answerWords, "what is answered")
		}
		one.Span = source.Span{Start: start, End: p.i}
		if p.failed {
			return a
		}
		one.Status = p.statuses()
		a.List = append(a.List, one)
		if !p.takeByte(',') {
			break
		}
	}
	return a
}

func (p *parser) skip() *Skip {
	form := `skip input/big-body because "the proxy in front refuses it"`
	s := &Skip{}
	s.Check, s.Span = p.checkID(form)
	if !p.failed && p.needWord("because", form) {
		s.Because = p.str("a reason", form)
	}
	return s
}

// resource writes what resourceLine reads.
func (l *layout) resource(st *Statement) {
	switch b := st.Body.(type) {
	case *Check:
		l.write(b.ID, "of", b.Resource, "on", b.Operation)
		if b.Level != "must" {
			l.write("level", b.Level)
		}
	case *Target:
		l.template(b.Path)
	case *Where:
		l.write(b.Path.Raw)
	case *Identity:
		switch {
		case b.Path != nil:
			l.write(b.Path.Raw)
		case b.Header != "":
			l.write("header", b.Header)
		default:
			l.write("chosen")
			l.node(b.Chosen)
		}
		if b.By != nil {
			l.write("by", b.By.Raw)
		}
	case *Listing:
		l.list(b.Items)
	case *Paths:
		l.write(joinPaths(b.List))
	case *Reads:
		l.node(b.Shape)
	case *Answers:
		for i, a := range b.List {
			l.write(a.What, statusText(a.Status))
			if i < len(b.List)-1 {
				l.b.WriteByte(',')
			}
		}
	case *Skip:
		l.write(b.Check)
		l.b.WriteString("  because")
		l.node(b.Because)
	}
}
