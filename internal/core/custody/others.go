package custody

import (
	"context"
	"path"
	"slices"
	"strings"
	"sync"
	"time"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// others knows what the scenarios under way have made, and what each has done to
// it, so that effects are judged on what that does not explain.
type others struct {
	mu sync.Mutex
	// items are by identity, in lower case; the same one may be in several lists.
	items map[string][]*item
	// creating are creates that have not been answered yet.
	creating map[*creating]bool
	turn     *sync.Cond
}

// item is one that a scenario has made.
type item struct {
	host, list string
	owner      int
	// writing counts requests of its owner under way that change it, written is when
	// the last one was taken, and deleted tells that one has removed it.
	writing int
	written time.Time
	deleted bool
	// sent are members that the answer to its create showed as they were sent.
	sent map[string]*value.Value
}

type creating struct {
	host, list string
	owner      int
}

func newOthers() *others {
	o := &others{items: map[string][]*item{}, creating: map[*creating]bool{}}
	o.turn = sync.NewCond(&o.mu)
	return o
}

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
		host, at := HostOf(r.URL), PlainPath(r.URL)
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

// acted tells whether a request may have had an effect: it was not refused.
func acted(replies []*expect.Reply, n int) bool {
	return n >= len(replies) || replies[n] == nil || replies[n].Answer == nil || replies[n].Answer.Status/100 != 4
}

// of are the items of an identity that a list shows, as far as the paths tell. The
// lock is held.
func (o *others) of(id, host, list string, is func(*item) bool) []*item {
	var exact, loose []*item
	for _, i := range o.items[id] {
		switch {
		case i.host != host || !is(i):
		case i.list == list:
			exact = append(exact, i)
		case strings.HasPrefix(list, strings.TrimSuffix(i.list, "/")+"/"):
			loose = append(loose, i)
		}
	}
	if len(exact) > 0 {
		return exact
	}
	return loose
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

// patience bounds how long answers of others are waited for before an effect is
// judged; after it what they make is not explained, and the check runs once more alone.
const patience = 15 * time.Second

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

// wait waits until something is so, at most as long as patience says. The lock is held.
func (o *others) wait(ctx context.Context, is func() bool) {
	if is() {
		return
	}
	until := time.AfterFunc(patience, o.turn.Broadcast)
	defer until.Stop()
	stop := context.AfterFunc(ctx, o.turn.Broadcast)
	defer stop()
	for start := time.Now(); !is() && time.Since(start) < patience && ctx.Err() == nil; {
		o.turn.Wait()
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
