package expect

import (
	"fmt"
	"strings"
	"time"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/jsonpath"
	"usualpath/internal/core/shape"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// The table of claims: what each predicate is, by what it is about. Each kind
// of subject hands on to the next what it has no row for; what no table has is
// an error, never another predicate.

// asked is one claim about one text.
type asked struct {
	p *syntax.Predicate
	s *syntax.Subject
	// what names it, got is the text; there tells that it is there.
	what, got string
	there     bool
}

var onText = map[string]func(c *Context, a asked) Outcome{
	"exists":  func(_ *Context, a asked) Outcome { return verdict(a.there, "there is no %s", a.what) },
	"missing": func(_ *Context, a asked) Outcome { return verdict(!a.there, "%s is %s", a.what, a.shown(120)) },
	"matches": ifThere(func(_ *Context, a asked) Outcome {
		return verdict(a.p.Shape.Regexp.MatchString(a.got), "%s is %s", a.what, a.shown(160))
	}),
	"same as":    ifThere((*Context).sameText),
	"lists":      ifThere(func(c *Context, a asked) Outcome { return c.lists(a, false) }),
	"lists only": ifThere(func(c *Context, a asked) Outcome { return c.lists(a, true) }),
	"lacks": func(c *Context, a asked) Outcome {
		if !a.there {
			return Outcome{Held: true}
		}
		return c.lacks(a)
	},
	"is":          ifThere(compared(func(a asked, want string) bool { return equalText(a.s, a.got, want) })),
	"is not":      ifThere(compared(func(a asked, want string) bool { return !equalText(a.s, a.got, want) })),
	"contains":    ifThere(all(compared(func(a asked, want string) bool { return strings.Contains(a.got, want) }))),
	"starts with": ifThere(compared(func(a asked, want string) bool { return strings.HasPrefix(a.got, want) })),
	"ends with":   ifThere(compared(func(a asked, want string) bool { return strings.HasSuffix(a.got, want) })),
}

// onNodes are claims about all that a JSONPath selects.
var onNodes = map[string]func(c *Context, p *syntax.Predicate, q *jsonpath.Query, nodes []jsonpath.Node) Outcome{
	"exists": func(_ *Context, _ *syntax.Predicate, q *jsonpath.Query, nodes []jsonpath.Node) Outcome {
		return verdict(len(nodes) > 0, "%s selects nothing", q)
	},
	"missing": func(_ *Context, _ *syntax.Predicate, _ *jsonpath.Query, nodes []jsonpath.Node) Outcome {
		if len(nodes) == 0 {
			return Outcome{Held: true}
		}
		return miss("%s is %s", nodes[0].Place(), value.Cut(nodes[0].Value.String(), 120))
	},
	"count": func(c *Context, p *syntax.Predicate, q *jsonpath.Query, nodes []jsonpath.Node) Outcome {
		n := len(nodes)
		if q.Singular() && n == 1 && nodes[0].Value.Kind == value.Array {
			// A path to one array counts its elements.
			n = len(nodes[0].Value.Items)
		}
		return c.count(p, n)
	},
	"every":  (*Context).quantified,
	"some":   (*Context).quantified,
	"none":   (*Context).quantified,
	"are":    (*Context).are,
	"unique": onList(func(_ *Context, _ *syntax.Predicate, v *value.Value, at string) Outcome { return unique(v, at) }),
	"sorted": onList((*Context).sorted),
}

// onValue are claims about the one value that a JSONPath selects.
var onValue = map[string]func(c *Context, p *syntax.Predicate, v *value.Value, at string) Outcome{
	"is":            (*Context).is,
	"is not":        (*Context).isNot,
	"same as":       (*Context).same,
	"agrees with":   (*Context).agrees,
	"<":             (*Context).ordered,
	"<=":            (*Context).ordered,
	">":             (*Context).ordered,
	">=":            (*Context).ordered,
	"between":       (*Context).between,
	"is within":     (*Context).near,
	"is not within": (*Context).near,
	"before":        func(c *Context, p *syntax.Predicate, v *value.Value, at string) Outcome { return c.timed(p, v, at, -1) },
	"after":         func(c *Context, p *syntax.Predicate, v *value.Value, at string) Outcome { return c.timed(p, v, at, 1) },
}

// timed compares two times as instants, or two dates as days (RFC 3339 §5.6).
func (c *Context) timed(p *syntax.Predicate, v *value.Value, at string, order int) Outcome {
	bound, err := c.Names.Value(p.Values[0])
	if err != nil {
		return broken(err)
	}
	got, kind, err := shape.Compared(v, bound)
	switch {
	case err != nil:
		return broken(err)
	case !kind:
		return miss("%s is %s, which cannot be compared with %s", at, value.Cut(v.String(), 120), bound.Plain())
	}
	return verdict(got == order, "%s is %s; compared with %s", at, value.Cut(v.String(), 120), bound.Plain())
}

// near holds a value to a distance from another; what has none is neither near
// nor far.
func (c *Context) near(p *syntax.Predicate, v *value.Value, at string) Outcome {
	near, kind, err := shape.Near(p.Within, v, c.Names)
	switch {
	case err != nil:
		return broken(err)
	case !kind:
		return miss("%s is %s, which has no such distance to it", at, value.Cut(v.String(), 120))
	}
	return verdict(near == (p.Op == "is within"), "%s is %s", at, value.Cut(v.String(), 120))
}

// onContainer are claims that mean something else of an array or object than
// of a text.
var onContainer = map[string]func(c *Context, p *syntax.Predicate, v *value.Value, at string) Outcome{
	"contains": (*Context).holdsElement,
	"lacks":    (*Context).lacksElement,
}

// onBody are claims about the body as it is; those of onValue go with it too.
var onBody = map[string]func(c *Context, p *syntax.Predicate) Outcome{
	"empty":         func(c *Context, _ *syntax.Predicate) Outcome { return c.empty() },
	"json":          func(c *Context, _ *syntax.Predicate) Outcome { return c.isJSON() },
	"leaks nothing": func(c *Context, _ *syntax.Predicate) Outcome { return c.leaks() },
}

// onDocument are claims about the body as JSON.
var onDocument = map[string]func(c *Context, p *syntax.Predicate, v *value.Value) Outcome{
	"is":            func(c *Context, p *syntax.Predicate, v *value.Value) Outcome { return c.is(p, v, "$") },
	"is not":        func(c *Context, p *syntax.Predicate, v *value.Value) Outcome { return c.isNot(p, v, "$") },
	"covers":        (*Context).covers,
	"same as":       func(c *Context, p *syntax.Predicate, v *value.Value) Outcome { return c.same(p, v, "$") },
	"same shape as": (*Context).sameShape,
	"agrees with":   func(c *Context, p *syntax.Predicate, v *value.Value) Outcome { return c.agrees(p, v, "$") },
	"resembles":     (*Context).resembles,
	"fits schema":   (*Context).fits,
}

// onXML are claims about all that an XPath selects; others are about one text.
var onXML = map[string]func(c *Context, p *syntax.Predicate, name string, texts []string) Outcome{
	"exists": func(_ *Context, _ *syntax.Predicate, name string, texts []string) Outcome {
		return verdict(len(texts) > 0, "%s selects nothing", name)
	},
	"missing": func(_ *Context, _ *syntax.Predicate, name string, texts []string) Outcome {
		if len(texts) == 0 {
			return Outcome{Held: true}
		}
		return miss("%s is %s", name, value.Quoted(value.Cut(texts[0], 120)))
	},
	"count": func(c *Context, p *syntax.Predicate, _ string, texts []string) Outcome { return c.count(p, len(texts)) },
}

// bySubject judges a claim by what it is about.
var bySubject = map[string]func(c *Context, s *syntax.Subject, p *syntax.Predicate) Outcome{
	"status": func(c *Context, _ *syntax.Subject, p *syntax.Predicate) Outcome { return c.status(p) },
	"header": func(c *Context, s *syntax.Subject, p *syntax.Predicate) Outcome {
		v, ok := c.Reply.Header(s.Name)
		return c.text(asked{p, s, "header " + s.Name, v, ok})
	},
	"cookie": func(c *Context, s *syntax.Subject, p *syntax.Predicate) Outcome {
		v, ok := c.Reply.Cookie(s.Name)
		return c.text(asked{p, s, "cookie " + s.Name, v, ok})
	},
	"text": func(c *Context, s *syntax.Subject, p *syntax.Predicate) Outcome {
		if p.Op == "same as" {
			if out, told := c.sameBytes(p); told && out.Held {
				return out
			}
			return c.same(p, value.NewString(c.Reply.Text()), "the body:")
		}
		return c.text(asked{p, s, "the body", c.Reply.Text(), true})
	},
	"path": (*Context).path,
	"body": func(c *Context, _ *syntax.Subject, p *syntax.Predicate) Outcome { return c.body(p) },
	"xml":  (*Context).xmlPath,
	"time": func(c *Context, _ *syntax.Subject, p *syntax.Predicate) Outcome {
		return verdict(c.Reply.Timing.Total < time.Duration(p.Limit), "it took %s", exchange.Took(c.Reply.Timing.Total))
	},
	"size": func(c *Context, _ *syntax.Subject, p *syntax.Predicate) Outcome {
		n := int64(len(c.Reply.Answer.Body))
		return verdict(n < p.Limit, "the body has %d bytes", n)
	},
}

// implemented tells whether a predicate can be judged of a kind of subject.
func implemented(kind, op string) bool {
	switch kind {
	case "status":
		return op == "status" || op == "same as"
	case "time", "size":
		return op == "under"
	case "answer":
		return op == "missing"
	case "state", "observation":
		return op == "effects"
	case "header", "cookie", "text":
		return onText[op] != nil
	case "xml":
		return onXML[op] != nil || onText[op] != nil
	case "path", "name":
		return onNodes[op] != nil || onValue[op] != nil || onText[op] != nil
	case "body":
		return onBody[op] != nil || onDocument[op] != nil
	}
	return false
}

// unknown is the outcome of a predicate that nobody has implemented.
func unknown(kind, op string) Outcome {
	return broken(fmt.Errorf("`%s` is not implemented for %s: this is a mistake in the tool", op, kind))
}
