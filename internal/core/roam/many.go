package roam

import (
	"fmt"
	"slices"

	"usualpath/internal/core/history"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/value"
)

// rings are what clients can do to this resource at once.
func (g *ground) rings() []string {
	r := g.r
	var out []string
	reads := r.Supports(resource.Read)
	amends := len(g.settable(opAmend)) > 0
	replaces := len(g.settable(opReplace)) > 0
	if reads && len(g.settable(opAmend)) > 1 {
		out = append(out, "merge", "merge")
	}
	if reads && replaces {
		out = append(out, "mixed")
		if amends {
			out = append(out, "mixed")
		}
	}
	if reads && (replaces || amends) && r.Supports(resource.Delete) {
		out = append(out, "delete")
	}
	if reads && (replaces || amends) {
		out = append(out, "tag")
	}
	switch {
	case r.ByName() && reads:
		out = append(out, "name")
	case !r.ByName():
		out = append(out, "make")
		if telling(r) != nil {
			out = append(out, "unique")
		}
		if r.Key {
			out = append(out, "key")
		}
	}
	return out
}

// meet is one round of several clients; it gives a reason where there can be none.
func (g *ground) meet(k uint64) string {
	w, err := g.begin(1_000_000+k, 1, false)
	if err != nil {
		return err.Error()
	}
	defer w.end()
	if g.kept == nil {
		g.learn(w)
	}
	kinds := g.rings()
	if len(kinds) == 0 {
		return ""
	}
	for n := 0; n < 6 && !g.o.over() && !g.d.Ended() && !g.d.Harmed() && w.mayCreate(); n++ {
		r := &ring{g: g, w: w, kind: kinds[g.meets%len(kinds)]}
		g.meets++
		if !r.round() {
			break
		}
	}
	return ""
}

// round plays one round, and judges it; false when nothing could be played.
func (r *ring) round() bool {
	g, w := r.g, r.w
	if r.clients == nil {
		s, err := g.client()
		if err != nil {
			return false
		}
		for i := range g.o.Clients {
			c, err := g.d.Session(s, fmt.Sprintf("roam client %d", i))
			if err != nil {
				return false
			}
			r.clients = append(r.clients, c)
		}
	}
	switch r.kind {
	case "make", "unique", "key":
		return r.making()
	case "name":
		return r.naming()
	}
	it := w.made()
	if it == nil {
		return false
	}
	start := history.Final{There: true, Members: watched(it.want, g.watchedIn(r.kind))}
	r.plan(it)
	r.run()
	if r.late() {
		return false
	}
	final := r.final(it)
	r.judge(it, history.History{Start: start, Calls: r.history(), Final: final})
	return true
}

// plan says what each client will send.
func (r *ring) plan(it *item) {
	g, w := r.g, r.w
	names := g.watchedIn(r.kind)
	// An amend names what both keep.
	amendable := slices.DeleteFunc(g.settable(opAmend), func(n string) bool { return !slices.Contains(names, n) })
	var tag *value.Value
	if it.tag > 0 {
		tag = w.m.tags[it.tag]
	}
	next := map[string]int{}
	pick := func(o op, n string) string {
		list := g.kept[o][n]
		next[n]++
		return list[next[n]%len(list)]
	}
	amend := func(c int, list ...string) *call {
		m := &move{op: opAmend, item: it.n, class: plain, turn: it.turn}
		for _, n := range list {
			m.fields = append(m.fields, field{n, pick(opAmend, n), it.turn})
		}
		return &call{client: c, kind: history.Merge, m: m}
	}
	replace := func(c int) *call {
		m := &move{op: opReplace, item: it.n, class: plain, turn: it.turn}
		for _, f := range g.r.Remake.Fields {
			one := field{f.Name, f.Text, it.turn}
			if slices.Contains(names, f.Name) {
				one.text = pick(opReplace, f.Name)
			}
			m.fields = append(m.fields, one)
		}
		// All that is watched is written: what a replace leaves out may read as anything.
		for _, n := range names {
			if !m.has(n) {
				m.fields = append(m.fields, field{n, pick(opReplace, n), it.turn})
			}
		}
		return &call{client: c, kind: history.Replace, m: m}
	}
	write := func(c int) *call {
		if len(amendable) > 0 && (w.rand.IntN(2) == 0 || !g.supports(opReplace)) {
			return amend(c, amendable[w.rand.IntN(len(amendable))])
		}
		return replace(c)
	}
	for c := range g.o.Clients {
		switch r.kind {
		case "merge":
			// Each has members of its own.
			for range 1 + w.rand.IntN(2) {
				r.calls = append(r.calls, amend(c, amendable[c%len(amendable)]))
			}
		case "mixed":
			for range 1 + w.rand.IntN(3) {
				r.calls = append(r.calls, write(c))
			}
			if w.rand.IntN(3) == 0 {
				r.calls = append(r.calls, &call{client: c, kind: history.Read, m: &move{op: opRead, item: it.n, class: plain}})
			}
		case "delete":
			if c == 0 {
				r.calls = append(r.calls, &call{client: c, kind: history.Delete, m: &move{op: opDelete, item: it.n, class: plain}})
				continue
			}
			for range 1 + w.rand.IntN(2) {
				r.calls = append(r.calls, write(c))
			}
		case "tag":
			one := write(c)
			one.tag = tag
			r.calls = append(r.calls, one)
		}
	}
	for _, c := range r.calls {
		r.prepare(c, it)
	}
}
