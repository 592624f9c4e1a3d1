package roam

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"usualpath/internal/core/event"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/value"
)

// scene writes the way, and what is expected at its end.
func (t *trial) scene() *resource.Scene {
	r := t.g.r
	w := r.Scene()
	w.Parents()
	turns(w, r)
	switch {
	case t.d.kind == Mispaged:
		w.ObserveBy(t.d.pages)
	case t.effect():
		w.Observe(true)
	case t.d.kind == Miscounted:
		w.Do(resource.List, "", resource.Request{Title: "read the total before", Lines: []string{"need status 200", "keep total_before from " + r.Total}})
	}
	titles := map[string]int{}
	for _, m := range t.moves {
		if m.drawn() {
			w.Let(fmt.Sprintf("sent_%d", m.seq), m.text(r))
		}
		title := m.words()
		if titles[title]++; titles[title] > 1 {
			title += fmt.Sprintf(", time %d", titles[title])
		}
		var lines []string
		switch {
		case m == t.last && len(t.onLast()) > 0:
			lines = t.onLast()
		case m.op == opRestart || m.status == 0:
		default:
			lines = append([]string{"need status " + m.statusClass(r)}, t.shows(m)...)
		}
		for _, x := range t.moves {
			if x.tag == m.seq {
				lines = append(lines, fmt.Sprintf("keep tag_%d from header ETag", m.seq))
				break
			}
		}
		for _, x := range t.moves {
			if x.op == opReturn && x.seen == m.seq {
				lines = append(lines, fmt.Sprintf("keep seen_%d from %s", m.seq, r.Content))
				break
			}
		}
		m.write(w, r, name(m.item), title, lines...)
		if t.g.late && r.Supports(resource.Read) && m.status/100 == 2 {
			switch m.op {
			case opCreate:
				w.Await(name(m.item), fmt.Sprintf("wait for item %d", m.item), false)
			case opDelete:
				w.Await(name(m.item), fmt.Sprintf("wait until item %d is gone", m.item), true)
			}
		}
	}
	t.atEnd(w)
	return w
}

// short is the same request to a fresh item that reads the same, and what is
// expected then: nil where there can be none.
func (t *trial) short() *trial {
	d := t.d
	if d.item == nil || d.kind == Broken || d.kind == Silent || d.kind == CameBack || d.kind == Refused {
		return nil
	}
	last := d.move
	var moves []*move
	seq := 1000
	// With the content that it had before the write, or has now.
	makes := func(it *item, cells map[string]cell) *move {
		seq++
		m := t.g.like(cells, it.n, it.turn, true)
		m.seq, m.status = seq, 201
		return m
	}
	if last != nil && last.op == opCreate && last.item == d.item.n {
		one := *last
		if one.class == taken {
			if t.owner == nil {
				return nil
			}
			moves = append(moves, makes(t.owner, t.owner.want))
		}
		moves = append(moves, &one)
		return &trial{g: t.g, d: d, moves: moves, last: &one}
	}
	again, content := *d, d.want
	if last != nil && last.item == d.item.n && d.before != nil {
		content = d.before
	}
	first := makes(d.item, content)
	moves = append(moves, first)
	d = again.sentBy(first, content)
	if last == nil || last.op == opRestart {
		return &trial{g: t.g, d: d, moves: moves}
	}
	one := *last
	if last.item != d.item.n {
		if t.other == nil {
			return nil
		}
		if last.op != opCreate {
			moves = append(moves, makes(t.other, t.other.before))
		}
	}
	if one.class == taken {
		if t.owner == nil {
			return nil
		}
		moves = append(moves, makes(t.owner, t.owner.want))
	}
	if one.gone {
		seq++
		moves = append(moves, &move{seq: seq, op: opDelete, class: plain, item: one.item, status: 204})
	}
	// What a tag or a return goes by is read first.
	if one.tag > 0 || one.op == opReturn {
		seq++
		read := &move{seq: seq, op: opRead, class: plain, item: one.item, status: 200}
		moves = append(moves, read)
		if one.tag > 0 {
			one.tag = seq
		}
		one.seen = seq
		if one.class == stale {
			change := t.changes(one.item, first)
			if change == nil {
				return nil
			}
			moves = append(moves, change)
		}
	}
	moves = append(moves, &one)
	return &trial{g: t.g, d: d, moves: moves, last: &one}
}

// sentBy is a doubt in which what is expected was sent by the making of a fresh item.
func (d doubt) sentBy(first *move, content map[string]cell) *doubt {
	d.want = maps.Clone(d.want)
	for n, c := range d.want {
		switch {
		case d.move != nil && c.seq == d.move.seq && !c.read:
		case first.has(n):
			c.seq, c.read = first.seq, false
			d.want[n] = c
		case absent(c.v) && !absent(content[n].v):
			delete(d.want, n)
		}
	}
	return &d
}

// merged tells whether an amend has changed a member of the same item that it does
// not name.
func (t *trial) merged() bool {
	d := t.d
	return d.kind == Unasked && d.move != nil && d.item != nil && d.move.op == opAmend && d.move.item == d.item.n && d.move.whole == ""
}

// plainly is the same amend of an item that is made as the example is.
func (t *trial) plainly() *trial {
	d := *t.d
	r := t.g.r
	made := &move{seq: 1001, op: opCreate, class: plain, item: d.item.n, turn: d.item.turn, status: 201, fields: fieldsOf(r.Make, d.item.turn)}
	d.want = map[string]cell{}
	for _, f := range made.fields {
		if slices.Contains(d.members, f.name) {
			d.want[f.name] = cell{v: value.NewBool(true), field: f, seq: made.seq}
		}
	}
	if len(d.want) < len(d.members) || d.move.tag > 0 {
		return nil
	}
	one := *d.move
	return &trial{g: t.g, d: &d, moves: []*move{made, &one}, last: &one}
}

// changes is a plain write that the item was sent on the way, and that changes it as it
// was made: a tag stays current where a write changes nothing. Nil for none.
func (t *trial) changes(item int, made *move) *move {
	for _, m := range slices.Backward(t.moves) {
		if m.item == item && (m.op == opAmend || m.op == opReplace) && m.status/100 == 2 && m.tag == 0 && m != t.last && m.alters(made) {
			one := *m
			one.seq = 1900
			return &one
		}
	}
	return nil
}

// alters tells whether a write names a member otherwise than an item was made.
func (m *move) alters(made *move) bool {
	return m.whole != "" || slices.ContainsFunc(m.fields, func(f field) bool {
		for _, have := range made.fields {
			if have.name == f.name {
				return have.text != f.text || strings.Contains(f.text, "turn") && have.turn != f.turn
			}
		}
		return f.text != "null"
	})
}

// like is the making of an item that reads as cells say, with the examples' values
// where they say nothing; a number of its own goes into its unique members, unless they
// are to be the same.
func (g *ground) like(cells map[string]cell, item, turn int, same bool) *move {
	r := g.r
	m := &move{op: opCreate, item: item, class: plain, turn: turn}
	if len(r.Make.Fields) == 0 {
		m.whole = r.Make.Text
		return m
	}
	for _, f := range fieldsOf(r.Make, turn) {
		c, known := cells[f.name]
		switch {
		case known && absent(c.v) && !slices.Contains(r.Required, f.name):
			continue
		case known && !absent(c.v) && (same || !slices.Contains(r.Unique, f.name)):
			f = c.again()
		}
		m.fields = append(m.fields, f)
	}
	for _, n := range g.members {
		if c, known := cells[n]; known && !absent(c.v) && !r.Make.Has(n) {
			m.fields = append(m.fields, c.again())
		}
	}
	return m
}

// plays runs the trial once; shows tells whether the doubt shows, and clean that
// all of it could be played and nothing was wrong.
func (t *trial) plays() (shows, clean bool) {
	verdict := t.g.play(t.scene())
	return verdict == event.Failed, verdict == event.Held
}

// play runs a scene once, with random values of its own.
func (g *ground) play(sc *resource.Scene) event.Verdict {
	text := sc.Text("roam", "a trial")
	s, err := g.d.Scenario(g.r.File, "roam", text)
	if err != nil {
		panic("roam cannot read its own scenario: " + err.Error() + "\n" + text)
	}
	requests := 0
	verdict := g.d.Play(s, 0, g.tell.again(), func(e event.Event) {
		if st, ok := e.(*event.StepFinished); ok {
			requests += len(st.Sent)
		}
	})
	g.o.addTrial(requests)
	return verdict
}

// again is a member as it would be sent to read the same.
func (c cell) again() field {
	if called(c.text) {
		return field{c.name, literal(c.v), c.turn}
	}
	return c.field
}
