package syntax

// Observe is `observe NAME at PATH in P by P ignoring P, …`.
type Observe struct {
	Name     string
	NameSpan Span
	At       *Template
	In, By   *Path
	// Without is the key of a member that is left out.
	Without  *Node
	Ignoring []*Path
	// IfThere lets the answer leave out the list.
	IfThere bool
	// Paging stands last.
	Paging Paging
}

var _ = form(Form{Word: "observe", In: InFile | InHead, Usage: "observe NAME at PATH [in JSONPATH [if there]] [by JSONPATH] [without VALUE] [ignoring JSONPATH, …] [paging WAY]",
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
			if !p.failed && p.takeWord("if") {
				b.IfThere = p.needWord("there", "observe boats at /boats in $.boats if there by $.id")
			}
		case p.takeWord("by"):
			b.By = p.path()
		case p.takeWord("without"):
			b.Without = p.value()
		case p.takeWord("ignoring"):
			b.Ignoring = p.paths()
		case p.takeWord("paging"):
			b.Paging.read(p)
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

var _ = form(Form{Word: "guard", In: InHead, Usage: "guard PATH [in JSONPATH [if there]] [by JSONPATH] [ignoring JSONPATH, …] [paging WAY]",
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
