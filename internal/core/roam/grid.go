package roam

import (
	"slices"
	"strconv"

	"usualpath/internal/core/event"
)

func newGrid() *grid {
	return &grid{cells: map[string]map[string]int{}, pairs: map[string]bool{}}
}

// columns are how many items there were, and what the item was.
func columns(items int) []string {
	var out []string
	for _, s := range sizes {
		if s <= items {
			out = append(out, strconv.Itoa(s))
		}
	}
	return append(out, "first", "middle", "last", "deleted", "limits", "again")
}

// walked counts a move.
func (g *ground) walked(w *walk, m *move, it *item) {
	for _, f := range w.features(m) {
		g.counts[f]++
	}
	in := func(column string) {
		row := g.grid.cells[m.op.String()]
		if row == nil {
			row = map[string]int{}
			g.grid.cells[m.op.String()] = row
		}
		row[column]++
	}
	in(strconv.Itoa(bucket(w.m.living())))
	switch m.class {
	case edge, empty, null:
		in("limits")
	}
	if it == nil {
		return
	}
	switch p := w.m.position(it); p {
	case "first", "middle", "last":
		in(p)
	}
	if m.gone || m.never {
		in("deleted")
	}
	if n := len(it.past); n > 0 && m.op.writes() {
		if it.past[n-1] == m.op {
			in("again")
		}
		g.grid.pairs[it.past[n-1].String()+" "+m.op.String()] = true
	}
}

// drawn is the grid as it is told.
func (gr *grid) drawn(g *ground) event.Walked {
	out := event.Walked{Resource: g.r.Name, Columns: columns(g.o.Items), Pairs: len(gr.pairs), Rounds: g.meets}
	var writing []op
	for o := opCreate; o < ops; o++ {
		if !g.supports(o) || o == opList {
			continue
		}
		row := event.WalkedRow{Operation: o.String()}
		for _, c := range out.Columns {
			row.Cells = append(row.Cells, gr.cells[o.String()][c])
		}
		out.Rows = append(out.Rows, row)
		if o.writes() {
			writing = append(writing, o)
		}
	}
	// Nothing is made where something is, so nothing comes before a create but a delete.
	after := slices.DeleteFunc(slices.Clone(writing), func(o op) bool { return o == opCreate })
	out.Of = len(writing) * len(after)
	return out
}

// features are what the choice of a move is new in.
func (w *walk) features(m *move) []feature {
	out := make([]feature, 0, 8)
	out = append(out, feature{what: "op", op: m.op}, feature{what: "class", op: m.op, class: m.class}, feature{what: "size", op: m.op, n: bucket(w.m.living())})
	it := w.peek(m.item)
	if it == nil {
		return out
	}
	at := w.m.position(it)
	out = append(out, feature{what: "at", at: at, op: m.op, n: map[bool]int{true: 1}[m.gone]}, feature{what: "at among", at: at, op: m.op, n: bucket(w.m.living())})
	if n := len(it.past); n > 0 {
		last := it.past[n-1]
		out = append(out, feature{what: "pair", op: m.op, last: last}, feature{what: "pair", op: m.op, last: last, class: m.class}, feature{what: "age", op: m.op, n: min(n, 9)})
		if n > 1 {
			out = append(out, feature{what: "triple", op: m.op, last: last, before: it.past[n-2]})
		}
	}
	return out
}
