package roam

import (
	"slices"
	"strings"

	"usualpath/internal/core/resource"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// create is the making of one more item.
func (w *walk) create(c class) *move {
	r := w.of.r
	m := &move{op: opCreate, item: len(w.m.items) + 1, class: c, turn: w.m.turns}
	switch {
	case c == freed && len(r.Unique) > 0 && !r.ByName():
		if m.turn = w.free(); m.turn < 0 {
			return nil
		}
	case c == taken && len(r.Unique) > 0 && !r.ByName():
		it := w.target()
		if it == nil || !w.named(it, r.Make) {
			return nil
		}
		m.turn = it.turn
	case c == freed, c == taken:
		return nil
	}
	if m.turn == w.m.turns {
		w.m.turns++
	}
	if len(r.Make.Fields) == 0 {
		m.whole, m.class = r.Make.Text, plain
		return m
	}
	m.fields = fieldsOf(r.Make, m.turn)
	if !w.vary(m) || !w.tells(m) {
		m.fields, m.class = fieldsOf(r.Make, m.turn), plain
	}
	return m
}

// tells tells whether an item can be told by what a body gives it, where its list leaves things out.
func (w *walk) tells(m *move) bool {
	drawn := func(text string) bool { return strings.Contains(text, "{") }
	return !w.of.slides && w.of.r.Lists() || w.of.r.Disposable || !slices.ContainsFunc(w.of.r.Make.Fields, func(f resource.Field) bool { return drawn(f.Text) }) ||
		slices.ContainsFunc(m.fields, func(f field) bool { return drawn(f.text) })
}

// fill gives a replace or an amend its body.
func (w *walk) fill(m *move, it *item, e *resource.Example) bool {
	r := w.of.r
	turn := it.turn
	switch m.class {
	case renamed:
		if len(r.Unique) == 0 || !w.mayCreate() || r.ByName() {
			return false
		}
		turn = w.m.turns
		w.m.turns++
	case freed:
		if len(r.Unique) == 0 || r.ByName() {
			return false
		}
		if turn = w.free(); turn < 0 {
			return false
		}
	case taken:
		other := w.target()
		if len(r.Unique) == 0 || other == nil || other.turn == it.turn || r.ByName() || !w.named(other, map[op]*resource.Example{opReplace: e, opAmend: r.Make}[m.op]) {
			return false
		}
		turn = other.turn
	case current, stale:
		if m.tag = it.tag; m.class == stale {
			m.tag = it.older
		}
		if m.tag == 0 || m.gone || m.never || m.class == stale && w.sameTag(it) {
			return false
		}
	}
	m.turn = turn
	if m.op == opReplace {
		m.fields = fieldsOf(e, turn)
		return w.vary(m) && w.tells(m)
	}
	if !r.Merges() {
		m.whole, m.class = e.Text, plain
		return m.tag == 0
	}
	// An amend names one member, or a few: of those that the examples have.
	names := w.amendable()
	if len(names) == 0 {
		return false
	}
	count := 1
	if m.class == several {
		count = 2 + w.rand.IntN(2)
	}
	if m.class == renamed || m.class == freed || m.class == taken {
		f := telling(r)
		if f == nil {
			return false
		}
		m.fields = []field{{f.Name, f.Text, turn}}
		return true
	}
	w.rand.Shuffle(len(names), func(i, j int) { names[i], names[j] = names[j], names[i] })
	for _, n := range names[:min(count, len(names))] {
		pool := w.of.pool(n)
		m.fields = append(m.fields, field{n, pool[w.rand.IntN(len(pool))], turn})
	}
	return w.vary(m)
}

// free is a number that no item has any more: often the one that came free last;
// -1 for none.
func (w *walk) free() int {
	held := map[int]bool{}
	for _, it := range w.m.items {
		if it.is != gone {
			held[it.turn] = true
		}
	}
	var list []int
	for _, n := range w.m.free {
		if !held[n] {
			list = append(list, n)
		}
	}
	switch {
	case len(list) == 0:
		return -1
	case w.rand.IntN(2) == 0:
		return list[len(list)-1]
	}
	return list[w.rand.IntN(len(list))]
}

// named tells whether an item was read as having the unique values that an example gives to one
// of its number.
func (w *walk) named(it *item, e *resource.Example) bool {
	return it.was < 0 && !slices.ContainsFunc(w.of.r.Unique, func(n string) bool {
		has := it.want[n]
		return has.pending || !slices.ContainsFunc(e.Fields, func(f resource.Field) bool { return f.Name == n && f.Text == has.text })
	})
}

// sameTag tells whether a tag that should be stale is the current one.
func (w *walk) sameTag(it *item) bool {
	return it.tag == 0 || value.Equal(w.m.tags[it.older], w.m.tags[it.tag])
}

// amendable are the members that an amend may name: those of its example, and of
// that of a replace.
func (w *walk) amendable() []string {
	var out []string
	for _, n := range w.of.members {
		if slices.Contains(w.of.r.Unique, n) || len(w.of.pool(n)) == 0 {
			continue
		}
		out = append(out, n)
	}
	return out
}

// pool are the values that the examples give a member, as text.
func (g *ground) pool(name string) []string {
	var out []string
	for _, e := range []*resource.Example{g.r.Make, g.r.Remake, g.r.Amend} {
		if e == nil {
			continue
		}
		for _, f := range e.Fields {
			if f.Name == name && !slices.Contains(out, f.Text) {
				out = append(out, f.Text)
			}
		}
	}
	return out
}

// vary changes the values of a body as the move's class says; false where it has
// nothing to say here.
func (w *walk) vary(m *move) bool {
	r := w.of.r
	free := func(n string) bool { return !slices.Contains(r.Unique, n) && slices.Contains(w.of.members, n) }
	var at []int
	for i, f := range m.fields {
		if free(f.name) {
			at = append(at, i)
		}
	}
	switch m.class {
	case edge:
		var list []resource.Edge
		for _, one := range w.of.edges {
			if free(one.Member) && (m.op != opAmend || slices.Contains(w.amendable(), one.Member)) {
				list = append(list, one)
			}
		}
		if len(list) == 0 {
			return false
		}
		one := list[w.rand.IntN(len(list))]
		m.set(one.Member, one.Text)
	case empty, null:
		if len(at) == 0 {
			return false
		}
		f := &m.fields[at[w.rand.IntN(len(at))]]
		if m.class == null {
			if slices.Contains(r.Required, f.name) {
				return false
			}
			f.text = "null"
			return true
		}
		kind := syntax.Null
		for _, one := range r.Make.Fields {
			if one.Name == f.name {
				kind = one.Kind
			}
		}
		text, known := map[syntax.NodeKind]string{syntax.String: `""`, syntax.Number: "0", syntax.True: "false", syntax.False: "false", syntax.Array: "[]"}[kind]
		if !known {
			return false
		}
		f.text = text
	case borrowed:
		other := w.target()
		if len(at) == 0 || other == nil || other.n == m.item {
			return false
		}
		f := &m.fields[at[w.rand.IntN(len(at))]]
		c, known := other.want[f.name]
		if !known || absent(c.v) {
			return false
		}
		f.text, f.turn = c.text, c.turn
	case lacking:
		var list []string
		for _, n := range r.Required {
			if m.has(n) && n != r.NameInBody() {
				list = append(list, n)
			}
		}
		if len(list) == 0 || m.op == opAmend {
			return false
		}
		n := list[w.rand.IntN(len(list))]
		m.fields = slices.DeleteFunc(m.fields, func(f field) bool { return f.name == n })
	}
	return true
}
