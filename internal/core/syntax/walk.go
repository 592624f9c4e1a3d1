package syntax

// Walk visits the expressions in a statement's own body, in the order in which
// they are worked out; its children are not visited.
func Walk(st *Statement, visit func(*Expr)) {
	if st.Body != nil {
		st.Body.walk(walker{visit})
	}
}

// WalkExpectation visits the expressions of an expectation.
func WalkExpectation(b *Expectation, visit func(*Expr)) { b.walk(walker{visit}) }

// Bindings are the names that a statement's body binds: let, secret, keep, and
// `as NAME` in its shapes.
func Bindings(st *Statement) []NameAt {
	b, ok := st.Body.(binder)
	if !ok {
		return nil
	}
	return b.binds(nil)
}

// bound adds the names that a shape binds.
func bound(n *Node, out []NameAt) []NameAt {
	if n == nil {
		return out
	}
	if n.Kind == As {
		out = append(out, NameAt{n.Text, n.Span})
	}
	for _, it := range n.Items {
		out = bound(it.Value, out)
	}
	for _, f := range n.Fields {
		out = bound(f.Value, out)
	}
	if n.Limits != nil {
		out = bound(n.Limits.Of, out)
	}
	return out
}

type walker struct{ visit func(*Expr) }

func (w walker) expr(e *Expr) {
	if e == nil {
		return
	}
	w.visit(e)
	w.expr(e.Left)
	w.expr(e.Right)
	for _, a := range e.Args {
		w.expr(a)
	}
	w.node(e.Literal)
}

func (w walker) template(t *Template) {
	if t == nil {
		return
	}
	for _, p := range t.Parts {
		w.expr(p.Expr)
	}
}

func (w walker) path(p *Path) {
	if p != nil {
		w.template(p.Template)
	}
}

func (w walker) paths(list []*Path) {
	for _, p := range list {
		w.path(p)
	}
}

func (w walker) node(n *Node) {
	if n == nil {
		return
	}
	w.template(n.Template)
	w.expr(n.Expr)
	for _, f := range n.Fields {
		w.node(f.Key)
		w.node(f.Value)
	}
	for _, it := range n.Items {
		w.node(it.Value)
	}
	if l := n.Limits; l != nil {
		for _, r := range []*Range{l.Range, l.Length, l.Count} {
			w.rng(r)
		}
		w.node(l.Pattern)
		w.node(l.Of)
		w.within(l.Within)
	}
}

func (w walker) within(b *Within) {
	if b != nil {
		w.node(b.Number)
		w.node(b.Of)
	}
}

func (w walker) rng(r *Range) {
	if r != nil {
		w.node(r.Lo)
		w.node(r.Hi)
	}
}

func (w walker) claim(c Claim) {
	w.path(c.Subject.Path)
	w.node(c.Subject.Value)
	p := c.Predicate
	w.statuses(p.Status)
	w.node(p.Shape)
	for _, v := range p.Values {
		w.node(v)
	}
	w.rng(p.Range)
	w.within(p.Within)
	w.path(p.By)
	w.paths(p.Except)
	if p.Source != nil {
		w.path(p.Source.Path)
		w.node(p.Source.Repeat)
		if p.Source.Kind == "file" {
			// A step is named as it is written.
			w.node(p.Source.Title)
		}
	}
	for _, e := range p.Effects {
		w.node(e.Shape)
		w.rng(e.Range)
	}
}

func (w walker) statuses(list []StatusClass) {
	for _, s := range list {
		w.node(s.Ref)
	}
}
