package custody

import (
	"cmp"
	"context"
	"fmt"
	"path"
	"slices"
	"strings"
	"time"

	"usualpath/internal/core/event"
	"usualpath/internal/core/state"
	"usualpath/internal/core/value"
)

// leftIn notes what a list still shows and this run has made: some services keep
// what they say is gone, and make what they refuse.
func (r *Run) leftIn(one *watched, s *state.Snapshot) {
	w, l := r.watch, &r.ledger
	l.mu.Lock()
	defer l.mu.Unlock()
	w.mu.Lock()
	defer w.mu.Unlock()
	// Where one that was removed is kept in a state that says so, others are too.
	states := false
	var removed []made
	for _, k := range s.Keys {
		ids := one.view.Identities(s.Only([]string{k}))
		if one.before.Members[k] != nil || len(ids) != 1 || one.had[ids[0]] {
			continue
		}
		same := func(m made) bool { return path.Base(m.path) == ids[0] }
		if slices.ContainsFunc(l.made, same) {
			continue
		}
		left := made{path: path.Join(one.Path, ids[0]), told: one.Path + " " + ids[0]}
		if gone, known := l.gone(ids[0]); known {
			if w.otherState(l.asRead(gone), s.Members[k]) {
				states = true
			} else {
				left.kept = true
				removed = append(removed, left)
			}
			continue
		}
		if l.put[ids[0]] || w.sent(s.Members[k].String()) {
			l.made = append(l.made, left)
		}
	}
	if !states {
		l.made = append(l.made, removed...)
	}
}

// askForKept reads one of the items that were removed and are listed as before: where its own answer
// says that it is in another state, so are the others.
func (r *Run) askForKept(one *watched) {
	w, l := r.watch, &r.ledger
	l.mu.Lock()
	kept := func(m made) bool { return m.kept && path.Dir(strings.ToLower(m.path)) == one.Path }
	var ids []string
	before := map[string]string{}
	for _, m := range l.made {
		id := path.Base(m.path)
		// Of what was never read it cannot be told.
		if gone, _ := l.gone(id); kept(m) && l.asRead(gone) != "" {
			ids, before[id] = append(ids, id), l.asRead(gone)
		}
	}
	l.mu.Unlock()
	// An answer may have shown no more than a name: the longest tells most.
	slices.SortFunc(ids, func(a, b string) int { return cmp.Compare(len(before[b]), len(before[a])) })
	for _, id := range ids[:min(len(ids), mostOfKept)] {
		now, err := value.Decode(one.reads(id), value.Limits{Lenient: true})
		if err != nil {
			continue
		}
		w.mu.Lock()
		other := w.otherState(before[id], now)
		w.mu.Unlock()
		if other {
			l.mu.Lock()
			l.made = slices.DeleteFunc(l.made, kept)
			l.mu.Unlock()
		}
		return
	}
}

// mostOfKept is how many items are read to see what a state is.
const mostOfKept = 3

// gone is an item of a name that was removed.
func (l *ledger) gone(id string) (made, bool) {
	for _, m := range l.removed {
		if path.Base(m.path) == id {
			return m, true
		}
	}
	return made{}, false
}

// removeLeft removes what a list still shows and no step has removed: what a service makes of a
// request that names nothing, such as a list in place of an item, what a delete that was not
// answered has left, and what a derived check could not remove. It shows what only this run can have
// drawn.
func (r *Run) removeLeft(one *watched) (removed bool) {
	l := &r.ledger
	l.mu.Lock()
	var here []made
	for _, m := range l.made {
		if one.removes && (m.host == "" || m.unheard || m.check) && path.Dir(strings.ToLower(m.path)) == one.Path {
			here = append(here, m)
		}
	}
	l.mu.Unlock()
	for _, m := range here {
		// Where something has changed that no request names, nothing more is written.
		if r.Told() || r.doubtful() || !one.remove(path.Base(m.path)) {
			continue
		}
		removed = true
		l.forget(m)
	}
	return removed
}

// doubtful tells whether something of what was there before has changed, and it is not known by what.
func (r *Run) doubtful() bool {
	r.watch.mu.Lock()
	defer r.watch.mu.Unlock()
	return len(r.watch.doubts) > 0
}

// otherState tells whether a member of a list says something else than the item
// did before it was removed, and nothing that this run has sent. The lock is held.
func (w *watch) otherState(before string, now *value.Value) bool {
	was, err := value.Decode(before, value.Limits{Lenient: true})
	if err != nil || was.Kind != value.Object || now.Kind != value.Object {
		return false
	}
	// The list may show an item without what answers wrap it in.
	had := map[string][]*value.Value{}
	each(was, func(n string, v *value.Value) bool {
		had[n] = append(had[n], v)
		return true
	})
	other := func(n string, v *value.Value) bool {
		return len(had[n]) > 0 && !slices.ContainsFunc(had[n], func(one *value.Value) bool { return value.Equal(one, v) }) && !w.sent(v.String())
	}
	for i, n := range now.Names {
		v := now.Items[i]
		if one, here := was.Get(n); here {
			had[n] = append(had[n], one)
		}
		if other(n, v) {
			return true
		}
	}
	return !each(now, func(n string, v *value.Value) bool { return !other(n, v) })
}

// askForLeft asks for what was made, is not known to be gone, and is not listed: some requests
// remove what they are not known for.
func (r *Run) askForLeft(one *watched, s *state.Snapshot) {
	l := &r.ledger
	listed := one.view.Identities(s)
	l.mu.Lock()
	open := slices.DeleteFunc(slices.Clone(l.made), func(m made) bool {
		return path.Dir(strings.ToLower(m.path)) != one.Path || slices.Contains(listed, path.Base(m.path))
	})
	l.mu.Unlock()
	for _, m := range open[:min(len(open), mostAsked)] {
		// What goes by itself and is not listed is gone, where the list shows all; so is what was
		// deleted without an answer, and may read as removed.
		listing := r.book.Listing(one.kind())
		gone := m.going && listing != partial || m.unheard && listing == whole
		if !gone {
			is := one.asks(path.Base(m.path))
			// Some forbid what is gone, and nothing else.
			gone = absent(is) || is == 403 && (m.going || m.unheard) && len(listed) > 0 && one.asks(listed[0]) == 200
		}
		if !gone {
			continue
		}
		l.forget(m)
	}
}

// askForGoing asks for what a delete was answered 202 for and no list tells of: the last of them for a
// while, since it may not be gone yet (RFC 9110 §15.3.3), then the others.
func (r *Run) askForGoing(ctx context.Context) {
	l := &r.ledger
	l.mu.Lock()
	going := slices.DeleteFunc(slices.Clone(l.made), func(m made) bool { return m.asks == nil })
	l.mu.Unlock()
	going = going[max(0, len(going)-mostAsked):]
	for i, m := range slices.Backward(going) {
		for tries := 0; ctx.Err() == nil; tries++ {
			if absent(m.asks()) {
				l.forget(m)
				break
			}
			if i < len(going)-1 || tries == mostWaits {
				break
			}
			select {
			case <-ctx.Done():
			case <-time.After(betweenAsks):
			}
		}
	}
}

// mostWaits is how often it is waited for an item to go, and betweenAsks how long.
const mostWaits = 10

var betweenAsks = 100 * time.Millisecond

// mostLeft bounds how many items are told that a run leaves, mostAsked how many are asked for: where
// deletes are answered 202 that is each.
const mostLeft, mostAsked = 10, 2_000

// LastLook looks once more at all that was there before, at the end of a run, and gives what is to
// be told of it; lost tells that nobody answers any more.
func (r *Run) LastLook(ctx context.Context, lost func() bool) []event.Notice {
	w := r.watch
	w.mu.Lock()
	var list []*watched
	for _, one := range w.lists {
		if one.look != nil && len(w.wrote) > 0 {
			list = append(list, one)
		}
	}
	w.mu.Unlock()
	slices.SortFunc(list, func(a, b *watched) int { return strings.Compare(a.Path, b.Path) })
	for _, one := range list {
		if ctx.Err() != nil || lost() {
			break
		}
		s := one.look(false)
		w.mu.Lock()
		if s.Problem != "" {
			since := ""
			if one.unread != "" {
				since = ", since " + one.unread
			}
			w.ends = append(w.ends, event.Notice{Severe: true, Text: one.Path + " can no longer be read" + since + ": " + s.Problem +
				". What this run has left there, and whether what was there before is as it was, cannot be told"})
			w.mu.Unlock()
			continue
		}
		w.compare(one, s.S, one.view, Writer{})
		w.mu.Unlock()
		r.askForUnlisted(one)
		if s := one.look(true); s.Problem == "" {
			r.leftIn(one, s.S)
			r.askForKept(one)
			if r.removeLeft(one) {
				// That is looked at too.
				if s := one.look(false); s.Problem == "" {
					w.mu.Lock()
					w.compare(one, s.S, one.view, Writer{})
					w.mu.Unlock()
				}
			}
			r.askForLeft(one, s.S)
		}
	}
	if !lost() {
		r.askForGoing(ctx)
	}
	r.settle(ctx)
	return w.ends
}

// Left is how many items were made and not seen to go.
func (r *Run) Left() int { return len(r.ledger.left(nil)) }

// TellLeft says what the run leaves behind, "" for nothing.
func (r *Run) TellLeft() string {
	left := r.ledger.left(&r.book)
	if len(left) == 0 {
		return ""
	}
	text := strings.Join(left[:min(len(left), mostLeft)], ", ")
	if n := len(left) - mostLeft; n > 0 {
		text += fmt.Sprintf(" and %d more", n)
	}
	return "left on the service: " + text
}
