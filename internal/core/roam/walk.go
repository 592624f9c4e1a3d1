package roam

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"sync"

	"usualpath/internal/core/engine"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/jsonpath"
	"usualpath/internal/core/project"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/source"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// walk is one way through fresh items.
type walk struct {
	of   *ground
	s    *engine.Session
	rand *rand.Rand
	m    *model
	// moves are all that was sent, looks too.
	moves []*move
	// size is the number of items that the walk grows to, lazy one that looks late.
	size int
	lazy bool
	// listed is what the list showed last.
	listed *state.Snapshot
	// count is what the total was held against, pages the size of the small pages that
	// are looked at, 0 for none; paged is the last write after which they were right.
	count *count
	pages int
	paged *move
	// after are the steps that remove the parents, own counts the moves that were
	// chosen.
	after []*syntax.Statement
	own   int
	// closed is set once all was removed, burst are moves still to come.
	closed bool
	burst  []*move
	// ended says why nothing more can be walked, "" for not yet.
	ended string
}

// ground is a resource that is walked, and what was learnt of it.
type ground struct {
	r *resource.Resource
	d *engine.Drive
	o *Options
	// steps are parsed steps by text, nodes parsed values.
	steps map[string][]*syntax.Statement
	nodes map[string]*syntax.Node
	// texts are the steps that moves are sent as.
	texts map[string]string
	edges []resource.Edge
	// members are those that a client sends and that read as they were sent.
	members []string
	// counts say how often something was tried, for the choice of what comes next.
	counts map[feature]int
	grid   *grid
	// word is how requests that may be refused were answered at first.
	word map[string]*heard
	// bends are mismatches that a fresh item shows as well.
	bends map[string]bool
	// vague counts doubts that could not be held against anything.
	vague map[string]int
	found map[string]*Finding
	// content is where an item is in its own answer.
	content *jsonpath.Query
	// total is where a list tells how many items there are, nil for nowhere.
	total *jsonpath.Query
	walks int
	// largest is the most members that a filtered list has shown: of fewer, none was
	// put on another page.
	largest int
	// kept are values that a write keeps as they are sent, by operation and member;
	// asSent members read as they were made. Both are found out before clients meet.
	kept   map[op]map[string][]string
	asSent map[string]bool
	// meets counts rounds, met is what they have shown.
	meets int
	met   map[string]*met
	// late is set once a write was answered 202, slides once the list has shown another part of
	// what is there.
	late, slides bool
	// refrees counts the names of deleted items that were taken again.
	refrees int
	// tagsMove is set once an item's tag moved between two reads, with no write between.
	tagsMove bool
	// left counts the items that could not be removed.
	left int
	// refused tells why nothing can be made.
	refused string
	// opening is the scenario that a walk begins as, client that of one of several
	// clients. They are read once.
	opening, client func() (*project.Scenario, error)
	tell            *teller
}

// heard counts the answers to requests of one kind.
type heard struct{ taken, refused int }

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

// begin opens a walk; an error says why there can be none.
func (g *ground) begin(seed uint64, size int, lazy bool) (*walk, error) {
	s, err := g.opening()
	if err != nil {
		return nil, err
	}
	g.walks++
	key := fmt.Sprintf("roam %s %d", g.r.Name, seed)
	session, err := g.d.Session(s, key)
	if err != nil {
		return nil, err
	}
	w := &walk{of: g, s: session, rand: scope.Seeded(g.d.Seed(), key+" choice").Rand, m: newModel(), size: size, lazy: lazy, after: s.Afterwards}
	if g.r.Pages() && !lazy && w.rand.IntN(3) == 0 {
		w.pages = pageSizes[w.rand.IntN(len(pageSizes))]
	}
	if why := session.Around(false); why != "" {
		return nil, fmt.Errorf("%s", why)
	}
	a := session.Run(s.Steps, false)
	g.o.add(a.Requests)
	if len(s.Steps) > 0 && a.Why != "" {
		w.end()
		return nil, fmt.Errorf("%s", a.Why)
	}
	return w, nil
}

// end removes all that the walk has made.
func (w *walk) end() {
	g := w.of
	if w.closed {
		return
	}
	w.closed = true
	for _, it := range slices.Backward(w.m.items) {
		if it.id == nil || it.is == gone || !g.r.Supports(resource.Delete) {
			continue
		}
		w.s.Bind("id", it.id)
		remove := g.parse(g.stepOf(func(sc *resource.Scene) {
			sc.Do(resource.Delete, "id", resource.Request{Title: "leave nothing behind"})
		}))
		a := w.s.Run(remove, true)
		g.o.add(a.Requests)
		if a.Reply != nil && a.Reply.Answer == nil {
			// Once more, by a connection of its own, where it is seen to be there still.
			if reply := w.reads(it); reply != nil && reply.Answer != nil && reply.Answer.Status == 200 {
				a = w.s.Run(remove, true)
				g.o.add(a.Requests)
			}
		}
	}
	a := w.s.Run(w.after, true)
	g.o.add(a.Requests)
	w.s.Around(true)
	if w.ended == "" {
		g.d.Forget(w.s)
	}
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
