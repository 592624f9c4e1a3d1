package resource

import (
	"slices"
	"strings"
)

// cases are values of members, on limits or beyond them.
type memberCase struct {
	limited
	member string
	// unique is a value that another item may have already.
	unique bool
}

func (c memberCase) title() string { return c.member + " is " + c.says }

// most is how many values a check tries.
func (r *Resource) mostCases() int {
	if r.Thorough {
		return thoroughCases
	}
	return usualCases
}

// limitCases are the values of all members that a body may hold, those that are
// usual only or the others. Members that never show what was sent are tried too. A form holds
// texts: neither null nor what has parts.
func (r *Resource) limitCases(of func(t *taken, e *Example) []limited, usual bool) []memberCase {
	var out []memberCase
	for i := range r.Takes {
		t := &r.Takes[i]
		for _, l := range of(t, r.Make) {
			form := !r.Make.json() && (l.text == "null" || strings.HasPrefix(l.text, "[") || strings.HasPrefix(l.text, "{"))
			if l.usual == usual && !form && len(out) < r.mostCases() {
				out = append(out, memberCase{l, t.Name, slices.Contains(r.Unique, t.Name)})
			}
		}
	}
	return out
}

// edgeCases are those on limits, with optional members left out.
func (r *Resource) edgeCases(usual bool) []memberCase {
	out := r.limitCases((*taken).within, usual)
	for _, t := range r.Takes {
		if t.Optional && !usual && r.Make.Has(t.Name) && len(out) < r.mostCases() {
			out = append(out, memberCase{limited{says: "left out", reads: unread}, t.Name, false})
		}
	}
	return out
}

func (r *Resource) beyondCases() []memberCase { return r.limitCases((*taken).beyond, false) }

// sets is the change that a case makes in an example.
func (c memberCase) sets() map[string]*string {
	if c.text == "" {
		return map[string]*string{c.member: nil}
	}
	return map[string]*string{c.member: &c.text}
}

// Edge is a value on a limit of what a member takes, as text of the language.
type Edge struct{ Member, Text string }

// Edges are values on limits that read as they were sent.
func (r *Resource) Edges() []Edge {
	var out []Edge
	for _, c := range r.edgeCases(false) {
		if c.text != "" && c.reads == asSent && !c.unique {
			out = append(out, Edge{c.member, c.text})
		}
	}
	return out
}

// usualCases bounds how many values a check tries, thoroughCases what --thorough
// allows; pairRows the bodies of the table of pairs.
const (
	usualCases    = 40
	thoroughCases = 400
	pairRows      = 12
	thoroughRows  = 120
)

// orTaken is what else may be answered to a value that somebody may have already: one that is drawn
// nobody has. A text may be one of a kind although nothing says so (RFC 9110 §15.5.10), and what is
// kept in a state may hold it for good.
func (r *Resource) orTaken(cases ...memberCase) (out string) {
	for _, c := range cases {
		drawn := (Field{Text: c.text}).telling()
		switch {
		case !drawn && (c.unique || r.Gone != "" && strings.HasPrefix(c.text, `"`)):
			return " or 409 or 422 or 400"
		case c.unique || !drawn && strings.HasPrefix(c.text, `"`):
			out = " or 409"
		}
	}
	return out
}

// mostEdges is beyond the number of cases that are tried.
const mostEdges = thoroughCases
