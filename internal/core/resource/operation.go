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
	// body tells that it sends one, of the example with its first line.
	body bool
	// lines are those of the resource statement that it goes by, the one that says most first.
	lines []string
}

var table = [operations]operation{
	List:    {method: "GET", with: List, lines: []string{"list", "collection"}},
	Create:  {method: "POST", writes: true, with: Create, body: true, lines: []string{"make", "collection"}},
	Read:    {method: "GET", ofItem: true, with: Read, lines: []string{"item", "identity", "collection"}},
	Replace: {method: "PUT", ofItem: true, writes: true, with: Replace, body: true, lines: []string{"remake", "make", "item"}},
	Amend:   {method: "PATCH", ofItem: true, writes: true, with: Amend, body: true, lines: []string{"amend", "item"}},
	Delete:  {method: "DELETE", ofItem: true, writes: true, with: Delete, lines: []string{"item", "identity", "collection"}},
	Head:    {method: "HEAD", ofItem: true, with: Read},
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
