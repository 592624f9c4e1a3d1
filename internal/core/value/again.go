package value

import (
	"math"
	"strings"
	"unicode/utf8"
)

// Elements are the members of the longest array of a body, as they stand there. A
// body that is much the same is read with their help: see Again.
type Elements struct {
	body  []byte
	deep  int
	spans [][2]int32
	items []*Value
	// was are their places in the body before, -1 for those that were not there.
	was []int32
}

// Are tells whether these are the elements, all of them and in order.
func (e *Elements) Are(list []*Value) bool {
	return e != nil && len(list) == len(e.items) && len(list) > 0 && &list[0] == &e.items[0]
}

// Was is the place among the elements before of one that stood there, byte by byte;
// false when it did not.
func (e *Elements) Was(i int) (int, bool) {
	if i < len(e.was) && e.was[i] >= 0 {
		return int(e.was[i]), true
	}
	return 0, false
}

// ahead is how many elements a missing or a changed one may hide.
const ahead = 4

// again is a decoder's share in reading a body like one before it.
type again struct {
	// before are the elements to compare with, next the one that is expected.
	before *Elements
	next   int
	// found are the elements of the longest array so far; arrays inside one are not
	// looked at.
	found  Elements
	inside bool
	// same and other count the elements that were there before, and those that were not.
	same, other int
}

// Again decodes a body, as Decode does, and gives the elements of its longest array.
// Objects among them that stood in the body before, byte by byte, are not decoded
// anew: their values are the same pointers. Before is nil for the first body.
func Again(body []byte, limits Limits, before *Elements) (*Value, *Elements, error) {
	if len(body) > math.MaxInt32 || !utf8.Valid(body) {
		v, err := Decode(string(body), limits)
		return v, nil, err
	}
	a := &again{before: before}
	v, err := decode(string(body), limits, a)
	if err != nil {
		return nil, nil, err
	}
	if a.same > 0 && a.same < 3*a.other {
		// Little is left of what was there: what is kept of it would keep all of its text.
		return Again(body, limits, nil)
	}
	a.found.body = body
	return v, &a.found, nil
}

// element decodes an element of an array that is looked at, or finds it: then was is
// its place before.
func (d *decoder) element() (v *Value, was int32) {
	a := d.again
	if a.before != nil && a.same == 0 && a.other > 2*ahead {
		// It is another list.
		a.before = nil
	}
	if a.before != nil && a.before.deep == d.depth && d.i < len(d.s) && d.s[d.i] == '{' {
		for k := a.next; k < min(a.next+ahead, len(a.before.items)); k++ {
			from, to := a.before.spans[k][0], a.before.spans[k][1]
			if n := int(to - from); n <= len(d.s)-d.i && d.s[d.i:d.i+n] == string(a.before.body[from:to]) {
				d.i += n
				a.next = k + 1
				a.same++
				return a.before.items[k], int32(k)
			}
		}
	}
	a.other++
	start := d.i
	if v = d.value(); v == nil || a.before == nil {
		return v, -1
	}
	// It may stay for long: it must not keep all of this text.
	one := decoder{s: strings.Clone(d.s[start:d.i]), depth: d.depth, limit: d.limit, lenient: d.lenient}
	return one.value(), -1
}
