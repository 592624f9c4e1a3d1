package roam

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/resource"
	"usualpath/internal/core/syntax"
)

// body is what a move sends, as text of the language.
func (m *move) body(r *resource.Resource) string {
	if m.op == opReturn {
		return fmt.Sprintf("{seen_%d}", m.seen)
	}
	if m.drawn() {
		return fmt.Sprintf("{sent_%d}", m.seq)
	}
	return m.text(r)
}

// answered notes the status of an answer; what says in another way that something was made counts as
// 201, and what says so of what is not there as 404.
func (m *move) answered(r *resource.Resource, status int) {
	switch m.status = status; {
	case m.op == opCreate && status/100 != 2 && r.Took(status):
		m.status = 201
	case m.op != opCreate && status/100 == 4 && r.Missing(status):
		m.status = 404
	}
}

// text is the body written out.
func (m *move) text(r *resource.Resource) string {
	if m.whole != "" {
		return r.Turned(m.whole, number(m.turn))
	}
	return strings.ReplaceAll(bodyText(r, m.fields), "{id}", "{"+name(m.item)+"}")
}

// drawn tells whether a body has values of functions, so that it is named: each
// time it is worked out it may be another one.
func (m *move) drawn() bool {
	return strings.Contains(m.whole, "(") || slices.ContainsFunc(m.fields, func(f field) bool { return called(f.text) })
}

// called tells whether a text calls a function.
func called(text string) bool { return strings.Contains(text, "{") && strings.Contains(text, "(") }

func bodyText(r *resource.Resource, fields []field) string {
	if len(fields) == 0 {
		return "{}"
	}
	var parts []string
	for _, f := range fields {
		parts = append(parts, syntax.Quoted(f.name)+": "+r.Turned(f.text, number(f.turn)))
	}
	return "{ " + strings.Join(parts, ", ") + " }"
}

// name is what an item is called in a scenario.
func name(item int) string { return fmt.Sprintf("item_%d", item) }

// words is the title of a move's step.
func (m *move) words() string {
	it := fmt.Sprintf("item %d", m.item)
	out := strings.Replace(kinds[m.op].step, "%s", it, 1)
	switch m.class {
	case edge:
		out += " on a limit"
	case empty, null:
		out += " with " + string(m.class) + " values"
	case freed:
		out += " under a name that is free again"
	case taken:
		out += " under a name that is taken"
	case renamed:
		out += " under a new name"
	case lacking:
		out += " without a member that it needs"
	case current, stale:
		out += " on the " + string(m.class)
	}
	switch {
	case m.never:
		out = strings.Replace(out, it, "what never was", 1)
	case m.gone && m.op != opCreate:
		out += ", which is deleted"
	}
	return out
}

// statusClass is the answer of a move as a claim says it.
func (m *move) statusClass(r *resource.Resource) string {
	switch {
	case m.status/100 == 2:
		return "2xx"
	case m.status == 404 || m.status == 410:
		return r.GoneStatus()
	case m.status == 0:
		return ""
	}
	return fmt.Sprintf("%dxx", m.status/100)
}

// request is the move as a step, with lines about its answer.
func (m *move) request(r *resource.Resource, title string, lines ...string) resource.Request {
	x := resource.Request{Title: title, Lines: lines}
	if m.tag > 0 {
		x.Header = append(x.Header, fmt.Sprintf("If-Match: {tag_%d}", m.tag))
	}
	switch {
	case m.op.sends():
		x.Body = m.body(r)
	case m.op == opFilter:
		x.Query = []string{resource.Queried(r.FilterName) + " = " + quotedRaw(r.Turned(r.FilterFor, number(m.turn)))}
	}
	return x
}

// quotedRaw is a text of the language as a string.
func quotedRaw(raw string) string { return `"` + raw + `"` }

// write adds the move to a scene.
func (m *move) write(w *resource.Scene, r *resource.Resource, id, title string, lines ...string) {
	x := m.request(r, title, lines...)
	if m.never {
		of := id
		id = fmt.Sprintf("nobody_%d", m.seq)
		x.Let = [][2]string{{id, "{another(" + of + ")}"}}
		if m.status/100 == 2 && m.op == opReplace {
			w.Leave(id)
		}
	}
	if m.op == opCreate && m.class == lacking {
		w.Attempt(id, x)
		return
	}
	m.op.put(w, id, number(m.turn), x)
	if m.op == opCreate {
		w.Leave(id)
	}
}

// number is the expression of the number k in a scenario: few numbers go with one
// that is drawn, so that what shows them is known to be ours.
func number(k int) string {
	name := base(k / perBase)
	if k%perBase == 0 {
		return name
	}
	return fmt.Sprintf("%s + %d", name, k%perBase)
}

// perBase is how many numbers go with one that is drawn.
const perBase = 40

func base(i int) string {
	if i == 0 {
		return "turn"
	}
	return fmt.Sprintf("turn_%d", i+1)
}
