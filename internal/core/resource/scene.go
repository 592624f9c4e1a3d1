package resource

import (
	"fmt"
	"slices"
	"strings"
)

// patch sends a merge patch, with the media type of the resource's `amend`.
func (s *Scene) patch(text string) line { return jsonBody(s.Amend.wrapped(text), s.patchMedia()) }

func (s *Scene) patchMedia() string {
	if s.Amend != nil && s.Amend.Media != "" {
		return s.Amend.Media
	}
	return "application/merge-patch+json or application/json"
}

// ask is the request of an operation; id names the item that it is about, or that the client makes
// under its name; "" where it is about the collection.
func (s *Scene) ask(o Operation, id string) line {
	method, at := table[o].method, s.parented(s.path(o))
	if o == List {
		id = ""
	}
	if id != "" {
		at = s.at(id)
		if o == Create {
			method = table[Replace].method
		}
	}
	l := send(method, at)
	l.op, l.item = o, id
	return l
}

// sends is the body of an operation, in the form of its example.
func (s *Scene) sends(o Operation, text string) line {
	if o == Amend {
		return s.patch(text)
	}
	return bodyLine(s.exampleFor(o), text)
}

// bound tells whether a name has been given a value before the steps.
func (s *Scene) bound(name string) bool {
	return slices.ContainsFunc(s.lets, func(b binding) bool { return b.name == name })
}

// soon binds a name at the start of the next step.
func (s *Scene) soon(name, text string) { s.pending = append(s.pending, letLine(name, text)) }

// at is the item's path for the item that a name stands for.
func (s *Scene) at(id string) string {
	item := strings.ReplaceAll(s.parented(s.Item), "{id}", "{"+id+"}")
	if s.byURL() {
		return "{" + id + "}"
	}
	return item
}

// coll is the path of the collection.
func (s *Scene) coll() string { return s.parented(s.Collection) }

// list is the path at which the items are listed.
func (s *Scene) list() string {
	if s.ListPath != "" {
		return s.parented(s.ListPath)
	}
	return s.coll()
}

// names of the items that a scenario makes, in turn.
var itemNames = []string{"id", "other", "third", "fourth"}

var madeNames = []string{"made", "made_other", "made_third", "made_fourth"}

var ordinals = []string{"one", "another", "a third", "a fourth"}

// later is {turn} for the item number k, from 0.
func later(k int) string {
	if k == 0 {
		return "turn"
	}
	return fmt.Sprintf("turn + %d", k)
}

// example is a body for item number k.
func (s *Scene) example(e *Example, k int) string { return s.Turned(e.Text, later(k)) }

// bodyLine sends a JSON value, with the media type of the example.
func bodyLine(e *Example, text string) line {
	if e == nil {
		return jsonBody(text, "")
	}
	switch e.As {
	case "text":
		return at(detail, "text "+text+as(e.Media))
	case "xml":
		text = e.wrap(text)
	}
	return jsonBody(e.wrapped(text), e.Media)
}

// chosen is the name that the client gives to item number k.
func (s *Scene) chosen(k int) string { return s.Turned(s.Chosen, later(k)) }

// attempted is the number of the item that attempts are about, where the client
// names it.
const attempted = 9
