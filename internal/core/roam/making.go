package roam

import (
	"slices"

	"usualpath/internal/core/history"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/value"
)

// making is a round in which clients make items at once: different ones, ones of the
// same telling value, or one with a key that is sent several times.
func (r *ring) making() bool {
	g, w := r.g, r.w
	first := w.create(plain)
	key := ""
	if r.kind == "key" {
		v, err := w.s.Value(g.node("{uuid()}"))
		if err != nil {
			return false
		}
		key = v.Text
	}
	if r.kind == "unique" {
		// That a value is taken is refused at all is seen with one client first.
		it := w.made()
		if it == nil {
			return false
		}
		m := w.create(plain)
		for i := range m.fields {
			m.fields[i].turn = it.turn
		}
		if reply, _ := w.send(m, w.item(m)); reply == nil || m.status/100 != 4 {
			if reply != nil && m.status/100 == 2 {
				w.apply(m, w.item(m), reply, nil)
			}
			return true
		}
		w.item(m).is = gone
	}
	for c := range g.o.Clients {
		for n := range map[bool]int{true: 2, false: 1}[r.kind == "make"] {
			m := first
			if c+n > 0 {
				one := *w.create(plain)
				if r.kind != "make" {
					one.turn, one.fields = first.turn, slices.Clone(first.fields)
				}
				m = &one
			}
			m.item = len(w.m.items) + 1
			it := w.item(m)
			it.is = gone
			one := &call{client: c, kind: history.Create, m: m, key: key}
			r.calls = append(r.calls, one)
			r.prepare(one, nil)
		}
	}
	r.run()
	if r.late() {
		return false
	}
	var made []*call
	for _, c := range r.calls {
		it := w.peek(c.m.item)
		if c.x == nil || c.x.Answer == nil || c.m.status/100 != 2 || c.m.status == 202 {
			if c.x != nil && c.x.Answer != nil && c.m.status/100 == 5 {
				r.tell(history.Finding{What: history.Broken, Calls: r.historyOf(c)}, it, history.History{})
			}
			continue
		}
		if c.id == nil {
			continue
		}
		it.id, it.is, it.want = c.id, there, w.cells(c.m, c.members)
		made = append(made, c)
	}
	r.compared(made)
	return true
}

// compared holds what was made at once against what is there when all is quiet.
func (r *ring) compared(made []*call) {
	w := r.w
	ids := map[string]*call{}
	for _, c := range made {
		other := ids[c.id.Key()]
		switch {
		case r.kind == "key" || r.kind == "unique":
			if len(ids) > 0 && other == nil {
				r.tell(history.Finding{What: history.TwoOfOne, Calls: r.historyOf(made...)}, w.peek(c.m.item), history.History{})
				return
			}
		case other != nil:
			r.tell(history.Finding{What: history.TwoOfOne, Calls: r.historyOf(other, c)}, w.peek(c.m.item), history.History{})
			return
		}
		ids[c.id.Key()] = c
	}
	if r.kind != "make" || !w.of.r.Supports(resource.Read) {
		return
	}
	for _, c := range made {
		it := w.peek(c.m.item)
		read := &move{op: opRead, item: it.n, class: plain}
		reply, _ := w.send(read, it)
		if reply == nil || reply.Answer == nil {
			continue
		}
		what := history.What("")
		member := ""
		switch {
		case read.status == 404 || read.status == 410:
			what = history.Vanished
		case read.status == 200:
			v := w.of.contentOf(reply)
			if v == nil || v.Kind != value.Object {
				continue
			}
			for n, cell := range it.want {
				now, _ := v.Get(n)
				// A member that never reads as it was sent says nothing.
				if !same(now, cell.v) && w.of.asSent[n] {
					what, member = history.Torn, n
				}
			}
		}
		if what == "" {
			continue
		}
		// Certain only when it is so for more than a moment.
		if again, _ := w.send(&move{op: opRead, item: it.n, class: plain}, it); again == nil || again.Answer == nil || again.Answer.Status != read.status {
			continue
		}
		r.tell(history.Finding{What: what, Member: member, Calls: r.historyOf(made...)}, it, history.History{})
		return
	}
}

// historyOf are calls with times, for showing.
func (r *ring) historyOf(list ...*call) []history.Call {
	was := r.calls
	defer func() { r.calls = was }()
	r.calls = list
	return r.history()
}

// naming is a round in which clients make an item under one name at once.
func (r *ring) naming() bool {
	g, w := r.g, r.w
	m := w.create(plain)
	m.item = len(w.m.items) + 1
	it := w.item(m)
	it.id = w.worth(field{text: quotedRaw(g.r.Chosen), turn: m.turn})
	if it.id == nil {
		return false
	}
	it.is = gone
	look := &move{op: opRead, item: it.n, class: plain, gone: true}
	if reply, _ := w.send(look, it); reply == nil || look.status != 404 && look.status != 410 {
		return false
	}
	names := slices.DeleteFunc(g.settable(opReplace), func(n string) bool { return !g.asSent[n] })
	for c := range g.o.Clients {
		one := *m
		one.fields = nil
		for _, f := range g.r.Make.Fields {
			fl := field{f.Name, f.Text, m.turn}
			if list := g.kept[opReplace][f.Name]; slices.Contains(names, f.Name) && len(list) > 0 {
				fl.text = list[c%len(list)]
			}
			one.fields = append(one.fields, fl)
		}
		x := &call{client: c, kind: history.Replace, m: &one}
		r.calls = append(r.calls, x)
		r.prepare(x, it)
	}
	r.run()
	if r.late() {
		return false
	}
	it.is = unsure
	final := r.final(it)
	calls := r.history()
	if !slices.ContainsFunc(calls, func(c history.Call) bool { return c.Made }) {
		return true
	}
	r.judge(it, history.History{Calls: calls, Final: final})
	return true
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

// judge tells what no order explains.
func (r *ring) judge(it *item, h history.History) {
	found, _ := history.Judge(h, judging)
	for _, f := range found {
		r.tell(f, it, h)
	}
}
