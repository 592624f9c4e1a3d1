package syntax

import (
	"iter"
	"time"

	"usualpath/internal/core/source"
)

// span is a range of bytes of the source.
type span = source.Span

// File is a parsed file.
type File struct {
	Source *source.File
	// Statements are those in the first column, in order.
	Statements []*Statement
	// Tail are comments after the last statement.
	Tail []Comment
}

// Statement is one statement with what belongs to it.
type Statement struct {
	Comments
	// Word is the keyword it starts with.
	Word string
	// Span is the statement itself, without its children.
	Span source.Span
	// Body is what follows the word: its type is the form. Fields of it are nil or
	// empty where the text was wrong; then the parser has also given a diagnostic.
	Body Body
	// Children are the statements under it; of Cases, rows are not among them.
	Children []*Statement
	form     *Form
}

// All are the statements under it, rows included.
func (st *Statement) All() iter.Seq[*Statement] {
	return func(yield func(*Statement) bool) {
		for _, c := range st.Children {
			if !yield(c) {
				return
			}
		}
		cases, ok := st.Body.(*Cases)
		for i := 0; ok && i < cases.Len(); i++ {
			if !yield(cases.Row(i)) {
				return
			}
		}
	}
}

// NameAt is a name and its place.
type NameAt struct {
	Name string
	Span source.Span
}

// Binding is `n = v`.
type Binding struct {
	NameAt
	Value *Node
}

// Duration is a time as written and as meant.
type Duration struct {
	Raw string
	D   time.Duration
}

// Claim is a subject and what is said of it.
type Claim struct {
	Subject   Subject
	Predicate Predicate
}

// Subject is what an expectation is about.
type Subject struct {
	Span source.Span
	// Kind is status, header, cookie, path, body, text, xml, time, size, name,
	// state, observation or answer.
	Kind string
	// Name is a header, cookie or observation; an XPath for xml.
	Name string
	Path *Path
	// Value is the {name} that a claim is about.
	Value *Node
}

// Predicate is what is said of a subject.
type Predicate struct {
	form *PredicateForm
	Span source.Span
	// Op is the predicate's words joined by spaces: "is", "starts with", …;
	// "status" for a list of statuses.
	Op     string
	Status []StatusClass
	// Shape is for is, is not, every, some, none.
	Shape *Node
	// Values are for contains, lists, covers, between, comparisons, ….
	Values []*Node
	// Compare is <, <=, >, >= or ""; with count and for comparisons.
	Compare string
	Range   *Range
	Within  *Within
	// By and Descending are for sorted.
	By         *Path
	Descending bool
	Source     *Source
	// Except are the paths left out of a comparison.
	Except []*Path
	// Limit is for under: nanoseconds or bytes.
	Limit    int64
	LimitRaw string
	Effects  []Effect
}

// StatusClass is 201, 2xx, not 5xx or {name}.
type StatusClass struct {
	Not bool
	// Code is a status, or a class when Class is set (2 for 2xx).
	Code  int
	Class bool
	// Ref is a status held by a name.
	Ref  *Node
	Span source.Span
}

// Succeeds tells whether it allows a status, or all, of those that say that a request was done (RFC
// 9110 §15.3).
func (s StatusClass) Succeeds() bool {
	return !s.Not && (s.Class && s.Code == 2 || !s.Class && s.Code/100 == 2)
}

// Source is what `same as` compares with.
type Source struct {
	Span source.Span
	// Kind is sent, step, file or baseline.
	Kind string
	// Path narrows a step's answer.
	Path *Path
	// Title is the step or the file.
	Title *Node
	// Repeat is which answer after `again` is meant, counted from 1 over all of
	// the step; nil for the last.
	Repeat *Node
}

// Effect is one of unchanged, gains, loses, changes.
type Effect struct {
	Word string
	// Of is the observation, when it is another than the subject; OfSpan its place.
	Of     string
	OfSpan source.Span
	// Shape is what the one member must look like; a Number node is a count.
	Shape *Node
	// Range is a count that may vary: 0..1.
	Range *Range
}
