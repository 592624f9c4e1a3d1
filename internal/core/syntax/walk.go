package syntax

// Walk visits the expressions in a statement's own body, in the order in which
// they are worked out; its children are not visited.
func Walk(st *Statement, visit func(*Expr)) {
	w := walker{visit}
	switch b := st.Body.(type) {
	case *Use:
	case *Let:
		w.node(b.Value)
		w.node(b.Or)
	case *Base:
		w.template(b.URL)
	case *Titled:
		w.node(b.Title)
	case *Do:
		for _, x := range b.With {
			w.node(x.Value)
		}
	case *About:
		w.node(b.Text)
	case *Row:
		w.node(b.Value)
	case *Observe:
		w.observe(b)
	case *Guard:
		w.observe(b.Of)
	case *Header:
		w.template(b.Value)
	case *Pair:
		w.template(b.Name)
		w.template(b.Value)
	case *Content:
		w.node(b.Value)
		w.template(b.Media)
	case *PartOf:
		w.template(b.Value)
		w.node(b.File)
		w.template(b.Media)
	case *Auth:
		for _, v := range b.Values {
			w.node(v)
		}
	case *Count:
		w.node(b.N)
	case *Send:
		w.template(b.Target)
	case *Again:
		w.node(b.Times)
	case *When:
		w.claim(b.Claim)
	case *Expect:
		w.node(b.N)
		w.claim(b.Claim)
		if b.When != nil {
			w.claim(b.When.Claim)
		}
		w.node(b.Because)
	case *Target:
		w.template(b.Path)
	case *Where:
		w.path(b.Path)
	case *Identity:
		w.path(b.Path)
		w.path(b.By)
		w.node(b.Chosen)
	case *Paths:
		w.paths(b.List)
	case *Reads:
		w.node(b.Shape)
	case *Answers:
		for _, a := range b.List {
			w.statuses(a.Status)
		}
	case *Keep:
		w.path(b.Path)
	case *Setting:
		w.template(b.Text)
	case *Start:
		w.node(b.Command)
	case *Ready:
		w.template(b.Target)
		w.statuses(b.Status)
	}
}

// Bindings are the names that a statement's body binds: let, secret, keep, and
// `as NAME` in its shapes.
func Bindings(st *Statement) []NameAt {
	var out []NameAt
	shape := func(n *Node) { bound(n, &out) }
	switch b := st.Body.(type) {
	case *Let:
		out = append(out, NameAt{b.Name, b.NameSpan})
	case *Secret:
		out = append(out, NameAt{b.Name, b.NameSpan})
	case *Keep:
		out = append(out, NameAt{b.Name, b.NameSpan})
	case *Expect:
		shape(b.Predicate.Shape)
		for _, e := range b.Predicate.Effects {
			shape(e.Shape)
		}
	}
	return out
}

func bound(n *Node, out *[]NameAt) {
	if n == nil {
		return
	}
	if n.Kind == As {
		*out = append(*out, NameAt{n.Text, n.Span})
	}
	for _, it := range n.Items {
		bound(it.Value, out)
	}
	for _, f := range n.Fields {
		bound(f.Value, out)
	}
	if n.Limits != nil {
		bound(n.Limits.Of, out)
	}
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

func (w walker) observe(o *Observe) {
	w.template(o.At)
	w.path(o.In)
	w.path(o.By)
	w.node(o.Without)
	w.paths(o.Ignoring)
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
	p := c.Predicate
	w.statuses(p.Status)
	w.node(p.Shape)
	for _, v := range p.Values {
		w.node(v)
	}
	w.rng(p.Range)
	w.path(p.By)
	w.paths(p.Except)
	if p.Source != nil {
		w.path(p.Source.Path)
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
