package roam

import (
	"time"

	"usualpath/internal/core/engine"
	"usualpath/internal/core/history"
)

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

// late tells whether a call was answered 202. Then nothing is judged, and no clients
// meet any more: when it is done is not known.
func (r *ring) late() bool {
	for _, c := range r.calls {
		r.g.late = r.g.late || c.m.status == 202
	}
	for _, c := range r.calls {
		// What was made is removed at the end.
		if it := r.w.peek(c.m.item); r.g.late && it != nil && c.id != nil {
			it.id, it.is, it.parted = c.id, unsure, true
			if c.m.status == 202 {
				r.w.waits(it, false)
			}
		}
	}
	return r.g.late
}

// judging bounds the search for an order that explains a history.
const judging = 2 * time.Second

func watched(cells map[string]cell, names []string) history.Members {
	out := history.Members{}
	for _, n := range names {
		if c, known := cells[n]; known {
			out[n] = c.v
		}
	}
	return out
}

func alike(a, b history.Members) bool {
	for n, v := range a {
		if !same(v, b[n]) {
			return false
		}
	}
	return len(a) == len(b)
}
