package roam

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/jsonpath"
	"usualpath/internal/core/resource"
)

// telling is the member that is another one for each item, nil for none.
func telling(r *resource.Resource) *resource.Field {
	for i, f := range r.Make.Fields {
		if slices.Contains(r.Unique, f.Name) && strings.Contains(f.Text, "turn") {
			return &r.Make.Fields[i]
		}
	}
	return nil
}

// fieldsOf are the members of an example, with a number.
func fieldsOf(e *resource.Example, turn int) []field {
	var out []field
	for _, f := range e.Fields {
		out = append(out, field{f.Name, f.Text, turn})
	}
	return out
}

func (m *move) set(name, text string) {
	for i := range m.fields {
		if m.fields[i].name == name {
			m.fields[i].text = text
			return
		}
	}
	m.fields = append(m.fields, field{name, text, m.turn})
}

func (m *move) has(name string) bool {
	return slices.ContainsFunc(m.fields, func(f field) bool { return f.name == name })
}

// mayCreate tells whether one more item can be made.
func (w *walk) mayCreate() bool {
	most := perBase * bases
	if w.of.r.ByName() {
		most = 13
	}
	return w.m.turns < most-1 && w.ended == ""
}

// lastOwn is the last move that was no look.
func (w *walk) lastOwn() *move {
	for _, m := range slices.Backward(w.moves) {
		if m.op.writes() && m.class != lacking && m.class != stale && m.class != current {
			return m
		}
	}
	return nil
}

// peek is an item by its number, nil for none.
func (w *walk) peek(n int) *item {
	for _, it := range w.m.items {
		if it.n == n {
			return it
		}
	}
	return nil
}

// target draws an item that is there: the first, the last, one in the middle, or
// the one that was written last.
func (w *walk) target() *item {
	list := w.m.alive()
	if len(list) == 0 {
		return nil
	}
	switch w.rand.IntN(6) {
	case 0:
		return list[0]
	case 1:
		return list[len(list)-1]
	case 2, 3:
		if m := w.lastOwn(); m != nil {
			if it := w.peek(m.item); it != nil && it.is == there {
				return it
			}
		}
	}
	return list[w.rand.IntN(len(list))]
}

// supports tells whether the resource has moves of a kind.
func (g *ground) supports(o op) bool { return kinds[o].can(g) }

// someTurn is the number of an item that is there, or 0.
func (w *walk) someTurn() int {
	if it := w.target(); it != nil {
		return it.turn
	}
	return 0
}

// pageSizes are how many members the small pages have that walks look at.
var pageSizes = []int{1, 2, 3, 5, 7}

// pathOf is a JSONPath, nil where none is given.
func pathOf(text string) *jsonpath.Query {
	q, err := jsonpath.Parse(text)
	if err != nil {
		return nil
	}
	return q
}

// lastWrite is the last write that was taken, nil for none.
func (w *walk) lastWrite() *move {
	for _, m := range slices.Backward(w.moves) {
		if m.op.writes() && m.status/100 == 2 || m.op == opRestart {
			return m
		}
	}
	return nil
}

// bases is how many numbers are drawn, each from a range of its own.
const bases = 12

// turns binds the numbers that telling values are made of.
func turns(w *resource.Scene, r *resource.Resource) {
	if r.ByName() {
		w.Let(base(0), r.SomeTurn())
		return
	}
	for i := range bases {
		w.Let(base(i), fmt.Sprintf("{random_int(%d, %d)}", 100_000+i*60_000, 155_000+i*60_000))
	}
}
