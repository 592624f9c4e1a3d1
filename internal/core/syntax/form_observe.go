package syntax

import "strings"

// Observe is `observe NAME at PATH in P by P ignoring P, …`.
type Observe struct {
	Name     string
	NameSpan Span
	At       *Template
	In, By   *Path
	// Without is the key of a member that is left out.
	Without  *Node
	Ignoring []*Path
	// Paging names the query parameters `paging limit, offset`.
	Paging []string
}

var _ = form(Form{Word: "observe", In: InFile | InHead, Usage: "observe NAME at PATH [in JSONPATH] [by JSONPATH] [without VALUE] [ignoring JSONPATH, …] [paging LIMIT, OFFSET]",
	Help: "Makes a GET part of the visible state, which effects are about.", Example: `observe name at /path by $.id`}, func() Body { return &Observe{} })

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
	b.clauses(p, form)
}

// clauses read how the members of an observed list are found and compared.
func (b *Observe) clauses(p *parser, form string) {
	for !p.failed && !p.lineDone() {
		switch {
		case p.takeWord("in"):
			b.In = p.path()
		case p.takeWord("by"):
			b.By = p.path()
		case p.takeWord("without"):
			b.Without = p.value()
		case p.takeWord("ignoring"):
			b.Ignoring = p.paths()
		case p.takeWord("paging"):
			for _, n := range p.names("a query parameter") {
				b.Paging = append(b.Paging, n.Name)
			}
			if !p.failed && len(b.Paging) != 2 {
				p.failHere("paging names two query parameters", "write paging limit, offset")
			}
		default:
			p.failHere("expected `in`, `by`, `without`, `ignoring` or `paging`, found "+p.found(), form)
		}
	}
}

func (b *Observe) print(l *layout) {
	l.write(b.Name, "at")
	l.template(b.At)
	b.printClauses(l)
}

func (b *Observe) printClauses(l *layout) {
	for _, one := range []struct {
		word string
		path *Path
	}{{"in", b.In}, {"by", b.By}} {
		if one.path != nil {
			l.write(one.word, one.path.Raw)
		}
	}
	if b.Without != nil {
		l.write("without")
		l.node(b.Without)
	}
	if len(b.Ignoring) > 0 {
		l.write("ignoring", joinPaths(b.Ignoring))
	}
	if len(b.Paging) > 0 {
		l.write("paging", strings.Join(b.Paging, ", "))
	}
}

func (b *Observe) walk(w walker) {
	w.template(b.At)
	w.path(b.In)
	w.path(b.By)
	w.node(b.Without)
	w.paths(b.Ignoring)
}

// ObserveText is an observation on one line, as written in a file.
func ObserveText(b *Observe) string {
	l := &layout{}
	b.print(l)
	return l.b.String()
}

// Guard is `guard PATH in P by P ignoring P, … paging limit, offset`: a list
// whose members are not written to when they were there before. Of has no name;
// without `by` the list cannot be looked at, and only its path is held.
type Guard struct{ Of *Observe }

var _ = form(Form{Word: "guard", In: InHead, Usage: "guard PATH [in JSONPATH] [by JSONPATH] [ignoring JSONPATH, …] [paging LIMIT, OFFSET]",
	Help: "What is listed there before the first write is neither written to nor removed.", Example: `guard /boats by $.id`}, func() Body { return &Guard{Of: &Observe{}} })

func (b *Guard) read(p *parser) {
	form := "guard /boats by $.id"
	b.Of.At = p.needTarget(form)
	b.Of.clauses(p, form)
}

func (b *Guard) print(l *layout) {
	l.template(b.Of.At)
	b.Of.printClauses(l)
}

func (b *Guard) walk(w walker) { b.Of.walk(w) }
