// Package roam walks off the usual path: it sends a service what no check thinks
// of, remembers what the service has acknowledged, and holds it to that. What
// contradicts itself is replayed on fresh items, made as short as it can be, and
// given back as a scenario. Several clients at once are judged by package history.
package roam

import (
	"slices"
	"time"

	"usualpath/internal/core/engine"
	"usualpath/internal/core/event"
	"usualpath/internal/core/resource"
)

// Outcome is what came of it.
type Outcome struct {
	Progress
	Findings []*Finding
	// Told is the event that tells how far it went.
	Told *event.Roamed
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
