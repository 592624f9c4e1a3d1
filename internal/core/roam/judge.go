package roam

import (
	"maps"
	"slices"
	"strings"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/value"
)

// mayRefuse names a request that is to be refused, "" for one that is not: how the
// first of them are answered is the service's word.
func (w *walk) mayRefuse(m *move) string {
	switch {
	case m.op == opDelete && (m.gone || m.never), m.op == opRead, m.op == opHead:
		return ""
	case (m.gone || m.never) && m.op == opReplace && (w.of.r.ByName() || w.of.r.Beside != "" || m.status == 201):
		// It may make what is not there, or refuse to for a reason that is gone since.
		return ""
	case m.never:
		return m.op.String() + " of what never was"
	case m.gone && m.op != opCreate:
		return m.op.String() + " of what is deleted"
	case m.class == lacking, m.class == taken, m.class == stale:
		return m.op.String() + " " + string(m.class)
	}
	return ""
}

// answered judges the status of an answer by itself.
func (w *walk) answered(m *move, it *item, reply *expect.Reply) *doubt {
	g := w.of
	if f := reply.Failure; f != nil {
		switch f.Kind {
		case exchange.SlowAnswer, exchange.ClosedEarly, exchange.Reset, exchange.NotHTTP, exchange.BadLength, exchange.BadChunk, exchange.SlowBody:
			return &doubt{kind: Silent, item: it, move: m, observed: f.Error()}
		}
		w.ended = f.Error()
		return nil
	}
	status := m.status
	if status/100 == 5 && status != 501 {
		return &doubt{kind: Broken, item: it, move: m, observed: reply.Answer.StatusText()}
	}
	if status == 429 || status == 503 {
		return nil
	}
	if why := w.mayRefuse(m); why != "" {
		h := g.word[why]
		if h == nil {
			h = &heard{}
			g.word[why] = h
		}
		if status/100 == 2 {
			h.taken++
			if h.refused > 0 {
				return &doubt{kind: Accepted, item: it, move: m, observed: reply.Answer.StatusText()}
			}
		} else if status/100 == 4 {
			h.refused++
		}
		return nil
	}
	if m.op.writes() && status/100 == 4 && !m.gone && !m.never && it != nil && (it.is == there || m.op == opCreate) {
		if len(w.m.dead()) > 0 && (m.class == freed || w.reuses(m)) && g.refrees < 2 {
			// A name may stay taken for good.
			return nil
		}
		h := g.word[w.served(m)]
		if h == nil || h.taken < 2 || m.class == edge || m.class == empty || m.class == null || m.class == borrowed {
			// It may be that this is never served: a value that is not taken.
			if w.reuses(m) || m.class == current && g.tagsMove || m.class != plain && m.class != several && m.class != current && m.class != renamed {
				return nil
			}
		}
		return &doubt{kind: Refused, item: it, move: m, observed: reply.Answer.StatusText()}
	}
	return nil
}

// served is what is known of moves of a kind: those that take a name which an item had are one of
// their own.
func (w *walk) served(m *move) string {
	kind := m.class
	switch {
	case w.reuses(m):
		kind = freed
	case kind == freed:
		// Nobody here had it.
		kind = renamed
	}
	return "served " + m.op.String() + " " + string(kind)
}

// afterDelete tells whether an item was deleted while it had the name of a move.
func (w *walk) afterDelete(m *move) bool {
	f := telling(w.of.r)
	if f == nil {
		return false
	}
	at := slices.IndexFunc(m.fields, func(one field) bool { return one.name == f.Name })
	return at >= 0 && slices.ContainsFunc(w.m.items, func(it *item) bool {
		last := it.want[f.Name]
		return it.is == gone && it.n != m.item && last.turn == m.fields[at].turn && last.text == m.fields[at].text
	})
}

// reuses tells whether a move takes a name that another item had.
func (w *walk) reuses(m *move) bool {
	return len(w.of.r.Unique) > 0 && slices.ContainsFunc(w.m.items, func(it *item) bool { return it.n != m.item && (it.turn == m.turn || it.was == m.turn) })
}

// apply brings the model up to date with what an answer acknowledges.
func (w *walk) apply(m *move, it *item, reply *expect.Reply, sent map[string]*value.Value) *doubt {
	ok := m.status/100 == 2
	if it == nil {
		if m.op == opFilter && ok {
			return w.filtered(m, reply)
		}
		return nil
	}
	g := w.of
	if m.op.writes() && w.mayRefuse(m) == "" && ok {
		key := w.served(m)
		if g.word[key] == nil {
			g.word[key] = &heard{}
		}
		g.word[key].taken++
		if w.afterDelete(m) {
			g.refrees++
		}
	}
	switch {
	case m.op == opRead:
		return w.read(m, it, reply)
	case m.op == opHead:
		return w.head(m, it)
	case m.never:
		if ok {
			// Made under that name: removed in the end, and left alone until then.
			it.n, it.is, it.parted = 0, unsure, true
			w.m.items = append(w.m.items, it)
		}
		return nil
	case m.status/100 == 4:
		if m.op == opCreate {
			it.is = gone
		}
		return nil
	case !ok:
		it.is = unsure
		return nil
	}
	if m.op.writes() {
		it.past = append(it.past, m.op)
		it.before = maps.Clone(it.want)
		it.last, m.before = m, it.before
		it.seen = 0
		if it.tag > 0 {
			it.older, it.tag = it.tag, 0
		}
	}
	if kinds[m.op].learn(w, m, it, sent); w.ended != "" {
		return nil
	}
	if m.status == 202 {
		w.settles(m, it)
	}
	return nil
}

// renames notes the number that a write has given to the telling members.
func (w *walk) renames(m *move, it *item) {
	for _, f := range m.fields {
		if f.turn != it.turn && slices.Contains(w.of.r.Unique, f.name) && strings.Contains(f.text, "turn") {
			if it.was < 0 {
				it.was = it.turn
			}
			it.turn = f.turn
			w.m.free = slices.DeleteFunc(w.m.free, func(n int) bool { return n == f.turn })
			return
		}
	}
}

// cells are the members of a body, as they must read.
func (w *walk) cells(m *move, sent map[string]*value.Value) map[string]cell {
	out := map[string]cell{}
	for _, f := range m.fields {
		if slices.Contains(w.of.members, f.name) {
			out[f.name] = cell{v: sent[f.name], field: f, pending: true, seq: m.seq}
		}
	}
	return out
}
