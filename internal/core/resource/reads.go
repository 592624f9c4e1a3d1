package resource

import (
	"slices"
	"strings"

	"usualpath/internal/core/syntax"
)

// omitted are the optional members of `make` that `remake` leaves out.
func (r *Resource) omitted() []string {
	var out []string
	if r.Remake == nil || len(r.Remake.Fields) == 0 {
		return nil
	}
	for _, f := range r.optional() {
		if r.Remake.field(f.Name) == nil && f.Kind != syntax.Null {
			out = append(out, f.Name)
		}
	}
	return out
}

// differing are the members to which an example gives another value than `make`
// does.
func (r *Resource) differing(e *Example) []Field {
	var out []Field
	if r.Make == nil || e == nil || !e.json() {
		return nil
	}
	for _, f := range e.Fields {
		if was := r.Make.field(f.Name); was != nil && was.Text != f.Text && r.ReadsAsSent(f.Name) {
			out = append(out, f)
		}
	}
	return out
}

// varied is a change that makes a body another one, where all that is made is the same.
func (r *Resource) varied() map[string]*string {
	if turned(r.Make.Text, "other") != r.Make.Text || called().MatchString(r.Make.Text) {
		return nil
	}
	for _, f := range r.texts() {
		if text := strings.TrimSuffix(f.Text, `"`) + ` {turn}"`; !strings.Contains(f.Text, "{") && r.Make.json() {
			return map[string]*string{f.Name: &text}
		}
	}
	return nil
}

// ReadsAsSent tells whether a member is read as it was sent.
func (r *Resource) ReadsAsSent(name string) bool {
	if slices.Contains(r.Hidden, name) || slices.Contains(r.Assigned, name) || slices.Contains(r.Volatile, MemberPath(name)) {
		return false
	}
	return !slices.Contains(r.instants, name) && r.saysNothingOf(name)
}

// saysNothingOf tells whether `reads` leaves a member to be read as it was sent.
func (r *Resource) saysNothingOf(name string) bool {
	return r.Reads == "" || r.ReadsSome && !slices.Contains(r.readMembers, name)
}

// asInstants tells whether a member reads as the same instant as was sent, however it is
// written (RFC 3339 §5.1).
func (r *Resource) asInstants(name string) bool {
	return slices.Contains(r.instants, name) && !slices.Contains(r.Hidden, name) && !slices.Contains(r.Assigned, name) && !slices.Contains(r.Volatile, MemberPath(name)) && r.saysNothingOf(name)
}

// Subject is the item in its own answer.
func (r *Resource) Subject() string {
	if r.Content == "$" {
		return "body"
	}
	return r.Content
}

// text members of the example that may hold any text, those that must be there
// first.
func (r *Resource) texts() []Field {
	var first, rest []Field
	for _, f := range r.Make.Fields {
		if f.Kind != syntax.String || slices.Contains(r.Hidden, f.Name) {
			continue
		}
		if slices.Contains(r.Required, f.Name) || slices.Contains(r.Unique, f.Name) {
			first = append(first, f)
		} else {
			rest = append(rest, f)
		}
	}
	return append(first, rest...)
}

// optional are the members of the example that may be left out.
func (r *Resource) optional() []Field {
	var out []Field
	for _, f := range r.Make.Fields {
		if !r.Identifies(f.Name) && !slices.Contains(r.Required, f.Name) && !slices.Contains(r.OnCreate, f.Name) && !slices.Contains(r.Unique, f.Name) && !slices.Contains(r.Hidden, f.Name) {
			out = append(out, f)
		}
	}
	return out
}

// uniqueMember is the first unique member that an example gives another value
// for each item, and that is not the identity, which stays; nil for none.
func (r *Resource) uniqueMember() *Field {
	for _, n := range r.Unique {
		if f := r.Make.field(n); f != nil && f.telling() && !r.Identifies(n) {
			return f
		}
	}
	return nil
}

// changing is the example whose members are changed for a replace; nil for none.
func (r *Resource) changing() *Example {
	for _, e := range []*Example{r.Remake, r.Make} {
		if e != nil && len(e.Fields) > 0 {
			return e
		}
	}
	return nil
}
