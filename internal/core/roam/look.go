package roam

import (
	"fmt"
	"slices"

	"usualpath/internal/core/custody"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/state"
	"usualpath/internal/core/value"
)

// manyListed is how many members of a list are looked at after each write; of more
// it is looked at now and then.
const manyListed = 80

// look reads what a write was about, and the list that it stands in.
func (w *walk) look(m *move, it *item) *doubt {
	r := w.of.r
	if it != nil && it.id != nil && !it.parted && r.Supports(resource.Read) && !m.never {
		if d := w.take(&move{op: opRead, item: it.n, class: plain, gone: it.is == gone}); d != nil {
			return d
		}
	}
	if w.of.supports(opFilter) && m.has(w.of.r.FilterName) && w.rand.IntN(2) == 0 {
		if d := w.take(&move{op: opFilter, class: plain, turn: m.turn}); d != nil {
			return d
		}
	}
	every := 1
	if w.listed != nil && len(w.listed.Keys) > manyListed {
		every = 12
	}
	if len(w.moves)%every == 0 {
		if d := w.lookAtList(m); d != nil {
			return d
		}
	}
	if len(w.moves)%5 == 0 {
		return w.lookAtOthers(it)
	}
	return nil
}

// lookAtAll reads every item, and the list.
func (w *walk) lookAtAll(m *move) *doubt {
	if d := w.lookAtOthers(nil); d != nil {
		return d
	}
	return w.lookAtList(m)
}

// lookAtOthers reads the items that a write was not about: all of few, some of many.
func (w *walk) lookAtOthers(but *item) *doubt {
	if !w.of.r.Supports(resource.Read) {
		return nil
	}
	list := slices.Clone(w.m.items)
	w.rand.Shuffle(len(list), func(i, j int) { list[i], list[j] = list[j], list[i] })
	read := 0
	for _, it := range list {
		if it == but || it.id == nil || it.parted || read == 4 && len(w.m.items) > 6 {
			continue
		}
		read++
		if d := w.take(&move{op: opRead, item: it.n, class: plain, gone: it.is == gone}); d != nil {
			return d
		}
		if w.ended != "" {
			return nil
		}
	}
	return nil
}

// lookAtList holds the list against what the items are.
func (w *walk) lookAtList(m *move) *doubt {
	g := w.of
	if !g.r.Lists() {
		return nil
	}
	s, problem := w.s.Look(g.r.Observed())
	g.o.add(w.s.Looked())
	w.moves = append(w.moves, &move{seq: len(w.moves) + 1, op: opList, class: plain, status: 200})
	if problem != "" {
		return nil
	}
	// One that moved on by as many as it gained shows a part of what is there.
	g.slides = g.slides || w.listed != nil && custody.Slid(w.listed, s)
	w.listed = s
	for _, it := range w.m.items {
		if it.id == nil || it.is == unsure {
			continue
		}
		if d := w.fresher(it, s); d != nil {
			return d
		}
		if it.is == unsure {
			continue
		}
		member, shows := s.Find(it.id)
		d := &doubt{item: it, move: m, want: it.want, before: it.before}
		switch {
		case it.is == there && !shows && w.partial(s):
		case it.is == there && !shows:
			d.kind, d.observed = Unlisted, fmt.Sprintf("of %d members none is %s", len(s.Keys), it.id)
		case it.is == gone && shows && g.r.Gone == "":
			d.kind, d.observed = Listed, value.Cut(member.String(), 80)
		case it.is == there && shows:
			whole := true
			for _, n := range g.members {
				c, known := it.want[n]
				now, has := member.Get(n)
				whole = whole && (!known || has || absent(c.v))
				if known && has && !same(c.v, now) {
					d.kind = ListSays
					d.members = append(d.members, n)
					d.observed = fmt.Sprintf("the list says that %s is %s, not %s", n, shown(now), shown(c.v))
				}
			}
			if whole && d.kind == "" {
				it.shown = len(w.moves)
			}
		}
		if d.kind == "" {
			continue
		}
		if d = g.doubts(d); d != nil {
			return d
		}
	}
	if d := w.counted(m, s); d != nil {
		return d
	}
	return w.lookAtPages()
}

// fresher reads an item that the list shows otherwise than it should, where it was
// not read since it was written: then the list may be right.
func (w *walk) fresher(it *item, s *state.Snapshot) *doubt {
	member, shows := s.Find(it.id)
	odd := shows != (it.is == there)
	for _, n := range w.of.members {
		if c, known := it.want[n]; shows && known {
			if now, has := member.Get(n); has && !same(c.v, now) {
				odd = true
			}
		}
	}
	last := 0
	if m := w.lastWrite(); m != nil {
		last = m.seq
	}
	if !odd || it.looked > last || !w.of.r.Supports(resource.Read) {
		return nil
	}
	return w.take(&move{op: opRead, item: it.n, class: plain, gone: it.is == gone})
}

// firstPage is the smallest number of members that a service may show as a page
// without being asked for one.
const firstPage = 10

// partial tells whether a list may be one page of a longer one, although nothing is
// known of pages: it lacks only what was made first, or last.
func (w *walk) partial(s *state.Snapshot) bool {
	if w.of.r.Paging != nil || len(s.Keys) < firstPage && !w.of.slides {
		return false
	}
	var shows []bool
	changes := 0
	for _, it := range w.m.alive() {
		_, in := s.Find(it.id)
		if n := len(shows); n > 0 && shows[n-1] != in {
			changes++
		}
		shows = append(shows, in)
	}
	return changes <= 1
}

// take sends a move, brings what is known up to date, and looks. It gives what
// contradicts that, nil for nothing.
func (w *walk) take(m *move) *doubt {
	it := w.item(m)
	reply, sent := w.send(m, it)
	w.of.walked(w, m, it)
	if reply == nil {
		if m.op == opRestart && w.ended == "" {
			return w.lookAtAll(m)
		}
		return nil
	}
	if d := w.answered(m, it, reply); d != nil {
		if d = w.of.doubts(d); d != nil {
			if d.kind == Accepted {
				// What is made of it is removed all the same.
				w.apply(m, it, reply, sent)
			}
			return d
		}
	}
	d := w.apply(m, it, reply, sent)
	if d != nil {
		if d = w.of.doubts(d); d != nil {
			return d
		}
	}
	if !m.op.writes() || w.lazy && len(w.moves)%7 != 0 {
		return nil
	}
	return w.look(m, it)
}
