package resource

import (
	"slices"

	"usualpath/internal/core/syntax"
)

// Operation is something that is done with a resource; the zero value is none.
type Operation int

// The operations: those of syntax.Operations in their order, and what comes with them.
const (
	None Operation = iota
	List
	Create
	Read
	Replace
	Amend
	Delete
	// Head comes with Read (RFC 9110 §9.3.2).
	Head
	operations
)

// operation is what an operation is; the table has one for each.
type operation struct {
	// method is how it is asked for (RFC 9110 §9.3, RFC 5789); a name that the client gives
	// makes a Create a PUT of the item.
	method string
	// ofItem tells that it is about one item, writes that it changes what there is.
	ofItem, writes bool
	// with is the operation that `supports` names for it.
	with Operation
	// example is the body that it sends, of an example with that line; nil for none.
	example func(r *Resource) *Example
	// lines are those of the resource statement that it goes by, the one that says most first.
	lines []string
}

var table = [operations]operation{
	List:   {method: "GET", with: List, lines: []string{"list", "collection"}},
	Create: {method: "POST", writes: true, with: Create, example: func(r *Resource) *Example { return r.Make }, lines: []string{"make", "collection"}},
	Read:   {method: "GET", ofItem: true, with: Read, lines: []string{"item", "identity", "collection"}},
	Replace: {method: "PUT", ofItem: true, writes: true, with: Replace, example: func(r *Resource) *Example {
		if r.Remake == nil {
			return r.Make
		}
		return r.Remake
	}, lines: []string{"remake", "make", "item"}},
	Amend:  {method: "PATCH", ofItem: true, writes: true, with: Amend, example: func(r *Resource) *Example { return r.Amend }, lines: []string{"amend", "item"}},
	Delete: {method: "DELETE", ofItem: true, writes: true, with: Delete, lines: []string{"item", "identity", "collection"}},
	Head:   {method: "HEAD", ofItem: true, with: Read},
}

// operationOf is the operation that a word of the language names, None for no operation.
func operationOf(word string) Operation {
	return Operation(slices.Index(syntax.Operations, word) + 1)
}

// String is the word of the language.
func (o Operation) String() string {
	switch o {
	case None:
		return ""
	case Head:
		return "head"
	}
	return syntax.Operations[o-1]
}

// Writes tells whether the operation changes what there is.
func (o Operation) Writes() bool { return table[o].writes }

// OfItem tells whether the operation is about one item.
func (o Operation) OfItem() bool { return table[o].ofItem }

// changesItem tells whether the operation writes to an item that is there.
func (o Operation) changesItem() bool { return table[o].ofItem && table[o].writes }

// all are the operations that a resource can have.
func all() []Operation {
	var out []Operation
	for _, word := range syntax.Operations {
		out = append(out, operationOf(word))
	}
	return out
}

// exampleFor is the example of what the operation sends; nil for nothing.
func (r *Resource) exampleFor(o Operation) *Example {
	if of := table[o].example; of != nil {
		return of(r)
	}
	return nil
}

// path is where the operation is asked for, {id} standing for the item.
func (r *Resource) path(o Operation) string {
	switch {
	case table[o].ofItem:
		return r.Item
	case o == List && r.ListPath != "":
		return r.ListPath
	}
	return r.Collection
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

// Operations are the methods and path templates of resources, "GET /boats".
func Operations(list []*Resource) []string {
	var out []string
	for _, r := range list {
		for _, o := range all() {
			path := r.path(o)
			if o == List {
				path = r.Collection
			}
			if title := table[o].method + " " + path; r.Supports(o) && !slices.Contains(out, title) {
				out = append(out, title)
			}
		}
	}
	return out
}
