package jsonpath

import (
	"strings"
	"unicode/utf8"

	"usualpath/internal/core/value"
)

// logical is an expression that holds or does not (RFC 9535 §2.3.5).
type logical interface {
	holds(w *evaluation, current *value.Value) bool
}

type (
	either  []logical
	both    []logical
	negated struct{ of logical }
	// exists is a test expression: the query selects at least one node.
	exists     struct{ query subquery }
	comparison struct {
		left, right operand
		op          string
	}
)

func (e either) holds(w *evaluation, current *value.Value) bool {
	for _, x := range e {
		if x.holds(w, current) {
			return true
		}
	}
	return false
}

func (b both) holds(w *evaluation, current *value.Value) bool {
	for _, x := range b {
		if !x.holds(w, current) {
			return false
		}
	}
	return true
}

func (n negated) holds(w *evaluation, current *value.Value) bool { return !n.of.holds(w, current) }

func (e exists) holds(w *evaluation, current *value.Value) bool {
	return len(e.query.nodes(w, current)) > 0
}

// subquery is a query inside a filter: from the root ($) or the current node (@).
type subquery struct {
	fromRoot bool
	segments []segment
}

func (q subquery) nodes(w *evaluation, current *value.Value) []Node {
	if q.fromRoot {
		current = w.root
	}
	return w.walk([]Node{{Value: current}}, q.segments)
}

// operand gives a value or nothing (nil), RFC 9535 §2.4.1's ValueType.
type operand interface {
	value(w *evaluation, current *value.Value) *value.Value
}

type literal struct{ v *value.Value }

func (l literal) value(_ *evaluation, _ *value.Value) *value.Value { return l.v }

// singularOperand is a singular query compared by the value of its node.
type singularOperand struct{ q subquery }

func (s singularOperand) value(w *evaluation, current *value.Value) *value.Value {
	if s.q.fromRoot {
		current = w.root
	}
	for i := range s.q.segments {
		next, ok := s.q.segments[i].selectors[0].one(current)
		if !ok {
			return nil
		}
		current = next
	}
	return current
}

func (c comparison) holds(w *evaluation, current *value.Value) bool {
	a, b := c.left.value(w, current), c.right.value(w, current)
	switch c.op {
	case "==":
		return equal(a, b)
	case "!=":
		return !equal(a, b)
	case "<":
		return less(a, b)
	case ">":
		return less(b, a)
	case "<=":
		return less(a, b) || equal(a, b)
	}
	return less(b, a) || equal(a, b)
}

// equal has nothing equal to nothing only (RFC 9535 §2.3.5.2.2).
func equal(a, b *value.Value) bool {
	if a == nil || b == nil {
		return a == nil && b == nil
	}
	return value.Equal(a, b)
}

// less orders numbers and strings; nothing else has an order.
func less(a, b *value.Value) bool {
	if a == nil || b == nil || a.Kind != b.Kind {
		return false
	}
	switch a.Kind {
	case value.Number:
		return value.CompareNumbers(a.Text, b.Text) < 0
	case value.String:
		// UTF-8 keeps the order of code points.
		return a.Text < b.Text
	}
	return false
}

// call is a function expression with checked argument types.
type call struct {
	name string
	// values are ValueType arguments, query a NodesType one.
	values []operand
	query  subquery
	// compiled is the pattern when it is a literal.
	compiled *pattern
}

func (c *call) value(w *evaluation, current *value.Value) *value.Value {
	switch c.name {
	case "length":
		v := c.values[0].value(w, current)
		if v == nil {
			return nil
		}
		if n, ok := v.Length(); ok {
			return value.NewInt(int64(n))
		}
		return nil
	case "count":
		return value.NewInt(int64(len(c.query.nodes(w, current))))
	}
	// value()
	nodes := c.query.nodes(w, current)
	if len(nodes) != 1 {
		return nil
	}
	return nodes[0].Value
}

// holds is match() and search().
func (c *call) holds(w *evaluation, current *value.Value) bool {
	text := c.values[0].value(w, current)
	if text == nil || text.Kind != value.String || !utf8.ValidString(text.Text) {
		return false
	}
	p := c.compiled
	if p == nil {
		v := c.values[1].value(w, current)
		if v == nil || v.Kind != value.String {
			return false
		}
		p = compilePattern(v.Text)
	}
	return p.matches(text.Text, c.name == "match")
}

// functionTypes lists the parameter and result types of RFC 9535 §2.4:
// V a value, N nodes, L logical; the result is last.
var functionTypes = map[string]string{
	"length": "VV",
	"count":  "NV",
	"match":  "VVL",
	"search": "VVL",
	"value":  "NV",
}

func functionNames() string {
	return strings.Join([]string{"length", "count", "match", "search", "value"}, ", ")
}
