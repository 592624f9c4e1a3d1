package roam

import (
	"fmt"

	"usualpath/internal/core/expect"
	"usualpath/internal/core/state"
)

// counted holds the total that the list tells against how many items came and went
// since it was first read. Where the list itself does not agree with that, others have
// made or removed items meanwhile, and nothing is told.
func (w *walk) counted(m *move, s *state.Snapshot) *doubt {
	g := w.of
	if g.total == nil || g.r.Gone != "" || w.m.unsure() || w.rand.IntN(3) > 0 {
		return nil
	}
	reply, _ := w.send(&move{op: opList, class: plain}, nil)
	total, ok := g.totalOf(reply)
	if !ok {
		return nil
	}
	now := count{total, len(s.Keys), w.m.living()}
	was := w.count
	if w.count = &now; was == nil {
		return nil
	}
	came := now.living - was.living
	if now.total-was.total == came || now.shown-was.shown != came {
		return nil
	}
	// It stays what the next ones are held against.
	w.count = was
	d := &doubt{kind: Miscounted, move: w.lastWrite(), observed: fmt.Sprintf("%s was %d, and is %d with %d more items, as the list shows", g.r.Total, was.total, now.total, came)}
	if came < 0 {
		d.observed = fmt.Sprintf("%s was %d, and is %d with %d fewer items, as the list shows", g.r.Total, was.total, now.total, -came)
	}
	d.item = w.about(d.move)
	if d.item == nil {
		return nil
	}
	d.want, d.before = d.item.want, d.item.before
	return g.doubts(d)
}

// about is the item that a write was about, or the newest one; nil for none.
func (w *walk) about(m *move) *item {
	if m != nil && m.item > 0 {
		return w.peek(m.item)
	}
	if list := w.m.alive(); len(list) > 0 {
		return list[len(list)-1]
	}
	return nil
}

// totalOf is the total in a list's answer.
func (g *ground) totalOf(reply *expect.Reply) (int, bool) {
	if reply == nil || reply.Answer == nil || reply.Answer.Status != 200 {
		return 0, false
	}
	v, err := reply.JSON()
	if err != nil {
		return 0, false
	}
	nodes, err := g.total.Select(v)
	if err != nil || len(nodes) != 1 {
		return 0, false
	}
	return nodes[0].Value.Int()
}

// mostPages is how many small pages a list may have that is looked at by them.
const mostPages = 10

// lookAtPages walks the list by small pages: each item is on one of them, once. Only
// what the last write has changed is told of.
func (w *walk) lookAtPages() *doubt {
	g := w.of
	if w.pages == 0 {
		return nil
	}
	if len(w.listed.Keys) > w.pages*mostPages {
		w.paged = nil
		return nil
	}
	s, problem := w.s.Look(g.r.ObservedBy(w.pages))
	g.o.add(w.s.Looked())
	if problem != "" {
		return nil
	}
	last := w.lastWrite()
	right := w.paged
	for _, it := range w.m.items {
		if it.id == nil || it.is == unsure {
			continue
		}
		key := s.KeyOf(it.id)
		d := &doubt{kind: Mispaged, item: it, move: last, want: it.want, before: it.before, pages: w.pages}
		_, shows := s.Members[key]
		_, twice := s.Members[key+" (2)"]
		switch {
		case it.is == there && !shows:
			d.observed = fmt.Sprintf("no page of %d shows %s", w.pages, it.id)
		case it.is == there && twice:
			d.observed = fmt.Sprintf("the pages of %d show %s twice", w.pages, it.id)
		case it.is == gone && shows && g.r.Gone == "":
			d.observed = fmt.Sprintf("the pages of %d still show %s", w.pages, it.id)
		default:
			continue
		}
		// From now on nothing can be said of what a write has done to these pages.
		w.paged = nil
		if right == nil || last == nil || last.op == opRestart || w.before(last) != right {
			return nil
		}
		return g.doubts(d)
	}
	if w.paged = last; last == nil {
		w.paged = start
	}
	return nil
}

// start stands for the write before the first one.
var start = &move{}

// before is the write before another one.
func (w *walk) before(last *move) *move {
	out := start
	for _, m := range w.moves {
		if m == last {
			break
		}
		if m.op.writes() && m.status/100 == 2 || m.op == opRestart {
			out = m
		}
	}
	return out
}
