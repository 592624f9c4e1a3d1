package roam

import (
	"slices"
	"strings"

	"usualpath/internal/core/resource"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
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

// feature is something that a move may be new in: its kind, and what it is.
type feature struct {
	what       string
	op, before op
	last       op
	class      class
	n          int
}

// features are what the choice of a move is new in.
func (w *walk) features(m *move) []feature {
	out := make([]feature, 0, 8)
	out = append(out, feature{what: "op", op: m.op}, feature{what: "class", op: m.op, class: m.class}, feature{what: "size", op: m.op, n: bucket(w.m.living())})
	it := w.peek(m.item)
	if it == nil {
		return out
	}
	out = append(out, feature{what: "at " + w.m.position(it), op: m.op, n: map[bool]int{true: 1}[m.gone]})
	if n := len(it.past); n > 0 {
		last := it.past[n-1]
		out = append(out, feature{what: "pair", op: m.op, last: last}, feature{what: "pair", op: m.op, last: last, class: m.class}, feature{what: "age", op: m.op, n: min(n, 9)})
		if n > 1 {
			out = append(out, feature{what: "triple", op: m.op, last: last, before: it.past[n-2]})
		}
	}
	return out
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

// draw is a move that can be sent now, nil where what was drawn can not.
func (w *walk) draw() *move {
	r := w.of.r
	o := op(w.rand.IntN(int(ops)))
	if !w.of.supports(o) {
		return nil
	}
	switch o {
	case opCreate:
		if !w.mayCreate() || len(w.m.alive()) > w.size {
			return nil
		}
		return w.create([]class{plain, edge, borrowed, lacking, taken, freed, empty, null}[w.rand.IntN(8)])
	case opList:
		return nil
	case opFilter:
		return &move{op: o, class: plain, turn: w.someTurn()}
	case opRestart:
		if w.rand.IntN(40) > 0 {
			return nil
		}
		return &move{op: o, class: plain}
	}
	it := w.target()
	if dead := w.m.dead(); len(dead) > 0 && w.rand.IntN(8) == 0 {
		it = dead[w.rand.IntN(len(dead))]
	}
	if it == nil || it.id == nil {
		return nil
	}
	m := &move{op: o, item: it.n, class: plain, gone: it.is == gone}
	if !w.of.r.ByName() && w.rand.IntN(16) == 0 {
		m.gone, m.never = false, true
	}
	switch o {
	case opReplace:
		m.class = []class{plain, plain, edge, borrowed, empty, null, lacking, renamed, taken, freed, current, stale}[w.rand.IntN(12)]
		if !w.fill(m, it, r.Remake) {
			return nil
		}
	case opReturn:
		if it.seen == 0 || it.is != there || m.never {
			return nil
		}
		m.seen = it.seen
	case opAmend:
		m.class = []class{plain, plain, several, edge, borrowed, empty, null, renamed, renamed, taken, freed, current, stale}[w.rand.IntN(13)]
		if !w.fill(m, it, r.Amend) {
			return nil
		}
	case opDelete:
		// Not so often that nothing is left to walk on.
		if !m.gone && w.rand.IntN(2) > 0 {
			return nil
		}
	}
	return m
}

// supports tells whether the resource has an operation.
func (g *ground) supports(o op) bool {
	r := g.r
	switch o {
	case opCreate:
		return r.Creates()
	case opRead, opHead:
		return r.Supports("read")
	case opList:
		return r.Lists()
	case opFilter:
		return r.Lists() && r.FilterName != ""
	case opReplace:
		return r.Supports("replace") && (r.Remake != nil && len(r.Remake.Fields) > 0)
	case opReturn:
		return r.Supports("replace") && r.Supports("read")
	case opAmend:
		return r.Supports("amend") && r.Amend != nil && (len(r.Amend.Fields) > 0 || !r.Merges())
	case opDelete:
		return r.Supports("delete")
	case opRestart:
		return g.d.Restarts()
	}
	return false
}

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
		if it == nil {
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
	for _, f := range r.Make.Fields {
		m.fields = append(m.fields, field{f.Name, f.Text, m.turn})
	}
	if !w.vary(m, r.Make) {
		m.class = plain
	}
	return m
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
		if len(r.Unique) == 0 || other == nil || other.turn == it.turn || r.ByName() {
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
		for _, f := range e.Fields {
			m.fields = append(m.fields, field{f.Name, f.Text, turn})
		}
		return w.vary(m, e)
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
	return w.vary(m, e)
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

// sameTag tells whether a tag that should be stale is the current one.
func (w *walk) sameTag(it *item) bool {
	return it.tag == 0 || value.Equal(w.m.tags[it.older], w.m.tags[it.tag])
}

// telling is the member that is another one for each item, nil for none.
func telling(r *resource.Resource) *resource.Field {
	for i, f := range r.Make.Fields {
		if slices.Contains(r.Unique, f.Name) && strings.Contains(f.Text, "turn") {
			return &r.Make.Fields[i]
		}
	}
	return nil
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
func (w *walk) vary(m *move, e *resource.Example) bool {
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
			if m.has(n) {
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

// someTurn is the number of an item that is there, or 0.
func (w *walk) someTurn() int {
	if it := w.target(); it != nil {
		return it.turn
	}
	return 0
}
