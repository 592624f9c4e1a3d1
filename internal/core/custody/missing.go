package custody

import (
	"path"
	"slices"

	"usualpath/internal/core/event"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// existence is what asking for an item by itself says of it.
type existence int

// A list may show a part of what is there: what is missing in it is gone only where asking for
// it is answered with 404 or 410.
const (
	isUntold existence = iota
	isGone
	isThere
)

// status asks for a member that a list does not show any more. Where another one that the list
// shows cannot be read so either, items are somewhere else, and nothing is told.
func (one *watched) status(lost *value.Value, now *state.Snapshot) existence {
	ids := (&Sight{View: one.view}).identities(lost)
	if len(ids) == 0 || one.asks == nil {
		return isUntold
	}
	switch is := one.asks(ids[0]); {
	case is == 200:
		return isThere
	case !absent(is):
		return isUntold
	}
	if others := one.view.Identities(now.Only(now.Keys[:min(1, len(now.Keys))])); len(others) > 0 && one.asks(others[0]) != 200 {
		return isUntold
	}
	return isGone
}

// mostUnseen is how many writes of a walk may come after one another before its list is looked at.
const mostUnseen = 10

// wrote notes a write to an item of a guarded list, or to the list.
func (t *turn) wrote(sent event.Sent) {
	r := sent.Exchange.Request
	if !t.strict() || syntax.SafeMethod(r.Method) {
		return
	}
	lists, err := t.Lists()
	if err != nil || len(lists) == 0 {
		return
	}
	at := t.plain(r.URL)
	_, l := member(at+"/", lists)
	if !l.real() {
		l = lists[len(lists)-1]
	}
	w := t.run.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	one := w.lists[readable(l, lists).key()]
	if one == nil {
		return
	}
	if len(one.since) == 2*mostUnseen {
		one.since = slices.Delete(one.since, 0, 1)
	}
	one.since = append(one.since, sent)
	if r.Method != "POST" {
		one.deletes++
	}
	if a := sent.Exchange.Answer; a != nil && a.Status/100 == 2 && r.Method == "DELETE" {
		one.removes = one.removes || path.Dir(at) == one.Path
	}
}

// unseen tells whether a list has to be looked at before more is written below it.
func (r *Run) unseen(list string) bool {
	w := r.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	one := w.lists[list]
	return one != nil && one.look != nil && len(one.before.Keys) > 0 && (one.deletes > 0 || len(one.since) >= mostUnseen)
}
