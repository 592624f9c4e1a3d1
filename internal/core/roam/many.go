package roam

import (
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"usualpath/internal/core/engine"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/history"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/syntax"
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

// call is one request of a client, and what came of it.
type call struct {
	client int
	kind   history.Kind
	m      *move
	steps  []*syntax.Statement
	body   *value.Value
	// members are those that it writes and that are watched.
	members history.Members
	tag     *value.Value
	key     string
	x       *exchange.Exchange
	id      *value.Value
	content *value.Value
}

// met is what several clients have shown, before it is told.
type met struct {
	f      *Finding
	rounds int
	way    *meeting
	found  history.Finding
}

// rings are what clients can do to this resource at once.
func (g *ground) rings() []string {
	r := g.r
	var out []string
	reads := r.Supports("read")
	amends := r.Supports("amend") && r.Merges() && len(g.settable()) > 0
	replaces := g.supports(opReplace) && len(r.Remake.Fields) > 0 && r.Revision == nil
	if reads && amends && len(g.settable()) > 1 && r.Revision == nil {
		out = append(out, "merge", "merge")
	}
	if reads && replaces {
		out = append(out, "mixed")
		if amends {
			out = append(out, "mixed")
		}
	}
	if reads && (replaces || amends && r.Revision == nil) && r.Supports("delete") {
		out = append(out, "delete")
	}
	if reads && (replaces || amends) && r.Revision == nil {
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

// settable are the members that can be given values by hand.
func (g *ground) settable() []string {
	var out []string
	for _, n := range g.members {
		if !slices.Contains(g.r.Unique, n) && len(g.values(n)) > 1 {
			out = append(out, n)
		}
	}
	return out
}

// values are different values of a member, as text: those of the examples, and
// those on limits.
func (g *ground) values(n string) []string {
	if g.inventive[n] {
		var out []string
		for i := range 40 {
			out = append(out, g.invented(n, i))
		}
		return out
	}
	var out []string
	for _, text := range g.pool(n) {
		if !called(text) {
			out = append(out, text)
		}
	}
	for _, e := range g.edges {
		if e.Member == n && !called(e.Text) && len(e.Text) < 60 && !slices.Contains(out, e.Text) {
			out = append(out, e.Text)
		}
	}
	return out
}

// invented is a value like that of the examples, "" where none comes to mind.
func (g *ground) invented(n string, i int) string {
	for _, e := range []*resource.Example{g.r.Make, g.r.Remake, g.r.Amend} {
		if e == nil {
			continue
		}
		for _, f := range e.Fields {
			if f.Name != n || called(f.Text) {
				continue
			}
			v, err := value.Decode(f.Text, value.Limits{})
			if err != nil {
				return ""
			}
			switch v.Kind {
			case value.String:
				return strings.TrimSuffix(f.Text, `"`) + " " + string(rune('a'+i%26)) + string(rune('a'+i/26)) + `"`
			case value.Number:
				if k, whole := v.Int(); whole {
					return fmt.Sprint(k + i)
				}
				return fmt.Sprintf("%s%d", v.Text, i+1)
			}
			return ""
		}
	}
	return ""
}

// invents finds out, with one client, which members take values that no example has.
func (g *ground) invents(w *walk) {
	g.inventive, g.asSent = map[string]bool{}, map[string]bool{}
	m := w.create(plain)
	it := w.item(m)
	reply, sent := w.send(m, it)
	if reply == nil || m.status/100 != 2 {
		return
	}
	w.apply(m, it, reply, sent)
	if reply = w.reads(it); reply != nil {
		if v := g.contentOf(reply); v != nil && v.Kind == value.Object {
			for _, n := range g.members {
				now, _ := v.Get(n)
				was, known := sent[n]
				g.asSent[n] = known && same(now, was)
			}
		}
	}
	if it.is != there || g.r.Revision != nil {
		return
	}
	for _, n := range g.members {
		text := g.invented(n, 7)
		if text == "" || slices.Contains(g.r.Unique, n) {
			continue
		}
		m := &move{op: opReplace, item: it.n, class: plain, turn: it.turn}
		switch {
		case g.supports(opReplace) && g.r.Remake.Has(n):
			for _, f := range g.r.Remake.Fields {
				m.fields = append(m.fields, field{f.Name, f.Text, it.turn})
			}
			m.set(n, text)
		case g.r.Supports("amend") && g.r.Merges():
			m.op, m.fields = opAmend, []field{{n, text, it.turn}}
		default:
			continue
		}
		reply, sent := w.send(m, it)
		if reply == nil {
			continue
		}
		w.apply(m, it, reply, sent)
		read := &move{op: opRead, item: it.n, class: plain}
		if reply, _ = w.send(read, it); reply != nil {
			v := g.contentOf(reply)
			if v != nil && v.Kind == value.Object && m.status/100 == 2 {
				now, _ := v.Get(n)
				g.inventive[n] = same(now, sent[n])
			}
			w.apply(read, it, reply, nil)
		}
	}
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
	if !w.of.r.Supports("read") {
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
	if g.inventive == nil {
		g.invents(w)
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
		s, err := g.d.Scenario(g.r.File, "roam", g.client)
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
	start := history.Final{There: true, Members: watched(it.want, g.settable())}
	r.plan(it)
	r.run()
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
	names := g.settable()
	amends := g.r.Supports("amend") && g.r.Merges()
	var tag *value.Value
	if it.tag > 0 {
		tag = w.m.tags[it.tag]
	}
	next := map[string]int{}
	pick := func(n string) string {
		list := g.values(n)
		next[n]++
		return list[next[n]%len(list)]
	}
	amend := func(c int, list ...string) *call {
		m := &move{op: opAmend, item: it.n, class: plain, turn: it.turn}
		for _, n := range list {
			m.fields = append(m.fields, field{n, pick(n), it.turn})
		}
		return &call{client: c, kind: history.Merge, m: m}
	}
	replace := func(c int) *call {
		m := &move{op: opReplace, item: it.n, class: plain, turn: it.turn}
		for _, f := range g.r.Remake.Fields {
			one := field{f.Name, f.Text, it.turn}
			if slices.Contains(names, f.Name) {
				one.text = pick(f.Name)
			}
			m.fields = append(m.fields, one)
		}
		// All that is watched is written: what a replace leaves out may read as anything.
		for _, n := range names {
			if !m.has(n) {
				m.fields = append(m.fields, field{n, pick(n), it.turn})
			}
		}
		return &call{client: c, kind: history.Replace, m: m}
	}
	write := func(c int) *call {
		if amends && (w.rand.IntN(2) == 0 || !g.supports(opReplace)) {
			return amend(c, names[w.rand.IntN(len(names))])
		}
		return replace(c)
	}
	for c := range g.o.Clients {
		switch r.kind {
		case "merge":
			// Each has members of its own.
			for range 1 + w.rand.IntN(2) {
				r.calls = append(r.calls, amend(c, names[c%len(names)]))
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

// prepare works out what a call sends, and writes its step.
func (r *ring) prepare(c *call, it *item) {
	g, w := r.g, r.w
	c.members = history.Members{}
	x := resource.Request{Title: c.m.op.String()}
	if c.m.op == opCreate || c.m.op == opReplace || c.m.op == opAmend {
		body, sent := w.bodyOf(c.m)
		c.body = body
		x.Body = "{body}"
		for n, v := range sent {
			if it == nil || slices.Contains(g.settable(), n) {
				c.members[n] = v
			}
		}
	}
	if c.tag != nil {
		x.Header = append(x.Header, "If-Match: {tag}")
	}
	if c.key != "" {
		x.Header = append(x.Header, "Idempotency-Key: {key}")
	}
	c.steps = g.parse(g.stepOf(func(sc *resource.Scene) {
		switch {
		case c.m.op == opCreate && g.r.ByName():
			sc.Put("id", x)
		case c.m.op == opCreate:
			sc.Make("id", "0", x)
		case c.m.op == opReplace:
			sc.Replace("id", x)
		case c.m.op == opAmend:
			sc.Amend("id", x)
		case c.m.op == opDelete:
			sc.Delete("id", x)
		case c.m.op == opRead:
			sc.Read("id", x)
		}
	}))
	if it != nil {
		c.id = it.id
	}
}

// run sends the calls, each client its own one after another, all at once.
func (r *ring) run() {
	g := r.g
	for _, s := range r.clients {
		r.w.s.Lend(s, g.r.Outer()...)
	}
	gate := make(chan struct{})
	var all sync.WaitGroup
	r.epoch = time.Now()
	for i, s := range r.clients {
		all.Add(1)
		go func() {
			defer all.Done()
			<-gate
			for _, c := range r.calls {
				if c.client == i {
					c.send(s, g)
				}
			}
		}()
	}
	close(gate)
	all.Wait()
	g.o.mu.Lock()
	g.o.progress.Moves += len(r.calls)
	g.o.mu.Unlock()
}

func (c *call) send(s *engine.Session, g *ground) {
	made := c.m.op == opCreate
	if c.id != nil {
		s.Bind("id", c.id)
	} else {
		s.Forget("id")
	}
	if c.body != nil {
		s.Bind("body", c.body)
	}
	if c.tag != nil {
		s.Bind("tag", c.tag)
	}
	if c.key != "" {
		s.Bind("key", value.NewString(c.key))
	}
	a := s.Run(c.steps, false)
	g.count(a.Requests)
	if a.Reply == nil {
		return
	}
	c.x = a.Reply.Exchange
	if c.x.Answer == nil {
		return
	}
	c.m.status = c.x.Answer.Status
	if made && c.m.status/100 == 2 {
		c.id = s.Lookup("id")
	}
	if c.kind == history.Read {
		c.content = g.contentOf(a.Reply)
	}
}

// history is what was sent, and answered, with times.
func (r *ring) history() []history.Call {
	var out []history.Call
	for _, c := range r.calls {
		if c.x == nil {
			continue
		}
		h := history.Call{Client: c.client + 1, Kind: c.kind, Members: c.members, Begin: c.x.Start.Sub(r.epoch), Outcome: history.Unknown}
		h.End = h.Begin + c.x.Timing.Total
		if c.tag != nil {
			h.IfMatch = c.tag.Text
		}
		if a := c.x.Answer; a != nil {
			h.Status = a.Status
			switch {
			case a.Status/100 == 2 && a.Status != 202:
				h.Outcome = history.Taken
			case a.Status/100 == 4:
				h.Outcome = history.Refused
			}
			h.Made = a.Status == 201 && c.kind == history.Replace
			if tag := a.Header.Get("ETag"); len(tag) > 0 && tag[0] == '"' && c.kind != history.Read {
				h.ETag = tag
			}
		}
		if c.kind == history.Read {
			h.Members = history.Members{}
			for _, n := range r.g.settable() {
				if c.content != nil {
					h.Members[n], _ = c.content.Get(n)
				}
			}
			if h.Outcome != history.Taken {
				continue
			}
		}
		out = append(out, h)
	}
	return out
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
			now.Members = watched(it.want, r.g.settable())
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
