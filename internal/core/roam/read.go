package roam

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"usualpath/internal/core/expect"
	"usualpath/internal/core/jsonpath"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// read holds what an item reads as against what it must.
func (w *walk) read(m *move, it *item, reply *expect.Reply) *doubt {
	g := w.of
	since := max(it.looked, it.shown)
	it.looked = m.seq
	switch {
	case m.never:
		return nil
	case it.is == unsure && it.id != nil && it.last != nil && it.last.class == lacking:
		return nil
	case it.is == unsure && it.id != nil:
		// Whatever it shows is taken as it is.
		switch m.status {
		case 200:
			it.is, it.want = there, map[string]cell{}
		case 404, 410:
			it.is = gone
		default:
			return nil
		}
	case it.is == there && (m.status == 404 || m.status == 410):
		it.is = gone
		return &doubt{kind: Vanished, item: it, move: it.last, want: it.want, before: it.before, since: since, observed: reply.Answer.StatusText()}
	case it.is == gone && m.status == 200:
		if g.r.Gone != "" {
			return nil
		}
		it.is = unsure
		return &doubt{kind: CameBack, item: it, move: w.lastWrite(), before: it.before, observed: reply.Answer.StatusText()}
	}
	if m.status != 200 || it.is != there {
		return nil
	}
	v := g.contentOf(reply)
	if v == nil || v.Kind != value.Object {
		return nil
	}
	w.m.bodies[m.seq], it.seen = v, m.seq
	if tag := reply.Answer.Header.Get("ETag"); strings.HasPrefix(tag, `"`) && g.r.Revision == nil {
		now := value.NewString(tag)
		g.tagsMove = g.tagsMove || it.tag > 0 && !value.Equal(w.m.tags[it.tag], now)
		w.m.tags[m.seq], it.tag = now, m.seq
	}
	return w.compare(it, v, m.seq, since)
}

// compare holds an item's members against what they must be, and takes in what
// they are.
func (w *walk) compare(it *item, v *value.Value, seq, since int) *doubt {
	var unwritten, unasked []string
	var observed []string
	was := maps.Clone(it.want)
	for _, n := range w.of.members {
		now, _ := v.Get(n)
		c, known := it.want[n]
		if !known {
			it.want[n] = shownAs(now, n, it, seq)
			continue
		}
		if same(c.v, now) {
			c.pending = false
			it.want[n] = c
			continue
		}
		observed = append(observed, fmt.Sprintf("%s is %s, not %s", resource.MemberPath(n), shown(now), shown(c.v)))
		if c.pending {
			unwritten = append(unwritten, n)
		} else {
			unasked = append(unasked, n)
		}
		it.want[n] = shownAs(now, n, it, seq)
	}
	w.settleName(it, append(slices.Clone(unwritten), unasked...))
	d := &doubt{item: it, want: was, before: it.before, since: since, observed: strings.Join(observed, "; ")}
	switch {
	case len(unwritten) > 0:
		d.kind, d.members, d.move = Unwritten, unwritten, it.last
	case len(unasked) > 0:
		d.kind, d.members, d.move = Unasked, unasked, w.lastWrite()
	default:
		return nil
	}
	return d
}

// shownAs is a member that is known from what a read has shown.
func shownAs(v *value.Value, name string, it *item, seq int) cell {
	return cell{v: v, field: field{name, literal(v), it.turn}, seq: seq, read: true}
}

// literal is a value as text of the language.
func literal(v *value.Value) string {
	if absent(v) {
		return "null"
	}
	switch v.Kind {
	case value.String:
		return syntax.Quoted(v.Text)
	case value.Array:
		var parts []string
		for _, one := range v.Items {
			parts = append(parts, literal(one))
		}
		return "[" + strings.Join(parts, ", ") + "]"
	case value.Object:
		var parts []string
		for i, n := range v.Names {
			parts = append(parts, syntax.Quoted(n)+": "+literal(v.Items[i]))
		}
		return "{ " + strings.Join(parts, ", ") + " }"
	}
	return v.JSON()
}

func shown(v *value.Value) string {
	if v == nil {
		return "absent"
	}
	return value.Cut(v.String(), 60)
}

// head holds HEAD against what is known.
func (w *walk) head(m *move, it *item) *doubt {
	if m.never || it.is == unsure {
		return nil
	}
	is := m.status/100 == 2
	if is == (it.is == there) || m.status != 404 && m.status != 410 && !is || it.is == gone && w.of.r.Gone != "" {
		return nil
	}
	return &doubt{kind: HeadSays, item: it, move: w.lastWrite(), want: it.want, before: it.before, observed: fmt.Sprintf("%d", m.status)}
}

// settleName tells, once an item was read, which number its telling members have: only
// then is the one free that it had before.
func (w *walk) settleName(it *item, wrong []string) {
	if it.was < 0 {
		return
	}
	kept := !slices.ContainsFunc(wrong, func(n string) bool { return slices.Contains(w.of.r.Unique, n) })
	if kept {
		w.m.free, w.m.freed = append(w.m.free, it.was), true
	} else {
		it.turn = it.was
	}
	it.was = -1
}

// filtered holds a filtered list against what the items are.
func (w *walk) filtered(m *move, reply *expect.Reply) *doubt {
	g := w.of
	v, err := reply.JSON()
	if err != nil {
		return nil
	}
	s := listOf(g, v)
	if s == nil {
		return nil
	}
	wanted := w.s.Lookup("wanted")
	whole := g.r.Paging == nil || len(s.Keys) < g.largest
	g.largest = max(g.largest, len(s.Keys))
	for _, it := range w.m.items {
		if it.is != there {
			continue
		}
		c, known := it.want[g.r.FilterName]
		if !known || c.pending {
			continue
		}
		matches := c.v != nil && c.v.Plain() == wanted.Plain()
		member, shows := s.Find(it.id)
		d := &doubt{item: it, move: w.lastWrite(), want: it.want, before: it.before, turn: m.turn}
		switch {
		case matches && !shows && whole:
			d.kind, d.observed = Unfound, fmt.Sprintf("of %d members none is %s", len(s.Keys), it.id)
		case !matches && shows:
			d.kind, d.observed = Misfound, value.Cut(member.String(), 80)
		default:
			continue
		}
		if d = g.doubts(d); d != nil {
			return d
		}
	}
	return nil
}

// listOf is a list's answer as an observation reads it, nil for what is none.
func listOf(g *ground, v *value.Value) *state.Snapshot {
	view := state.View{IfThere: true}
	var err error
	if view.By, err = jsonpath.Parse(g.r.By); err != nil {
		return nil
	}
	if within := g.r.Within(); within != "" {
		if view.In, err = jsonpath.Parse(within); err != nil {
			return nil
		}
	}
	members, err := view.Members(v)
	if err != nil {
		return nil
	}
	list, err := view.Entries(members, nil)
	if err != nil {
		return nil
	}
	s := view.Absent()
	s.Put(list)
	return s
}
