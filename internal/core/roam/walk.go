package roam

import (
	"fmt"
	"slices"
	"sync"

	"usualpath/internal/core/engine"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/project"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

func newGround(d *engine.Drive, r *resource.Resource, o *Options, t *teller) *ground {
	r = r.WithoutOwnName()
	g := &ground{r: r, d: d, o: o, steps: map[string][]*syntax.Statement{}, nodes: map[string]*syntax.Node{}, texts: map[string]string{}, counts: map[feature]int{},
		word: map[string]*heard{}, bends: map[string]bool{}, vague: map[string]int{}, found: map[string]*Finding{}, grid: newGrid(), tell: t}
	g.edges = r.Edges()
	for _, e := range []*resource.Example{r.Make, r.Remake, r.Amend} {
		if e == nil {
			continue
		}
		for _, f := range e.Fields {
			// A name in the body follows the path: another would write to another item.
			if r.ReadsAsSent(f.Name) && f.Name != r.NameInBody() && !r.Identifies(f.Name) && !slices.Contains(g.members, f.Name) {
				g.members = append(g.members, f.Name)
			}
		}
	}
	g.content = pathOf(r.Content)
	if r.Total != "" {
		g.total = pathOf(r.Total)
	}
	w := r.Scene()
	w.All = true
	w.Parents()
	if r.Lists() {
		w.Observe(true)
		for _, n := range pageSizes {
			w.ObserveBy(n)
		}
	}
	turns(w, r)
	read := func(text string) func() (*project.Scenario, error) {
		return sync.OnceValues(func() (*project.Scenario, error) { return d.Scenario(r.File, "roam", text) })
	}
	g.opening = read(w.Text(r.Name+" roam", "walks by itself"))
	g.client, g.met = read(r.Scene().Text(r.Name+" roam", "one of several clients")), map[string]*met{}
	return g
}

// parse gives the steps of a text, which are read once.
func (g *ground) parse(text string) []*syntax.Statement {
	if known, ok := g.steps[text]; ok {
		return known
	}
	f, diags := syntax.Parse(source.NewFile(g.r.File.Source.Name, "scenario \"roam\"\n"+text))
	if diags.Errors() > 0 {
		panic("roam cannot read its own step: " + diags[0].Message + "\n" + text)
	}
	var out []*syntax.Statement
	for _, st := range f.Statements[0].Children {
		if syntax.Is[*syntax.Step](st) {
			out = append(out, st)
		}
	}
	g.steps[text] = out
	return out
}

// node is a value as text of the language, parsed; nil where it cannot be.
func (g *ground) node(text string) *syntax.Node {
	if n, ok := g.nodes[text]; ok {
		return n
	}
	var out *syntax.Node
	f, diags := syntax.Parse(source.NewFile("value", "let x = "+text+"\n"))
	if diags.Errors() == 0 && len(f.Statements) == 1 {
		if let, ok := f.Statements[0].Body.(*syntax.Let); ok {
			out = let.Value
		}
	}
	if len(g.nodes) > 10_000 {
		clear(g.nodes)
	}
	g.nodes[text] = out
	return out
}

func (g *ground) stepOf(write func(sc *resource.Scene)) string {
	sc := g.r.Scene()
	write(sc)
	return sc.Steps()
}

// worth is what a field's text is worth; nil where it has no value.
func (w *walk) worth(f field) *value.Value {
	n := w.of.node(w.of.r.Turned(f.text, number(f.turn)))
	if n == nil {
		return nil
	}
	v, err := w.s.Value(n)
	if err != nil {
		return nil
	}
	return v
}

// bodyOf is the body of a move as it is sent, and what its members are worth.
func (w *walk) bodyOf(m *move) (*value.Value, map[string]*value.Value) {
	if m.op == opReturn {
		return w.m.bodies[m.seen], nil
	}
	if m.whole != "" {
		return w.worth(field{text: m.whole, turn: m.turn}), nil
	}
	out, sent := value.NewObject(), map[string]*value.Value{}
	for _, f := range m.fields {
		v := w.worth(f)
		if v == nil {
			return nil, nil
		}
		out.Add(f.name, v)
		sent[f.name] = v
	}
	return out, sent
}

// send sends a move and notes what was answered. It gives nil where it could not
// be sent.
func (w *walk) send(m *move, it *item) (*expect.Reply, map[string]*value.Value) {
	g := w.of
	x := resource.Request{Title: m.op.String()}
	if m.op == opRestart {
		x.Title = m.words()
	}
	w.s.Forget("id")
	if it != nil && it.id != nil {
		w.s.Bind("id", it.id)
	}
	var sent map[string]*value.Value
	switch {
	case m.op.sends():
		var body *value.Value
		if body, sent = w.bodyOf(m); body == nil {
			return nil, nil
		}
		w.s.Bind("body", body)
		x.Body = "{body}"
	case m.op == opFilter:
		v := w.worth(field{text: quotedRaw(g.r.FilterFor), turn: m.turn})
		if v == nil {
			return nil, nil
		}
		w.s.Bind("wanted", v)
		x.Query = []string{resource.Queried(g.r.FilterName) + ` = "{wanted}"`}
	}
	if m.tag > 0 {
		w.s.Bind("tag", w.m.tags[m.tag])
		x.Header = []string{"If-Match: {tag}"}
	}
	if m.op == opCreate && g.r.ByName() {
		id := w.worth(field{text: quotedRaw(g.r.Chosen), turn: m.turn})
		if id == nil {
			return nil, nil
		}
		w.s.Bind("id", id)
	}
	key := fmt.Sprintf("%s %v", m.op, m.tag > 0)
	text, known := g.texts[key]
	if !known {
		text = g.stepOf(func(sc *resource.Scene) { m.op.put(sc, "id", "0", x) })
		g.texts[key] = text
	}
	a := w.s.Run(g.parse(text), false)
	g.o.add(a.Requests)
	m.seq = len(w.moves) + 1
	if m.op == opRestart {
		w.moves = append(w.moves, m)
		m.status = 200
		if a.Why != "" && a.Reply == nil {
			w.ended = a.Why
		}
		return nil, nil
	}
	if a.Reply == nil {
		w.refusal(m, a.Why)
		return nil, nil
	}
	w.moves = append(w.moves, m)
	if a.Reply.Answer != nil {
		m.answered(w.of.r, a.Reply.Answer.Status)
	}
	g.tell.step = a.Step
	return a.Reply, sent
}

// refusal notes why a move was not sent.
func (w *walk) refusal(m *move, why string) {
	if m.op == opCreate && why != "" && len(w.m.items) == 0 {
		w.of.refused = why
	}
	if m.op == opCreate {
		w.ended = why
	}
}

// contentOf is the item in an answer, nil for none.
func (g *ground) contentOf(reply *expect.Reply) *value.Value {
	if reply == nil || reply.Answer == nil || len(reply.Answer.Body) == 0 {
		return nil
	}
	v, err := reply.JSON()
	if err != nil {
		return nil
	}
	if g.r.Content == "$" || g.content == nil {
		return v
	}
	nodes, err := g.content.Select(v)
	if err != nil || len(nodes) != 1 {
		return nil
	}
	return nodes[0].Value
}

// item is what a move is about; a create makes it known.
func (w *walk) item(m *move) *item {
	if m.never {
		return &item{n: m.item, id: w.nobody(), is: gone, was: -1}
	}
	for _, it := range w.m.items {
		if it.n == m.item {
			return it
		}
	}
	if m.op == opCreate {
		it := &item{n: m.item, is: unsure, want: map[string]cell{}, turn: m.turn, was: -1}
		w.m.items = append(w.m.items, it)
		return it
	}
	return nil
}

// nobody is an identity that no item has.
func (w *walk) nobody() *value.Value {
	for _, it := range w.m.items {
		if it.id == nil {
			continue
		}
		w.s.Bind("somebody", it.id)
		if v, err := w.s.Value(w.of.node("{another(somebody)}")); err == nil {
			return v
		}
	}
	return value.NewInt(987654321)
}
