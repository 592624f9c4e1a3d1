package roam

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/resource"
	"usualpath/internal/core/value"
)

// settable are the members that can be given values by hand.
func (g *ground) settable() []string {
	var out []string
	for _, n := range g.members {
		if !slices.Contains(g.r.Unique, n) && len(g.values(n)) > 1 {
			out = append(out, n)
		}
	}
	return out
}

// values are different values of a member, as text: those of the examples, and
// those on limits.
func (g *ground) values(n string) []string {
	if g.inventive[n] {
		var out []string
		for i := range 40 {
			out = append(out, g.invented(n, i))
		}
		return out
	}
	var out []string
	for _, text := range g.pool(n) {
		if !called(text) {
			out = append(out, text)
		}
	}
	for _, e := range g.edges {
		if e.Member == n && !called(e.Text) && len(e.Text) < 60 && !slices.Contains(out, e.Text) {
			out = append(out, e.Text)
		}
	}
	return out
}

// invented is a value like that of the examples, "" where none comes to mind.
func (g *ground) invented(n string, i int) string {
	for _, e := range []*resource.Example{g.r.Make, g.r.Remake, g.r.Amend} {
		if e == nil {
			continue
		}
		for _, f := range e.Fields {
			if f.Name != n || called(f.Text) {
				continue
			}
			v, err := value.Decode(f.Text, value.Limits{})
			if err != nil {
				return ""
			}
			switch v.Kind {
			case value.String:
				return strings.TrimSuffix(f.Text, `"`) + " " + string(rune('a'+i%26)) + string(rune('a'+i/26)) + `"`
			case value.Number:
				if k, whole := v.Int(); whole {
					return fmt.Sprint(k + i)
				}
				return fmt.Sprintf("%s%d", v.Text, i+1)
			}
			return ""
		}
	}
	return ""
}

// invents finds out, with one client, which members take values that no example has.
func (g *ground) invents(w *walk) {
	g.inventive, g.asSent = map[string]bool{}, map[string]bool{}
	m := w.create(plain)
	it := w.item(m)
	reply, sent := w.send(m, it)
	if reply == nil || m.status/100 != 2 {
		return
	}
	w.apply(m, it, reply, sent)
	if reply = w.reads(it); reply != nil {
		if v := g.contentOf(reply); v != nil && v.Kind == value.Object {
			for _, n := range g.members {
				now, _ := v.Get(n)
				was, known := sent[n]
				g.asSent[n] = known && same(now, was)
			}
		}
	}
	if it.is != there || g.r.Revision != nil {
		return
	}
	for _, n := range g.members {
		text := g.invented(n, 7)
		if text == "" || slices.Contains(g.r.Unique, n) {
			continue
		}
		m := &move{op: opReplace, item: it.n, class: plain, turn: it.turn}
		switch {
		case g.supports(opReplace) && g.r.Remake.Has(n):
			for _, f := range g.r.Remake.Fields {
				m.fields = append(m.fields, field{f.Name, f.Text, it.turn})
			}
			m.set(n, text)
		case g.r.Supports("amend") && g.r.Merges():
			m.op, m.fields = opAmend, []field{{n, text, it.turn}}
		default:
			continue
		}
		reply, sent := w.send(m, it)
		if reply == nil {
			continue
		}
		w.apply(m, it, reply, sent)
		read := &move{op: opRead, item: it.n, class: plain}
		if reply, _ = w.send(read, it); reply != nil {
			v := g.contentOf(reply)
			if v != nil && v.Kind == value.Object && m.status/100 == 2 {
				now, _ := v.Get(n)
				g.inventive[n] = same(now, sent[n])
			}
			w.apply(read, it, reply, nil)
		}
	}
}
