package custody

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
)

// mostText is the length in bytes below which a text that was sent is remembered.
const mostText = 1000

// mostWatched bounds how many items of a list are looked at again.
const mostWatched = 1000

// sends notes that a scenario is about to write.
func (t *turn) sends(r *exchange.Request) {
	if !t.strict() || syntax.SafeMethod(r.Method) {
		return
	}
	w := t.run.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	// One that is run once more draws others.
	d := w.drawn[t.by.ID]
	if d == nil {
		d = &scope.Drawn{}
		w.drawn[t.by.ID] = d
	}
	d.Take(t.drawn)
	if body, err := sentJSON(r); err == nil {
		texts(body, func(text string) bool {
			if len(text) < mostText && d.In(text) {
				w.texts = noted(w.texts, text)
			}
			return true
		})
	}
	if r.Method == "PUT" {
		w.asked[HostOf(r.URL)+" "+t.plain(r.URL)] = true
	}
	if !w.wroteBy(t.by) {
		w.wrote = append(w.wrote, t.by)
	}
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
	if len(s.Keys) > mostWatched {
		t.tell(fmt.Sprintf("%s: the first %d of %d items are looked after; all of them are left alone", l.Path, mostWatched, len(s.Keys)))
	}
	for i, k := range s.Keys {
		watched := i < mostWatched
		if watched && w.runs(l.key(), s, view, k) {
			// Another scenario has made it meanwhile.
			continue
		}
		for _, id := range view.Identities(s.Only([]string{k})) {
			one.had[id] = true
		}
		if watched {
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

// status is that of an answer, 0 for none.
func status(x *exchange.Exchange) int {
	if x == nil || x.Answer == nil {
		return 0
	}
	return x.Answer.Status
}

// later gives a list the ways in which it is looked at when the step is long over.
func (one *watched) later(step Step, w *watch) {
	one.look = func(whole bool) *Sight {
		found, err := step.Look(one.List, "what was there before", whole)
		if err != nil {
			return &Sight{Problem: err.Error()}
		}
		return found
	}
	one.asks = func(id string) int { return status(step.Item("GET", one.List, id, "whether it is gone")) }
	one.reads = func(id string) string {
		if x := step.Item("GET", one.List, id, "whether it is gone"); status(x) == 200 {
			return string(x.Answer.Body)
		}
		return ""
	}
	one.remove = func(id string) bool {
		x := step.Item("GET", one.List, id, "whether it is gone")
		if status(x) != 200 || !w.sentThis(x.Answer.Body) {
			return false
		}
		if status(step.Item("DELETE", one.List, id, "whether it is gone"))/100 != 2 {
			return false
		}
		// It could be read: some forbid what is gone.
		now := one.asks(id)
		return absent(now) || now == 403
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

// Missed notes that a list could not be read in a step, "" for none.
func (s *Scenario) Missed(step string, seen *Sight) {
	w := s.run.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	if one := w.lists[seen.Host+" "+seen.Path]; one != nil && one.unread == "" && step != "" {
		one.unread = step + " of " + s.by.Name
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
