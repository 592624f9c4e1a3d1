package resource

import (
	"maps"
	"slices"
	"strings"

	"usualpath/internal/core/late"
	"usualpath/internal/core/syntax"
)

// wrap puts the root of an example in XML around its text.
func (e *Example) wrap(text string) string {
	return "{ " + syntax.Quoted(strings.TrimPrefix(e.Space+" "+e.Root, " ")) + ": " + text + " }"
}

// called finds a function in braces: each time it may give another value.
var called = late.Regexp(`\{[^{}"]*\(`)

// sets tells whether an example gives a member the value that another gives it.
func (e *Example) sets(f Field) bool {
	has := e.field(f.Name)
	return has != nil && has.Text == f.Text && !called().MatchString(f.Text)
}

// within tells whether all that an example says is what another says: written
// over it, nothing would change.
func (e *Example) within(o *Example) bool {
	if len(e.Fields) == 0 {
		return e.Text == o.Text && !called().MatchString(e.Text)
	}
	for _, f := range e.Fields {
		if !o.sets(f) {
			return false
		}
	}
	return true
}

// wrongOf is a value of another JSON type than that of a member, which only this run can have
// drawn; false where the example's form knows no types, or none is another.
func (e *Example) wrongOf(f Field) (text string, ok bool) {
	switch f.Kind {
	case syntax.String:
		// A form holds texts only.
		return "{turn}", e.json()
	case syntax.Number, syntax.True, syntax.False, syntax.Object, syntax.Array:
		return `"a word {turn}"`, true
	}
	return "", false
}

// refers finds the identity of another resource's item in a value.
var refers = late.Regexp(`\{[A-Za-z_][A-Za-z0-9_]*\.`)

func (e *Example) memberOf(name string) *Field {
	if e == nil {
		return nil
	}
	return e.field(name)
}

// node is a member of an example as it is written, nil for none.
func (e *Example) node(name string) *syntax.Node {
	if f := e.memberOf(name); f != nil {
		return f.Node
	}
	return nil
}

// itsName stands in a body for the name of the item that it is written to, until it is known
// which that is.
const itsName = "{its_name}"

// named is the example with a member that holds the item's name.
func (e *Example) named(name string) *Example {
	if e == nil || !e.Has(name) {
		return e
	}
	v := *e
	v.Name = name
	v.Fields = slices.DeleteFunc(slices.Clone(e.Fields), func(f Field) bool { return f.Name == name })
	v.Text = v.object(nil)
	return &v
}

// withName is a change of an example's members that leaves the name alone.
func (e *Example) withName(change map[string]*string) map[string]*string {
	if _, said := change[e.Name]; said || e.Name == "" {
		return change
	}
	out := maps.Clone(change)
	if out == nil {
		out = map[string]*string{}
	}
	mark := itsName
	out[e.Name] = &mark
	return out
}

// Example is a body: its text, and its members when it is an object.
type Example struct {
	Text, Media string
	Fields      []Field
	// As is "xml" or "text" for one in that form; Root is the element that the members are
	// below, of one in XML, and Space its namespace.
	As, Root, Space string
	// Outer stands around the members in a body, before and after them, where the item is within
	// another object: its text is of what is within.
	Outer [2]string
	// Name is the member that holds the name that the client gives, as in the path; it is not
	// among the fields. "" where there is none.
	Name string
}

// json tells whether the example keeps the types of what it has, as a form does not.
func (e *Example) json() bool {
	return e == nil || !strings.Contains(e.Media, "form-urlencoded") && !strings.HasPrefix(e.Media, "multipart/")
}

// Field is a member of an example.
type Field struct {
	Name, Text string
	Kind       syntax.NodeKind
	// Node is the value as it is written.
	Node *syntax.Node
}

// nothing tells whether a member is sent without anything in it: null, or a list or an
// object without members. Services show such a one as it is, or not at all.
func (f Field) nothing() bool {
	return f.Kind == syntax.Null || f.Kind == syntax.Array && len(f.Node.Items) == 0 || f.Kind == syntax.Object && len(f.Node.Fields) == 0
}

// turnWord finds {turn} where an example has it.
var turnWord = late.Regexp(`\bturn\b`)

// inBraces finds names in braces, and braces that stand for themselves.
var inBraces = late.Regexp(`\\\{|\{[A-Za-z_][^{}]*\}`)

// Turned is a text with another expression in place of the name turn.
func turned(text, by string) string {
	return inBraces().ReplaceAllStringFunc(text, func(m string) string { return turnWord().ReplaceAllString(m, by) })
}

// telling tells whether a member's value is another one for each item.
func (f Field) telling() bool {
	return called().MatchString(f.Text) || slices.ContainsFunc(inBraces().FindAllString(f.Text, -1), turnWord().MatchString)
}

// field is a member of the example, nil for none.
func (e *Example) field(name string) *Field {
	for i := range e.Fields {
		if e.Fields[i].Name == name {
			return &e.Fields[i]
		}
	}
	return nil
}

// object is the example with members changed: a nil text takes one out.
func (e *Example) object(change map[string]*string) string {
	change = e.withName(change)
	var parts []string
	done := map[string]bool{}
	if n := change[e.Name]; n != nil && e.Name != "" {
		parts, done[e.Name] = append(parts, syntax.Quoted(e.Name)+": "+*n), true
	}
	for _, f := range e.Fields {
		text := f.Text
		if c, ok := change[f.Name]; ok {
			done[f.Name] = true
			if c == nil {
				continue
			}
			text = *c
		}
		parts = append(parts, syntax.Quoted(f.Name)+": "+text)
	}
	var more []string
	for n := range change {
		if !done[n] && change[n] != nil {
			more = append(more, n)
		}
	}
	slices.Sort(more)
	for _, n := range more {
		parts = append(parts, syntax.Quoted(n)+": "+*change[n])
	}
	return "{ " + strings.Join(parts, ", ") + " }"
}

func (e *Example) Has(name string) bool { return e != nil && e.field(name) != nil }

// wrapped is a body of what is within.
func (e *Example) wrapped(text string) string {
	if e == nil {
		return text
	}
	return e.Outer[0] + text + e.Outer[1]
}
