package custody

import (
	"path"
	"slices"
	"strings"
	"time"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// announces notes what requests are about to do, and gives what ends that once
// their answers are known.
func (t *turn) announces(requests []*exchange.Request) func(answers []*expect.Reply, first int) {
	if !t.Crowded() {
		return func([]*expect.Reply, int) {}
	}
	o, me := t.run.others, t.by.ID
	var pending []*creating
	type write struct {
		of *item
		n  int
	}
	var writes []write
	o.mu.Lock()
	defer o.mu.Unlock()
	for n, r := range requests {
		if syntax.SafeMethod(r.Method) {
			continue
		}
		host, at := HostOf(r.URL), t.plain(r.URL)
		if r.Method == "POST" || !known(r.Method) {
			c := &creating{host, at, me}
			o.creating[c] = true
			pending = append(pending, c)
			continue
		}
		id := strings.ToLower(path.Base(at))
		mine := o.of(id, host, path.Dir(at), func(i *item) bool { return i.owner == me })
		if len(mine) == 0 && r.Method == "PUT" {
			i := &item{host: host, list: path.Dir(at), owner: me}
			o.items[id] = append(o.items[id], i)
			mine = []*item{i}
		}
		for _, i := range mine {
			i.writing++
			writes = append(writes, write{i, n})
		}
	}
	return func(answers []*expect.Reply, _ int) {
		for _, r := range answers {
			t.makes(r)
		}
		o.mu.Lock()
		defer o.mu.Unlock()
		for _, c := range pending {
			delete(o.creating, c)
		}
		for _, w := range writes {
			w.of.writing--
			if acted(answers, w.n) {
				w.of.written, w.of.deleted = time.Now(), w.of.deleted || requests[w.n].Method == "DELETE"
			}
		}
		o.turn.Broadcast()
	}
}

// makes notes what the answer to a create says it has made.
func (t *turn) makes(r *expect.Reply) {
	if r == nil || r.Answer == nil || r.Answer.Status/100 != 2 || r.Request.Method != "POST" {
		return
	}
	ids := map[string]bool{}
	if _, id := t.named(r); id != "" {
		ids[strings.ToLower(id)] = true
	}
	for _, k := range t.Kept(r) {
		id := k.Value.Plain()
		if k.Header {
			id = path.Base(id)
		}
		ids[strings.ToLower(id)] = true
	}
	o := t.run.others
	o.mu.Lock()
	defer o.mu.Unlock()
	for id := range ids {
		o.items[id] = append(o.items[id], &item{host: HostOf(r.Request.URL), list: PlainPath(r.Request.URL), owner: t.by.ID, sent: shownAsSent(r)})
	}
}

// shownAsSent are the members of a create's body that its answer shows as they were sent.
func shownAsSent(r *expect.Reply) map[string]*value.Value {
	sent, err := sentJSON(r.Request)
	if err != nil || sent.Kind != value.Object {
		return nil
	}
	shown, err := r.JSON()
	if err != nil || shown.Kind != value.Object {
		return nil
	}
	out := map[string]*value.Value{}
	for i, n := range sent.Names {
		if v, has := shown.Get(n); has && value.Equal(v, sent.Items[i]) {
			out[n] = v
		}
	}
	return out
}

// disturbs notes when a list shows an item of this scenario otherwise than it was made,
// and the scenario has not written to it: what others do may hide then what it does itself,
// and it runs once more alone.
func (t *turn) disturbs(s *Sight) {
	if s.View.By == nil || t.disturbed {
		return
	}
	o, me := t.run.others, t.by.ID
	o.mu.Lock()
	defer o.mu.Unlock()
	for _, key := range s.S.Keys {
		m := s.S.Members[key]
		for _, id := range s.View.Identities(s.S.Only([]string{key})) {
			for _, i := range o.of(strings.ToLower(id), s.Host, s.Path, func(i *item) bool { return i.owner == me && i.writing == 0 && i.written.IsZero() && !i.deleted }) {
				for n, v := range i.sent {
					if now, has := m.Get(n); has && !value.Equal(now, v) {
						t.disturbed = true
						return
					}
				}
			}
		}
	}
}

// unexplained is the difference between two snapshots without what other scenarios
// have done meanwhile to what they have made themselves.
func (t *turn) unexplained(d *state.Delta, b, s *Sight) *state.Delta {
	if s.View.By == nil || len(d.Gained)+len(d.Lost)+len(d.Changed) == 0 {
		return d
	}
	o, me := t.run.others, t.by.ID
	o.mu.Lock()
	defer o.mu.Unlock()
	of := func(key string) []*item {
		if len(o.of(key, s.Host, s.Path, func(i *item) bool { return i.owner == me })) > 0 {
			return nil
		}
		return o.of(key, s.Host, s.Path, func(i *item) bool { return i.owner != me })
	}
	// What is under way is known once it is answered.
	o.wait(t.ctx, func() bool {
		open := false
		d.Without(func(change state.Kind, m string) bool {
			open = open || change != state.Gains && slices.ContainsFunc(of(m), func(i *item) bool { return i.writing > 0 })
			return false
		}, s.View)
		return !open
	})
	theirs := func(key string, did func(*item) bool) bool { return slices.ContainsFunc(of(key), did) }
	return d.Without(func(change state.Kind, m string) bool {
		switch change {
		case state.Gains:
			return theirs(m, func(*item) bool { return true })
		case state.Loses:
			return theirs(m, func(i *item) bool { return i.deleted })
		}
		return theirs(m, func(i *item) bool { return !i.written.Before(b.At) })
	}, s.View)
}

// settled waits until the creates that others had under way when a list was read
// are answered: only then it is known what they have made.
func (o *others) settled(in *Scenario, s *Sight) {
	me := in.by.ID
	o.mu.Lock()
	defer o.mu.Unlock()
	var open []*creating
	for c := range o.creating {
		if c.owner != me && c.host == s.Host && (c.list == s.Path || strings.HasPrefix(s.Path, c.list+"/")) {
			open = append(open, c)
		}
	}
	if len(open) == 0 {
		return
	}
	o.wait(in.ctx, func() bool { return !slices.ContainsFunc(open, func(c *creating) bool { return o.creating[c] }) })
}
