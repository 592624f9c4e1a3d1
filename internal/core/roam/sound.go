package roam

import "slices"

// after is what is known of items when moves have been acknowledged as they were.
type after struct {
	there map[int]bool
	// turns are the numbers of unique values that items have.
	turns map[int]int
	// wrote is the last write of each item, deleted those that are gone.
	wrote   map[int]int
	deleted map[int]bool
}

func (g *ground) after(moves []*move) after {
	a := after{map[int]bool{}, map[int]int{}, map[int]int{}, map[int]bool{}}
	for i, m := range moves {
		if m.never || m.status/100 != 2 || !m.op.writes() {
			continue
		}
		a.wrote[m.item] = i + 1
		switch m.op {
		case opCreate:
			a.there[m.item], a.turns[m.item] = true, m.turn
			delete(a.deleted, m.item)
		case opReplace:
			// It may be there again.
			a.turns[m.item] = -1
			delete(a.deleted, m.item)
		case opDelete:
			delete(a.there, m.item)
			a.deleted[m.item] = true
		}
		for _, f := range m.fields {
			if slices.Contains(g.r.Unique, f.name) && m.op != opDelete {
				a.turns[m.item] = f.turn
			}
		}
	}
	return a
}

// holder is an item that is there and has a unique value, other than one; 0 for none.
func (a after) holder(turn, other int) int {
	for item := range a.there {
		if item != other && a.turns[item] == turn {
			return item
		}
	}
	return 0
}

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
