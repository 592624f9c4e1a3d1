// Package jsonpath is the whole of RFC 9535 over exact values: every
// selector, filters with their typing rules, the five functions, I-Regexps
// (RFC 9485) and normalized paths.
package jsonpath

import (
	"slices"

	"usualpath/internal/core/bound"
	"usualpath/internal/core/value"
)

// Query is a parsed JSONPath.
type Query struct {
	text     string
	segments []segment
}

// String is the query as it was written.
func (q *Query) String() string { return q.text }

// Singular tells whether the query selects at most one node (RFC 9535
// §2.3.5.1): names and indexes only.
func (q *Query) Singular() bool { return singular(q.segments) }

// Member is the name of a member of the root that the query selects, `id` for $.id and for
// $['id']; "" for any other query.
func (q *Query) Member() string {
	if names := q.Names(); len(names) == 1 {
		return names[0]
	}
	return ""
}

// Names are the names of the members that the query goes through, where it goes through members
// only; nil for any other query.
func (q *Query) Names() []string {
	var out []string
	for _, s := range q.segments {
		if !singular([]segment{s}) || s.selectors[0].kind != byName {
			return nil
		}
		out = append(out, s.selectors[0].name)
	}
	return out
}

// Last is the name that the query ends in; "" where it ends otherwise.
func (q *Query) Last() string {
	if n := len(q.segments); n > 0 {
		if s := q.segments[n-1]; len(s.selectors) == 1 && s.selectors[0].kind == byName {
			return s.selectors[0].name
		}
	}
	return ""
}

// Stem is the value that the query looks into: what its names and indexes select
// before its first segment of another kind; nil where they select nothing.
func (q *Query) Stem(root *value.Value) *value.Value {
	n := slices.IndexFunc(q.segments, func(s segment) bool { return !singular([]segment{s}) })
	if n < 0 {
		n = len(q.segments)
	}
	w := &evaluation{root: root, left: bound.Nodes()}
	if nodes := w.walk([]Node{{Value: root}}, q.segments[:n]); len(nodes) == 1 {
		return nodes[0].Value
	}
	return nil
}

// Node is one selected value and its place.
type Node struct {
	Value *value.Value
	at    *value.Path
}

// Path is the node's place as a normalized path (RFC 9535 §2.7).
func (n Node) Path() string {
	if n.at == nil {
		return "$"
	}
	return n.at.Normalized()
}

// Place is the node's path as one writes it: $.name[0].
func (n Node) Place() string {
	if n.at == nil {
		return "$"
	}
	return n.at.String()
}

// tooWide is a query that would look at more nodes of a value than bound.Nodes.
type tooWide struct{ Path string }

func (e *tooWide) Error() string {
	return e.Path + " looks at more than " + bound.Millions(bound.Nodes()) + " nodes of this body, which is the limit; write a narrower path (" + bound.Hint + ")"
}

// Select is the nodelist of the query on a value, in the order of RFC 9535; a
// *TooWide when that takes too much.
func (q *Query) Select(root *value.Value) ([]Node, error) {
	w := &evaluation{root: root, left: bound.Nodes()}
	nodes := w.walk([]Node{{Value: root}}, q.segments)
	if w.left < 0 {
		return nil, &tooWide{q.text}
	}
	return nodes, nil
}

// evaluation is a query on its way through a value.
type evaluation struct {
	root *value.Value
	// left is how many nodes may still be looked at; below zero it has ended.
	left int
}

// step tells whether one node more may be looked at.
func (w *evaluation) step() bool {
	w.left--
	return w.left >= 0
}

// First is the value of the only node that a singular query selects.
func (q *Query) First(root *value.Value) (*value.Value, bool) {
	at := root
	for _, s := range q.segments {
		next, ok := s.selectors[0].one(at)
		if !ok {
			return nil, false
		}
		at = next
	}
	return at, true
}

type segment struct {
	descend   bool
	selectors []selector
}

type selectorKind uint8

const (
	byName selectorKind = iota
	byIndex
	bySlice
	byWildcard
	byFilter
)

type selector struct {
	kind  selectorKind
	name  string
	index int64
	// start, end and step of a slice; nil where left out.
	start, end, step *int64
	filter           logical
}

// Many tells whether the query is one for many nodes by its form, however many
// there are: with a wildcard, a slice, several selectors or a descent.
func (q *Query) Many() bool {
	return slices.ContainsFunc(q.segments, func(s segment) bool {
		return s.descend || len(s.selectors) != 1 || s.selectors[0].kind == bySlice || s.selectors[0].kind == byWildcard
	})
}

func singular(segments []segment) bool {
	for _, s := range segments {
		if s.descend || len(s.selectors) != 1 || s.selectors[0].kind > byIndex {
			return false
		}
	}
	return true
}

func (w *evaluation) walk(nodes []Node, segments []segment) []Node {
	for _, s := range segments {
		var next []Node
		for _, n := range nodes {
			if !w.step() {
				return nil
			}
			if s.descend {
				next = w.descend(n, s.selectors, next)
			} else {
				next = w.apply(n, s.selectors, next)
			}
		}
		nodes = next
	}
	return nodes
}

func (w *evaluation) descend(n Node, selectors []selector, out []Node) []Node {
	out = w.apply(n, selectors, out)
	for i, item := range n.Value.Items {
		if !w.step() {
			return out
		}
		out = w.descend(n.child(i, item), selectors, out)
	}
	return out
}

// child is the node of the i-th element or member.
func (n Node) child(i int, item *value.Value) Node {
	if n.Value.Kind == value.Array {
		return Node{item, n.at.Element(i)}
	}
	return Node{item, n.at.Member(n.Value.Names[i])}
}

func (w *evaluation) apply(n Node, selectors []selector, out []Node) []Node {
	for i := range selectors {
		out = selectors[i].apply(w, n, out)
	}
	return out
}

func (s *selector) one(v *value.Value) (*value.Value, bool) {
	if s.kind == byName {
		return v.Get(s.name)
	}
	if v.Kind != value.Array {
		return nil, false
	}
	i := s.index
	if i < 0 {
		i += int64(len(v.Items))
	}
	if i < 0 || i >= int64(len(v.Items)) {
		return nil, false
	}
	return v.Items[i], true
}

func (s *selector) apply(w *evaluation, n Node, out []Node) []Node {
	v := n.Value
	switch s.kind {
	case byName:
		if item, ok := s.one(v); ok {
			out = append(out, Node{item, n.at.Member(s.name)})
		}
	case byIndex:
		if item, ok := s.one(v); ok {
			i := s.index
			if i < 0 {
				i += int64(len(v.Items))
			}
			out = append(out, Node{item, n.at.Element(int(i))})
		}
	case byWildcard:
		for i, item := range v.Items {
			if !w.step() {
				break
			}
			out = append(out, n.child(i, item))
		}
	case byFilter:
		for i, item := range v.Items {
			if !w.step() {
				break
			}
			if s.filter.holds(w, item) {
				out = append(out, n.child(i, item))
			}
		}
	case bySlice:
		if v.Kind == value.Array {
			s.slice(int64(len(v.Items)), func(i int64) {
				out = append(out, Node{v.Items[i], n.at.Element(int(i))})
			})
		}
	}
	return out
}

// slice visits the indexes of RFC 9535 §2.3.4.2.2.
func (s *selector) slice(length int64, visit func(int64)) {
	step := int64(1)
	if s.step != nil {
		step = *s.step
	}
	if step == 0 {
		return
	}
	start, end := int64(0), length
	if step < 0 {
		start, end = length-1, -length-1
	}
	if s.start != nil {
		start = *s.start
	}
	if s.end != nil {
		end = *s.end
	}
	normal := func(i int64) int64 {
		if i < 0 {
			return i + length
		}
		return i
	}
	start, end = normal(start), normal(end)
	if step > 0 {
		lower, upper := min(max(start, 0), length), min(max(end, 0), length)
		for i := lower; i < upper; i += step {
			visit(i)
		}
		return
	}
	upper, lower := min(max(start, -1), length-1), min(max(end, -1), length-1)
	for i := upper; i > lower; i += step {
		visit(i)
	}
}
