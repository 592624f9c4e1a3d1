package roam

import "slices"

// trial is a way to a doubt, as a scenario.
type trial struct {
	g *ground
	d *doubt
	// moves lead to it; those that are only looks are among them.
	moves []*move
	// last is the move whose answer, or whose effect, is judged; nil where it is
	// judged by looking only.
	last *move
	// other is the item that the last write was about, where the doubt is about
	// another one; owner has the value that is taken.
	other, owner *item
	// kept are moves that no shorter way may leave out: those of a control.
	kept []*move
}

// effect tells whether it is the list, before and after the last write, that tells.
func (t *trial) effect() bool {
	return t.last != nil && (t.d.kind == Mispaged || (t.d.kind == Unlisted || t.d.kind == Listed) && t.g.r.Paging != nil)
}

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
