package engine

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/event"
	"usualpath/internal/core/state"
	"usualpath/internal/core/value"
)

// settle repeats, alone, the checks that may have changed what was there before:
// only what changes again is a finding. Whoever calls it waits until nobody else
// is about to write.
func (r *environment) settle(ctx context.Context) {
	w := r.watch
	for {
		r.askForMissing()
		w.mu.Lock()
		if len(w.doubts) == 0 {
			w.mu.Unlock()
			return
		}
		d := w.doubts[0]
		w.wrote = nil
		told := w.harm[d.w.key] != ""
		w.mu.Unlock()
		found := told || r.goneAfter(d) || r.repeats(ctx, d)
		w.mu.Lock()
		w.doubts = w.doubts[1:]
		if !found {
			w.ends = append(w.ends, event.Notice{Text: r.mask.text(d.w.list + ": what was there before has changed while the run went on, and no check of it did so again: " + strings.Join(d.delta.Lines(), "; "))})
		}
		w.mu.Unlock()
	}
}

// pause holds a check back while something has changed that no check was to
// change. The first to come settles it, as soon as all others wait or have ended.
func (r *environment) pause(ctx context.Context) {
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

// take gives away what is to be told after a scenario.
func (w *watch) take() []event.Event {
	w.mu.Lock()
	defer w.mu.Unlock()
	out := w.found
	w.found = nil
	return out
}

// mostRepeated bounds how many checks are repeated for one change.
const mostRepeated = 16

// repeats tells whether one of the checks changes what was there before once more.
func (r *environment) repeats(ctx context.Context, d *doubt) bool {
	for i := len(d.jobs) - 1; i >= max(0, len(d.jobs)-mostRepeated); i-- {
		if r.stopped() || ctx.Err() != nil {
			return false
		}
		j := d.jobs[i]
		var steps []*event.StepFinished
		s := r.play(ctx, j, d, func(e event.Event) {
			if st, ok := e.(*event.StepFinished); ok {
				steps = append(steps, st)
			}
		})
		if s.harm == nil || s.harm.index > len(steps) {
			continue
		}
		r.accuse(j, d, s.harm, steps[s.harm.index-1])
		return true
	}
	return false
}

// accuse tells of a service that changes what a check did not name.
func (r *environment) accuse(j job, d *doubt, h *harm, st *event.StepFinished) {
	w := r.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	sent := st.Sent[h.sent].Exchange.Request
	r.tellHarm(d, st, h.sent, j.s.Raw(), slices.Concat(d.delta.Lines(), []string{"and when it was sent once more:"}, h.lines),
		fmt.Sprintf("%s %s in step %q (%s:%d) of %s changes what it does not name", sent.Method, sent.URL, st.Title, st.File, st.Line, j.s.Raw()))
}

// tellHarm tells of harm to what was there before, with the request that did it; nothing more is
// written there. The lock is held.
func (r *environment) tellHarm(d *doubt, st *event.StepFinished, sent int, of string, observed []string, says string) {
	w := r.watch
	id := firstHarm + len(w.harm)
	w.harm[d.w.key] = "this service changes there what it was not asked to; nothing more is written"
	f := event.Finding{Verdict: event.Failed, Line: st.Line, Expected: "what was there before stays as it is", Observed: observed,
		Because: "a request changes what it names, and nothing else (RFC 9110 §9.3)", Sent: sent}
	e := *st
	e.Scenario, e.Index, e.Verdict, e.Findings, e.Why = id, 1, event.Failed, []event.Finding{f}, ""
	title := r.mask.text(d.w.list + ": what was there before is left alone")
	w.found = append(w.found, &event.ScenarioStarted{ID: id, File: st.File, Line: st.Line, Title: title, Pattern: of}, &e,
		&event.ScenarioFinished{Scenario: id, Verdict: event.Failed, Steps: 1, Requests: len(e.Sent)})
	w.ends = append(w.ends, event.Notice{Severe: true, Text: r.mask.text("what was there before this run is not left alone: " + says + ": " + strings.Join(d.delta.Lines(), "; "))})
	for _, j := range d.jobs {
		if j.s.Check != nil {
			r.shutOff(j.s.File, r.checkOf(j.s), d.w.list+": "+w.harm[d.w.key])
		}
	}
	r.mu.Lock()
	r.failed = true
	r.mu.Unlock()
}

// firstHarm numbers what is found beside the scenarios of the plan.
const firstHarm = 1_000_000

// harm is what a request did to what was there before.
type harm struct {
	// index is the step's number, sent the place of the request in it.
	index, sent int
	lines       []string
}

// lookClosely reads the guarded lists around a request of a check that is repeated
// alone. Twice before: what moves by itself proves nothing.
func (t *step) lookClosely() func(at *attempt) {
	if t.in.closely == nil || !t.strict() || t.in.harm != nil {
		return func(*attempt) {}
	}
	type pair struct {
		g      *guard
		before *state.Snapshot
	}
	var all []pair
	for _, g := range t.in.guards {
		list, err := t.collection(g)
		if err != nil || listKey(t.base, list) != t.in.closely.w.key || g.o.By == nil {
			continue
		}
		first, err := t.look("what was there before", g.o)
		second, err2 := t.look("what was there before", g.o)
		if errors.Join(err, err2) != nil || first.problem+second.problem != "" {
			continue
		}
		steady := &state.Snapshot{}
		for _, k := range t.in.closely.keys {
			moved := len(state.Between(first.s.Only([]string{k}), second.s.Only([]string{k})).Changed) > 0
			if first.s.Members[k] != nil && second.s.Members[k] != nil && !moved {
				steady = keeping(steady, k, second.s)
			}
		}
		all = append(all, pair{g, steady})
	}
	return func(at *attempt) {
		for _, p := range all {
			after, err := t.look("what was there before", p.g.o)
			if err != nil || after.problem != "" || len(p.before.Keys) == 0 || t.in.harm != nil {
				continue
			}
			d := state.Between(p.before, after.s.Only(p.before.Keys))
			switch doubt := t.in.closely; {
			case len(d.Changed) > 0 || len(d.Lost) > 0 && doubt.w.status(d.Lost[0], after.s) == isGone:
				t.in.harm = &harm{t.e.Index, at.sent, d.Lines()}
			case writes(at, doubt.delta):
				t.in.harm = &harm{t.e.Index, at.sent, []string{"nothing changed: what had changed holds the values that are sent here"}}
			}
		}
	}
}

// writes tells whether a request carries all the values that something had
// changed to: once more, it would change nothing.
func writes(at *attempt, d *state.Delta) bool {
	if len(d.Changed) == 0 || len(d.Lost) > 0 || at.replies[0] == nil || at.replies[0].Answer == nil || at.replies[0].Answer.Status/100 != 2 {
		return false
	}
	body, err := value.Decode(string(at.replies[0].Request.Body), value.Limits{Bytes: 1 << 26})
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
