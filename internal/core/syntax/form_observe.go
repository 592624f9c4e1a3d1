package syntax

import (
	"regexp"
	"strings"

	"usualpath/internal/core/jsonpath"
	"usualpath/internal/core/value"
)

// Observe is `observe NAME at PATH in P by P ignoring P, …`.
type Observe struct {
	Name     string
	NameSpan span
	At       *Template
	In, By   *Path
	// InXML is an XPath (1.0) that selects the members of an XML answer, ByXML the path from a
	// member to what tells it apart, as it is written: By is the same in the member's tree.
	InXML, ByXML string
	// Without is the key of a member that is left out.
	Without  *Node
	Ignoring []*Path
	// SentOnly leaves changes out of account in members that were never sent.
	SentOnly bool
	// IfThere lets the answer leave out the list.
	IfThere bool
	// Items is where one member is, with a star for its identity; nil for below the list.
	Items *Template
	// Paging stands last.
	Paging Paging
}

var _ = form(Form{Word: "observe", In: InFile | InHead, Usage: "observe NAME at PATH [in JSONPATH [if there], or in xml XPATH] [by JSONPATH, or by xml PATH] [without VALUE] [ignoring JSONPATH, …] [sent only] [paging WAY]",
	Help: "Makes a GET part of the visible state, which effects are about. With `sent only` a change counts where it is in a member that the scenario has sent: what a service keeps beside that, a time or a version, is its own (RFC 9110 §9.2.2).", Example: `observe name at /path by $.id`}, func() Body { return &Observe{} })

func (b *Observe) read(p *parser) {
	form := "observe boats at /boats by $.id"
	b.Name, b.NameSpan = p.name("a name")
	if p.failed {
		return
	}
	if Reserved(b.Name) {
		p.fail(b.NameSpan, "`"+b.Name+"` is taken: expectations are about it", "choose another name")
		return
	}
	if !p.needWord("at", form) {
		return
	}
	b.At = p.needTarget(form)
	b.clauses(p, form, false)
}

// clauses read how the members of an observed list are found and compared.
func (b *Observe) clauses(p *parser, form string, guard bool) {
	for !p.failed && !p.lineDone() {
		switch {
		case p.takeWord("in"):
			if p.takeWord("xml") {
				b.InXML = p.xpath()
				continue
			}
			b.In = p.path()
			if !p.failed && p.takeWord("if") {
				b.IfThere = p.needWord("there", "observe boats at /boats in $.boats if there by $.id")
			}
		case p.takeWord("by"):
			if p.takeWord("xml") {
				b.ByXML, b.By = p.xmlPath()
				continue
			}
			b.By = p.path()
		case p.takeWord("without"):
			b.Without = p.value()
		case p.takeWord("ignoring"):
			b.Ignoring = p.paths()
		case p.takeWord("sent"):
			b.SentOnly = p.needWord("only", "observe boats at /boats by $.id sent only")
		case p.takeWord("paging"):
			b.Paging.read(p)
		case guard && p.takeWord("items"):
			if b.Items = p.needTarget(form); !p.failed && strings.Count(b.Items.Raw, "*") != 1 {
				p.fail(b.Items.Span, "this path has no place for what tells the items apart", "write a star there: items /boat/*")
			}
		default:
			words := "`without`, `ignoring`, `sent only`"
			if guard {
				words = "`ignoring`, `items`"
			}
			p.failHere("expected `in`, `by`, "+words+" or `paging`, found "+p.found(), form)
		}
	}
	switch {
	case p.failed:
	case b.InXML != "" && b.By != nil && b.ByXML == "":
		p.fail(b.By.Span, "members of XML are told apart by a path in XML", "write by xml @id")
	case b.ByXML != "" && b.InXML == "":
		p.fail(b.By.Span, "it is not said which elements are the members", "write in xml //boat before it")
	}
}

// xmlPath reads the way from an element to an attribute or an element below it: names with
// slashes between, and an attribute at the end; `.` is the element itself, and `text()` the
// text of one that has attributes. It gives the same in the element's tree.
func (p *parser) xmlPath() (written string, path *Path) {
	p.spaces()
	start := p.i
	written = p.xpath()
	span := span{Start: start, End: p.i}
	var text strings.Builder
	text.WriteByte('$')
	for _, step := range strings.Split(written, "/") {
		if step == "." && written == "." {
			break
		}
		if step == "text()" {
			step = "#text"
		} else if !plainStep.MatchString(step) {
			p.fail(span, "this is not a path to an attribute or an element", "write by xml @id, by xml code or by xml head/@id")
			return "", nil
		}
		if IsName(step) {
			text.WriteString("." + step)
		} else {
			text.WriteString("[" + value.QuoteName(step) + "]")
		}
	}
	q, err := jsonpath.Parse(text.String())
	if err != nil {
		p.fail(span, "this is not a path to an attribute or an element", "write by xml @id")
		return "", nil
	}
	return written, &Path{Span: span, Raw: text.String(), Query: q}
}

// plainStep is the name of an element or an attribute, without a prefix.
var plainStep = regexp.MustCompile(`^@?[\pL_][\pL\pN._-]*$`)

func (b *Observe) print(l *layout) {
	l.write(b.Name, "at")
	l.template(b.At)
	b.printClauses(l)
}

func (b *Observe) printClauses(l *layout) {
	if b.InXML != "" {
		l.write("in xml", quoteXPath("xml", b.InXML))
	}
	for _, one := range []struct {
		word string
		path *Path
	}{{"in", b.In}, {"by", b.By}} {
		switch {
		case one.word == "by" && b.ByXML != "":
			l.write("by xml", b.ByXML)
		case one.path != nil:
			l.write(one.word, one.path.Raw)
		}
		if one.word == "in" && b.IfThere {
			l.write("if there")
		}
	}
	if b.Without != nil {
		l.write("without")
		l.node(b.Without)
	}
	if len(b.Ignoring) > 0 {
		l.write("ignoring", joinPaths(b.Ignoring))
	}
	if b.SentOnly {
		l.write("sent only")
	}
	if b.Items != nil {
		l.write("items")
		l.template(b.Items)
	}
	if b.Paging.By != "" {
		l.write("paging")
		b.Paging.print(l)
	}
}

func (b *Observe) walk(w walker) {
	w.template(b.At)
	w.path(b.In)
	w.path(b.By)
	w.node(b.Without)
	w.paths(b.Ignoring)
	w.template(b.Items)
	b.Paging.walk(w)
}

// ObserveText is an observation on one line, as written in a file.
func ObserveText(b *Observe) string {
	l := &layout{}
	b.print(l)
	return l.b.String()
}

// Guard is `guard PATH in P by P ignoring P, … paging …`: a list
// whose members are not written to when they were there before. Of has no name;
// without `by` the list cannot be looked at, and only its path is held.
type Guard struct{ Of *Observe }

var _ = form(Form{Word: "guard", In: InHead, Usage: "guard PATH [in JSONPATH [if there], or in xml XPATH] [by JSONPATH, or by xml PATH] [ignoring JSONPATH, …] [items PATH] [paging WAY]",
	Help: "What is listed there before the first write is neither written to nor removed. `items /boat/*` says where one of them is, when that is not below the list.", Example: `guard /boats by $.id`}, func() Body { return &Guard{Of: &Observe{}} })

func (b *Guard) read(p *parser) {
	form := "guard /boats by $.id"
	b.Of.At = p.needTarget(form)
	b.Of.clauses(p, form, true)
}

func (b *Guard) print(l *layout) {
	l.template(b.Of.At)
	b.Of.printClauses(l)
}

func (b *Guard) walk(w walker) { b.Of.walk(w) }
