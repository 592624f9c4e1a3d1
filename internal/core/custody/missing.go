package custody

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"usualpath/internal/core/event"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// existence is what asking for an item by itself says of it.
type existence int

// A list may show a part of what is there: what is missing in it is gone only where asking for
// it is answered with 404 or 410.
const (
	isUntold existence = iota
	isGone
	isThere
)

// status asks for a member that a list does not show any more. Where another one that the list
// shows cannot be read so either, items are somewhere else, and nothing is told.
func (one *watched) status(lost *value.Value, now *state.Snapshot) existence {
	ids := (&Sight{View: one.view}).identities(lost)
	if len(ids) == 0 || one.asks == nil {
		return isUntold
	}
	switch is := one.asks(ids[0]); {
	case is == 200:
		return isThere
	case !absent(is):
		return isUntold
	}
	if others := one.view.Identities(now.Only(now.Keys[:min(1, len(now.Keys))])); len(others) > 0 && one.asks(others[0]) != 200 {
		return isUntold
	}
	return isGone
}

// withoutSlid is a difference without what has only left, or come back into, the part that a list
// shows: one that shows its newest twenty loses the oldest of them with each create, and it is
// still there. That a list is such a one is seen when what it lost at one end can be read, and it
// gained as many at the other.
func (t *turn) withoutSlid(d *state.Delta, l List, b, a *Sight) *state.Delta {
	if !l.Keyed || len(d.Lost)+len(d.Gained) < 2 {
		return d
	}
	slides := t.run.book.Slides(l.kind())
	if !slides && (len(d.Lost) == 0 || len(d.Lost) > mostSlid || len(b.S.Keys) != len(a.S.Keys) || !Slid(b.S, a.S)) {
		return d
	}
	out := &state.Delta{Single: d.Single, Changed: d.Changed, Gained: d.Gained}
	for _, m := range d.Lost {
		ids := b.identities(m)
		if len(ids) > 0 {
			if x := t.Item("GET", l, ids[0], "whether it is gone"); x != nil && x.Answer != nil && x.Answer.Status == 200 {
				continue
			}
		}
		out.Lost = append(out.Lost, m)
	}
	if len(out.Lost) < len(d.Lost) {
		t.run.book.SetSlides(l.kind())
		slides = true
	}
	if slides && len(out.Lost) > 0 {
		out.Gained = slices.DeleteFunc(slices.Clone(d.Gained), func(m *value.Value) bool { return !t.drawn.In(m.String()) })
	}
	return out
}

// Partly tells whether a list shows a changing part of what is there.
func (r *Run) Partly(l List) bool { return r.book.Slides(l.kind()) }

// mostSlid bounds how many items are asked for at one look.
const mostSlid = 20

// askForMissing asks, one by one, for what lists do not show any more; what is still there is no
// doubt, but its list leaves things out.
func (r *Run) askForMissing() {
	w := r.watch
	w.mu.Lock()
	open := slices.DeleteFunc(slices.Clone(w.doubts), func(d *Doubt) bool { return d.asked })
	w.mu.Unlock()
	for _, d := range open {
		var lost, moved []*value.Value
		for _, m := range d.delta.Lost {
			if d.w.status(m, d.w.last) == isThere {
				moved = append(moved, m)
			} else {
				lost = append(lost, m)
			}
		}
		w.mu.Lock()
		d.asked, d.delta.Lost = true, lost
		if len(moved) > 0 {
			r.book.SetSlides(d.w.kind())
			if d.w.unlisted == nil {
				d.w.unlisted = &state.Snapshot{Members: map[string]*value.Value{}}
			}
			for _, m := range moved {
				key := fmt.Sprint(len(d.w.unlisted.Keys))
				d.w.unlisted.Keys = append(d.w.unlisted.Keys, key)
				d.w.unlisted.Members[key] = m
			}
		}
		if len(lost)+len(d.delta.Changed) == 0 {
			w.doubts = slices.DeleteFunc(w.doubts, func(one *Doubt) bool { return one == d })
		}
		w.mu.Unlock()
	}
}

// askForUnlisted asks once more, at the end, for what was there before and is not listed.
func (r *Run) askForUnlisted(one *watched) {
	if one.unlisted == nil {
		return
	}
	var lost []*value.Value
	for _, k := range one.unlisted.Keys {
		if one.status(one.unlisted.Members[k], one.last) == isGone {
			lost = append(lost, one.unlisted.Members[k])
		}
	}
	if len(lost) == 0 {
		return
	}
	w := r.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	w.doubts = append(w.doubts, &Doubt{w: one, keys: one.before.Keys, delta: &state.Delta{Lost: lost}, jobs: slices.Clone(w.wrote), asked: true})
}

// mostUnseen is how many writes of a walk may come after one another before its list is looked at.
const mostUnseen = 10

// wrote notes a write to an item of a guarded list, or to the list.
func (t *turn) wrote(sent event.Sent) {
	r := sent.Exchange.Request
	if !t.strict() || syntax.SafeMethod(r.Method) {
		return
	}
	lists, err := t.Lists()
	if err != nil || len(lists) == 0 {
		return
	}
	at := PlainPath(r.URL)
	_, l := member(at+"/", lists)
	if !l.real() {
		l = lists[len(lists)-1]
	}
	w := t.run.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	one := w.lists[readable(l, lists).key()]
	if one == nil {
		return
	}
	if len(one.since) == 2*mostUnseen {
		one.since = slices.Delete(one.since, 0, 1)
	}
	one.since = append(one.since, sent)
	if r.Method != "POST" {
		one.deletes++
	}
	if a := sent.Exchange.Answer; a != nil && a.Status/100 == 2 && r.Method == "DELETE" {
		one.removes = one.removes || path.Dir(at) == one.Path
	}
}

// unseen tells whether a list has to be looked at before more is written below it.
func (r *Run) unseen(list string) bool {
	w := r.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	one := w.lists[list]
	return one != nil && one.look != nil && len(one.before.Keys) > 0 && (one.deletes > 0 || len(one.since) >= mostUnseen)
}

// tellGone tells at once of what was there before and is gone, whatever was sent since it was seen.
func (r *Run) tellGone() {
	r.askForMissing()
	w := r.watch
	w.mu.Lock()
	all := slices.Clone(w.doubts)
	w.mu.Unlock()
	for _, d := range all {
		r.goneAfter(d)
	}
}

// goneAfter tells of what was there before and is gone, with what was sent since it was last
// seen: that is not sent again to be sure, at the cost of more.
func (r *Run) goneAfter(d *Doubt) bool {
	w := r.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	if len(d.delta.Lost) == 0 || len(d.since) == 0 || w.harm[d.w.key()] {
		return false
	}
	deed := Deed{Step: "what was sent between two looks at the list", Sent: d.since}
	var all []string
	for i, s := range d.since {
		if m := s.Exchange.Request.Method; m == "DELETE" || d.since[deed.At].Exchange.Request.Method == "POST" {
			deed.At = i
		}
		if one := s.Exchange.Request.Method + " " + s.Exchange.Request.URL; !slices.Contains(all, one) {
			all = append(all, one)
		}
	}
	if len(d.jobs) > 0 {
		last := d.jobs[len(d.jobs)-1]
		deed.File, deed.Line = last.File, last.Line
	}
	deed.Observed = append(d.delta.Lines(), "between two looks at the list, the second after "+strings.Join(all, ", "))
	r.tellHarm(d, deed, "", "it was there before "+strings.Join(all, ", ")+", and is gone after that")
	return true
}
