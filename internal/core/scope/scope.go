// Package scope holds the values of names while a scenario runs, and works out
// values, texts, targets and JSONPaths that have names in them.
package scope

import (
	"fmt"
	"hash/fnv"
	"io"
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	"usualpath/internal/core/bound"
	"usualpath/internal/core/jsonpath"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// Unbound is the error of a name that has no value yet.
type Unbound struct{ Name string }

func (u *Unbound) Error() string { return "`" + u.Name + "` has no value" }

// World is what functions reach outside the scope.
type World struct {
	// Rand is where random values come from.
	Rand *Random
	// Now is the clock.
	Now func() time.Time
	// Drawn are the random values that functions have given so far.
	Drawn Drawn
	// ReadFile reads a file of the project, for file().
	ReadFile func(name string) ([]byte, error)
	// Secret hides what functions make of secrets; nil where there are none.
	Secret Secrets
}

// Secrets are texts that must not be shown.
type Secrets interface {
	Holds(text string) bool
	Add(text string) bool
}

// Random is a source that can be turned back.
type Random struct {
	*rand.Rand
	source *rand.PCG
}

// Seeded is the random source of one scenario: the same seed and key give the
// same values, whatever ran before.
func Seeded(seed uint64, key string) *Random {
	h := fnv.New64a()
	// A hash takes whatever is written.
	_, _ = io.WriteString(h, key)
	source := rand.NewPCG(seed, h.Sum64())
	return &Random{rand.New(source), source}
}

// Mark remembers where the source is; Back returns to it.
func (r *Random) Mark() rand.PCG { return *r.source }

// Back makes the source give again what it gave after the mark.
func (r *Random) Back(mark rand.PCG) { *r.source = mark }

// Scope is a set of names with an outer one around it.
type Scope struct {
	outer  *Scope
	world  *World
	values map[string]*entry
}

type entry struct {
	v *value.Value
	// node is worked out on first use, in the scope that defines it.
	node *syntax.Node
	busy bool
	err  error
}

// New is an outermost scope.
func New(w *World) *Scope { return &Scope{world: w, values: map[string]*entry{}} }

// Inner is a scope inside s.
func (s *Scope) Inner() *Scope {
	return &Scope{outer: s, world: s.world, values: map[string]*entry{}}
}

// Bind gives a name a value.
func (s *Scope) Bind(name string, v *value.Value) { s.values[name] = &entry{v: v} }

// Unbind takes a name's value away again.
func (s *Scope) Unbind(name string) { delete(s.values, name) }

// Define gives a name a value to be worked out when it is first needed.
func (s *Scope) Define(name string, n *syntax.Node) { s.values[name] = &entry{node: n} }

// Lookup is the value of a name.
func (s *Scope) Lookup(name string) (*value.Value, error) {
	for at := s; at != nil; at = at.outer {
		e, ok := at.values[name]
		if !ok {
			continue
		}
		if e.v == nil && e.err == nil {
			if e.busy {
				return nil, fmt.Errorf("`%s` is defined by itself", name)
			}
			e.busy = true
			e.v, e.err = at.Value(e.node)
			e.busy = false
			if _, unbound := e.err.(*Unbound); unbound {
				// It may be bound later.
				err := e.err
				e.err = nil
				return nil, err
			}
		}
		return e.v, e.err
	}
	return nil, &Unbound{name}
}

// Value works out a value; nodes that are shapes only are an error.
func (s *Scope) Value(n *syntax.Node) (*value.Value, error) {
	switch n.Kind {
	case syntax.Null:
		return value.NewNull(), nil
	case syntax.True, syntax.False:
		return value.NewBool(n.Kind == syntax.True), nil
	case syntax.Number:
		return value.NewNumber(n.Text), nil
	case syntax.String:
		text, err := s.Text(n.Template)
		return value.NewString(text), err
	case syntax.Ref:
		return s.Expr(n.Expr)
	case syntax.Array:
		out := value.NewArray()
		for _, it := range n.Items {
			v, err := s.Value(it.Value)
			if err != nil {
				return nil, err
			}
			out.Items = append(out.Items, v)
		}
		return within(out)
	case syntax.Object:
		out := value.NewObject()
		for _, f := range n.Fields {
			key, err := s.Text(f.Key.Template)
			if err != nil {
				return nil, err
			}
			v, err := s.Value(f.Value)
			if err != nil {
				return nil, err
			}
			if _, twice := out.Get(key); twice {
				return nil, fmt.Errorf("member %s appears twice in one object", value.Quoted(key))
			}
			out.Add(key, v)
		}
		return within(out)
	}
	return nil, fmt.Errorf("%s is a shape, not a value", syntax.NodeText(n))
}

// Text works out a template.
func (s *Scope) Text(t *syntax.Template) (string, error) {
	if text, ok := t.Plain(); ok || t == nil {
		return text, nil
	}
	var b strings.Builder
	for _, p := range t.Parts {
		if p.Expr == nil {
			b.WriteString(p.Text)
			continue
		}
		v, err := s.Expr(p.Expr)
		if err != nil {
			return "", err
		}
		if v.Kind != value.String && tooMany(v) {
			return "", errTooMany()
		}
		text := v.Plain()
		if b.Len()+len(text) > bound.Text() {
			return "", fmt.Errorf("{%s} makes a text of more than %s, which is the limit (%s)", p.Expr.Raw, bound.MiB(bound.Text()), bound.Hint)
		}
		b.WriteString(text)
	}
	return b.String(), nil
}

func errTooMany() error {
	return fmt.Errorf("this holds more than %s values, which is the limit (%s)", bound.Millions(bound.Values()), bound.Hint)
}

// tooMany tells whether a value holds more than bound.Values in all: names that
// hold each other would double with each line.
func tooMany(v *value.Value) bool {
	left := bound.Values()
	var count func(*value.Value) bool
	count = func(v *value.Value) bool {
		left--
		return left < 0 || slices.ContainsFunc(v.Items, count)
	}
	return count(v)
}

// within is a value that was put together, if it is not too much.
func within(v *value.Value) (*value.Value, error) {
	if tooMany(v) {
		return nil, errTooMany()
	}
	return v, nil
}

// Path works out a JSONPath: outside quotes a value becomes a literal, inside
// quotes its text.
func (s *Scope) Path(p *syntax.Path) (*jsonpath.Query, error) {
	if p.Query != nil {
		return p.Query, nil
	}
	var b strings.Builder
	for _, part := range p.Template.Parts {
		if part.Expr == nil {
			b.WriteString(part.Text)
			continue
		}
		v, err := s.Expr(part.Expr)
		if err != nil {
			return nil, err
		}
		switch quote := part.Text; {
		case quote == "'":
			b.WriteString(strings.Trim(value.QuoteName(v.Plain()), "'"))
		case quote == `"`:
			b.WriteString(strings.Trim(value.Quoted(v.Plain()), `"`))
		case v.Kind == value.String:
			b.WriteString(value.QuoteName(v.Text))
		case v.Kind == value.Array || v.Kind == value.Object:
			return nil, fmt.Errorf("{%s} is an %s; only strings, numbers, booleans and null are allowed in a JSONPath", part.Expr.Raw, v.Kind)
		default:
			b.WriteString(v.String())
		}
	}
	return jsonpath.Parse(b.String())
}

// Expr works out what is between braces.
func (s *Scope) Expr(e *syntax.Expr) (*value.Value, error) {
	if e.Op != 0 {
		return s.sum(e)
	}
	if e.Literal != nil {
		return s.Value(e.Literal)
	}
	var v *value.Value
	var err error
	if e.Call {
		v, err = s.call(e)
	} else {
		v, err = s.Lookup(e.Name)
	}
	if err != nil {
		return nil, err
	}
	so := e.Name
	for _, a := range e.Access {
		next, err := access(v, a, so)
		if err != nil {
			return nil, err
		}
		if a.Element {
			so += fmt.Sprintf("[%d]", a.Index)
		} else {
			so += "." + a.Member
		}
		v = next
	}
	return v, nil
}

func access(v *value.Value, a syntax.Access, so string) (*value.Value, error) {
	if a.Element {
		if v.Kind != value.Array {
			return nil, fmt.Errorf("`%s` is not an array but %s", so, value.Cut(v.String(), 60))
		}
		i := a.Index
		if i < 0 {
			i += len(v.Items)
		}
		if i < 0 || i >= len(v.Items) {
			return nil, fmt.Errorf("`%s` has no element %d: it has %d", so, a.Index, len(v.Items))
		}
		return v.Items[i], nil
	}
	if v.Kind != value.Object {
		return nil, fmt.Errorf("`%s` is not an object but %s", so, value.Cut(v.String(), 60))
	}
	m, ok := v.Get(a.Member)
	if !ok {
		return nil, fmt.Errorf("`%s` has no member `%s`: it has %s", so, a.Member, value.Cut(strings.Join(v.Names, ", "), 80))
	}
	return m, nil
}

func (s *Scope) sum(e *syntax.Expr) (*value.Value, error) {
	left, err := s.Expr(e.Left)
	if err != nil {
		return nil, err
	}
	right, err := s.Expr(e.Right)
	if err != nil {
		return nil, err
	}
	for _, v := range []*value.Value{left, right} {
		if v.Kind != value.Number {
			return nil, fmt.Errorf("{%s} cannot be worked out: %s is not a number", e.Raw, value.Cut(v.String(), 60))
		}
	}
	sum, err := value.Add(left.Text, right.Text, e.Op == '-')
	if err != nil {
		return nil, err
	}
	out := value.NewNumber(sum)
	s.world.Drawn.counted(left, out)
	return out, nil
}

// randomReader lets uuid draw from the seeded source.
type randomReader struct{ r *Random }

func (r randomReader) Read(p []byte) (int, error) {
	for i := range p {
		p[i] = byte(r.r.Uint32())
	}
	return len(p), nil
}

var _ io.Reader = randomReader{}
