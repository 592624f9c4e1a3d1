package engine

import (
	"fmt"

	"usualpath/internal/core/event"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// form tells of a difference between what was sent and what is read whether it is left out of
// account: the resource's own example reads so from the start, as another JSON type. Whether that
// is meant cannot be told (RFC 9110 §3.2 leaves the representation to the service). The probe
// only learns of such members.
func (t *step) form(d value.Difference) bool {
	name := d.Path.First()
	key := resourceKey(t.in.job.s.File, t.env.checkOf(t.in.job.s))
	t.env.mu.Lock()
	defer t.env.mu.Unlock()
	if t.in.job.s.Check.ID != Probe {
		if hint := t.env.hints[key][name]; hint != "" {
			t.hint = hint
		}
		return t.env.forms[key][name]
	}
	if !t.in.job.s.File.Derived() {
		// Written down, the checks are judged by all that they say; this one only looks.
		return true
	}
	told := func(text string) {
		t.in.late = append(t.in.late, &event.Notice{Text: t.in.job.s.Check.Resource + ": " + text})
	}
	switch {
	case d.Want == nil:
	case d.Got == nil && d.Path.String() == (*value.Path)(nil).Member(name).String():
		t.hintAt(key, name, "`hidden "+name+"` says of a member that it is taken, and never shown")
	case d.Got == nil && name == "":
	case name == "":
		// A text that is written anew, with other line ends or in another order, may mean the same.
		if d.Want.Kind == value.String && d.Got.Kind == value.String && !t.env.forms[key][""] {
			told("a text does not read as it is sent: the two are not compared")
			t.env.otherForm(key, "")
		}
	case d.Got != nil && d.Want.Kind != d.Got.Kind && d.Want.Kind != value.Null && d.Got.Kind != value.Null && !t.env.forms[key][name]:
		told(fmt.Sprintf("%s is sent as %s and reads as %s: the two are not compared; `reads { … }` says how it reads", name, d.Want.Kind, d.Got.Kind))
		t.env.otherForm(key, name)
	case d.Got == nil || d.Want.Kind == d.Got.Kind:
		t.hintAt(key, name, "`reads { "+value.Quoted(name)+": …, ... }` says of a member how it reads, where that is not as it is sent")
	}
	return true
}

// otherForm notes a member that reads as another type than it is sent. The lock is held.
func (r *environment) otherForm(key, name string) {
	if r.forms[key] == nil {
		r.forms[key] = map[string]bool{}
	}
	r.forms[key][name] = true
}

// hintAt notes what may be said of a member. The lock is held.
func (t *step) hintAt(key, name, hint string) {
	if t.env.hints[key] == nil {
		t.env.hints[key] = map[string]string{}
	}
	t.env.hints[key][name] = hint
}

// ofForm tells of a missed claim whether it is about such a member.
func (t *step) ofForm(b *syntax.Expectation) bool {
	c := t.in.job.s.Check
	if c == nil || !t.in.job.s.File.Derived() || c.ID == Probe || c.ID == typesKept || b.Subject.Kind != "path" || b.Subject.Path == nil || b.Subject.Path.Query == nil {
		return false
	}
	t.env.mu.Lock()
	defer t.env.mu.Unlock()
	return t.env.forms[resourceKey(t.in.job.s.File, t.env.checkOf(t.in.job.s))][b.Subject.Path.Query.Last()]
}
