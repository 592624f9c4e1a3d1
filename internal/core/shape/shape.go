// Package shape holds values against shapes: literals, types, ranges,
// patterns, and `...` for "and others". A mismatch is reported at its place.
package shape

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/scope"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// Mismatch is one place at which a value does not have the shape.
type Mismatch struct {
	Path value.Path
	// Text says what was expected and what was found, without the path.
	Text string
}

func (m Mismatch) String() string { return m.Path.String() + " " + m.Text }

// Result is what a match found out.
type Result struct {
	Mismatches []Mismatch
	// Bound are the values of `as NAME` whose own part of the shape held, even
	// when another part did not.
	Bound map[string]*value.Value
}

// Held tells whether the value has the shape.
func (r *Result) Held() bool { return len(r.Mismatches) == 0 }

// Match holds a value against a shape. The error is one of a name without
// value, or of a value that cannot be worked out.
func Match(n *syntax.Node, v *value.Value, names *scope.Scope) (*Result, error) {
	m := &matcher{names: names, out: &Result{}}
	m.match(n, v, nil)
	return m.out, m.err
}

type matcher struct {
	names *scope.Scope
	out   *Result
	err   error
}

func (m *matcher) miss(at *value.Path, format string, args ...any) {
	var path value.Path
	if at != nil {
		path = *at
	}
	m.out.Mismatches = append(m.out.Mismatches, Mismatch{path, fmt.Sprintf(format, args...)})
}

func (m *matcher) expected(at *value.Path, want string, got *value.Value) {
	m.miss(at, "expected %s, found %s", want, value.Cut(got.String(), 160))
}

// try matches into a result of its own.
func (m *matcher) try(n *syntax.Node, v *value.Value, at *value.Path) *Result {
	inner := &matcher{names: m.names, out: &Result{}}
	inner.match(n, v, at)
	if inner.err != nil && m.err == nil {
		m.err = inner.err
	}
	return inner.out
}

func (m *matcher) adopt(r *Result) {
	m.out.Mismatches = append(m.out.Mismatches, r.Mismatches...)
	for name, v := range r.Bound {
		m.bind(name, v)
	}
}

func (m *matcher) bind(name string, v *value.Value) {
	if m.out.Bound == nil {
		m.out.Bound = map[string]*value.Value{}
	}
	m.out.Bound[name] = v
}

func (m *matcher) match(n *syntax.Node, v *value.Value, at *value.Path) {
	if m.err != nil {
		return
	}
	switch n.Kind {
	case syntax.Type:
		m.typed(n, v, at)
	case syntax.Regex:
		if v.Kind != value.String || !n.Regexp.MatchString(v.Text) {
			m.expected(at, "a string that matches "+syntax.NodeText(n), v)
		}
	case syntax.Or:
		m.or(n, v, at)
	case syntax.Not:
		if m.try(n.Items[0].Value, v, at).Held() {
			m.expected(at, syntax.NodeText(n), v)
		}
	case syntax.As:
		r := m.try(n.Items[0].Value, v, at)
		m.adopt(r)
		if r.Held() {
			m.bind(n.Text, v)
		}
	case syntax.Object:
		m.object(n, v, at)
	case syntax.Array:
		m.array(n, v, at)
	default:
		m.literal(n, v, at)
	}
}

func (m *matcher) literal(n *syntax.Node, v *value.Value, at *value.Path) {
	want, err := m.names.Value(n)
	if err != nil {
		m.err = err
		return
	}
	if want.Kind == v.Kind && (v.Kind == value.Object || v.Kind == value.Array) {
		for _, d := range value.Differences(want, v) {
			m.out.Mismatches = append(m.out.Mismatches, Mismatch{join(at, d.Path), strings.TrimPrefix(d.String(), d.Path.String()+" ")})
		}
		return
	}
	if !value.Equal(want, v) {
		a, b := value.CutAround(want, v, 160)
		m.miss(at, "expected %s, found %s", a, b)
	}
}

// join puts a path found below at behind it.
func join(at *value.Path, below value.Path) value.Path {
	if at == nil {
		return below
	}
	return *at.Join(below)
}

func (m *matcher) or(n *syntax.Node, v *value.Value, at *value.Path) {
	var closest *Result
	closestNode := n.Items[0].Value
	for _, it := range n.Items {
		r := m.try(it.Value, v, at)
		if r.Held() {
			m.adopt(r)
			return
		}
		if closest == nil || distance(r, at) < distance(closest, at) {
			closest, closestNode = r, it.Value
		}
	}
	if distance(closest, at) >= far {
		m.expected(at, syntax.NodeText(n), v)
		return
	}
	// One alternative has the right kind: say what it lacks.
	for _, one := range closest.Mismatches {
		one.Text += "  (closest alternative: " + value.Cut(syntax.NodeText(closestNode), 60) + ")"
		m.out.Mismatches = append(m.out.Mismatches, one)
	}
}

const far = 1 << 20

// distance is how far a result is from holding: the number of mismatches, or
// far when the value as a whole is of another kind.
func distance(r *Result, at *value.Path) int {
	root := "$"
	if at != nil {
		root = at.String()
	}
	for _, x := range r.Mismatches {
		if x.Path.String() == root && strings.HasPrefix(x.Text, "expected ") {
			return far
		}
	}
	return len(r.Mismatches)
}

func (m *matcher) object(n *syntax.Node, v *value.Value, at *value.Path) {
	if v.Kind != value.Object {
		m.expected(at, "an object", v)
		return
	}
	known := make(map[string]bool, len(n.Fields))
	for _, f := range n.Fields {
		key, err := m.names.Text(f.Key.Template)
		if err != nil {
			m.err = err
			return
		}
		known[key] = true
		got, ok := v.Get(key)
		switch {
		case ok:
			m.match(f.Value, got, at.Member(key))
		case !f.Optional:
			m.miss(at.Member(key), "is missing, expected %s", value.Cut(m.shown(f.Value), 100))
		}
	}
	if n.Open {
		return
	}
	for i, name := range v.Names {
		if !known[name] {
			m.miss(at.Member(name), "is extra: %s", value.Cut(v.Items[i].String(), 100))
		}
	}
}

// shown is a shape for a message, with the values of names put in.
func (m *matcher) shown(n *syntax.Node) string {
	if v, err := m.names.Value(n); err == nil {
		return v.String()
	}
	return syntax.NodeText(n)
}

func (m *matcher) array(n *syntax.Node, v *value.Value, at *value.Path) {
	if v.Kind != value.Array {
		m.expected(at, "an array", v)
		return
	}
	if n.AnyOrder {
		m.anyOrder(n, v, at)
		return
	}
	if n.Open {
		for i, it := range n.Items {
			if i >= len(v.Items) {
				m.miss(at.Element(i), "is missing, expected %s", value.Cut(m.shown(it.Value), 100))
				continue
			}
			m.match(it.Value, v.Items[i], at.Element(i))
		}
		return
	}
	results := map[[2]int]*Result{}
	apart := func(i, j int) float64 {
		r := m.try(n.Items[i].Value, v.Items[j], at.Element(j))
		results[[2]int{i, j}] = r
		switch d := distance(r, at.Element(j)); {
		case d == 0:
			return 0
		case d >= far:
			return 1.8
		default:
			return 1.9 - 1.8/float64(d+1)
		}
	}
	if len(n.Items) == len(v.Items) {
		same := true
		for i := range n.Items {
			same = apart(i, i) == 0 && same
		}
		if same {
			for i := range n.Items {
				m.adopt(results[[2]int{i, i}])
			}
			return
		}
	}
	for _, p := range value.Align(len(n.Items), len(v.Items), apart) {
		switch {
		case p.B < 0:
			m.miss(at.Element(p.A), "is missing, expected %s", value.Cut(m.shown(n.Items[p.A].Value), 100))
		case p.A < 0:
			m.miss(at.Element(p.B), "is extra: %s", value.Cut(v.Items[p.B].String(), 100))
		default:
			r := results[[2]int{p.A, p.B}]
			if r == nil {
				r = m.try(n.Items[p.A].Value, v.Items[p.B], at.Element(p.B))
			}
			m.adopt(r)
		}
	}
}

// anyOrder pairs elements with shapes so that as many as possible hold.
func (m *matcher) anyOrder(n *syntax.Node, v *value.Value, at *value.Path) {
	fits := make([][]*Result, len(n.Items))
	for i, it := range n.Items {
		fits[i] = make([]*Result, len(v.Items))
		for j, item := range v.Items {
			fits[i][j] = m.try(it.Value, item, at.Element(j))
		}
	}
	ofElement := Assign(fits, len(v.Items))
	for i := range n.Items {
		if !slices.Contains(ofElement, i) {
			m.miss(at, "has no element left that is %s", value.Cut(m.shown(n.Items[i].Value), 120))
		}
	}
	for j, i := range ofElement {
		switch {
		case i >= 0:
			m.adopt(fits[i][j])
		case !n.Open:
			m.miss(at.Element(j), "is extra: %s", value.Cut(v.Items[j].String(), 100))
		}
	}
}

// Assign gives elements to shapes, one to each, so that as many as possible have one (augmenting
// paths): for each element the shape, -1 for none. Of each shape there is a row with how it fits
// each of the elements.
func Assign(fits [][]*Result, elements int) (of []int) {
	of = slices.Repeat([]int{-1}, elements)
	var place func(i int, tried []bool) bool
	place = func(i int, tried []bool) bool {
		for j, got := range fits[i] {
			if tried[j] || !got.Held() {
				continue
			}
			tried[j] = true
			// Whoever has it may do with another one.
			if of[j] < 0 || place(of[j], tried) {
				of[j] = i
				return true
			}
		}
		return false
	}
	for i := range fits {
		place(i, make([]bool, len(of)))
	}
	return of
}
