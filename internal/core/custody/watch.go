package custody

import (
	"fmt"
	"slices"
	"strings"
	"sync"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
)

// mostText is the length in bytes below which a text that was sent is remembered.
const mostText = 1000

// mostWatched bounds how many items of a list are looked at again.
const mostWatched = 1000

// Run is what is known of all scenarios of a run together. It may be used by several at once.
type Run struct {
	o      Options
	book   Book
	ledger ledger
	others *others
	watch  *watch
}

// Options connect it with what runs the scenarios.
type Options struct {
	// Stopped tells that nothing more is to be sent.
	Stopped func() bool
	// Harmed is told of harm to what was there before, as soon as it is known.
	Harmed func(h *Harm)
}

// NewRun begins a run.
func NewRun(o Options) *Run {
	w := &watch{lists: map[string]*watched{}, drawn: map[int]*scope.Drawn{}, asked: map[string]bool{}, harm: map[string]bool{}}
	w.turn = sync.NewCond(&w.mu)
	return &Run{o: o, others: newOthers(), watch: w}
}

// watch looks after what was there before the run's derived checks wrote.
type watch struct {
	mu    sync.Mutex
	lists map[string]*watched
	// drawn and asked are what the run's scenarios put into what they make.
	drawn map[int]*scope.Drawn
	asked map[string]bool
	// texts are those that were sent whole and hold a drawn value: nobody else has them.
	texts map[string]bool
	// wrote are the checks that have written since all was last seen to be as it was.
	wrote  []Writer
	doubts []*Doubt
	harm   map[string]bool
	// ends are told at the end of the run.
	ends []event.Notice
	// active scenarios are under way, waiting ones are held back while one of them
	// settles what has changed.
	active, waiting int
	settling        bool
	turn            *sync.Cond
}

// watched is a list, as it was before the first write.
type watched struct {
	List
	before *state.Snapshot
	view   state.View
	last   *state.Snapshot
	// keys finds what may be keys in all that it held.
	keys *Index
	// unread is the step since which it cannot be read, "" while it can, or where that is
	// seen only at the end.
	unread string
	// look reads it once more, whole with all that is ignored otherwise; asks reads one item
	// by itself, and gives the status, 0 where there is no answer.
	look func(whole bool) *Sight
	asks func(id string) int
	// remove deletes an item that shows what this run has drawn, removes tells that items of the
	// list are deleted so.
	remove  func(id string) bool
	removes bool
	// had are the identities of all that it held at first.
	had map[string]bool
	// unlisted were there before, are not listed any more, and can be read by themselves.
	unlisted *state.Snapshot
	// since are the writes below it since it was last seen, deletes those that may have
	// removed something.
	since   []event.Sent
	deletes int
}

// Doubt is a change of what was there before, with the scenarios that may have
// made it.
type Doubt struct {
	w *watched
	// keys are of all that is looked after.
	keys  []string
	delta *state.Delta
	jobs  []Writer
	// since are the writes that came before it, asked tells that what is missing in the list
	// was asked for by itself.
	since []event.Sent
	asked bool
}

// harmed tells why nothing is written to a list any more, or "".
func (r *Run) harmed(key string) string {
	w := r.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.harm[key] {
		return harmText
	}
	return ""
}

const harmText = "this service changes there what it was not asked to; nothing more is written"

// AtEnd keeps what is told at the end of the run.
func (r *Run) AtEnd(n event.Notice) {
	w := r.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	w.ends = append(w.ends, n)
}

// Told tells whether harm to anything that was there before has been told.
func (r *Run) Told() bool {
	w := r.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	return len(w.harm) > 0
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

// keys finds what may be keys in a list as it was before the run, nil where it was not read.
func (r *Run) keys(list string) *Index {
	w := r.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	if one := w.lists[list]; one != nil {
		return one.keys
	}
	return nil
}

// sends notes that a scenario is about to write.
func (t *turn) sends(r *exchange.Request) {
	if !t.strict() || syntax.SafeMethod(r.Method) {
		return
	}
	w := t.run.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	d := *t.drawn
	w.drawn[t.by.ID] = &d
	if body, err := sentJSON(r); err == nil {
		Texts(body, func(text string) bool {
			if len(text) < mostText && d.In(text) {
				w.texts = noted(w.texts, text)
			}
			return true
		})
	}
	if r.Method == "PUT" {
		w.asked[HostOf(r.URL)+" "+PlainPath(r.URL)] = true
	}
	if !w.wroteBy(t.by) {
		w.wrote = append(w.wrote, t.by)
	}
}

// Wrote tells whether the scenario has sent a write.
func (s *Scenario) Wrote() bool {
	w := s.run.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.wroteBy(s.by)
}

func (w *watch) wroteBy(one Writer) bool {
	return slices.ContainsFunc(w.wrote, func(by Writer) bool { return by.ID == one.ID })
}

// begin takes in what a guarded list holds before a scenario writes.
func (t *turn) begin(l List, found *Sight) {
	if !t.strict() || t.how.Closely != nil {
		return
	}
	s, view, w := found.S, found.View, t.run.watch
	w.mu.Lock()
	_, known := w.lists[l.key()]
	w.mu.Unlock()
	if known {
		return
	}
	one := &watched{List: l, view: view, before: &state.Snapshot{}, last: s, keys: NewIndex(s), had: map[string]bool{}}
	for _, id := range view.Identities(s) {
		one.had[id] = true
	}
	for i, k := range s.Keys {
		if i == mostWatched {
			t.tell(fmt.Sprintf("%s: the first %d of %d items are looked after; all of them are left alone", l.Path, mostWatched, len(s.Keys)))
			break
		}
		if !w.runs(l.key(), s, view, k) {
			one.before = keeping(one.before, k, s)
		}
	}
	if len(one.before.Keys) > 0 || l.N == 0 {
		one.later(t.Step.Apart(), w)
	}
	w.mu.Lock()
	w.lists[l.key()] = one
	w.mu.Unlock()
}

// later gives a list the ways in which it is looked at when the step is long over.
func (one *watched) later(step Step, w *watch) {
	status := func(x *exchange.Exchange) int {
		if x == nil || x.Answer == nil {
			return 0
		}
		return x.Answer.Status
	}
	one.look = func(whole bool) *Sight {
		found, err := step.Look(one.List, "what was there before", whole)
		if err != nil {
			return &Sight{Problem: err.Error()}
		}
		return found
	}
	one.asks = func(id string) int { return status(step.Item("GET", one.List, id, "whether it is gone")) }
	one.remove = func(id string) bool {
		x := step.Item("GET", one.List, id, "whether it is gone")
		if status(x) != 200 || !w.sentThis(x.Answer.Body) {
			return false
		}
		return status(step.Item("DELETE", one.List, id, "whether it is gone"))/100 == 2 && absent(one.asks(id))
	}
}

// runs tells whether a member of a list may be one that this run has made, in
// another scenario that is under way.
func (w *watch) runs(of string, s *state.Snapshot, view state.View, key string) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	for _, id := range view.Identities(s.Only([]string{key})) {
		if w.asked[strings.TrimSuffix(of, "/")+"/"+strings.ToLower(id)] {
			return true
		}
	}
	return w.sent(s.Members[key].String())
}

// Saw takes in what an observation showed that reads the list whole, and holds it against what was
// there before.
func (s *Scenario) Saw(seen *Sight) {
	if s.strict() {
		s.own.seen[seen.Path] = seen.S
	}
	if s.how.Closely != nil {
		return
	}
	w := s.run.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	one := w.lists[seen.Host+" "+seen.Path]
	if one != nil {
		one.unread = ""
	}
	if one == nil || one.look == nil || seen.View.By.String() != one.view.By.String() {
		return
	}
	if one.last == seen.S {
		one.since, one.deletes = nil, 0
		return
	}
	w.compare(one, seen.S, seen.View, s.by)
}

// Missed notes that a list could not be read.
func (s *Scenario) Missed(step Step, seen *Sight) {
	w := s.run.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	if one, name := w.lists[seen.Host+" "+seen.Path], step.About().Name; one != nil && one.unread == "" && name != "" {
		one.unread = name + " of " + s.by.Name
	}
}

// compare notes what has changed since the list was last seen, in a view that
// may ignore other members. The lock is held.
func (w *watch) compare(one *watched, s *state.Snapshot, view state.View, now Writer) {
	one.last = s
	since := one.since
	one.since, one.deletes = nil, 0
	is := one.view.Bare(s.Only(one.before.Keys))
	d := state.Between(view.Bare(one.before.Only(one.before.Keys)), is)
	if len(d.Lost)+len(d.Changed) == 0 {
		// Checks beside this one may have written what is not seen yet.
		w.wrote = slices.DeleteFunc(w.wrote, func(by Writer) bool { return by.ID != now.ID && by.Over != nil && by.Over() })
		return
	}
	w.doubts = append(w.doubts, &Doubt{w: one, keys: one.before.Keys, delta: d, jobs: slices.Clone(w.wrote), since: since})
	// What has changed is told once.
	steady := slices.DeleteFunc(slices.Clone(is.Keys), func(k string) bool {
		return slices.ContainsFunc(d.Changed, func(c state.Change) bool { return c.After == is.Members[k] })
	})
	one.before = one.before.Only(steady)
}

// Enters and Leaves count the scenarios under way.
func (r *Run) Enters() {
	w := r.watch
	w.mu.Lock()
	w.active++
	w.mu.Unlock()
}

// Leaves ends what Enters has begun.
func (r *Run) Leaves() {
	w := r.watch
	w.mu.Lock()
	w.active--
	w.turn.Broadcast()
	w.mu.Unlock()
}
