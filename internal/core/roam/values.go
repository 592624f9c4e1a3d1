package roam

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/resource"
	"usualpath/internal/core/value"
)

// settable are the members that an operation has been seen to keep, with one client.
func (g *ground) settable(o op) []string {
	var out []string
	for _, n := range g.members {
		if len(g.kept[o][n]) > 0 {
			out = append(out, n)
		}
	}
	return out
}

// watchedIn are the members that a round is about: all that its replaces write, or,
// where there are none, those that can be amended.
func (g *ground) watchedIn(kind string) []string {
	if kind != "merge" && g.supports(opReplace) {
		return g.settable(opReplace)
	}
	return g.settable(opAmend)
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

// learn finds out, with one client, which members each write keeps as they are sent,
// and whether they take values that no example has.
func (g *ground) learn(w *walk) {
	g.kept, g.asSent = map[op]map[string][]string{opReplace: {}, opAmend: {}}, map[string]bool{}
	m := w.create(plain)
	it := w.item(m)
	reply, sent := w.send(m, it)
	if reply == nil || m.status/100 != 2 {
		return
	}
	w.apply(m, it, reply, sent)
	if v := w.shownBy(it); v != nil {
		for _, n := range g.members {
			now, _ := v.Get(n)
			was, known := sent[n]
			g.asSent[n] = known && same(now, was)
		}
	}
	if it.is != there || g.r.Revision != nil {
		return
	}
	for _, n := range g.members {
		if slices.Contains(g.r.Unique, n) {
			continue
		}
		for _, o := range []op{opReplace, opAmend} {
			g.learnMember(w, it, o, n)
		}
	}
}

// invention is the number of the value that is tried first.
const invention = 7

func (g *ground) learnMember(w *walk, it *item, o op, n string) {
	if o == opReplace && !g.supports(opReplace) || o == opAmend && (!g.r.Supports(resource.Amend) || !g.r.Merges()) {
		return
	}
	if text := g.invented(n, invention+int(o)); text != "" && g.keeps(w, it, o, n, text) {
		for i := range 40 {
			g.kept[o][n] = append(g.kept[o][n], g.invented(n, i))
		}
		return
	}
	for _, text := range g.pool(n) {
		if !called(text) && !strings.Contains(text, "turn") && g.keeps(w, it, o, n, text) {
			g.kept[o][n] = append(g.kept[o][n], text)
		}
	}
}

// keeps tells whether a write keeps a member as it is sent.
func (g *ground) keeps(w *walk, it *item, o op, n, text string) bool {
	m := &move{op: o, item: it.n, class: plain, turn: it.turn}
	if o == opReplace {
		m.fields = fieldsOf(g.r.Remake, it.turn)
	}
	m.set(n, text)
	before := it.want[n].v
	reply, sent := w.send(m, it)
	if reply == nil {
		return false
	}
	w.apply(m, it, reply, sent)
	if same(before, sent[n]) {
		// It would read so in any case.
		w.shownBy(it)
		return false
	}
	v := w.shownBy(it)
	if v == nil || m.status/100 != 2 || m.status == 202 {
		return false
	}
	now, _ := v.Get(n)
	return same(now, sent[n])
}

// shownBy is what an item reads as now, nil where that is not an object.
func (w *walk) shownBy(it *item) *value.Value {
	reply := w.reads(it)
	if reply == nil {
		return nil
	}
	v := w.of.contentOf(reply)
	if v == nil || v.Kind != value.Object {
		return nil
	}
	return v
}
