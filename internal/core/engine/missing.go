package engine

import (
	"fmt"
	"net/url"
	"path"
	"slices"
	"strings"

	"usualpath/internal/core/custody"
	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
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
	ids := one.view.Identities(&state.Snapshot{Keys: []string{"1"}, Members: map[string]*value.Value{"1": lost}})
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

// asks reads an item of a list by its identity, with the scenario's headers, and gives the
// status; 0 where there is no answer.
func (t *step) asks(o *syntax.Observe, id string) int {
	x := t.sendItem("GET", o, id)
	if x == nil || x.Answer == nil {
		return 0
	}
	return x.Answer.Status
}

// sendItem sends a request without a body to an item of a list, by its identity; nil where it
// cannot be put together.
func (t *step) sendItem(method string, o *syntax.Observe, id string) *exchange.Exchange {
	d := &builder{method: method, timeout: t.env.o.Timeout}
	if t.findBase() != nil || d.layers([][]*syntax.Statement{t.env.p.Defaults(), t.in.headers}, t.in.names, t.env.p, t.f) != nil {
		return nil
	}
	target, err := t.in.names.Target(o.At)
	if err != nil {
		return nil
	}
	target, _, _ = strings.Cut(target, "?")
	d.target = strings.TrimSuffix(target, "/") + "/" + url.PathEscape(id)
	r, err := d.request(t.base)
	if err != nil {
		return nil
	}
	x := t.env.client.Do(t.in.ctx, r)
	t.e.Sent = append(t.e.Sent, event.Sent{Role: event.Observation, Name: "whether it is gone", Exchange: x})
	return x
}

// withoutSlid is a difference without what has only left, or come back into, the part that a list
// shows: one that shows its newest twenty loses the oldest of them with each create, and it is
// still there. That a list is such a one is seen when what it lost at one end can be read, and it
// gained as many at the other.
func (t *step) withoutSlid(d *state.Delta, name string, b, a *snapshot) *state.Delta {
	o := t.in.observed[name]
	if o == nil || o.o.By == nil || len(d.Lost)+len(d.Gained) < 2 {
		return d
	}
	kind := listKey(t.base, o.o.At.Raw)
	slides := t.env.book.Slides(kind)
	if !slides && (len(d.Lost) == 0 || len(d.Lost) > mostSlid || len(b.s.Keys) != len(a.s.Keys) || !custody.Slid(b.s, a.s)) {
		return d
	}
	out := &state.Delta{Single: d.Single, Changed: d.Changed, Gained: d.Gained}
	for _, m := range d.Lost {
		ids := b.view.Identities(&state.Snapshot{Keys: []string{""}, Members: map[string]*value.Value{"": m}})
		if len(ids) == 0 || t.asks(o.o, ids[0]) != 200 {
			out.Lost = append(out.Lost, m)
		}
	}
	if len(out.Lost) < len(d.Lost) {
		t.env.book.SetSlides(kind)
		slides = true
	}
	if slides && len(out.Lost) > 0 {
		out.Gained = slices.DeleteFunc(slices.Clone(d.Gained), func(m *value.Value) bool { return !t.in.world.Drawn.In(m.String()) })
	}
	return out
}

// partlyShown tells whether a claim is about a list that shows a changing part of what is there.
func (t *step) partlyShown(b *syntax.Expectation) bool {
	names := t.in.order
	if b.Subject.Kind == "observation" {
		names = nil
		for _, o := range b.Observations() {
			names = append(names, o.Name)
		}
	}
	return slices.ContainsFunc(names, func(n string) bool {
		o := t.in.observed[n]
		return o != nil && t.env.book.Slides(listKey(t.base, o.o.At.Raw))
	})
}

// mostSlid bounds how many items are asked for at one look.
const mostSlid = 20

// askForMissing asks, one by one, for what lists do not show any more; what is still there is no
// doubt, but its list leaves things out.
func (r *environment) askForMissing() {
	w := r.watch
	w.mu.Lock()
	open := slices.DeleteFunc(slices.Clone(w.doubts), func(d *doubt) bool { return d.asked })
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
			r.book.SetSlides(d.w.kind)
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
			w.doubts = slices.DeleteFunc(w.doubts, func(one *doubt) bool { return one == d })
		}
		w.mu.Unlock()
	}
}

// askForUnlisted asks once more, at the end, for what was there before and is not listed.
func (r *environment) askForUnlisted(one *watched) {
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
	w.doubts = append(w.doubts, &doubt{w: one, keys: one.before.Keys, delta: &state.Delta{Lost: lost}, jobs: slices.Clone(w.wrote), asked: true})
}

// mostUnseen is how many writes of a walk may come after one another before its list is looked at.
const mostUnseen = 10

// wroteBelow notes a write below a list that is looked after.
func (w *watch) wroteBelow(list string, sent event.Sent) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if one := w.lists[list]; one != nil {
		if len(one.since) == 2*mostUnseen {
			one.since = slices.Delete(one.since, 0, 1)
		}
		one.since = append(one.since, sent)
		if sent.Exchange.Request.Method != "POST" {
			one.deletes++
		}
		if a := sent.Exchange.Answer; a != nil && a.Status/100 == 2 && sent.Exchange.Request.Method == "DELETE" {
			at := plainPath(sent.Exchange.Request.URL)
			one.removes = one.removes || path.Dir(at) == one.list
		}
	}
}

// unseen tells whether a list has to be looked at before more is written below it.
func (w *watch) unseen(list string) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	one := w.lists[list]
	return one != nil && one.look != nil && len(one.before.Keys) > 0 && (one.deletes > 0 || len(one.since) >= mostUnseen)
}

// tellGone tells at once of what was there before and is gone, whatever was sent since it was seen.
func (r *environment) tellGone() {
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
func (r *environment) goneAfter(d *doubt) bool {
	w := r.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	if len(d.delta.Lost) == 0 || len(d.since) == 0 || w.harm[d.w.key] != "" {
		return false
	}
	sent, all := 0, []string(nil)
	for i, s := range d.since {
		if m := s.Exchange.Request.Method; m == "DELETE" || d.since[sent].Exchange.Request.Method == "POST" {
			sent = i
		}
		if one := s.Exchange.Request.Method + " " + s.Exchange.Request.URL; !slices.Contains(all, one) {
			all = append(all, one)
		}
	}
	st := &event.StepFinished{Title: "what was sent between two looks at the list", Sent: d.since}
	if len(d.jobs) > 0 {
		s := d.jobs[len(d.jobs)-1].s
		st.File, st.Line = s.File.Source.Name, s.Line()
	}
	r.tellHarm(d, st, sent, "", append(d.delta.Lines(), "between two looks at the list, the second after "+strings.Join(all, ", ")),
		"it was there before "+strings.Join(all, ", ")+", and is gone after that")
	return true
}
