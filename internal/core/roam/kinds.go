package roam

import (
	"maps"
	"slices"

	"usualpath/internal/core/resource"
	"usualpath/internal/core/value"
)

func init() {
	has := func(o resource.Operation) func(g *ground) bool {
		return func(g *ground) bool { return g.r.Supports(o) }
	}
	anyItem := func(*walk, *move, *item) bool { return true }
	nothing := func(*walk, *move, *item, map[string]*value.Value) {}
	const same, atMostOne = "unchanged", "changes 0..1"
	kinds = [ops]kind{
		opCreate: {"create", "make %s", "a create", resource.Create, func(g *ground) bool { return g.r.Creates() }, (*walk).fillCreate, (*walk).created, "gains 1"},
		opRead:   {"read", "read %s", "a read", resource.Read, has(resource.Read), anyItem, nothing, same},
		opHead:   {"head", "ask for the head of %s", "a HEAD", resource.Head, has(resource.Head), anyItem, nothing, same},
		// The list is looked at after each write, and not drawn.
		opList:   {"list", "read the list", "a list", resource.List, func(g *ground) bool { return g.r.Lists() }, func(*walk, *move, *item) bool { return false }, nothing, same},
		opFilter: {"filter", "read the filtered list", "a filtered list", resource.List, func(g *ground) bool { return g.r.Lists() && g.r.FilterName != "" }, (*walk).fillFilter, nothing, same},
		opReplace: {"replace", "replace %s", "a replace", resource.Replace, func(g *ground) bool {
			return g.r.Supports(resource.Replace) && g.r.Remake != nil && len(g.r.Remake.Fields) > 0
		}, (*walk).fillReplace, (*walk).replaced, atMostOne},
		opReturn: {"return", "replace %s with what was read", "a replace with what was read", resource.Replace, func(g *ground) bool {
			return g.r.Supports(resource.Replace) && g.r.Supports(resource.Read)
		}, (*walk).fillReturn, (*walk).returned, atMostOne},
		opAmend: {"amend", "amend %s", "an amend", resource.Amend, func(g *ground) bool {
			return g.r.Supports(resource.Amend) && g.r.Amend != nil && (len(g.r.Amend.Fields) > 0 || !g.r.Merges())
		}, (*walk).fillAmend, (*walk).amended, atMostOne},
		opDelete:  {"delete", "delete %s", "a delete", resource.Delete, has(resource.Delete), (*walk).fillDelete, (*walk).deleted, "loses 1"},
		opRestart: {"restart", "start the service anew", "a restart", resource.None, func(g *ground) bool { return g.d.Restarts() }, (*walk).fillRestart, nothing, same},
	}
}

func (w *walk) fillCreate(m *move, _ *item) bool {
	if !w.mayCreate() || len(w.m.alive()) > w.size {
		return false
	}
	made := w.create([]class{plain, edge, borrowed, lacking, taken, freed, empty, null}[w.rand.IntN(8)])
	if made == nil {
		return false
	}
	*m = *made
	return true
}

func (w *walk) fillFilter(m *move, _ *item) bool {
	m.turn = w.someTurn()
	return true
}

func (w *walk) fillReplace(m *move, it *item) bool {
	m.class = []class{plain, plain, edge, borrowed, empty, null, lacking, renamed, taken, freed, current, stale}[w.rand.IntN(12)]
	return w.fill(m, it, w.of.r.Remake)
}

func (w *walk) fillReturn(m *move, it *item) bool {
	m.seen = it.seen
	return it.seen > 0 && it.is == there && !m.never
}

func (w *walk) fillAmend(m *move, it *item) bool {
	m.class = []class{plain, plain, several, edge, borrowed, empty, null, renamed, renamed, taken, freed, current, stale}[w.rand.IntN(13)]
	return w.fill(m, it, w.of.r.Amend)
}

// fillDelete leaves most of what is there, so that there is something to walk on.
func (w *walk) fillDelete(m *move, _ *item) bool { return m.gone || w.rand.IntN(2) == 0 }

func (w *walk) fillRestart(*move, *item) bool { return w.rand.IntN(40) == 0 }

func (w *walk) created(m *move, it *item, sent map[string]*value.Value) {
	it.id = w.s.Lookup("id")
	if it.id == nil {
		w.ended = "the answer to a create does not tell what it has made"
		return
	}
	for _, other := range w.m.items {
		if other != it && (other.is == gone || m.status != 201) && other.id != nil && value.Equal(other.id, it.id) {
			// The service has given its name anew, or has written to it (RFC 9110 §9.3.3).
			other.is, other.parted = unsure, true
		}
	}
	it.is, it.want, it.turn = there, w.cells(m, sent), m.turn
	w.m.free = slices.DeleteFunc(w.m.free, func(n int) bool { return n == m.turn })
}

func (w *walk) replaced(m *move, it *item, sent map[string]*value.Value) {
	if m.gone || m.class == lacking {
		// It may be there again; or have lost what tells it from others: nothing more is built on it.
		it.is, it.want = unsure, map[string]cell{}
		return
	}
	it.want = w.cells(m, sent)
	w.renames(m, it)
}

func (w *walk) returned(_ *move, it *item, _ map[string]*value.Value) {
	for n, c := range it.want {
		c.pending = true
		it.want[n] = c
	}
}

func (w *walk) amended(m *move, it *item, sent map[string]*value.Value) {
	if m.gone || !w.of.r.Merges() {
		it.is, it.want = unsure, map[string]cell{}
		return
	}
	maps.Copy(it.want, w.cells(m, sent))
	w.renames(m, it)
}

func (w *walk) deleted(_ *move, it *item, _ map[string]*value.Value) {
	if it.is == there && it.was < 0 {
		w.m.free, w.m.freed = append(w.m.free, it.turn), true
	}
	it.is = gone
}
