package roam

import (
	"slices"
	"strings"
	"time"
)

// mostReplays is how often a doubt is replayed before it is told as seen once.
const mostReplays = 10

// mostVague is how often a doubt may come to nothing since it cannot be held against
// anything, before it is left alone.
const mostVague = 8

// wayTo is how the walk has come to a doubt.
func (w *walk) wayTo(d *doubt) *trial {
	g := w.of
	t := &trial{g: g, d: d}
	end := len(w.moves)
	switch {
	case d.kind == Broken, d.kind == Silent, d.kind == Refused, d.kind == Accepted, d.kind == Mispaged:
		t.last = d.move
	case (d.kind == Unlisted || d.kind == Listed) && g.r.Paging != nil && d.move != nil && d.move == w.lastWrite():
		// The list, before and after it, is what tells.
		t.last = d.move
	}
	if t.last != nil {
		for i, m := range w.moves {
			if m == t.last {
				end = i + 1
			}
		}
	}
	t.moves = append(t.moves, w.moves[:end]...)
	if d.move != nil {
		if d.item != nil && d.move.item != d.item.n {
			t.other = w.peek(d.move.item)
		}
		t.owner = w.owner(d.move, d.item)
	}
	return t
}

// confirm replays a doubt on fresh items. What a fresh item shows as well is not
// one: services differ.
func (w *walk) confirm(d *doubt) {
	g, t, started := w.of, w.wayTo(d), time.Now()
	if d.kind == Refused {
		if t.kept = w.controlled(d); t.kept == nil {
			g.bends[d.bend()] = true
			return
		}
		t.last = w.moves[len(w.moves)-1]
		t.moves = append(t.moves[:0], w.moves...)
	}
	// Fresh items are to be alone.
	w.end()
	if !t.sound() {
		// What is claimed does not follow from what was sent.
		g.bends[d.bend()] = true
		return
	}
	shorts, possible := t.controls(w)
	if !possible {
		// Nothing to hold it against: another walk may tell more, but not for ever.
		if g.vague[d.bend()]++; g.vague[d.bend()] >= mostVague {
			g.bends[d.bend()] = true
		}
		return
	}
	if !t.isAlone(shorts) {
		g.bends[d.bend()] = true
		return
	}
	f := &Finding{Kind: d.kind, Resource: g.r.Name, Times: 1}
	for f.Tries < mostReplays && f.Shows == 0 && !g.d.Ended() && time.Since(started) < g.o.patience() {
		f.Tries++
		if shows, _ := t.plays(); shows {
			f.Shows++
		}
	}
	if g.d.Ended() {
		return
	}
	g.found[d.key()] = f
	if f.Shows == 0 {
		f.Once = true
		f.Title, f.About = g.title(t), "seen once: "+d.observed
		g.tell.once(f, w, d)
		return
	}
	if !g.settle(f, t.shrunk(time.Now().Add(g.o.persistence()), f.Tries > 1), shorts...) {
		delete(g.found, d.key())
		g.bends[d.bend()] = true
	}
}

// isAlone tells whether fresh items show nothing of the kind.
func (t *trial) isAlone(shorts []*trial) bool {
	for i, short := range shorts {
		_, clean := short.plays()
		if !clean && t.merged() && len(shorts) == 1 {
			// A merge keeps what it does not name, whatever that is (RFC 7396 §2): the service
			// does so with the values of the examples.
			if plainly := t.plainly(); plainly != nil {
				_, clean = plainly.plays()
				shorts[i] = plainly
			}
		}
		if !clean {
			return false
		}
	}
	return true
}

// settle replays the shortest way three times, in turn with the requests to fresh
// items: each time that one is served right, and this one is not. False tells that the
// fresh one was not.
func (g *ground) settle(f *Finding, t *trial, shorts ...*trial) bool {
	f.Shows, f.Tries = 0, 0
	for range 3 {
		for _, short := range shorts {
			if _, clean := short.plays(); !clean {
				return false
			}
		}
		f.Tries++
		if shows, _ := t.plays(); shows {
			f.Shows++
		}
	}
	f.Title = g.title(t)
	f.About = string(t.d.kind) + ": " + t.d.observed
	f.Once = f.Shows == 0
	for _, m := range t.moves {
		f.Cause += m.op.String() + " "
	}
	for _, other := range g.tell.all {
		if other.Resource == f.Resource && other.Cause == f.Cause && !other.Once {
			if f.Title != other.Title && !strings.HasPrefix(other.Title, f.Title+" (") && !slices.Contains(other.Also, f.Title) {
				other.Also = append(other.Also, f.Title)
			}
			return true
		}
	}
	g.tell.found(f, t)
	return true
}

// title names a finding in a few words.
func (g *ground) title(t *trial) string {
	out := g.r.Name + ": " + string(t.d.kind)
	switch {
	case t.last != nil:
		out += ", after " + t.last.op.after()
	case t.d.move != nil:
		out += ", after " + t.d.move.op.after()
	}
	for i, n := range t.d.members {
		if i == 3 {
			out += " …"
			break
		}
		if i == 0 {
			out += ": "
		} else {
			out += ", "
		}
		out += n
	}
	return out
}
