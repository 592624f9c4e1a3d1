// Package syntax is the scenario language as text and as tree: a scanner and
// parser that recover at the next statement, and a printer that sets the one
// canonical layout. It knows no HTTP and runs nothing.
package syntax

import (
	"regexp"

	"usualpath/internal/core/jsonpath"
	"usualpath/internal/core/source"
)

// NodeKind tells what a Node is.
type NodeKind uint8

// Values and shapes share their nodes; the kinds from Regex on are shapes only.
const (
	Null NodeKind = iota
	True
	False
	Number
	String
	Ref
	Object
	Array
	Regex
	Type
	Or
	Not
	As
)

// Node is a value, or a shape of values.
type Node struct {
	Kind NodeKind
	// Fold is the /…/i of a regular expression; Block marks a String in """.
	Fold, Block bool
	// Open is the `...` of an object or array; AnyOrder belongs to arrays;
	// Broken has either one member a line.
	Open, AnyOrder, Broken bool
	Span                   source.Span
	// Text is a number as written, a regular expression, a type's word, or
	// the name that As binds.
	Text string
	// Regexp is the matcher of a regular expression.
	Regexp *regexp.Regexp
	// Template is the content of a String.
	Template *Template
	// Expr is what a Ref refers to.
	Expr *Expr
	// Fields are the members of an Object.
	Fields []*Field
	// Items are an Array's elements, the alternatives of Or, or the one
	// operand of Not and As.
	Items []*Item
	// Limits narrow a Type.
	Limits *Limits
	// Tail are comments before a closing bracket.
	Tail []Comment
}

// Field is a member of an Object.
type Field struct {
	Comments
	Key *Node
	// Optional is the `?` of a shape.
	Optional bool
	Value    *Node
}

// Item is an element of an Array.
type Item struct {
	Comments
	Value *Node
}

// Limits narrow a type: a range of numbers, a length, a pattern, the elements
// of an array.
type Limits struct {
	Range, Length, Count *Range
	Pattern, Of          *Node
	Within               *Within
}

// Within is how far a number, a time or a date may be from another.
type Within struct {
	// Number is the distance of numbers; without it, Duration that of times.
	Number   *Node
	Duration Duration
	Of       *Node
}

// Range has both ends included, unless an end is open; either may be left out.
type Range struct {
	Lo, Hi         *Node
	LoOpen, HiOpen bool
	Span           source.Span
}

// Template is text with names in it.
type Template struct {
	Span source.Span
	// Raw is the text as written in the file (the dedented lines of a block).
	Raw   string
	Parts []Part
}

// Part is a piece of text, or an expression when Expr is set.
type Part struct {
	Text string
	Expr *Expr
}

// Plain is the text of a template without names.
func (t *Template) Plain() (string, bool) {
	if t == nil {
		return "", false
	}
	switch {
	case len(t.Parts) == 0:
		return "", true
	case len(t.Parts) == 1 && t.Parts[0].Expr == nil:
		return t.Parts[0].Text, true
	}
	return "", false
}

// Expr is what is between the braces of {name}: a name and how to reach
// inside, a call, a literal, or a sum of two of these.
type Expr struct {
	Span source.Span
	// Raw is the text between the braces.
	Raw string
	// Op is '+' or '-' when Left and Right are set, else 0.
	Op          byte
	Left, Right *Expr
	// Name is the name, or the function when Call is set.
	Name   string
	Call   bool
	Args   []*Expr
	Access []Access
	// Literal is a number or string argument.
	Literal *Node
}

// Access is one step inside a value: .member, ["member"] or [index].
type Access struct {
	Member string
	Index  int
	// Element tells an index from a member.
	Element bool
}

// Path is a JSONPath that may hold names.
type Path struct {
	Span source.Span
	Raw  string
	// Query is set when the path holds no names.
	Query *jsonpath.Query
	// Template is set when it does.
	Template *Template
}

// Comment is a comment on a line of its own; empty text is a blank line.
type Comment struct{ Text string }

// Comments are what is around a statement, member or element.
type Comments struct {
	// Lead are comment and blank lines before it, Trail the comment behind it.
	Lead  []Comment
	Trail string
}
