package custody

import (
	"slices"

	"usualpath/internal/core/state"
	"usualpath/internal/core/value"
)

// withoutSlid is a difference without what has only left, or come back into, the part that a list
// shows: one that shows its newest twenty loses the oldest of them with each create, and it is
// still there. That a list is such a one is seen when what it lost at one end can be read, and it
// gained as many at the other.
func (t *turn) withoutSlid(d *state.Delta, l List, b, a *Sight) *state.Delta {
	if !l.Keyed || len(d.Lost)+len(d.Gained) < 2 {
		return d
	}
	slides := t.run.book.Slides(l.kind())
	if !slides && (len(d.Lost) == 0 || len(d.Lost) > mostSlid || len(b.S.Keys) != len(a.S.Keys) || !Slid(b.S, a.S)) {
		return d
	}
	out := &state.Delta{Single: d.Single, Changed: d.Changed, Gained: d.Gained}
	for _, m := range d.Lost {
		ids := b.identities(m)
		if len(ids) > 0 {
			if x := t.Item("GET", l, ids[0], "whether it is gone"); x != nil && x.Answer != nil && x.Answer.Status == 200 {
				continue
			}
		}
		out.Lost = append(out.Lost, m)
	}
	if len(out.Lost) < len(d.Lost) {
		t.run.book.SetSlides(l.kind())
		slides = true
	}
	if slides && len(out.Lost) > 0 {
		out.Gained = slices.DeleteFunc(slices.Clone(d.Gained), func(m *value.Value) bool { return !t.drawn.In(m.String()) })
	}
	return out
}

// Partly tells whether a list shows a changing part of what is there.
func (r *Run) Partly(l List) bool { return r.book.Slides(l.kind()) }

// mostSlid bounds how many items are asked for at one look.
const mostSlid = 20

// Slid tells whether a list may have moved on by some items: what it lost was at one end of it,
// and as many came at the other.
func Slid(before, after *state.Snapshot) bool {
	var lost, gained int
	for _, k := range before.Keys {
		if after.Members[k] == nil {
			lost++
		}
	}
	for _, k := range after.Keys {
		if before.Members[k] == nil {
			gained++
		}
	}
	if lost != gained || lost == 0 || lost > len(before.Keys) {
		return false
	}
	ends := func(s *state.Snapshot, other *state.Snapshot, n int, last bool) bool {
		keys := s.Keys[:n]
		if last {
			keys = s.Keys[len(s.Keys)-n:]
		}
		for _, k := range keys {
			if other.Members[k] != nil {
				return false
			}
		}
		return true
	}
	return ends(before, after, lost, false) && ends(after, before, lost, true) || ends(before, after, lost, true) && ends(after, before, lost, false)
}
