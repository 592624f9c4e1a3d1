package expect

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/jsonpath"
	"usualpath/internal/core/shape"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// mostLines bounds what one expectation tells; the rest is counted.
const mostLines = 12

func lines[T fmt.Stringer](list []T) []string {
	var out []string
	for i, one := range list {
		if i == mostLines {
			out = append(out, fmt.Sprintf("… and %d more", len(list)-i))
			break
		}
		out = append(out, one.String())
	}
	return out
}

// is holds one value against a shape; at is where the value is.
func (c *Context) is(p *syntax.Predicate, v *value.Value, at string) Outcome {
	r, err := shape.Match(p.Shape, v, c.Names)
	if err != nil {
		return broken(err)
	}
	if r.Held() {
		return Outcome{Held: true, Bound: r.Bound}
	}
	return Outcome{Found: below(at, lines(r.Mismatches)), Bound: r.Bound}
}

// below are lines about the parts of a value, told as parts of what it stands in.
func below(at string, lines []string) []string {
	for i, line := range lines {
		if rest, ok := strings.CutPrefix(line, "$"); ok {
			lines[i] = at + rest
		}
	}
	return lines
}

// isNot denies a shape as a whole.
func (c *Context) isNot(p *syntax.Predicate, v *value.Value, at string) Outcome {
	r, err := shape.Match(p.Shape, v, c.Names)
	if err != nil {
		return broken(err)
	}
	return verdict(!r.Held(), "%s is %s", at, value.Cut(v.String(), 160))
}

func (c *Context) body(p *syntax.Predicate) Outcome {
	if judge := onBody[p.Op]; judge != nil {
		return judge(c, p)
	}
	judge := onDocument[p.Op]
	if judge == nil {
		return unknown("body", p.Op)
	}
	if p.Op == "same as" {
		if out, told := c.sameBytes(p); told {
			return out
		}
	}
	v, err := c.Reply.JSON()
	if len(c.Reply.Answer.Body) == 0 {
		// Nothing is no shape at all.
		return verdict(p.Op == "is not", "the body is empty")
	}
	if err != nil {
		return miss("the body is not JSON: %s; it reads %s", err, value.Quoted(value.Cut(c.Reply.Text(), 120)))
	}
	return judge(c, p, v)
}

func (c *Context) empty() Outcome {
	a := c.Reply.Answer
	if a.Stray > 0 {
		if a.StrayText == "" {
			return miss("%d bytes follow the header section of an answer that can have no body", a.Stray)
		}
		return miss("%d bytes follow the header section of an answer that can have no body: %s", a.Stray, value.Quoted(value.Cut(a.StrayText, 60)))
	}
	return verdict(len(a.Body) == 0, "the body has %d bytes: %s", len(a.Body), value.Quoted(value.Cut(c.Reply.Text(), 120)))
}

func (c *Context) covers(p *syntax.Predicate, v *value.Value) Outcome {
	want, err := c.Names.Value(p.Values[0])
	if err != nil {
		return broken(err)
	}
	missing := c.uncovered(want, v)
	return Outcome{Held: len(missing) == 0, Found: lines(missing)}
}

// uncovered is what v lacks of want, without what is to be left out of account.
func (c *Context) uncovered(want, v *value.Value) []value.Difference {
	missing := value.Uncovered(want, v)
	if c.Form != nil {
		missing = slices.DeleteFunc(missing, c.Form)
	}
	return missing
}

// quantified is every, some and none: about the nodes that a path selects, or
// the elements of the one array that it selects.
func (c *Context) quantified(p *syntax.Predicate, _ *jsonpath.Query, nodes []jsonpath.Node) Outcome {
	type part struct {
		v  *value.Value
		at string
	}
	var parts []part
	if len(nodes) == 1 && nodes[0].Value.Kind == value.Array {
		for i, item := range nodes[0].Value.Items {
			parts = append(parts, part{item, fmt.Sprintf("%s[%d]", nodes[0].Place(), i)})
		}
	} else {
		for _, n := range nodes {
			parts = append(parts, part{n.Value, n.Place()})
		}
	}
	var found []string
	for _, one := range parts {
		r, err := shape.Match(p.Shape, one.v, c.Names)
		if err != nil {
			return broken(err)
		}
		switch {
		case r.Held():
			if p.Op == "none" {
				found = append(found, fmt.Sprintf("%s is %s", one.at, value.Cut(one.v.String(), 120)))
			}
			if p.Op == "some" {
				return Outcome{Held: true, Bound: r.Bound}
			}
		case p.Op == "every":
			for _, m := range r.Mismatches {
				found = append(found, one.at+strings.TrimPrefix(m.String(), "$"))
			}
		}
	}
	switch {
	case p.Op == "some":
		return miss("none of the %d selected is", len(parts))
	case len(found) > mostLines:
		found = append(found[:mostLines], fmt.Sprintf("… and %d more", len(found)-mostLines))
	}
	return Outcome{Held: len(found) == 0, Found: found}
}

func (c *Context) count(p *syntax.Predicate, n int) Outcome {
	got := value.NewInt(int64(n))
	held := false
	var err error
	if p.Compare != "" {
		held, err = c.compares(p.Compare, p.Values[0], got)
	} else {
		held, err = shape.Within(p.Range, got, c.Names)
	}
	if err != nil {
		return broken(err)
	}
	return verdict(held, "the count is %d", n)
}

// compares orders two numbers, or two texts; values of other kinds have none.
func (c *Context) compares(op string, bound *syntax.Node, got *value.Value) (bool, error) {
	want, err := c.Names.Value(bound)
	if err != nil {
		return false, err
	}
	order := 0
	switch {
	case want.Kind == value.Number && got.Kind == value.Number:
		order = value.CompareNumbers(got.Text, want.Text)
	case want.Kind == value.String && got.Kind == value.String:
		order = strings.Compare(got.Text, want.Text)
	default:
		return false, nil
	}
	switch op {
	case "<":
		return order < 0, nil
	case "<=":
		return order <= 0, nil
	case ">":
		return order > 0, nil
	case ">=":
		return order >= 0, nil
	}
	return false, fmt.Errorf("`%s` compares nothing: this is a mistake in the tool", op)
}

func (c *Context) ordered(p *syntax.Predicate, v *value.Value, at string) Outcome {
	held, err := c.compares(p.Op, p.Values[0], v)
	if err != nil {
		return broken(err)
	}
	return verdict(held, "%s is %s", at, value.Cut(v.String(), 120))
}

func (c *Context) between(p *syntax.Predicate, v *value.Value, at string) Outcome {
	low, err := c.compares(">=", p.Values[0], v)
	high := false
	if err == nil {
		high, err = c.compares("<=", p.Values[1], v)
	}
	if err != nil {
		return broken(err)
	}
	return verdict(low && high, "%s is %s", at, value.Cut(v.String(), 120))
}

func (c *Context) holdsElement(p *syntax.Predicate, v *value.Value, at string) Outcome {
	for _, n := range p.Values {
		want, err := c.Names.Value(n)
		if err != nil {
			return broken(err)
		}
		switch missing := []value.Difference(nil); {
		case v.Kind == value.Object:
			if missing = c.uncovered(want, v); len(missing) > 0 {
				return Outcome{Found: below(at, lines(missing))}
			}
		case !holds(v, want) && len(p.Values) > 1:
			return miss("%s lacks %s: %s", at, value.Cut(want.String(), 60), value.Cut(v.String(), 160))
		case !holds(v, want):
			return miss("%s is %s", at, value.Cut(v.String(), 160))
		}
	}
	return Outcome{Held: true}
}

// are holds what a path selects against a shape as one list: the elements of the
// one array, or the values themselves.
func (c *Context) are(p *syntax.Predicate, q *jsonpath.Query, nodes []jsonpath.Node) Outcome {
	if q.Singular() {
		if len(nodes) != 1 || nodes[0].Value.Kind != value.Array {
			return onList(func(_ *Context, _ *syntax.Predicate, v *value.Value, at string) Outcome {
				return miss("%s is not an array but %s", at, value.Cut(v.String(), 100))
			})(c, p, q, nodes)
		}
		return c.is(p, nodes[0].Value, nodes[0].Place())
	}
	list := value.NewArray()
	for _, n := range nodes {
		list.Items = append(list.Items, n.Value)
	}
	r, err := shape.Match(p.Shape, list, c.Names)
	if err != nil {
		return broken(err)
	}
	found := lines(r.Mismatches)
	for i, line := range found {
		// Each is told at its own place.
		n, rest := 0, ""
		if _, err := fmt.Sscanf(line, "$[%d]", &n); err == nil && n < len(nodes) {
			_, rest, _ = strings.Cut(line, "]")
			found[i] = nodes[n].Place() + rest
		} else {
			found[i] = "what " + q.String() + " selects" + strings.TrimPrefix(line, "$")
		}
	}
	return Outcome{Held: r.Held(), Found: found, Bound: r.Bound}
}

// lacksElement is the denial of holdsElement, for each of the values.
func (c *Context) lacksElement(p *syntax.Predicate, v *value.Value, at string) Outcome {
	for _, n := range p.Values {
		want, err := c.Names.Value(n)
		if err != nil {
			return broken(err)
		}
		if holds(v, want) {
			return miss("%s holds %s: %s", at, value.Cut(want.String(), 60), value.Cut(v.String(), 160))
		}
	}
	return Outcome{Held: true}
}

// holds tells whether an array has such an element, or an object such members.
func holds(v, want *value.Value) bool {
	if v.Kind == value.Object {
		return len(value.Uncovered(want, v)) == 0
	}
	return slices.ContainsFunc(v.Items, func(item *value.Value) bool { return value.Equal(item, want) })
}

func unique(v *value.Value, at string) Outcome {
	if v.Kind != value.Array {
		return miss("%s is not an array but %s", at, value.Cut(v.String(), 100))
	}
	seen := map[string]int{}
	for i, item := range v.Items {
		key := item.Key()
		if j, twice := seen[key]; twice {
			return miss("%s[%d] and %s[%d] are both %s", at, j, at, i, value.Cut(item.String(), 100))
		}
		seen[key] = i
	}
	return Outcome{Held: true}
}

func (c *Context) sorted(p *syntax.Predicate, v *value.Value, at string) Outcome {
	if v.Kind != value.Array {
		return miss("%s is not an array but %s", at, value.Cut(v.String(), 100))
	}
	key := func(i int) (*value.Value, error) { return v.Items[i], nil }
	if p.By != nil {
		q, err := c.Names.Path(p.By)
		if err != nil {
			return broken(err)
		}
		key = func(i int) (*value.Value, error) {
			nodes, err := q.Select(v.Items[i])
			if err != nil {
				return nil, err
			}
			if len(nodes) != 1 {
				return nil, fmt.Errorf("%s[%d]: %s selects %s", at, i, q, howMany(len(nodes)))
			}
			return nodes[0].Value, nil
		}
	}
	for i := 1; i < len(v.Items); i++ {
		a, err := key(i - 1)
		if err != nil {
			return miss("%s", err)
		}
		b, err := key(i)
		if err != nil {
			return miss("%s", err)
		}
		if a.Kind != b.Kind || a.Kind != value.Number && a.Kind != value.String {
			return miss("%s and %s have no order", value.Cut(a.String(), 60), value.Cut(b.String(), 60))
		}
		order := strings.Compare(a.Text, b.Text)
		if a.Kind == value.Number {
			order = value.CompareNumbers(a.Text, b.Text)
		}
		if p.Descending {
			order = -order
		}
		if order > 0 {
			return miss("%s[%d] and %s[%d] are out of order: %s, then %s", at, i-1, at, i, value.Cut(a.String(), 60), value.Cut(b.String(), 60))
		}
	}
	return Outcome{Held: true}
}
