package roam

import (
	"slices"
	"strings"

	"usualpath/internal/core/resource"
)

// turnsOfControl is how often a refused request and one to a fresh item that reads
// the same are sent in turn.
const turnsOfControl = 3

// controlled sends what was refused again, in turn with the same request about a
// fresh item of the same content, or with a value that was never used. It gives the
// moves of the last turn that were served, nil unless each time the fresh one was
// served and the other was refused.
func (w *walk) controlled(d *doubt) []*move {
	m := d.move
	if w.of.late {
		// When a fresh one is there is not known.
		return nil
	}
	if m.class == current && d.item != nil && d.item.is == there {
		// A tag may be of what moves with every read.
		if reply := w.reads(d.item); reply == nil || reply.Answer == nil || w.m.tags[m.tag] == nil || reply.Answer.Header.Get("ETag") != w.m.tags[m.tag].Text {
			w.of.tagsMove = true
			return nil
		}
	}
	var out []*move
	for range turnsOfControl {
		if !w.mayCreate() || w.ended != "" {
			return nil
		}
		turn := w.m.turns
		w.m.turns++
		var fresh []*move
		if m.op == opCreate {
			if m.class != freed || !w.of.tellsByUnique() {
				return nil
			}
			fresh = []*move{w.alike(m, len(w.m.items)+1, turn)}
		} else {
			if d.item == nil || d.item.is != there || m.class == current && d.item.tag != m.tag {
				return nil
			}
			made := w.of.like(d.item.want, len(w.m.items)+1, turn, false)
			same := w.alike(m, made.item, turn)
			if m.class == renamed || m.class == freed {
				same = w.alike(m, made.item, w.m.turns)
				w.m.turns++
			}
			fresh = []*move{made, {op: opRead, item: made.item, class: plain}, same}
		}
		if m.op != opDelete {
			// Gone before the other is tried again: it is not to stand in its way.
			fresh = append(fresh, &move{op: opDelete, item: fresh[0].item, class: plain})
		}
		if !w.serves(fresh, d.item) {
			return nil
		}
		again := *m
		it := w.item(m)
		if m.op == opCreate {
			again.item = len(w.m.items) + 1
			it = w.item(&again)
		}
		if reply, _ := w.send(&again, it); reply == nil || again.status/100 != 4 || again.status == 429 {
			return nil
		}
		if m.op == opCreate {
			it.is = gone
			one := *d
			one.item, one.move = it, &again
			*d = one
		}
		out = fresh
	}
	return out
}

// serves sends moves about a fresh item, and tells whether all were served and it
// reads as another does.
func (w *walk) serves(moves []*move, as *item) bool {
	for _, one := range moves {
		if one.tag > 0 {
			one.tag = len(w.moves)
		}
		if one.op == opReturn {
			one.seen = len(w.moves)
		}
		it := w.item(one)
		reply, sent := w.send(one, it)
		if reply == nil || one.status/100 != 2 {
			return false
		}
		w.apply(one, it, reply, sent)
		if one.status == 202 {
			return false
		}
		if one.op != opRead || as == nil {
			continue
		}
		for _, n := range w.of.members {
			if c, known := as.want[n]; known && !slices.Contains(w.of.r.Unique, n) && !same(c.v, it.want[n].v) {
				return false
			}
		}
	}
	return true
}

// tellsByUnique tells whether items differ in unique members only.
func (g *ground) tellsByUnique() bool {
	return !slices.ContainsFunc(g.r.Make.Fields, func(f resource.Field) bool {
		return strings.Contains(f.Text, "turn") && !slices.Contains(g.r.Unique, f.Name)
	})
}

// alike is a move about another item, with another number in its unique members.
func (w *walk) alike(m *move, item, turn int) *move {
	one := *m
	one.item, one.status, one.gone = item, 0, false
	if m.op == opCreate {
		one.turn = turn
	}
	one.fields = nil
	for _, f := range m.fields {
		if w.of.own(f.name) {
			f.turn = turn
		}
		one.fields = append(one.fields, f)
	}
	return &one
}

// own tells of a member whose value no other item has: a unique one, or the item's name.
func (g *ground) own(name string) bool {
	return slices.Contains(g.r.Unique, name) || name == g.r.NameInBody()
}

// mostControls bounds the writes that may have to do with a doubt: where there were
// more, it cannot be told which it was.
const mostControls = 6

// controls are the requests that may have led to a doubt, each by itself, to fresh
// items that read the same: all must go well. Possible is false where there can be none.
func (t *trial) controls(w *walk) (out []*trial, possible bool) {
	d := t.d
	switch d.kind {
	case Broken, Silent, CameBack, Refused:
		return nil, true
	case Unwritten, Unasked, Vanished:
	default:
		short := t.short()
		return []*trial{short}, short != nil
	}
	for _, m := range w.moves {
		if !m.op.writes() && m.op != opRestart || m.never || m.status/100 != 2 || m.seq <= d.since {
			continue
		}
		var members []string
		for _, n := range d.members {
			if c := d.want[n]; c.seq < m.seq || c.seq == m.seq && !c.read {
				members = append(members, n)
			}
		}
		if d.kind != Vanished && len(members) == 0 {
			continue
		}
		one, way := *d, *t
		one.members, one.move, one.before = members, m, m.before
		if m.item == d.item.n && m.op != opCreate {
			for _, n := range members {
				if c, known := m.before[n]; !known && t.g.r.Make.Has(n) || c.pending {
					// How it read before is not known: a fresh item cannot be made to read so.
					return nil, false
				}
			}
		}
		way.d, way.other, way.owner = &one, nil, w.owner(m, d.item)
		if m.item != d.item.n {
			way.other = w.peek(m.item)
		}
		short := way.short()
		if short == nil || len(out) == mostControls {
			return nil, false
		}
		out = append(out, short)
	}
	return out, len(out) > 0
}

// owner is the item that has the value which a move takes, nil for none.
func (w *walk) owner(m *move, but *item) *item {
	if m.class != taken {
		return nil
	}
	for _, it := range w.m.items {
		if it.turn == m.turn && it.is == there && it != but {
			return it
		}
	}
	return nil
}
