package roam

import (
	"fmt"
	"slices"

	"usualpath/internal/core/expect"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/scope"
)

func (w *walk) reads(it *item) *expect.Reply {
	if !w.of.r.Supports(resource.Read) {
		return nil
	}
	read := &move{op: opRead, item: it.n, class: plain, gone: it.is == gone}
	reply, _ := w.send(read, it)
	if reply != nil {
		w.apply(read, it, reply, nil)
	}
	return reply
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
