// Package roam walks off the usual path: it sends a service what no check thinks
// of, remembers what the service has acknowledged, and holds it to that. What
// contradicts itself is replayed on fresh items, made as short as it can be, and
// given back as a scenario. Several clients at once are judged by package history.
package roam

import (
	"fmt"
	"slices"
	"sync"
	"time"

	"usualpath/internal/core/engine"
	"usualpath/internal/core/event"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
)

// Options say how long and how wide it goes.
type Options struct {
	// For bounds the time, Steps the moves; 0 for no bound.
	For   time.Duration
	Steps int
	// Clients is how many work at once, for a part of the time; 1 for one only.
	Clients int
	// Items is the most that walks make live at once.
	Items int
	// Seen is told now and then how far it is; nil for nobody.
	Seen func(Progress)
	// File names the scenarios that are found, as their steps tell it.
	File string

	mu       sync.Mutex
	begun    time.Time
	progress Progress
	last     time.Time
}

// Progress is how far it is.
type Progress struct {
	// Steps are requests that were chosen, Requests all that was sent, Trials those of
	// replays among them.
	Steps, Requests, Trials, Found, Walks int
	// Items are alive now.
	Items int
	// New is how many things that a move can be new in have been met.
	New int
	// Left is the time that is left, Share the share of the whole that is done, of 1.
	Left  time.Duration
	Share float64
	// Resource is the one that is walked.
	Resource string
}

// Outcome is what came of it.
type Outcome struct {
	Progress
	Findings []*Finding
	// Told is the event that tells how far it went.
	Told *event.Roamed
}

// patience is how long one doubt may be looked into.
func (o *Options) patience() time.Duration {
	if o.For > 0 {
		return max(3*time.Second, o.For/4)
	}
	return 10 * time.Second
}

// persistence is how long a way may be made shorter.
func (o *Options) persistence() time.Duration {
	return max(8*time.Second, o.For/3)
}

func (o *Options) add(requests int) {
	o.mu.Lock()
	defer o.mu.Unlock()
	o.progress.Requests += requests
}

func (o *Options) addTrial(requests int) {
	o.mu.Lock()
	defer o.mu.Unlock()
	o.progress.Requests += requests
	o.progress.Trials += requests
	o.say()
}

// say tells how far it is, some times a second.
func (o *Options) say() {
	if o.Seen == nil || time.Since(o.last) < 100*time.Millisecond {
		return
	}
	o.last = time.Now()
	p := o.progress
	if o.For > 0 {
		p.Left = max(0, o.For-time.Since(o.begun))
		p.Share = min(1, float64(time.Since(o.begun))/float64(o.For))
	}
	if o.Steps > 0 {
		p.Share = max(p.Share, min(1, float64(p.Steps)/float64(o.Steps)))
	}
	o.Seen(p)
}

// over tells whether the time, or the number of steps, is used up.
func (o *Options) over() bool {
	return o.For > 0 && time.Since(o.begun) >= o.For || o.Steps > 0 && o.progress.Steps >= o.Steps
}

// schedule are the sizes of walks, in turn: small ones most often.
var schedule = []int{1, 2, 1, 5, 2, 12, 1, 3, 30, 2, 5, 1, 13, 2, 1, 120}

// mostLeft is how many items of a resource may stay behind before no more are made.
const mostLeft = 20

// Roam walks the resources until the time is over.
func Roam(d *engine.Drive, list []*resource.Resource, o *Options) *Outcome {
	o.begun = time.Now()
	if o.Items < 1 {
		o.Items = 30
	}
	out, told := &Outcome{}, &event.Roamed{}
	unwalked := func(r *resource.Resource, why string) {
		told.Unwalked = append(told.Unwalked, event.Unwalked{Resource: r.Name, Why: why})
	}
	t := &teller{d: d, o: o}
	var grounds []*ground
	for _, r := range list {
		if !r.Creates() {
			unwalked(r, "no item can be made: it has no `make`")
			continue
		}
		if r.As != "" || r.XML != "" {
			unwalked(r, "its items or its list are not in JSON")
			continue
		}
		if !r.Supports(resource.Read) && !r.Lists() {
			unwalked(r, "its items can be neither read nor listed")
			continue
		}
		if !r.Removes() && !d.Restarts() {
			unwalked(r, "its items cannot be removed again (`disposable` says that they may stay)")
			continue
		}
		grounds = append(grounds, newGround(d, r, o, t))
	}
	for turn := 0; len(grounds) > 0 && !o.over() && !d.Ended() && !d.Harmed() && !d.Unreached(); turn++ {
		g := grounds[turn%len(grounds)]
		k := turn / len(grounds)
		o.progress.Resource = g.r.Name
		why, left := "", d.Left()
		if o.Clients > 1 && k%3 == 2 && !g.late {
			why = g.meet(uint64(k))
		} else {
			why = g.roam(uint64(k))
		}
		if why != "" {
			if g.walks == 1 || g.refused != "" {
				unwalked(g.r, why)
				grounds = slices.DeleteFunc(grounds, func(one *ground) bool { return one == g })
			}
		}
		o.progress.Walks++
		if g.left += max(0, d.Left()-left); g.left > mostLeft && !d.Restarts() && !g.r.Disposable && g.r.Gone == "" {
			unwalked(g.r, event.Count(g.left, "item")+" that it made could not be removed: no more are made")
			grounds = slices.DeleteFunc(grounds, func(one *ground) bool { return one == g })
			told.Walked = append(told.Walked, g.grid.drawn(g))
		}
	}
	t.pending(grounds)
	for _, g := range grounds {
		told.Walked = append(told.Walked, g.grid.drawn(g))
	}
	for _, f := range t.all {
		if len(f.Also) > 0 {
			if told.Also == nil {
				told.Also = map[string][]string{}
			}
			told.Also[f.Title] = append(told.Also[f.Title], f.Also...)
		}
	}
	o.progress.Found = len(t.all)
	out.Findings, out.Progress, out.Told = t.all, o.progress, told
	told.Steps, told.Requests, told.Replays, told.Walks = o.progress.Steps, o.progress.Requests, o.progress.Trials, o.progress.Walks
	told.Took = time.Since(o.begun).Microseconds()
	d.Emit(told)
	return out
}

// roam is one walk; it gives a reason where there can be none.
func (g *ground) roam(k uint64) string {
	size := min(schedule[int(k)%len(schedule)], g.o.Items)
	w, err := g.begin(k, size, k%4 == 3)
	if err != nil {
		return err.Error()
	}
	defer w.end()
	// Of many items some are to be met once they are all there.
	length := 14 + 3*min(size, 14) + 2*max(0, size-14)
	for len(w.moves) < 4*length {
		if g.o.over() || g.d.Ended() || g.d.Harmed() || w.own >= length || w.ended != "" {
			break
		}
		m := w.next()
		if m == nil {
			break
		}
		w.own++
		g.o.mu.Lock()
		g.o.progress.Steps++
		g.o.progress.New, g.o.progress.Items = len(g.counts), w.m.living()
		g.o.say()
		g.o.mu.Unlock()
		d := w.take(m)
		if g.d.Harmed() {
			w.suspect()
			return ""
		}
		if d != nil {
			w.confirm(d)
			return ""
		}
	}
	if g.refused != "" {
		return g.refused
	}
	if w.ended == "" && !g.d.Ended() {
		d := w.lookAtAll(w.lastWrite())
		switch {
		case g.d.Harmed():
			w.suspect()
		case d != nil:
			w.confirm(d)
		}
	}
	return ""
}

// suspect names the last write as what may have changed what was there before.
func (w *walk) suspect() {
	g := w.of
	last := w.lastWrite()
	if last == nil || last.op == opRestart {
		return
	}
	t := &trial{g: g, d: &doubt{kind: "what was there before has changed"}}
	for _, m := range w.moves {
		if m.op == opCreate && m.item == last.item && m != last {
			t.moves = append(t.moves, m)
		}
	}
	one := *last
	one.tag = 0
	if one.op == opReturn {
		one.op, one.fields = opReplace, fieldsOf(g.r.Remake, one.turn)
	}
	t.moves = append(t.moves, &one)
	s, err := g.d.Scenario(g.r.File, "roam", canonical(t.scene().Text(g.r.Name+": "+last.op.after(), string(t.d.kind))))
	if err == nil {
		g.d.Suspect(s)
	}
}

// teller tells of what was found.
type teller struct {
	d    *engine.Drive
	o    *Options
	all  []*Finding
	step *event.StepFinished
	// replays counts them, so that each draws values of its own.
	replays int
}

func (t *teller) again() int {
	t.replays++
	return t.replays
}

// firstFound numbers what is found, beside the scenarios of a run.
const firstFound = 2_000_000

// title is a title that no finding has yet: the same may show by other steps.
func (t *teller) title(wanted string) string {
	out := wanted
	for n := 2; slices.ContainsFunc(t.all, func(f *Finding) bool { return f.Title == out }); n++ {
		out = fmt.Sprintf("%s (%d)", wanted, n)
	}
	return out
}

// found tells of a finding by playing it once more, for all to see.
func (t *teller) found(f *Finding, way *trial) {
	sc := way.scene()
	f.Title = t.title(f.Title)
	f.Text, f.Steps = canonical(sc.Text(f.Title, f.About)), sc.Size()
	t.all = append(t.all, f)
	t.o.progress.Found = len(t.all)
	s, err := t.d.Scenario(way.g.r.File, t.o.File, f.Text)
	if err != nil {
		panic("roam cannot read its own scenario: " + err.Error() + "\n" + f.Text)
	}
	for try := range 3 {
		var events []event.Event
		verdict := t.d.Play(s, firstFound+len(t.all), t.again(), func(e event.Event) { events = append(events, e) })
		if verdict != event.Failed && try < 2 {
			continue
		}
		if verdict != event.Failed {
			f.Once = true
		}
		for _, e := range events {
			switch e := e.(type) {
			case *event.ScenarioStarted:
				e.Found = f.event()
			case *event.ScenarioFinished:
				if f.Once {
					e.Verdict, e.Why = event.Blocked, "it did not show again"
				}
			}
			t.d.Emit(e)
		}
		break
	}
	if !f.Once {
		t.d.Fails()
	}
}

// canonical is a text of the language as it is laid out.
func canonical(text string) string {
	f, diags := syntax.Parse(source.NewFile("roam", text))
	if diags.Errors() > 0 {
		return text
	}
	return syntax.Print(f)
}

// once tells of what did not show again, with the exchange that showed it.
func (t *teller) once(f *Finding, w *walk, d *doubt) {
	f.Title = t.title(f.Title)
	t.all = append(t.all, f)
	id := firstFound + len(t.all)
	st := event.StepFinished{}
	if t.step != nil {
		st = *t.step
	}
	st.Scenario, st.Index, st.Verdict = id, 1, event.Blocked
	st.File, st.Line = w.of.r.File.Source.Name, w.of.r.File.Line(w.of.r.Statement)
	st.Findings = []event.Finding{{Verdict: event.Blocked, Line: st.Line, Expected: "this does not happen, and it did not happen again in " + event.Count(f.Tries, "replay"),
		Observed: []string{d.observed}, Sent: len(st.Sent) - 1}}
	t.d.Emit(&event.ScenarioStarted{ID: id, File: st.File, Line: st.Line, Title: f.Title, Pattern: f.Title, About: f.About, Found: f.event()})
	t.d.Emit(&st)
	t.d.Emit(&event.ScenarioFinished{Scenario: id, Verdict: event.Blocked, Steps: 1, Requests: len(st.Sent), Why: "seen once"})
}
