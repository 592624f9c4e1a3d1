package roam

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/event"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/value"
)

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

// scene writes the way, and what is expected at its end.
func (t *trial) scene() *resource.Scene {
	r := t.g.r
	w := r.Scene()
	w.Parents()
	turns(w, r)
	if t.effect() {
		w.Observe()
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
	}
	t.atEnd(w)
	return w
}

// effect tells whether it is the list, before and after the last write, that tells.
func (t *trial) effect() bool {
	return (t.d.kind == Unlisted || t.d.kind == Listed) && t.g.r.Paging != nil && t.last != nil
}

// expects is a claim with its reason.
func expects(what, because string) string {
	if because == "" {
		return "expect " + what
	}
	return "expect " + what + "  because " + resource.Quoted(because)
}

// onLast are the claims on the answer of the last move, nil where only its success
// counts.
func (t *trial) onLast() []string {
	id := "{" + name(t.d.item.number()) + "}"
	list := t.g.r.Observed()
	switch t.d.kind {
	case Broken:
		return []string{expects("status not 5xx", "a request that can be understood is served or refused (RFC 9110 §15.6)")}
	case Silent:
		return []string{expects("status 1xx or 2xx or 3xx or 4xx or 5xx", "a request is answered (RFC 9110 §3.3)")}
	case Refused:
		return []string{expects("status 2xx", "what reads the same acts the same: an item of the same content is served")}
	case Accepted:
		return []string{expects("status 4xx", "the same request was refused before, and nothing that it names has changed")}
	case Unlisted:
		if t.effect() && t.last.op == opCreate {
			return []string{"need status 2xx", expects(list+" gains 1", "what was made is in its list")}
		}
		if t.effect() {
			effect := "changes 0..1"
			if t.last.op == opDelete {
				effect = "loses 1"
			}
			return []string{"need status 2xx", expects(list+" "+effect, "a request changes what it names, and nothing else (RFC 9110 §9.3)")}
		}
	case Listed:
		if t.effect() && t.last.op == opDelete {
			return []string{"need status 2xx", expects(list+" loses { "+resource.Quoted(t.identity())+": "+id+", ... }", "what was deleted is no longer in its list (RFC 9110 §9.3.5)")}
		}
	}
	return nil
}

// identity is the member that holds the identity, "id" where it is elsewhere.
func (t *trial) identity() string {
	if n, ok := strings.CutPrefix(t.g.r.By, "$."); ok && resource.Named(n) {
		return n
	}
	return "id"
}

func (it *item) number() int {
	if it == nil {
		return 0
	}
	return it.n
}

// atEnd adds the looks that show the doubt.
func (t *trial) atEnd(w *resource.Scene) {
	r, d := t.g.r, t.d
	if d.item == nil {
		return
	}
	id := name(d.item.n)
	words := fmt.Sprintf("item %d", d.item.n)
	look := func(title string, lines ...string) { w.Read(id, resource.Request{Title: title, Lines: lines}) }
	switch d.kind {
	case Unwritten:
		look("read "+words+" back", slices.Concat([]string{expects("status 200", "")}, t.reads("what was acknowledged is there when it is read (RFC 9110 §9.3)"))...)
	case Unasked:
		look("look at "+words, slices.Concat([]string{"expect status 200"}, t.reads("a request changes what it names, and nothing else (RFC 9110 §9.3)"))...)
	case Vanished:
		look("look at "+words, expects("status 200", "what was made is there until it is deleted (RFC 9110 §9.3.5)"))
	case CameBack:
		look("look at "+words, expects("status "+r.GoneStatus(), "what was deleted is gone (RFC 9110 §9.3.5)"))
	case HeadSays:
		status := "2xx"
		if d.item.is == gone {
			status = r.GoneStatus()
		}
		w.Head(id, resource.Request{Title: "ask for the head of " + words, Lines: []string{expects("status "+status, "HEAD answers as GET does (RFC 9110 §9.3.2)")}})
	case Unlisted:
		if !t.effect() {
			w.List(resource.Request{Title: "look at the list", Lines: []string{"need status 200", expects(r.InList(id)+" count 1", "what is there is in its list, once")}})
		}
	case Listed:
		if !t.effect() {
			w.List(resource.Request{Title: "look at the list", Lines: []string{"need status 200", expects(r.InList(id)+" count 0", "what was deleted is no longer in its list (RFC 9110 §9.3.5)")}})
		}
	case ListSays:
		look("read "+words, slices.Concat([]string{"need status 200"}, t.needs())...)
		var lines []string
		for _, n := range d.members {
			lines = append(lines, expects(r.InList(id)+strings.TrimPrefix(resource.MemberPath(n), "$")+" is "+t.text(n), "the list shows what the item is"))
		}
		w.List(resource.Request{Title: "look at the list", Lines: append([]string{"need status 200"}, lines...)})
	case Unfound, Misfound:
		count, why := "1", "a filter finds what matches it"
		if d.kind == Misfound {
			count, why = "0", "a filter leaves out what does not match it"
		}
		look("read "+words, slices.Concat([]string{"need status 200"}, t.needs())...)
		m := &move{op: opFilter, turn: d.turn}
		x := m.request(r, "look at the filtered list", "need status 200", expects(r.InList(id)+" count "+count, why))
		w.List(x)
	}
}

// reads are claims on the members that are in doubt.
func (t *trial) reads(because string) []string {
	var out []string
	for _, n := range t.d.members {
		out = append(out, t.readsMember("expect", n)+"  because "+resource.Quoted(because))
	}
	return out
}

// needs say that the item reads as it is known to.
func (t *trial) needs() []string {
	var out []string
	for _, n := range t.d.members {
		out = append(out, t.readsMember("need", n))
	}
	if t.d.kind == Unfound || t.d.kind == Misfound {
		out = append(out, t.readsMember("need", t.g.r.FilterName))
	}
	return out
}

func (t *trial) readsMember(word, n string) string {
	c := t.cell(n)
	if absent(c.v) {
		return word + " " + t.g.r.Subject() + " is { " + resource.Quoted(n) + "?: null, ... }"
	}
	return word + " " + t.g.r.InItem(n) + " is " + t.text(n)
}

// cell is what a member must be: what the move that has set it sends now.
func (t *trial) cell(n string) cell {
	c := t.d.want[n]
	if c.read {
		return c
	}
	for _, m := range t.moves {
		if m.seq != c.seq {
			continue
		}
		for _, f := range m.fields {
			if f.name == n {
				c.field = f
				if f.text == "null" {
					c.v = nil
				}
			}
		}
	}
	return c
}

// shows are needs on a read that was the first to show what is expected later.
func (t *trial) shows(m *move) []string {
	if m.op != opRead || t.d.item == nil || m.item != t.d.item.n {
		return nil
	}
	var out []string
	for _, n := range t.claimed() {
		if c := t.d.want[n]; c.read && c.seq == m.seq {
			out = append(out, t.readsMember("need", n))
		}
	}
	return out
}

// claimed are the members that something is claimed of.
func (t *trial) claimed() []string {
	switch t.d.kind {
	case Unwritten, Unasked, ListSays:
		return t.d.members
	case Unfound, Misfound:
		return []string{t.g.r.FilterName}
	}
	return nil
}

// follows tells whether what is claimed follows from the moves: that what a member
// must be was sent, or shown, and that nothing has set it since.
func (t *trial) follows() bool {
	for _, n := range t.claimed() {
		c := t.d.want[n]
		known := false
		for _, m := range t.moves {
			if m.item != t.d.item.n || m.never || m.status/100 != 2 {
				continue
			}
			switch {
			case m.seq == c.seq:
				known = m.op == opRead || m.op == opReturn || m.has(n)
			case m.op == opCreate || m.op == opReplace || m.op == opDelete:
				known = false
			case m.op == opAmend && (m.has(n) || m.whole != ""):
				known = false
			}
		}
		if !known {
			return false
		}
	}
	return true
}

// text is what a member must be, as text of the language.
func (t *trial) text(n string) string {
	c := t.cell(n)
	if absent(c.v) {
		return "null"
	}
	if c.seq > 0 && !c.read && called(c.text) {
		if resource.Named(n) {
			return fmt.Sprintf("{sent_%d.%s}", c.seq, n)
		}
		return fmt.Sprintf("{sent_%d[%s]}", c.seq, resource.Quoted(n))
	}
	return t.g.r.Turned(c.text, number(c.turn))
}

// plays runs the trial once; shows tells whether the doubt shows, and clean that
// all of it could be played and nothing was wrong.
func (t *trial) plays() (shows, clean bool) {
	g := t.g
	s, err := g.d.Scenario(g.r.File, "roam", t.scene().Text("roam", "a trial"))
	if err != nil {
		panic("roam cannot read its own scenario: " + err.Error() + "\n" + t.scene().Text("roam", "a trial"))
	}
	requests := 0
	verdict, _ := g.d.Play(s, 0, g.tell.again(), func(e event.Event) {
		if st, ok := e.(*event.StepFinished); ok {
			requests += len(st.Sent)
		}
	})
	g.o.addTrial(requests)
	return verdict == event.Failed, verdict == event.Held
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
		m := &move{seq: seq, op: opCreate, class: plain, item: it.n, turn: it.turn, status: 201}
		e := t.g.r.Make
		if len(e.Fields) == 0 {
			m.whole = e.Text
			return m
		}
		for _, f := range e.Fields {
			c, known := cells[f.Name]
			switch {
			case known && absent(c.v) && !slices.Contains(t.g.r.Required, f.Name):
			case known && !absent(c.v):
				m.fields = append(m.fields, field{f.Name, c.text, c.turn})
			default:
				m.fields = append(m.fields, field{f.Name, f.Text, it.turn})
			}
		}
		for _, n := range t.g.members {
			if c, known := cells[n]; known && !absent(c.v) && !t.g.r.Make.Has(n) {
				m.fields = append(m.fields, field{n, c.text, c.turn})
			}
		}
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
	// What is expected is sent by the moves here.
	again := *d
	again.want = map[string]cell{}
	for n, c := range d.want {
		again.want[n] = c
	}
	content := d.want
	if last != nil && last.item == d.item.n && d.before != nil {
		content = d.before
	}
	first := makes(d.item, content)
	moves = append(moves, first)
	for n, c := range again.want {
		if last != nil && c.seq == last.seq && !c.read {
			continue
		}
		if !first.has(n) {
			if absent(c.v) && !absent(content[n].v) {
				delete(again.want, n)
			}
			continue
		}
		c.seq, c.read = first.seq, false
		again.want[n] = c
	}
	d = &again
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
			change := t.changes(one.item)
			if change == nil {
				return nil
			}
			moves = append(moves, change)
		}
	}
	moves = append(moves, &one)
	return &trial{g: t.g, d: d, moves: moves, last: &one}
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
	made := &move{seq: 1001, op: opCreate, class: plain, item: d.item.n, turn: d.item.turn, status: 201}
	d.want = map[string]cell{}
	for _, f := range r.Make.Fields {
		one := field{f.Name, f.Text, d.item.turn}
		made.fields = append(made.fields, one)
		if slices.Contains(d.members, f.Name) {
			d.want[f.Name] = cell{v: value.NewBool(true), field: one, seq: made.seq}
		}
	}
	if len(d.want) < len(d.members) || d.move.tag > 0 {
		return nil
	}
	one := *d.move
	return &trial{g: t.g, d: &d, moves: []*move{made, &one}, last: &one}
}

// changes is a plain write that the item was sent on the way, nil for none.
func (t *trial) changes(item int) *move {
	for _, m := range slices.Backward(t.moves) {
		if m.item == item && (m.op == opAmend || m.op == opReplace) && m.status/100 == 2 && m.tag == 0 && m != t.last {
			one := *m
			one.seq = 1900
			return &one
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
