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
		r.askForMissing()
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
		w.mu.Lock()
		w.doubts = w.doubts[1:]
		if !found {
			w.ends = append(w.ends, event.Notice{Text: d.w.Path + ": what was there before has changed while the run went on, and no check of it did so again: " + strings.Join(d.delta.Lines(), "; ")})
		}
		w.mu.Unlock()
	}
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

// Harm is something done to what was there before the run.
type Harm struct {
	// List is the path of its list, Number counts what was told before.
	List   string
	Number int
	Deed
	// Of is the scenario that it was seen in, "" where that is not known, and By are all that may
	// have done it.
	Of string
	By []Writer
}

// Deed is a request that changed what it does not name.
type Deed struct {
	// Step is its step's title, Name the same with where it stands; File and Line say where.
	Step, Name, File string
	Line             int
	// Sent is what was sent there, and At the place of the request in it.
	Sent []event.Sent
	At   int
	// Index is the step's number in its scenario.
	Index int
	// Observed says what has changed.
	Observed []string
}

// Why says what follows from harm.
func (h *Harm) Why() string { return h.List + ": " + harmText }

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
