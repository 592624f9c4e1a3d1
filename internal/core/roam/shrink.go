package roam

import (
	"maps"
	"slices"
	"time"
)

// mostTrials bounds how many shorter ways are tried.
const mostTrials = 400

// shrinking makes a way shorter, each time by trying it.
type shrinking struct {
	t     *trial
	until time.Time
	tries int
	// chancy is a doubt that does not show each time.
	chancy bool
}

// shrunk is the shortest way to the doubt that is found in time: no single step of
// it can be left out, where time allowed to try them all.
func (t *trial) shrunk(until time.Time, chancy bool) *trial {
	s := &shrinking{t: t, until: until, chancy: chancy}
	looks := func(m *move) bool { return !m.op.writes() && m.op != opRestart }
	// What makes it long first: looks, and all that is done to other items but making them.
	s.drop(looks)
	// Items that are gone by then, with all that was done to them: else those that are left
	// would no longer be the first, or as many.
	gone := map[int]bool{}
	for _, m := range s.t.moves {
		if m.op == opDelete && m.status/100 == 2 && !s.about(m) {
			gone[m.item] = true
		}
	}
	s.drop(func(m *move) bool { return gone[m.item] })
	s.try(s.apart(s.without(func(m *move) bool { return m.op != opCreate && !s.about(m) })))
	s.drop(func(m *move) bool { return m.op != opCreate && !s.about(m) })
	s.drop(func(m *move) bool { return m.op == opCreate && m.class != plain && !s.about(m) })
	s.drop(func(m *move) bool { return m.op != opCreate })
	s.items()
	for {
		before := len(s.t.moves)
		s.chunks()
		s.items()
		if len(s.t.moves) == before || s.over() {
			break
		}
	}
	s.simpler()
	s.drop(looks)
	s.chunks()
	s.renumber()
	return s.t
}

func (s *shrinking) over() bool {
	return s.tries >= mostTrials || time.Now().After(s.until) || s.t.g.d.Ended()
}

// try takes other moves if the doubt shows with them too.
func (s *shrinking) try(moves []*move) bool {
	if s.over() || len(moves) == 0 && s.t.d.item != nil {
		return false
	}
	next := *s.t
	next.moves = moves
	if !next.possible() {
		return false
	}
	s.tries++
	shows, _ := next.plays()
	if !shows && s.chancy && s.tries < 40 {
		// What goes by chance gets a second one.
		s.tries++
		shows, _ = next.plays()
	}
	if shows {
		s.t = &next
	}
	return shows
}

// possible tells whether all that a way needs is on it: items before they are
// used, reads before what they show is sent, and the move that is judged.
func (t *trial) possible() bool {
	made, read := map[int]bool{}, map[int]bool{}
	for _, m := range t.moves {
		switch {
		case m.op == opCreate:
			made[m.item] = true
		case m.item > 0 && !made[m.item]:
			return false
		}
		if m.tag > 0 && !read[m.tag] || m.op == opReturn && !read[m.seen] {
			return false
		}
		read[m.seq] = m.op == opRead
	}
	if t.last != nil && (len(t.moves) == 0 || t.moves[len(t.moves)-1] != t.last) {
		return false
	}
	if !t.sound() {
		return false
	}
	return t.d.item == nil || made[t.d.item.n] || t.d.kind == Broken || t.d.kind == Silent
}

// apart are moves in which what is made beside the item in question has values of its own,
// in place of some that came free: what made them free can be left out then.
func (s *shrinking) apart(moves []*move) []*move {
	next := 0
	for _, m := range s.t.moves {
		for _, f := range m.fields {
			next = max(next, f.turn+1)
		}
		next = max(next, m.turn+1)
	}
	var out []*move
	for _, m := range moves {
		if m.op == opCreate && m.class == freed && !s.about(m) && next < perBase*bases-1 {
			one := *m
			one.class, one.turn, one.fields = plain, next, slices.Clone(m.fields)
			for i, f := range one.fields {
				if s.t.g.own(f.name) {
					one.fields[i].turn = next
				}
			}
			m = &one
			next++
		}
		out = append(out, m)
	}
	return out
}

// about tells whether a move is about an item that the doubt is about, or that was
// written last.
func (s *shrinking) about(m *move) bool {
	t := s.t
	return t.d.item != nil && t.d.item.n == m.item || t.d.move != nil && t.d.move.item == m.item || s.fixed(m)
}

// fixed tells whether a move is what is judged, or what it is held against.
func (s *shrinking) fixed(m *move) bool {
	return m == s.t.last || slices.ContainsFunc(s.t.kept, func(k *move) bool { return k.seq == m.seq })
}

// without are the moves but those that are chosen.
func (s *shrinking) without(drop func(m *move) bool) []*move {
	return slices.DeleteFunc(slices.Clone(s.t.moves), func(m *move) bool { return !s.fixed(m) && drop(m) })
}

func (s *shrinking) drop(which func(m *move) bool) bool {
	moves := s.without(which)
	return len(moves) < len(s.t.moves) && s.try(moves)
}

// items leaves out items with all that is done to them: all but those in question,
// then halves, quarters and so on.
func (s *shrinking) items() {
	needed := map[int]bool{0: true}
	if s.t.d.item != nil {
		needed[s.t.d.item.n] = true
	}
	if s.t.last != nil {
		needed[s.t.last.item] = true
	}
	for _, m := range s.t.kept {
		needed[m.item] = true
	}
	var others []int
	for _, m := range s.t.moves {
		if m.op == opCreate && !needed[m.item] {
			others = append(others, m.item)
		}
	}
	halves(others, func(part []int) bool {
		return s.drop(func(m *move) bool { return slices.Contains(part, m.item) })
	})
}

// chunks leaves out runs of moves, long ones first.
func (s *shrinking) chunks() {
	var list []*move
	for _, m := range s.t.moves {
		if !s.fixed(m) {
			list = append(list, m)
		}
	}
	halves(list, func(part []*move) bool {
		return s.drop(func(m *move) bool { return slices.Contains(part, m) })
	})
}

// halves tries to drop parts of a list: the whole, then halves, quarters and so on;
// what is dropped is not tried again.
func halves[T comparable](list []T, drop func(part []T) bool) {
	for size := len(list); size >= 1; size /= 2 {
		// From the end, since what comes last needs what came before it.
		for at := len(list); at > 0; at -= size {
			from := max(0, at-size)
			if drop(list[from:at]) {
				list = append(slices.Clone(list[:from]), list[at:]...)
			}
		}
		if size > len(list) && len(list) > 0 {
			size = len(list) * 2
		}
	}
}

// simpler sends plainer bodies: those of the examples, and fewer members in an amend.
func (s *shrinking) simpler() {
	for i, m := range s.t.moves {
		if s.over() {
			return
		}
		if m.op == opReturn {
			s.plainly(i, m)
			continue
		}
		if len(m.fields) == 0 || len(s.t.kept) > 0 && s.fixed(m) {
			continue
		}
		with := func(change func(one *move)) {
			one := *m
			one.fields = slices.Clone(m.fields)
			change(&one)
			moves := slices.Clone(s.t.moves)
			moves[i] = &one
			was, last := s.t, s.t.last
			if last == m {
				next := *s.t
				next.last = &one
				s.t = &next
			}
			if s.try(moves) {
				m = &one
			} else {
				s.t = was
			}
		}
		if m.op == opCreate && m.class != plain && m.class != lacking && m.class != taken && m.class != freed {
			with(func(one *move) {
				one.class, one.fields = plain, fieldsOf(s.t.g.r.Make, one.turn)
			})
		}
		if m.tag > 0 && m.class == current {
			with(func(one *move) { one.class, one.tag = plain, 0 })
		}
		if m.op == opAmend {
			for n := len(m.fields) - 1; n >= 0 && len(m.fields) > 1; n-- {
				if slices.Contains(s.t.d.members, m.fields[n].name) && m == s.t.last {
					continue
				}
				with(func(one *move) { one.fields = slices.Delete(one.fields, n, n+1) })
			}
		}
	}
}

// plainly replaces an item with the example, and not with what was read of it.
func (s *shrinking) plainly(i int, m *move) {
	if !s.t.g.supports(opReplace) {
		return
	}
	turn := 0
	for _, x := range s.t.moves {
		if x.op == opCreate && x.item == m.item {
			turn = x.turn
		}
	}
	one := *m
	one.op, one.class, one.seen, one.turn = opReplace, plain, 0, turn
	one.fields = fieldsOf(s.t.g.r.Remake, turn)
	was := s.t
	next := *s.t
	d := *next.d
	d.want = maps.Clone(d.want)
	if d.item != nil && d.item.n == m.item {
		for _, f := range one.fields {
			if c, known := d.want[f.name]; known && s.latest(i, f.name) {
				c.field, c.seq, c.read = f, one.seq, false
				d.want[f.name] = c
			}
		}
	}
	next.d = &d
	if next.last == m {
		next.last = &one
	}
	s.t = &next
	moves := slices.Clone(was.moves)
	moves[i] = &one
	if !s.try(moves) {
		s.t = was
	}
}

// latest tells whether no later move sets a member.
func (s *shrinking) latest(i int, name string) bool {
	item := s.t.moves[i].item
	return !slices.ContainsFunc(s.t.moves[i+1:], func(m *move) bool {
		return m.item == item && m.status/100 == 2 && (m.op == opReplace || m.op == opAmend && m.has(name))
	})
}

// renumber counts the items that are left from 1, in the order in which they are made.
func (s *shrinking) renumber() {
	t := *s.t
	number, turns := map[int]int{}, map[int]int{}
	for _, m := range t.moves {
		if m.op == opCreate && number[m.item] == 0 {
			number[m.item] = len(number) + 1
		}
	}
	turn := func(k int) int {
		if _, known := turns[k]; !known {
			turns[k] = len(turns)
		}
		return turns[k]
	}
	var moves []*move
	for _, m := range t.moves {
		one := *m
		one.fields = slices.Clone(m.fields)
		if one.item > 0 {
			one.item = number[m.item]
		}
		one.turn = turn(m.turn)
		for i := range one.fields {
			one.fields[i].turn = turn(one.fields[i].turn)
		}
		t.g.reclass(&one)
		if m == s.t.last {
			t.last = &one
		}
		moves = append(moves, &one)
	}
	t.moves = moves
	d := *t.d
	if d.item != nil {
		it := *d.item
		if it.n = number[it.n]; it.n == 0 {
			it.n = 1
		}
		d.item = &it
	}
	d.turn = turn(d.turn)
	d.want = map[string]cell{}
	for n, c := range t.d.want {
		c.turn = turn(c.turn)
		d.want[n] = c
	}
	t.d = &d
	s.t = &t
}

// reclass calls a move plain that has become one.
func (g *ground) reclass(m *move) {
	switch m.class {
	case edge, empty, null, borrowed, renamed, freed, several:
	default:
		return
	}
	if m.op == opAmend && len(m.fields) > 1 {
		return
	}
	for _, f := range m.fields {
		if f.turn != m.turn || !slices.Contains(g.pool(f.name), f.text) {
			return
		}
	}
	if (m.class == renamed || m.class == freed) && m.op != opCreate {
		return
	}
	m.class = plain
}
