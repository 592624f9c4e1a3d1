package roam

import (
	"slices"
)

// drawn is how many moves are drawn, of which the one is sent that has been tried
// least.
const drawn = 8

// next is the move that comes next, nil when the walk is at its end.
func (w *walk) next() *move {
	n := len(w.m.alive())
	if w.m.freed = w.m.freed && w.mayCreate(); w.m.freed {
		w.m.freed = false
		if w.rand.IntN(3) == 0 {
			if m := w.create(freed); m != nil && m.class == freed {
				return m
			}
		}
	}
	if n == 0 && !w.mayCreate() {
		return nil
	}
	if n < w.size && w.mayCreate() && w.rand.Float64() < w.growing(n) {
		// One in three under a name that is free again, now and then one to be refused.
		switch k := w.rand.IntN(24); {
		case k < 8:
			if m := w.create(freed); m != nil {
				return m
			}
		case k < 10:
			if m := w.create([]class{lacking, taken}[k-8]); m != nil {
				return m
			}
		}
		return w.create(plain)
	}
	if m := w.repeated(); m != nil {
		return m
	}
	var best *move
	score := -1.0
	for range drawn {
		m := w.draw()
		if m == nil {
			continue
		}
		s := 0.0
		for _, f := range w.features(m) {
			s += 1 / float64(1+w.of.counts[f])
		}
		if s += w.rand.Float64() * 0.1; s > score {
			best, score = m, s
		}
	}
	return best
}

// longestBurst is how many times at most the same is done in a row.
const longestBurst = 8

// repeated is the last write once more, now and then several times, or the same to
// another item; nil for neither.
func (w *walk) repeated() *move {
	if m := w.bursting(); m != nil {
		return m
	}
	last := w.lastOwn()
	if last == nil || last.op == opCreate || last.tag > 0 || last.op == opReturn {
		return nil
	}
	if m := w.back(last); m != nil {
		return m
	}
	switch n := w.rand.IntN(30); {
	case n < 4:
		again := w.alike(last, last.item, last.turn)
		it := w.peek(last.item)
		again.fields = slices.Clone(last.fields)
		again.gone = it == nil || it.is != there
		return again
	case n < 7:
		it := w.target()
		if it == nil || it.n == last.item || last.class == renamed || last.class == freed || last.class == taken {
			return nil
		}
		return w.alike(last, it.n, it.turn)
	case n == 7 && (last.op == opAmend || last.op == opReplace):
		it := w.peek(last.item)
		if it == nil || it.is != there {
			return nil
		}
		for range 2 + w.rand.IntN(longestBurst-2) {
			m := &move{op: last.op, item: it.n, class: plain}
			switch last.class {
			case renamed, edge, null, empty:
				if w.rand.IntN(3) > 0 {
					m.class = last.class
				}
			}
			e := w.of.r.Remake
			if last.op == opAmend {
				e = w.of.r.Amend
			}
			if !w.fill(m, it, e) {
				break
			}
			w.burst = append(w.burst, m)
		}
		return w.bursting()
	}
	return nil
}

// back goes back to what was: a member that was taken away is given a value again, or an
// item is written as it was written before the last time; nil for neither.
func (w *walk) back(last *move) *move {
	it := w.peek(last.item)
	if it == nil || it.is != there || last.gone || last.never || last.op != opAmend && last.op != opReplace {
		return nil
	}
	switch last.class {
	case null, empty, edge:
		if last.op != opAmend || len(last.fields) != 1 || w.rand.IntN(3) == 0 {
			break
		}
		name := last.fields[0].name
		if pool := w.of.pool(name); len(pool) > 0 && slices.Contains(w.amendable(), name) {
			return &move{op: opAmend, item: it.n, class: plain, turn: it.turn, fields: []field{{name, pool[w.rand.IntN(len(pool))], it.turn}}}
		}
	}
	if w.rand.IntN(5) > 0 {
		return nil
	}
	var before []*move
	for _, m := range w.moves {
		if m.item == last.item && m.op == last.op && m.status/100 == 2 && m.turn == it.turn && m.tag == 0 {
			before = append(before, m)
		}
	}
	if len(before) < 2 {
		return nil
	}
	m := w.alike(before[len(before)-2], it.n, it.turn)
	m.fields = slices.Clone(before[len(before)-2].fields)
	return m
}

// bursting is the next of a burst, nil for none.
func (w *walk) bursting() *move {
	if len(w.burst) == 0 {
		return nil
	}
	m := w.burst[0]
	w.burst = w.burst[1:]
	it := w.peek(m.item)
	if it == nil || it.is != there {
		w.burst = nil
		return nil
	}
	if m.class != renamed {
		// It may have another name by now.
		m.turn = it.turn
		for i := range m.fields {
			if slices.Contains(w.of.r.Unique, m.fields[i].name) {
				m.fields[i].turn = it.turn
			}
		}
	}
	return m
}

// growing is how likely it is that a walk of fewer items than it grows to makes one
// more.
func (w *walk) growing(n int) float64 {
	switch {
	case n == 0:
		return 0.9
	case w.size > 8:
		return 0.8
	}
	return 0.4
}

// draw is a move that can be sent now, nil where what was drawn can not.
func (w *walk) draw() *move {
	o := op(w.rand.IntN(int(ops)))
	if !w.of.supports(o) {
		return nil
	}
	m := &move{op: o, class: plain}
	var it *item
	if o.ofItem() {
		it = w.target()
		if dead := w.m.dead(); len(dead) > 0 && w.rand.IntN(8) == 0 {
			it = dead[w.rand.IntN(len(dead))]
		}
		if it == nil || it.id == nil {
			return nil
		}
		m.item, m.gone = it.n, it.is == gone
		if !w.of.r.ByName() && w.rand.IntN(16) == 0 {
			m.gone, m.never = false, true
		}
	}
	if !kinds[o].fill(w, m, it) {
		return nil
	}
	return m
}
