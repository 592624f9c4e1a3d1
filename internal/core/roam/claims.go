package roam

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/resource"
	"usualpath/internal/core/syntax"
)

// servedOrRefused is why no answer is 5xx.
const servedOrRefused = "a request that can be understood is served or refused (RFC 9110 §15.6)"

// expects is a claim with its reason.
func expects(what, because string) string {
	if because == "" {
		return "expect " + what
	}
	return "expect " + what + "  because " + syntax.Quoted(because)
}

// onLast are the claims on the answer of the last move, nil where only its success
// counts.
func (t *trial) onLast() []string {
	id := "{" + name(t.d.item.number()) + "}"
	list := t.g.r.Observed()
	switch t.d.kind {
	case Broken:
		return []string{expects("status not 5xx", servedOrRefused)}
	case Silent:
		return []string{expects("status 1xx or 2xx or 3xx or 4xx or 5xx", "a request is answered (RFC 9110 §3.3)")}
	case Refused:
		return []string{expects("status 2xx", "what reads the same acts the same: an item of the same content is served")}
	case Accepted:
		return []string{expects("status 4xx", "the same request was refused before, and nothing that it names has changed")}
	case Mispaged:
		return []string{"need status 2xx", expects(t.g.r.ObservedBy(t.d.pages)+" "+kinds[t.last.op].effect, "page after page, the list shows each item once")}
	case Unlisted:
		if t.effect() {
			because := "a request changes what it names, and nothing else (RFC 9110 §9.3)"
			if t.last.op == opCreate {
				because = "what was made is in its list"
			}
			return []string{"need status 2xx", expects(list+" "+kinds[t.last.op].effect, because)}
		}
	case Listed:
		if t.effect() && t.last.op == opDelete {
			return []string{"need status 2xx", expects(list+" loses { "+syntax.Quoted(t.identity())+": "+id+", ... }", "what was deleted is no longer in its list (RFC 9110 §9.3.5)")}
		}
	}
	return nil
}

// identity is the member that holds the identity, "id" where it is elsewhere.
func (t *trial) identity() string {
	if n, ok := strings.CutPrefix(t.g.r.By, "$."); ok && syntax.IsName(n) {
		return n
	}
	return "id"
}

func (it *item) number() int {
	if it == nil {
		return 0
	}
	return it.n
}

// atEnd adds the looks that show the doubt.
func (t *trial) atEnd(w *resource.Scene) {
	r, d := t.g.r, t.d
	if d.item == nil {
		return
	}
	id := name(d.item.n)
	words := fmt.Sprintf("item %d", d.item.n)
	look := func(title string, lines ...string) {
		w.Do(resource.Read, id, resource.Request{Title: title, Lines: lines})
	}
	switch d.kind {
	case Unwritten:
		look("read "+words+" back", slices.Concat([]string{expects("status 200", "")}, t.reads("what was acknowledged is there when it is read (RFC 9110 §9.3)"))...)
	case Unasked:
		look("look at "+words, slices.Concat([]string{"expect status 200"}, t.reads("a request changes what it names, and nothing else (RFC 9110 §9.3)"))...)
	case Vanished:
		look("look at "+words, expects("status 200", "what was made is there until it is deleted (RFC 9110 §9.3.5)"))
	case CameBack:
		look("look at "+words, expects("status "+r.GoneStatus(), "what was deleted is gone (RFC 9110 §9.3.5)"))
	case HeadSays:
		status := "2xx"
		if d.item.is == gone {
			status = r.GoneStatus()
		}
		w.Do(resource.Head, id, resource.Request{Title: "ask for the head of " + words, Lines: []string{expects("status "+status, "HEAD answers as GET does (RFC 9110 §9.3.2)")}})
	case Unlisted:
		if !t.effect() {
			w.Do(resource.List, "", resource.Request{Title: "look at the list", Lines: []string{"need status 200", expects(r.InList(id)+" count 1", "what is there is in its list, once")}})
		}
	case Listed:
		if !t.effect() {
			w.Do(resource.List, "", resource.Request{Title: "look at the list", Lines: []string{"need status 200", expects(r.InList(id)+" count 0", "what was deleted is no longer in its list (RFC 9110 §9.3.5)")}})
		}
	case Miscounted:
		total := "{total_before}"
		if n := len(t.g.after(t.moves).there); n > 0 {
			total = fmt.Sprintf("{total_before + %d}", n)
		}
		w.Do(resource.List, "", resource.Request{Title: "read the total", Lines: []string{"need status 200", expects(r.Total+" is "+total, "the total counts what the list would show if it were whole")}})
	case ListSays:
		look("read "+words, slices.Concat([]string{"need status 200"}, t.needs())...)
		var lines []string
		for _, n := range d.members {
			lines = append(lines, expects(r.InList(id)+strings.TrimPrefix(resource.MemberPath(n), "$")+" is "+t.text(n), "the list shows what the item is"))
		}
		w.Do(resource.List, "", resource.Request{Title: "look at the list", Lines: append([]string{"need status 200"}, lines...)})
	case Unfound, Misfound:
		count, why := "1", "a filter finds what matches it"
		if d.kind == Misfound {
			count, why = "0", "a filter leaves out what does not match it"
		}
		look("read "+words, slices.Concat([]string{"need status 200"}, t.needs())...)
		m := &move{op: opFilter, turn: d.turn}
		x := m.request(r, "look at the filtered list", "need status 200", expects(r.InList(id)+" count "+count, why))
		w.Do(resource.List, "", x)
	}
}

// reads are claims on the members that are in doubt.
func (t *trial) reads(because string) []string {
	var out []string
	for _, n := range t.d.members {
		out = append(out, t.readsMember("expect", n)+"  because "+syntax.Quoted(because))
	}
	return out
}

// needs say that the item reads as it is known to.
func (t *trial) needs() []string {
	var out []string
	for _, n := range t.d.members {
		out = append(out, t.readsMember("need", n))
	}
	if t.d.kind == Unfound || t.d.kind == Misfound {
		out = append(out, t.readsMember("need", t.g.r.FilterName))
	}
	return out
}

func (t *trial) readsMember(word, n string) string {
	c := t.cell(n)
	if absent(c.v) {
		return word + " " + t.g.r.Subject() + " is { " + syntax.Quoted(n) + "?: null, ... }"
	}
	return word + " " + t.g.r.InItem(n) + " is " + t.text(n)
}

// cell is what a member must be: what the move that has set it sends now.
func (t *trial) cell(n string) cell {
	c := t.d.want[n]
	if c.read {
		return c
	}
	for _, m := range t.moves {
		if m.seq != c.seq {
			continue
		}
		for _, f := range m.fields {
			if f.name == n {
				c.field = f
				if f.text == "null" {
					c.v = nil
				}
			}
		}
	}
	return c
}

// shows are needs on a read that was the first to show what is expected later.
func (t *trial) shows(m *move) []string {
	if m.op != opRead || t.d.item == nil || m.item != t.d.item.n {
		return nil
	}
	var out []string
	for _, n := range t.claimed() {
		if c := t.d.want[n]; c.read && c.seq == m.seq {
			out = append(out, t.readsMember("need", n))
		}
	}
	return out
}

// claimed are the members that something is claimed of.
func (t *trial) claimed() []string {
	switch t.d.kind {
	case Unwritten, Unasked, ListSays:
		return t.d.members
	case Unfound, Misfound:
		return []string{t.g.r.FilterName}
	}
	return nil
}

// follows tells whether what is claimed follows from the moves: that what a member
// must be was sent, or shown, and that nothing has set it since.
func (t *trial) follows() bool {
	for _, n := range t.claimed() {
		c := t.d.want[n]
		known := false
		for _, m := range t.moves {
			if m.item != t.d.item.n || m.never || m.status/100 != 2 {
				continue
			}
			switch {
			case m.seq == c.seq:
				known = m.op == opRead || m.op == opReturn || m.has(n)
			case m.op == opCreate || m.op == opReplace || m.op == opDelete:
				known = false
			case m.op == opAmend && (m.has(n) || m.whole != ""):
				known = false
			}
		}
		if !known {
			return false
		}
	}
	return true
}

// text is what a member must be, as text of the language.
func (t *trial) text(n string) string {
	c := t.cell(n)
	if absent(c.v) {
		return "null"
	}
	if c.seq > 0 && !c.read && called(c.text) {
		if syntax.IsName(n) {
			return fmt.Sprintf("{sent_%d.%s}", c.seq, n)
		}
		return fmt.Sprintf("{sent_%d[%s]}", c.seq, syntax.Quoted(n))
	}
	return t.g.r.Turned(c.text, number(c.turn))
}
