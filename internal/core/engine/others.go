package engine

import (
	"context"
	"net/url"
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

// crowded tells whether other scenarios may be under way.
func (t *step) crowded() bool { return t.in.job.beside && !t.in.job.alone && t.in.closely == nil }

// announces notes what requests are about to do, and gives what ends that once
// their answers are known.
func (t *step) announces(requests []*exchange.Request) func(at *attempt) {
	if !t.crowded() {
		return func(*attempt) {}
	}
	o, me := t.env.others, t.in.job.id
	var pending []*creating
	type write struct {
		of *item
		n  int
	}
	var writes []write
	o.mu.Lock()
	defer o.mu.Unlock()
	for n, r := range requests {
		u, err := url.Parse(r.URL)
		if err != nil || syntax.SafeMethod(r.Method) {
			continue
		}
		at := plainPath(r.URL)
		if r.Method == "POST" || !known(r.Method) {
			c := &creating{u.Host, at, me}
			o.creating[c] = true
			pending = append(pending, c)
			continue
		}
		id := strings.ToLower(path.Base(at))
		mine := o.of(id, u.Host, path.Dir(at), func(i *item) bool { return i.owner == me })
		if len(mine) == 0 && r.Method == "PUT" {
			i := &item{host: u.Host, list: path.Dir(at), owner: me}
			o.items[id] = append(o.items[id], i)
			mine = []*item{i}
		}
		for _, i := range mine {
			i.writing++
			writes = append(writes, write{i, n})
		}
	}
	return func(at *attempt) {
		for _, r := range at.replies {
			t.makes(r, at)
		}
		o.mu.Lock()
		defer o.mu.Unlock()
		for _, c := range pending {
			delete(o.creating, c)
		}
		for _, w := range writes {
			w.of.writing--
			if acted(at.replies, w.n) {
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
func (t *step) makes(r *expect.Reply, at *attempt) {
	if r == nil || r.Answer == nil || r.Answer.Status/100 != 2 || r.Request.Method != "POST" {
		return
	}
	u, err := url.Parse(r.Request.URL)
	if err != nil {
		return
	}
	list := plainPath(r.Request.URL)
	ids := map[string]bool{}
	if _, id := t.named(r, at); id != "" {
		ids[strings.ToLower(id)] = true
	}
	for st, v := range t.keeps(r, at) {
		if k := st.Body.(*syntax.Keep); k.From == "header" {
			ids[strings.ToLower(path.Base(v.Plain()))] = true
		} else if canName(v) {
			ids[strings.ToLower(v.Plain())] = true
		}
	}
	o := t.env.others
	o.mu.Lock()
	defer o.mu.Unlock()
	for id := range ids {
		o.items[id] = append(o.items[id], &item{host: u.Host, list: list, owner: t.in.job.id, sent: shownAsSent(r)})
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

// disturbed notes when a list shows an item of this scenario otherwise than it was made,
// and the scenario has not written to it: what others do may hide then what it does itself,
// and it runs once more alone.
func (t *step) disturbed(s *snapshot) {
	if s.view.By == nil || t.in.disturbed {
		return
	}
	o, me := t.env.others, t.in.job.id
	o.mu.Lock()
	defer o.mu.Unlock()
	for _, key := range s.s.Keys {
		m := s.s.Members[key]
		for _, id := range s.view.Identities(s.s.Only([]string{key})) {
			for _, i := range o.of(strings.ToLower(id), s.host, s.list, func(i *item) bool { return i.owner == me && i.writing == 0 && i.written.IsZero() && !i.deleted }) {
				for n, v := range i.sent {
					if now, has := m.Get(n); has && !value.Equal(now, v) {
						t.in.disturbed = true
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
func (t *step) settled(ctx context.Context, s *snapshot) {
	o, me := t.env.others, t.in.job.id
	o.mu.Lock()
	defer o.mu.Unlock()
	var open []*creating
	for c := range o.creating {
		if c.owner != me && c.host == s.host && (c.list == s.list || strings.HasPrefix(s.list, c.list+"/")) {
			open = append(open, c)
		}
	}
	if len(open) == 0 {
		return
	}
	o.wait(ctx, func() bool { return !slices.ContainsFunc(open, func(c *creating) bool { return o.creating[c] }) })
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
func (t *step) unexplained(d *state.Delta, b, s *snapshot) *state.Delta {
	if s.view.By == nil || len(d.Gained)+len(d.Lost)+len(d.Changed) == 0 {
		return d
	}
	o, me := t.env.others, t.in.job.id
	o.mu.Lock()
	defer o.mu.Unlock()
	of := func(key string) []*item {
		if len(o.of(key, s.host, s.list, func(i *item) bool { return i.owner == me })) > 0 {
			return nil
		}
		return o.of(key, s.host, s.list, func(i *item) bool { return i.owner != me })
	}
	// What is under way is known once it is answered.
	o.wait(t.in.ctx, func() bool {
		open := false
		d.Without(func(change state.Kind, m string) bool {
			open = open || change != state.Gains && slices.ContainsFunc(of(m), func(i *item) bool { return i.writing > 0 })
			return false
		}, s.view)
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
		return theirs(m, func(i *item) bool { return !i.written.Before(b.at) })
	}, s.view)
}
