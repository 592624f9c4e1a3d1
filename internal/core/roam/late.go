package roam

import "usualpath/internal/core/resource"

// settles waits until what was answered 202 (RFC 9110 §15.3.3) shows. What may still
// change is left alone until it is removed: nothing can be told of it.
func (w *walk) settles(m *move, it *item) {
	g := w.of
	g.late = true
	switch {
	case !g.r.Supports(resource.Read):
		it.is, it.parted = unsure, true
	case m.op == opCreate && it.id != nil:
		if !w.waits(it, false) {
			it.is, it.parted = unsure, true
			w.ended = "a create was answered 202, and what it was to make did not show in time (`ready within` says how long that may take)"
			g.refused = w.ended
		}
	case m.op == opDelete && g.r.Gone == "" && w.waits(it, true):
		it.is = gone
	default:
		it.is, it.parted = unsure, true
	}
}

// waits reads an item until it is there, or gone; false when it is not in time.
func (w *walk) waits(it *item, isGone bool) bool {
	w.s.Bind("id", it.id)
	a := w.s.Run(w.of.parse(w.of.stepOf(func(sc *resource.Scene) { sc.Await("id", "wait for it", isGone) })), false)
	w.of.o.add(a.Requests)
	if a.Reply == nil || a.Reply.Answer == nil {
		return false
	}
	status := a.Reply.Answer.Status
	return isGone && (status == 404 || status == 410) || !isGone && status == 200
}
