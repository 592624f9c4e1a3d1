package roam

import (
	"slices"
	"sync"
	"time"

	"usualpath/internal/core/engine"
	"usualpath/internal/core/history"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/value"
)

// prepare works out what a call sends, and writes its step.
func (r *ring) prepare(c *call, it *item) {
	g, w := r.g, r.w
	c.members = history.Members{}
	x := resource.Request{Title: c.m.op.String()}
	if c.m.op.sends() {
		body, sent := w.bodyOf(c.m)
		c.body = body
		x.Body = "{body}"
		for n, v := range sent {
			if it == nil || slices.Contains(g.watchedIn(r.kind), n) {
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
		if c.m.op == opCreate && g.r.ByName() {
			sc.Do(resource.Create, "id", x)
			return
		}
		c.m.op.put(sc, "id", "0", x)
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
	for _, s := range r.clients {
		s.Return(r.w.s)
	}
	g.o.mu.Lock()
	g.o.progress.Steps += len(r.calls)
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
	g.o.add(a.Requests)
	if a.Reply == nil {
		return
	}
	c.x = a.Reply.Exchange
	if c.x.Answer == nil {
		return
	}
	c.m.answered(g.r, c.x.Answer.Status)
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
			for _, n := range r.g.watchedIn(r.kind) {
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
