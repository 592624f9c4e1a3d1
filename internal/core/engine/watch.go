package engine

import (
	"fmt"
	"net/url"
	"slices"
	"strings"
	"sync"

	"usualpath/internal/core/custody"
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
	wrote  []job
	doubts []*doubt
	harm   map[string]string
	// found are events to be told as soon as no scenario is under way, ends what
	// is told at the end of the run.
	found []event.Event
	ends  []event.Notice
	// active scenarios are under way, waiting ones are held back while one of them
	// settles what has changed.
	active, waiting int
	settling        bool
	turn            *sync.Cond
}

// watched is a list, as it was before the first write.
type watched struct {
	// key tells the list from that of another service, list is its path, and kind the same for
	// the lists below all parents.
	key, list, kind string
	before          *state.Snapshot
	view            state.View
	last            *state.Snapshot
	// keys finds what may be keys in all that it held.
	keys *custody.Index
	// unread is the step since which it cannot be read, "" while it can, or where that is
	// seen only at the end.
	unread string
	// look reads it once more, whole with all that is ignored otherwise; asks reads one item
	// by itself, and gives the status, 0 where there is no answer.
	look func(whole bool) *snapshot
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

// doubt is a change of what was there before, with the checks that may have
// made it.
type doubt struct {
	w *watched
	// keys are of all that is looked after.
	keys  []string
	delta *state.Delta
	jobs  []job
	// since are the writes that came before it, asked tells that what is missing in the list
	// was asked for by itself.
	since []event.Sent
	asked bool
}

func newWatch() *watch {
	w := &watch{lists: map[string]*watched{}, drawn: map[int]*scope.Drawn{}, asked: map[string]bool{}, harm: map[string]string{}}
	w.turn = sync.NewCond(&w.mu)
	return w
}

// listKey tells a list, or an item, from one of the same path on another host.
func listKey(raw, at string) string {
	host := ""
	if u, err := url.Parse(raw); err == nil {
		host = strings.ToLower(u.Host)
	}
	return host + " " + at
}

// harmed tells why nothing is written below a list any more, or "".
func (w *watch) harmed(key string) string {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.harm[key]
}

// atEnd keeps what is told at the end of the run.
func (w *watch) atEnd(n event.Notice) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.ends = append(w.ends, n)
}

// told tells whether it has been told of any harm.
func (w *watch) told() bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	return len(w.harm) > 0
}

// keys finds what may be keys in a list as it was before the run, nil where it was not read.
func (w *watch) keys(list string) *custody.Index {
	w.mu.Lock()
	defer w.mu.Unlock()
	if one := w.lists[list]; one != nil {
		return one.keys
	}
	return nil
}

// sends notes that a derived check is about to write.
func (w *watch) sends(t *step, r *exchange.Request) {
	if !t.strict() || syntax.SafeMethod(r.Method) {
		return
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	d := t.in.world.Drawn
	w.drawn[t.in.job.id] = &d
	if body, err := sentJSON(r); err == nil {
		custody.Texts(body, func(text string) bool {
			if len(text) < mostText && d.In(text) {
				w.texts = noted(w.texts, text)
			}
			return true
		})
	}
	if r.Method == "PUT" {
		w.asked[listKey(r.URL, plainPath(r.URL))] = true
	}
	if !w.wroteBy(t.in.job) {
		w.wrote = append(w.wrote, t.in.job)
	}
}

// wroteIn tells whether a derived check has sent a write.
func (w *watch) wroteIn(j job) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.wroteBy(j)
}

func (w *watch) wroteBy(one job) bool {
	return slices.ContainsFunc(w.wrote, func(j job) bool { return j.id == one.id })
}

// begin takes in what a guarded list holds before a scenario writes.
func (w *watch) begin(t *step, g *guard, list string, found *snapshot) {
	if !t.strict() || t.in.closely != nil {
		return
	}
	s, view := found.s, found.view
	w.mu.Lock()
	key := listKey(t.base, list)
	_, known := w.lists[key]
	w.mu.Unlock()
	if known {
		return
	}
	one := &watched{key: key, list: list, kind: place{g, list}.key(t.base), view: view, before: &state.Snapshot{}, last: s, keys: custody.NewIndex(s), had: map[string]bool{}}
	for _, id := range view.Identities(s) {
		one.had[id] = true
	}
	for i, k := range s.Keys {
		if i == mostWatched {
			t.in.emit(&event.Notice{Text: fmt.Sprintf("%s: the first %d of %d items are looked after; all of them are left alone", t.env.mask.text(list), mostWatched, len(s.Keys))})
			break
		}
		if !w.runs(key, s, view, k) {
			one.before = keeping(one.before, k, s)
		}
	}
	if len(one.before.Keys) > 0 || t.in.guards[0] == g {
		// A step of its own, in a scenario as it is now: that of the check is told by
		// then, and its lines are put away.
		again, in := *t, *t.in
		again.e, again.in, again.sees = &event.StepFinished{}, &in, nil
		one.look = func(whole bool) *snapshot {
			o := *g.o
			if whole {
				o.Ignoring = nil
			}
			found, err := again.look("what was there before", &o)
			if err != nil {
				return &snapshot{problem: err.Error()}
			}
			return found
		}
		one.asks = func(id string) int { return again.asks(g.o, id) }
		one.remove = func(id string) bool {
			x := again.sendItem("GET", g.o, id)
			if x == nil || x.Answer == nil || x.Answer.Status != 200 || !w.sentThis(x.Answer.Body) {
				return false
			}
			x = again.sendItem("DELETE", g.o, id)
			return x != nil && x.Answer != nil && x.Answer.Status/100 == 2 && absent(again.asks(g.o, id))
		}
	}
	w.mu.Lock()
	w.lists[key] = one
	w.mu.Unlock()
}

// keeping is a snapshot with one more member of another.
func keeping(s *state.Snapshot, key string, of *state.Snapshot) *state.Snapshot {
	if s.Members == nil {
		s.Members = of.Only(nil).Members
	}
	s.Keys = append(s.Keys, key)
	s.Members[key] = of.Members[key]
	return s
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

// saw holds what an observation shows against what was there before.
func (w *watch) saw(t *step, o *syntax.Observe, at string, s *state.Snapshot) {
	if o.By == nil || o.Without != nil || s == nil {
		return
	}
	if u, err := url.Parse(at); err != nil || u.RawQuery != "" {
		return
	}
	if t.strict() {
		t.in.own.seen[plainPath(at)] = s
	}
	if t.in.closely != nil {
		return
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	one := w.lists[listKey(at, plainPath(at))]
	if one != nil {
		one.unread = ""
	}
	if one == nil || one.look == nil || o.By.Raw != one.view.By.String() {
		return
	}
	if one.last == s {
		one.since, one.deletes = nil, 0
		return
	}
	view, err := t.view(o)
	if err != nil {
		return
	}
	w.compare(one, s, view, t.in.job)
}

// missed notes that a list could not be read.
func (w *watch) missed(t *step, at string) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if one := w.lists[listKey(at, plainPath(at))]; one != nil && one.unread == "" && t.e.Title != "" {
		one.unread = fmt.Sprintf("step %q (%s:%d) of %s", t.e.Title, t.e.File, t.e.Line, t.in.job.s.Raw())
	}
}

// compare notes what has changed since the list was last seen, in a view that
// may ignore other members. The lock is held.
func (w *watch) compare(one *watched, s *state.Snapshot, view state.View, now job) {
	one.last = s
	since := one.since
	one.since, one.deletes = nil, 0
	is := one.view.Bare(s.Only(one.before.Keys))
	d := state.Between(view.Bare(one.before.Only(one.before.Keys)), is)
	if len(d.Lost)+len(d.Changed) == 0 {
		// Checks beside this one may have written what is not seen yet.
		w.wrote = slices.DeleteFunc(w.wrote, func(j job) bool { return j.id != now.id && j.over != nil && j.over.Load() })
		return
	}
	w.doubts = append(w.doubts, &doubt{w: one, keys: one.before.Keys, delta: d, jobs: slices.Clone(w.wrote), since: since})
	// What has changed is told once.
	steady := slices.DeleteFunc(slices.Clone(is.Keys), func(k string) bool {
		return slices.ContainsFunc(d.Changed, func(c state.Change) bool { return c.After == is.Members[k] })
	})
	one.before = one.before.Only(steady)
}

// enters and leaves count the scenarios under way.
func (w *watch) enters() {
	w.mu.Lock()
	w.active++
	w.mu.Unlock()
}

func (w *watch) leaves() {
	w.mu.Lock()
	w.active--
	w.turn.Broadcast()
	w.mu.Unlock()
}
