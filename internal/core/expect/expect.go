package expect

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"usualpath/internal/core/jsonpath"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// Context is what an expectation may look at.
type Context struct {
	// Until ends what takes long; nil for never.
	Until context.Context
	Reply *Reply
	Names *scope.Scope
	// Step is the answer of an earlier step; nil when it has none. repeat is
	// which of those after `again`, counted from 1, and 0 for the last answer.
	Step func(title string, repeat int) *Reply
	// ReadFile reads a file of the project.
	ReadFile func(name string) ([]byte, error)
	// Baseline is the saved answer to compare with; it gets the answer of now,
	// which may be saved in its place.
	Baseline func(now []byte) (saved []byte, err error)
	// Effect is what the request did to an observation; nil for one that could
	// not be read, with the reason.
	Effect func(name string) (*state.Delta, error)
	// Form tells of what a claim that an answer covers a value has found whether it is to be left
	// out of account; nil for never.
	Form func(d value.Difference) bool
	// Observed are the names of all observations in scope.
	Observed []string
}

func (c *Context) until() context.Context {
	if c.Until == nil {
		return context.Background()
	}
	return c.Until
}

// Outcome is what became of one claim.
type Outcome struct {
	Held bool
	// Found says what was observed, when the claim does not hold.
	Found []string
	// Bound are names that a shape bound.
	Bound map[string]*value.Value
	// Err is an error that kept the claim from being judged: a name without
	// value (*scope.Unbound), or one that cannot be worked out.
	Err error
}

func miss(format string, args ...any) Outcome {
	return Outcome{Found: []string{fmt.Sprintf(format, args...)}}
}

func verdict(held bool, format string, args ...any) Outcome {
	if held {
		return Outcome{Held: true}
	}
	return miss(format, args...)
}

func broken(err error) Outcome { return Outcome{Err: err} }

// Check judges one claim.
func Check(c *Context, claim *syntax.Claim) Outcome {
	s, p := &claim.Subject, &claim.Predicate
	switch s.Kind {
	case "name":
		return c.name(s, p)
	case "observation", "state":
		return c.effects(s, p)
	case "answer":
		if c.Reply == nil {
			return miss("nothing was sent")
		}
		if f := c.Reply.Failure; f != nil {
			return Outcome{Held: true}
		}
		return miss("an answer came: %s", c.Reply.Answer.StatusText())
	}
	if c.Reply == nil {
		return miss("nothing was sent")
	}
	if f := c.Reply.Failure; f != nil {
		return miss("there is no answer: %s", f)
	}
	judge, ok := bySubject[s.Kind]
	if !ok {
		return unknown(s.Kind, p.Op)
	}
	return judge(c, s, p)
}

// StatusHolds tells whether a status is one of those listed: any of the plain
// ones, and none of the `not` ones.
func StatusHolds(list []syntax.StatusClass, status int, names *scope.Scope) (bool, error) {
	plain, any := false, false
	for _, s := range list {
		hit := s.Class && status/100 == s.Code || !s.Class && status == s.Code
		if s.Ref != nil {
			v, err := names.Value(s.Ref)
			if err != nil {
				return false, err
			}
			if v.Kind == value.Array {
				hit = slices.ContainsFunc(v.Items, func(one *value.Value) bool { return isStatus(one.Plain(), status) })
			} else {
				hit = isStatus(v.Plain(), status)
			}
		}
		if s.Not {
			if hit {
				return false, nil
			}
			continue
		}
		plain = true
		any = any || hit
	}
	return any || !plain, nil
}

// isStatus tells whether a text is this status, or its class.
func isStatus(text string, status int) bool {
	if class, ok := strings.CutSuffix(text, "xx"); ok {
		return strconv.Itoa(status/100) == class
	}
	return strconv.Itoa(status) == text
}

func (c *Context) status(p *syntax.Predicate) Outcome {
	a := c.Reply.Answer
	if p.Op == "same as" {
		other, out := c.other(p.Source)
		if other == nil {
			return out
		}
		return verdict(other.Answer.Status == a.Status, "%s, where %s answered %s", a.StatusText(), sourceText(p.Source), other.Answer.StatusText())
	}
	held, err := StatusHolds(p.Status, a.Status, c.Names)
	if err != nil {
		return broken(err)
	}
	return verdict(held, "%s", a.StatusText())
}

// other is the answer of the step that a source names.
func (c *Context) other(s *syntax.Source) (*Reply, Outcome) {
	title, err := c.Names.Text(s.Title.Template)
	if err != nil {
		return nil, broken(err)
	}
	n := 0
	if s.Repeat != nil {
		v, err := c.Names.Value(s.Repeat)
		if err != nil {
			return nil, broken(err)
		}
		var ok bool
		if n, ok = v.Int(); !ok || n < 1 {
			return nil, broken(fmt.Errorf("a repeat is a whole number from 1, not %s", value.Cut(v.String(), 40)))
		}
	}
	r := c.Step(title, n)
	if r == nil && n > 0 {
		return nil, broken(&scope.Unbound{Name: fmt.Sprintf("the answer of repeat %d of %q", n, title)})
	}
	if r == nil {
		return nil, broken(&scope.Unbound{Name: fmt.Sprintf("the answer of %q", title)})
	}
	if r.Failure != nil {
		return nil, miss("step %q has no answer: %s", title, r.Failure)
	}
	return r, Outcome{}
}

func sourceText(s *syntax.Source) string {
	if s.Title != nil {
		text := "step \"" + s.Title.Template.Raw + `"`
		if s.Repeat != nil {
			text += " repeat " + syntax.NodeText(s.Repeat)
		}
		return text
	}
	return s.Kind
}

func (c *Context) path(s *syntax.Subject, p *syntax.Predicate) Outcome {
	q, err := c.Names.Path(s.Path)
	if err != nil {
		return broken(err)
	}
	v, jerr := c.Reply.JSON()
	if len(c.Reply.Answer.Body) == 0 {
		return miss("the body is empty")
	}
	if jerr != nil {
		return miss("the body is not JSON: %s", jerr)
	}
	nodes, err := q.Select(v)
	if err != nil {
		return broken(err)
	}
	return c.nodes(s, p, q, nodes)
}

// whole selects a value itself.
var whole = func() *jsonpath.Query {
	q, err := jsonpath.Parse("$")
	if err != nil {
		panic(err)
	}
	return q
}()

// name judges a claim about the value of a name.
func (c *Context) name(s *syntax.Subject, p *syntax.Predicate) Outcome {
	v, err := c.Names.Value(s.Value)
	var unbound *scope.Unbound
	switch {
	case errors.As(err, &unbound) && p.Op == "exists":
		return miss("%s", unbound.Error())
	case errors.As(err, &unbound) && p.Op == "missing":
		return Outcome{Held: true}
	case err != nil:
		return broken(err)
	}
	out := c.nodes(s, p, whole, []jsonpath.Node{{Value: v}})
	for i, line := range out.Found {
		if rest, ok := strings.CutPrefix(line, "$"); ok {
			out.Found[i] = "{" + s.Value.Expr.Raw + "}" + rest
		}
	}
	return out
}

// nodes judges a claim about what has been selected.
func (c *Context) nodes(s *syntax.Subject, p *syntax.Predicate, q *jsonpath.Query, nodes []jsonpath.Node) Outcome {
	if judge := onNodes[p.Op]; judge != nil {
		return judge(c, p, q, nodes)
	}
	if len(nodes) != 1 {
		return miss("%s selects %s, where one value was expected", q, howMany(len(nodes)))
	}
	one, at := nodes[0].Value, nodes[0].Place()
	if judge := onValue[p.Op]; judge != nil {
		return judge(c, p, one, at)
	}
	if one.Kind == value.Array || one.Kind == value.Object {
		if judge := onContainer[p.Op]; judge != nil {
			return judge(c, p, one, at)
		}
	}
	if one.Kind == value.Array || one.Kind == value.Object || one.Kind == value.Null {
		return miss("%s is %s, where a text was expected", at, value.Cut(one.String(), 120))
	}
	return c.text(asked{p, s, at, one.Plain(), true})
}

// onList makes a claim about a list one about what a path selects: the one
// array, or the nodes themselves.
func onList(judge func(c *Context, p *syntax.Predicate, v *value.Value, at string) Outcome) func(c *Context, p *syntax.Predicate, q *jsonpath.Query, nodes []jsonpath.Node) Outcome {
	return func(c *Context, p *syntax.Predicate, q *jsonpath.Query, nodes []jsonpath.Node) Outcome {
		if q.Singular() {
			if len(nodes) != 1 {
				return miss("%s selects %s, where one value was expected", q, howMany(len(nodes)))
			}
			return judge(c, p, nodes[0].Value, nodes[0].Place())
		}
		list := value.NewArray()
		for _, n := range nodes {
			list.Items = append(list.Items, n.Value)
		}
		return judge(c, p, list, q.String())
	}
}

func howMany(n int) string {
	switch n {
	case 0:
		return "nothing"
	case 1:
		return "one value"
	}
	return fmt.Sprintf("%d values", n)
}
