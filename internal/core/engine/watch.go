package engine

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"path"
	"slices"
	"strings"
	"sync"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// mostWatched bounds how many items of a list are looked at again.
const mostWatched = 1000

// watch looks after what was there before the run's derived checks wrote.
type watch struct {
	mu    sync.Mutex
	lists map[string]*watched
	// drawn and asked are what the run's scenarios put into what they make.
	drawn map[int]*scope.Drawn
	asked map[string]bool
	// wrote are the checks that have written since all was last seen to be as it was.
	wrote  []job
	doubts []doubt
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
	list   string
	before *state.Snapshot
	view   state.View
	last   *state.Snapshot
	// look reads it once more, whole with all that is ignored otherwise.
	look func(whole bool) *snapshot
}

// doubt is a change of what was there before, with the checks that may have
// made it.
type doubt struct {
	w *watched
	// keys are of all that is looked after.
	keys  []string
	delta *state.Delta
	jobs  []job
}

func newWatch() *watch {
	w := &watch{lists: map[string]*watched{}, drawn: map[int]*scope.Drawn{}, asked: map[string]bool{}, harm: map[string]string{}}
	w.turn = sync.NewCond(&w.mu)
	return w
}

// harmed tells why nothing is written below a list any more, or "".
func (w *watch) harmed(list string) string {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.harm[list]
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
	if r.Method == "PUT" {
		w.asked[plainPath(r.URL)] = true
	}
	if !slices.ContainsFunc(w.wrote, func(j job) bool { return j.id == t.in.job.id }) {
		w.wrote = append(w.wrote, t.in.job)
	}
}

// begin takes in what a guarded list holds before a scenario writes.
func (w *watch) begin(t *step, g *guard, list string, s *state.Snapshot) {
	if !t.strict() || t.in.closely != nil {
		return
	}
	view, err := t.view(g.o)
	if err != nil {
		return
	}
	w.mu.Lock()
	_, known := w.lists[list]
	w.mu.Unlock()
	if known {
		return
	}
	one := &watched{list: list, view: view, before: &state.Snapshot{}, last: s}
	for i, k := range s.Keys {
		if i == mostWatched {
			t.in.emit(&event.Notice{Text: fmt.Sprintf("%s: the first %d of %d items are looked after; all of them are left alone", t.env.mask.text(list), mostWatched, len(s.Keys))})
			break
		}
		if !w.runs(list, s, view, k) {
			one.before = keeping(one.before, k, s)
		}
	}
	if len(one.before.Keys) > 0 || t.in.guards[0] == g {
		// A step of its own: that of the check is told by then.
		again := *t
		again.e = &event.StepFinished{}
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
	}
	w.mu.Lock()
	w.lists[list] = one
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
func (w *watch) runs(list string, s *state.Snapshot, view state.View, key string) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	for _, id := range view.Identities(s.Only([]string{key})) {
		if w.asked[strings.TrimSuffix(list, "/")+"/"+strings.ToLower(id)] {
			return true
		}
	}
	return w.sent(s.Members[key].String())
}

// saw holds what an observation shows against what was there before.
func (w *watch) saw(t *step, o *syntax.Observe, at string, s *state.Snapshot) {
	if t.in.closely != nil || o.By == nil || o.Without != nil || s == nil {
		return
	}
	if u, err := url.Parse(at); err != nil || u.RawQuery != "" {
		return
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	one := w.lists[plainPath(at)]
	if one == nil || one.look == nil || one.last == s || o.By.Raw != one.view.By.String() {
		return
	}
	view, err := t.view(o)
	if err != nil {
		return
	}
	w.compare(one, s, view, t.in.job)
}

// compare notes what has changed since the list was last seen, in a view that
// may ignore other members. The lock is held.
func (w *watch) compare(one *watched, s *state.Snapshot, view state.View, now job) {
	one.last = s
	is := one.view.Bare(s.Only(one.before.Keys))
	d := state.Between(view.Bare(one.before.Only(one.before.Keys)), is)
	if len(d.Lost)+len(d.Changed) == 0 {
		// Checks beside this one may have written what is not seen yet.
		w.wrote = slices.DeleteFunc(w.wrote, func(j job) bool { return j.id != now.id && j.over != nil && j.over.Load() })
		return
	}
	w.doubts = append(w.doubts, doubt{one, one.before.Keys, d, slices.Clone(w.wrote)})
	// What has changed is told once.
	steady := slices.DeleteFunc(slices.Clone(is.Keys), func(k string) bool {
		return slices.ContainsFunc(d.Changed, func(c state.Change) bool { return c.After == is.Members[k] })
	})
	one.before = one.before.Only(steady)
}

// settle repeats, alone, the checks that may have changed what was there before:
// only what changes again is a finding. Whoever calls it waits until nobody else
// is about to write.
func (r *environment) settle(ctx context.Context) {
	w := r.watch
	for {
		w.mu.Lock()
		if len(w.doubts) == 0 {
			w.mu.Unlock()
			return
		}
		d := w.doubts[0]
		w.wrote = nil
		told := w.harm[d.w.list] != ""
		w.mu.Unlock()
		found := told || r.repeats(ctx, d)
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
func (r *environment) repeats(ctx context.Context, d doubt) bool {
	for i := len(d.jobs) - 1; i >= max(0, len(d.jobs)-mostRepeated); i-- {
		if r.stopped() || ctx.Err() != nil {
			return false
		}
		j := d.jobs[i]
		var steps []*event.StepFinished
		s := r.play(ctx, j, &d, func(e event.Event) {
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
func (r *environment) accuse(j job, d doubt, h *harm, st *event.StepFinished) {
	w := r.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	id := firstHarm + len(w.harm)
	w.harm[d.w.list] = "this service changes there what it was not asked to; nothing more is written"
	f := event.Finding{Verdict: event.Failed, Line: st.Line, Expected: "what was there before stays as it is",
		Observed: slices.Concat(d.delta.Lines(), []string{"and when it was sent once more:"}, h.lines),
		Because:  "a request changes what it names, and nothing else (RFC 9110 §9.3)", Sent: h.sent}
	e := *st
	e.Scenario, e.Index, e.Verdict, e.Findings, e.Why = id, 1, event.Failed, []event.Finding{f}, ""
	r.mask.step(&e)
	title := r.mask.text(d.w.list + ": what was there before is left alone")
	w.found = append(w.found, &event.ScenarioStarted{ID: id, File: j.s.File.Source.Name, Line: j.s.Line(), Title: title, Pattern: j.s.Raw()}, &e,
		&event.ScenarioFinished{Scenario: id, Verdict: event.Failed, Steps: 1, Requests: len(e.Sent)})
	sent := st.Sent[h.sent].Exchange.Request
	w.ends = append(w.ends, event.Notice{Severe: true, Text: r.mask.text(fmt.Sprintf("what was there before this run is not left alone: %s %s in step %q (%s:%d) of %s changes what it does not name: %s",
		sent.Method, sent.URL, st.Title, st.File, st.Line, j.s.Raw(), strings.Join(d.delta.Lines(), "; ")))})
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

// close reads the guarded lists around a request of a check that is repeated
// alone. Twice before: what moves by itself proves nothing.
func (t *step) close() func(at *attempt) {
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
		if err != nil || list != t.in.closely.w.list || g.o.By == nil {
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
			case len(d.Changed) > 0 || len(d.Lost) > 0 && t.gone(p.g, d, after.s):
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

// gone tells whether what a list does not show any more cannot be read either,
// while what it shows can: a list may show a part of what is there.
func (t *step) gone(g *guard, d *state.Delta, after *state.Snapshot) bool {
	view, err := t.view(g.o)
	root, err2 := url.Parse(t.base)
	if err != nil || err2 != nil || len(after.Keys) == 0 {
		return false
	}
	status := func(s *state.Snapshot) int {
		ids := view.Identities(s)
		if len(ids) == 0 {
			return 0
		}
		x := t.env.client.Do(t.in.ctx, &exchange.Request{Method: "GET", URL: root.Scheme + "://" + root.Host + strings.TrimSuffix(t.in.closely.w.list, "/") + "/" + url.PathEscape(ids[0]), Timeout: t.env.o.Timeout})
		t.e.Sent = append(t.e.Sent, event.Sent{Role: event.Observation, Name: "whether it is gone", Exchange: x})
		if x.Answer == nil {
			return 0
		}
		return x.Answer.Status
	}
	lost := &state.Snapshot{Keys: []string{"1"}, Members: map[string]*value.Value{"1": d.Lost[0]}}
	is := status(lost)
	return (is == 404 || is == 410) && status(after.Only(after.Keys[:1])) == 200
}

// leftIn notes what a list still shows and this run has made: some services keep
// what they say is gone, and make what they refuse.
func (r *environment) leftIn(one *watched, s *state.Snapshot) {
	w, l := r.watch, &r.ledger
	w.mu.Lock()
	defer w.mu.Unlock()
	l.mu.Lock()
	defer l.mu.Unlock()
	// Where one that was removed is kept in a state that says so, others are too.
	states := false
	var removed []made
	for _, k := range s.Keys {
		ids := one.view.Identities(s.Only([]string{k}))
		if one.before.Members[k] != nil || len(ids) != 1 {
			continue
		}
		same := func(m made) bool { return path.Base(m.path) == strings.ToLower(ids[0]) }
		if slices.ContainsFunc(l.made, same) {
			continue
		}
		left := made{path: path.Join(one.list, strings.ToLower(ids[0])), told: r.mask.text(one.list + " " + ids[0])}
		if i := slices.IndexFunc(l.removed, same); i >= 0 {
			if otherState(l.asRead(l.removed[i]), s.Members[k]) {
				states = true
			} else {
				removed = append(removed, left)
			}
			continue
		}
		if w.sent(s.Members[k].String()) {
			l.made = append(l.made, left)
		}
	}
	if !states {
		l.made = append(l.made, removed...)
	}
}

// sent tells whether a text holds a value that a check of this run has drawn.
// The lock is held.
func (w *watch) sent(text string) bool {
	for _, d := range w.drawn {
		if d.In(text) {
			return true
		}
	}
	return false
}

// otherState tells whether a member of a list says something else than the item
// did before it was removed.
func otherState(before string, now *value.Value) bool {
	was, err := value.Decode(before, value.Limits{Lenient: true})
	if err != nil || was.Kind != value.Object || now.Kind != value.Object {
		return false
	}
	for i, n := range now.Names {
		if v, ok := was.Get(n); ok && !value.Equal(v, now.Items[i]) {
			return true
		}
	}
	return false
}

// lastLook looks once more at all that was there before, at the end of a run.
func (r *environment) lastLook(ctx context.Context, emit func(event.Event)) {
	w := r.watch
	w.mu.Lock()
	var list []*watched
	for _, one := range w.lists {
		if one.look != nil && len(w.wrote) > 0 {
			list = append(list, one)
		}
	}
	w.mu.Unlock()
	slices.SortFunc(list, func(a, b *watched) int { return strings.Compare(a.list, b.list) })
	for _, one := range list {
		if ctx.Err() != nil || r.lost() {
			break
		}
		if s := one.look(false); s.problem == "" {
			w.mu.Lock()
			w.compare(one, s.s, one.view, job{})
			w.mu.Unlock()
		}
		if s := one.look(true); s.problem == "" {
			r.leftIn(one, s.s)
		}
	}
	r.settle(ctx)
	for _, e := range w.take() {
		emit(e)
	}
	for _, n := range w.ends {
		emit(&n)
	}
}
