package roam

import (
	"fmt"
	"slices"
	"time"

	"usualpath/internal/core/engine"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/history"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/value"
)

// judging bounds the search for an order that explains a history.
const judging = 2 * time.Second

// ring is a round in which several clients work on few items at once.
type ring struct {
	g *ground
	w *walk
	// kind is what they do.
	kind    string
	clients []*engine.Session
	calls   []*call
	epoch   time.Time
}

// met is what several clients have shown, before it is told.
type met struct {
	f   *Finding
	way *meeting
	// dropped is one that one client shows as well.
	dropped bool
}

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

// made is a fresh item of a walk that was read, nil where there can be none.
func (w *walk) made() *item {
	m := w.create(plain)
	it := w.item(m)
	reply, sent := w.send(m, it)
	if reply == nil || m.status/100 != 2 {
		return nil
	}
	w.apply(m, it, reply, sent)
	w.reads(it)
	if it.is != there || it.id == nil {
		return nil
	}
	return it
}

func (w *walk) reads(it *item) *expect.Reply {
	if !w.of.r.Supports(resource.Read) {
		return nil
	}
	read := &move{op: opRead, item: it.n, class: plain, gone: it.is == gone}
	reply, _ := w.send(read, it)
	if reply != nil {
		w.apply(read, it, reply, nil)
	}
	return reply
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

func watched(cells map[string]cell, names []string) history.Members {
	out := history.Members{}
	for _, n := range names {
		if c, known := cells[n]; known {
			out[n] = c.v
		}
	}
	return out
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

// final is what an item is when all is quiet: what two reads agree on.
func (r *ring) final(it *item) *history.Final {
	var last *history.Final
	for range 2 {
		it.is = unsure
		reply := r.w.reads(it)
		if reply == nil || reply.Answer == nil {
			return nil
		}
		now := &history.Final{There: reply.Answer.Status == 200}
		if !now.There && reply.Answer.Status != 404 && reply.Answer.Status != 410 || now.There && it.is == gone {
			return nil
		}
		if now.There {
			if r.g.r.Gone != "" && slices.ContainsFunc(r.calls, func(c *call) bool { return c.kind == history.Delete }) {
				return nil
			}
			now.Members = watched(it.want, r.g.watchedIn(r.kind))
		}
		if last != nil && (last.There != now.There || !alike(last.Members, now.Members)) {
			return nil
		}
		last = now
	}
	return last
}

func alike(a, b history.Members) bool {
	for n, v := range a {
		if !same(v, b[n]) {
			return false
		}
	}
	return len(a) == len(b)
}

// judge tells what no order explains.
func (r *ring) judge(it *item, h history.History) {
	found, _ := history.Judge(h, judging)
	for _, f := range found {
		r.tell(f, it, h)
	}
}
