package roam

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/history"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/syntax"
)

// makesAtOnce makes items of so many bodies at once.
func (m *meeting) makesAtOnce(w *resource.Scene, n int) {
	r := m.g.r
	x := resource.Request{Title: fmt.Sprintf("%d clients make one at once", n), Lines: []string{"keep every ids from " + r.IdentitySource(), expects("status not 5xx", servedOrRefused)}}
	effect := fmt.Sprintf("%s gains %d when status 2xx", r.Observed(), n)
	because := "each create that is acknowledged makes an item (RFC 9110 §9.3.3)"
	if m.kind == "unique" {
		x.Lines = append(x.Lines, expects("exactly 1 status 2xx", "what is unique has one owner"))
		effect, because = r.Observed()+" gains 1", "what is unique has one owner"
	}
	if m.kind == "key" {
		w.Let("key", "{uuid()}")
		x.Header = []string{"Idempotency-Key: {key}"}
		effect, because = r.Observed()+" gains 1", "what is sent again with its key is done once"
	}
	if r.Lists() {
		w.Observe(true)
		x.Lines = append(x.Lines, expects(effect, because))
	}
	w.MakeTogether(n, "bodies", x)
	for i := n; i > 0; i-- {
		w.LeaveNth("ids", i)
	}
}

// scene writes what the clients did as requests that are sent at once.
func (m *meeting) scene() *resource.Scene {
	r := m.g.r
	w := r.Scene()
	w.Parents()
	turns(w, r)
	list := m.each()
	id := name(1)
	// The numbers of telling values begin anew.
	numbers := map[int]int{m.item.turn: 0}
	turn := func(k int) int {
		if _, known := numbers[k]; !known {
			numbers[k] = len(numbers)
		}
		return numbers[k]
	}
	fields := func(list []field) []field {
		var out []field
		for _, f := range list {
			f.turn = turn(f.turn)
			out = append(out, f)
		}
		return out
	}
	var methods, bodies []string
	for _, c := range list {
		methods = append(methods, map[op]string{opReplace: `"PUT"`, opAmend: `"PATCH"`, opDelete: `"DELETE"`, opCreate: `"PUT"`}[c.m.op])
		bodies = append(bodies, bodyText(r, fields(c.m.fields)))
	}
	w.Let("bodies", "["+strings.Join(bodies, ", ")+"]")
	if m.kind == "make" || m.kind == "unique" || m.kind == "key" {
		m.makesAtOnce(w, len(bodies))
		return w
	}
	if m.kind == "name" {
		w.Let(id, quotedRaw(r.Turned(r.Chosen, number(0))))
		w.Do(resource.Read, id, resource.Request{Title: "look that nothing is there", Lines: []string{"need status 404 or 410"}})
	} else {
		start := &move{seq: 1, op: opCreate, class: plain, item: 1, fields: fieldsOf(r.Make, 0)}
		start.write(w, r, id, "make item 1", "need status 2xx")
	}
	x := resource.Request{Title: fmt.Sprintf("%d clients write at once", len(list)), Lines: []string{expects("status not 5xx", servedOrRefused)}}
	if m.kind == "tag" {
		w.Do(resource.Read, id, resource.Request{Title: "read item 1", Lines: []string{"need status 200", "keep tag from header ETag"}})
		x.Header = []string{"If-Match: {tag}"}
		x.Lines = append(x.Lines, expects("at most 1 status 2xx", "of writes that demand the same state one is done (RFC 9110 §13.1.1)"))
	}
	if m.kind == "name" {
		x.Lines = append(x.Lines, expects("at most 1 status 201", "201 says that something new was made (RFC 9110 §15.3.2)"))
	}
	if m.kind == "merge" || m.kind == "mixed" && m.f.What != history.Broken {
		x.Lines = append(x.Lines, "need status 2xx")
	}
	w.Let("methods", "["+strings.Join(methods, ", ")+"]")
	w.Together(id, len(list), "methods", "bodies", x)
	if m.kind == "name" {
		w.Leave(id)
	}
	if claims := m.claims(list, fields); len(claims) > 0 {
		w.Do(resource.Read, id, resource.Request{Title: "read what remains", Lines: claims})
	}
	return w
}

// claims are what must hold once all is quiet, whatever the order was.
func (m *meeting) claims(list []*call, fields func([]field) []field) []string {
	r := m.g.r
	text := func(c *call, n string) string {
		for _, f := range fields(c.m.fields) {
			if f.name == n {
				return r.Turned(f.text, number(f.turn))
			}
		}
		return ""
	}
	if slices.ContainsFunc(list, func(c *call) bool { return c.kind == history.Delete }) {
		if m.f.What == history.CameBack {
			return []string{expects("status "+r.GoneStatus(), "what was deleted is gone, and an amend or a replace of it makes nothing (RFC 9110 §9.3.5)")}
		}
		return nil
	}
	if m.kind == "tag" || m.f.What == history.Broken {
		return nil
	}
	out := []string{expects("status 200", "")}
	if m.f.What == history.Vanished {
		return out
	}
	// Of several writes of a member the last one stays, whichever it was.
	written := map[string][]string{}
	var names []string
	for _, c := range list {
		for _, f := range c.m.fields {
			if _, watched := c.members[f.name]; !watched {
				continue
			}
			if !slices.Contains(names, f.name) {
				names = append(names, f.name)
			}
			if v := text(c, f.name); !slices.Contains(written[f.name], v) {
				written[f.name] = append(written[f.name], v)
			}
		}
	}
	if m.f.What == history.Torn {
		var wholes []string
		for _, c := range list {
			var parts []string
			for _, n := range names {
				if v := text(c, n); v != "" {
					parts = append(parts, syntax.Quoted(n)+": "+v)
				}
			}
			if len(parts) == len(names) {
				wholes = append(wholes, "{ "+strings.Join(parts, ", ")+", ... }")
			}
		}
		if len(wholes) == len(list) {
			return append(out, expects(r.Subject()+" is "+strings.Join(wholes, " or "), "of writes at once one stays, whole"))
		}
	}
	for _, n := range names {
		out = append(out, expects(r.InItem(n)+" is "+strings.Join(written[n], " or "), "a write that was acknowledged is there, or another one over it (RFC 9110 §9.3)"))
	}
	return out
}

// each is one call a client: those that contradict each other where they can be told,
// else the first.
func (m *meeting) each() []*call {
	if m.only != nil {
		return m.only
	}
	var out []*call
	calls := slices.Clone(m.calls)
	if m.choice == 2 {
		slices.Reverse(calls)
	}
	for _, c := range calls {
		if c.kind == history.Read || m.choice == 0 && m.of(c) < 0 {
			continue
		}
		if !slices.ContainsFunc(out, func(o *call) bool { return o.client == c.client }) {
			out = append(out, c)
		}
	}
	if len(out) > 1 {
		return out
	}
	for _, c := range m.calls {
		if c.kind != history.Read && !slices.ContainsFunc(out, func(o *call) bool { return o.client == c.client }) {
			out = append(out, c)
		}
	}
	return out
}

// of is the place of a call among those that contradict each other, -1 for none.
func (m *meeting) of(c *call) int {
	return slices.IndexFunc(m.f.Calls, func(h history.Call) bool {
		if h.Client != c.client+1 || h.Kind != c.kind || len(h.Members) != len(c.members) {
			return false
		}
		for n, v := range h.Members {
			if !same(v, c.members[n]) {
				return false
			}
		}
		return true
	})
}
