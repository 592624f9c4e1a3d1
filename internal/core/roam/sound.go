package roam

import "slices"

// sound tells whether what is claimed at the end of a way may be claimed of these
// moves: a shorter way may lack what the claim rests on.
func (t *trial) sound() bool {
	if !t.follows() {
		return false
	}
	moves := t.moves
	if t.last != nil {
		moves = moves[:len(moves)-1]
	}
	g, d := t.g, t.d
	before, whole := g.after(moves), g.after(t.moves)
	item := d.item.number()
	switch d.kind {
	case CameBack, Listed:
		return whole.deleted[item]
	case Vanished, Unlisted, ListSays, Unfound, Misfound, Unwritten, Unasked:
		return whole.there[item]
	case Mispaged:
		return whole.there[item] || whole.deleted[item]
	case Miscounted:
		return !slices.ContainsFunc(t.moves, func(m *move) bool { return (m.gone || m.never) && m.op.writes() && m.status/100 == 2 })
	case HeadSays:
		return whole.there[item] == (d.item.is == there)
	case Refused:
		if t.last.op != opCreate && !before.there[item] {
			return false
		}
		for _, f := range t.last.fields {
			if slices.Contains(g.r.Unique, f.name) && before.holder(f.turn, t.last.item) > 0 {
				return false
			}
		}
	case Accepted:
		switch {
		case t.last.gone:
			return before.deleted[t.last.item]
		case t.last.class == taken:
			return slices.ContainsFunc(t.last.fields, func(f field) bool {
				return slices.Contains(g.r.Unique, f.name) && before.holder(f.turn, t.last.item) > 0
			})
		case t.last.class == stale:
			for i, m := range moves {
				if m.seq == t.last.tag {
					return before.wrote[t.last.item] > i+1
				}
			}
			return false
		}
	}
	return true
}
