package custody

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/event"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/state"
	"usualpath/internal/core/value"
)

// settle repeats, alone, the checks that may have changed what was there before:
// only what changes again is a finding. Whoever calls it waits until nobody else
// is about to write.
func (r *Run) settle(ctx context.Context) {
	w := r.watch
	for {
		r.askForMissing(false)
		w.mu.Lock()
		if len(w.doubts) == 0 {
			w.mu.Unlock()
			return
		}
		d := w.doubts[0]
		w.wrote = nil
		told := w.harm[d.w.key()]
		w.mu.Unlock()
		found := told || r.goneAfter(d) || r.repeats(ctx, d)
		if !found {
			// What was not answered may be now.
			r.askForMissing(true)
			found = r.goneAfter(d)
		}
		w.mu.Lock()
		if !slices.Contains(w.doubts, d) {
			w.mu.Unlock()
			continue
		}
		w.doubts = w.doubts[1:]
		if !found {
			w.moved(d)
		}
		w.mu.Unlock()
	}
}

// mostMoved bounds how many lines are told of what changes by itself.
const mostMoved = 5

// moved tells of a list that what was there before has changed, and that no check does so: the
// first time in a few lines. The lock is held.
func (w *watch) moved(d *Doubt) {
	text, later := d.w.Path+": what was there before has changed while the run went on, and no check of it did so again: ", "; and more of it later"
	if i := slices.IndexFunc(w.ends, func(n event.Notice) bool { return strings.HasPrefix(n.Text, text) }); i >= 0 {
		w.ends[i].Text = strings.TrimSuffix(w.ends[i].Text, later) + later
		return
	}
	lines := d.delta.Lines()
	if more := len(lines) - mostMoved; more > 0 {
		lines = append(lines[:mostMoved], fmt.Sprintf("… and %d more", more))
	}
	w.ends = append(w.ends, event.Notice{Text: text + strings.Join(lines, "; ")})
}

// Pause holds a check back while something has changed that no check was to
// change. The first to come settles it, as soon as all others wait or have ended.
func (r *Run) Pause(ctx context.Context) {
	w := r.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	if len(w.doubts) == 0 {
		return
	}
	w.waiting++
	w.turn.Broadcast()
	if w.settling {
		for len(w.doubts) > 0 && w.settling {
			w.turn.Wait()
		}
	} else {
		w.settling = true
		for w.waiting < w.active {
			w.turn.Wait()
		}
		w.mu.Unlock()
		r.settle(ctx)
		w.mu.Lock()
		w.settling = false
		w.turn.Broadcast()
	}
	w.waiting--
}

// mostRepeated bounds how many checks are repeated for one change.
const mostRepeated = 16

// repeats tells whether one of the scenarios changes what was there before once more.
func (r *Run) repeats(ctx context.Context, d *Doubt) bool {
	for i := len(d.jobs) - 1; i >= max(0, len(d.jobs)-mostRepeated); i-- {
		if r.o.Stopped() || ctx.Err() != nil {
			return false
		}
		by := d.jobs[i]
		deed, did := by.Again(ctx, d)
		if !did {
			continue
		}
		w := r.watch
		w.mu.Lock()
		defer w.mu.Unlock()
		deed.Observed = slices.Concat(d.delta.Lines(), []string{"and when it was sent once more:"}, deed.Observed)
		sent := deed.Sent[deed.At].Exchange.Request
		r.tellHarm(d, deed, by.Name, fmt.Sprintf("%s %s in %s of %s changes what it does not name", sent.Method, sent.URL, deed.Name, by.Name))
		return true
	}
	return false
}

// tellHarm tells of harm to what was there before, with the request that did it; nothing more is
// written there. The lock is held.
func (r *Run) tellHarm(d *Doubt, deed Deed, of, says string) {
	w := r.watch
	number := len(w.harm)
	w.harm[d.w.key()] = true
	w.ends = append(w.ends, event.Notice{Severe: true, Text: "what was there before this run is not left alone: " + says + ": " + strings.Join(d.delta.Lines(), "; ")})
	r.o.Harmed(&Harm{List: d.w.Path, Number: number, Deed: deed, Of: of, By: d.jobs})
}

// lookClosely reads the guarded lists around a request of a scenario that is repeated
// alone. Twice before: what moves by itself proves nothing.
func (t *turn) lookClosely(writes bool) func(answers []*expect.Reply, first int) {
	if t.how.Closely == nil || !t.strict() || t.deed != nil || !writes {
		return func([]*expect.Reply, int) {}
	}
	type pair struct {
		of     List
		before *state.Snapshot
	}
	var all []pair
	doubt := t.how.Closely
	// A list whose names have no values holds nothing that is known.
	lists, _ := t.Lists()
	for _, l := range lists {
		if l.key() != doubt.w.key() || !l.Keyed {
			continue
		}
		first, err := t.Look(l, "what was there before", false)
		second, err2 := t.Look(l, "what was there before", false)
		if errors.Join(err, err2) != nil || first.Problem+second.Problem != "" {
			continue
		}
		steady := &state.Snapshot{}
		for _, k := range doubt.keys {
			moved := len(state.Between(first.S.Only([]string{k}), second.S.Only([]string{k})).Changed) > 0
			if first.S.Members[k] != nil && second.S.Members[k] != nil && !moved {
				steady = keeping(steady, k, second.S)
			}
		}
		all = append(all, pair{l, steady})
	}
	return func(answers []*expect.Reply, sent int) {
		for _, p := range all {
			after, err := t.Look(p.of, "what was there before", false)
			if err != nil || after.Problem != "" || len(p.before.Keys) == 0 || t.deed != nil {
				continue
			}
			d := state.Between(p.before, after.S.Only(p.before.Keys))
			switch {
			case len(d.Changed) > 0 || len(d.Lost) > 0 && doubt.w.status(d.Lost[0], after.S) == isGone:
				t.deed = &Deed{Index: t.About().Index, At: sent, Observed: d.Lines()}
			case carries(answers[0], doubt.delta):
				t.deed = &Deed{Index: t.About().Index, At: sent, Observed: []string{"nothing changed: what had changed holds the values that are sent here"}}
			}
		}
	}
}

// carries tells whether a request carries all the values that something had
// changed to: once more, it would change nothing.
func carries(r *expect.Reply, d *state.Delta) bool {
	if len(d.Changed) == 0 || len(d.Lost) > 0 || r == nil || r.Answer == nil || r.Answer.Status/100 != 2 {
		return false
	}
	body, err := value.Decode(string(r.Request.Body), value.Limits{Bytes: 1 << 26})
	if err != nil || body.Kind != value.Object {
		return false
	}
	carried := 0
	for _, c := range d.Changed {
		if len(c.Before.Names) > len(c.After.Names) {
			return false
		}
		for i, name := range c.After.Names {
			was, _ := c.Before.Get(name)
			if was != nil && value.Equal(was, c.After.Items[i]) {
				continue
			}
			if sent, ok := body.Get(name); !ok || !value.Equal(sent, c.After.Items[i]) {
				return false
			}
			carried++
		}
	}
	return carried > 0
}

// askForMissing asks, one by one, for what lists do not show any more; what is still there is no
// doubt, but its list leaves things out. What is not known of one that was asked for is asked again.
func (r *Run) askForMissing(again bool) {
	w := r.watch
	w.mu.Lock()
	open := slices.DeleteFunc(slices.Clone(w.doubts), func(d *Doubt) bool { return d.asked && (!again || len(d.gone) == len(d.delta.Lost)) })
	w.mu.Unlock()
	for _, d := range open {
		var lost, moved, gone []*value.Value
		for _, m := range d.delta.Lost {
			switch d.w.status(m, d.w.last) {
			case isThere:
				moved = append(moved, m)
				continue
			case isGone:
				gone = append(gone, m)
			}
			lost = append(lost, m)
		}
		if len(moved) > 0 && !r.book.Slides(d.w.kind()) && !d.w.shows(moved) {
			r.book.SetSlides(d.w.kind())
		}
		w.mu.Lock()
		d.asked, d.delta.Lost, d.gone = true, lost, gone
		if len(moved) > 0 {
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

// shows tells whether a list shows members when it is read again: one that is read page by page,
// while others write to it, may have skipped them.
func (one *watched) shows(members []*value.Value) bool {
	for range 2 {
		s := one.look(false)
		if s.Problem != "" {
			return false
		}
		listed := one.view.Identities(s.S)
		if !slices.ContainsFunc(members, func(m *value.Value) bool {
			return slices.ContainsFunc(s.identities(m), func(id string) bool { return !slices.Contains(listed, id) })
		}) {
			return true
		}
	}
	return false
}

// tellGone tells at once of what was there before and is gone, whatever was sent since it was seen.
func (r *Run) tellGone() {
	r.askForMissing(false)
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
	if len(d.gone) == 0 || len(d.since) == 0 || w.harm[d.w.key()] {
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
	w.doubts = append(w.doubts, &Doubt{w: one, keys: one.before.Keys, delta: &state.Delta{Lost: lost}, jobs: slices.Clone(w.wrote), asked: true, gone: lost})
}

// Harmed tells that something which was there before the run has been seen to change.
func (r *Run) Harmed() bool {
	r.tellGone()
	w := r.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	return len(w.doubts)+len(w.harm) > 0
}

// Suspect names the scenario that may have changed what was there before: at the end of the run
// it is run once more, closely, and only what changes again is told.
func (r *Run) Suspect(by Writer) {
	w := r.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	for _, d := range w.doubts {
		d.jobs = []Writer{by}
	}
}
