package expect

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"path"
	"slices"
	"strings"

	"github.com/antchfx/xpath"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/markup"
	"usualpath/internal/core/schema"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// same compares a value with a source, less the paths under `except`; at is where the value is.
func (c *Context) same(p *syntax.Predicate, got *value.Value, at string) Outcome {
	want, out := c.source(p.Source, got)
	if want == nil {
		return out
	}
	want, got, err := c.except(p, want, got)
	if err != nil {
		return broken(err)
	}
	diff := value.Differences(want, got)
	return Outcome{Held: len(diff) == 0, Found: below(at, lines(diff))}
}

// source is the value to compare with; nil with the outcome that says why not.
func (c *Context) source(s *syntax.Source, got *value.Value) (*value.Value, Outcome) {
	switch s.Kind {
	case "sent":
		if len(c.Reply.Request.Body) == 0 {
			return nil, broken(errors.New("the request had no body to compare with"))
		}
		v, err := value.Decode(string(c.Reply.Request.Body), value.Limits{})
		if err != nil {
			return nil, miss("what was sent is not JSON: %s", err)
		}
		return v, Outcome{}
	case "step":
		return c.ofStep(s, got)
	case "file":
		name, err := c.Names.Text(s.Title.Template)
		if err != nil {
			return nil, broken(err)
		}
		data, err := c.ReadFile(name)
		if err != nil {
			return nil, broken(err)
		}
		return c.decodeLike(got, data, name)
	}
	now := []byte(indent(got))
	saved, err := c.Baseline(now)
	if err != nil {
		return nil, broken(err)
	}
	return c.decodeLike(got, saved, "the baseline")
}

// decodeLike reads a saved text as JSON, or as text when text is compared.
func (c *Context) decodeLike(got *value.Value, data []byte, name string) (*value.Value, Outcome) {
	v, err := value.Decode(string(data), value.Limits{})
	if err != nil {
		if got.Kind == value.String {
			return value.NewString(string(data)), Outcome{}
		}
		return nil, miss("%s is not JSON: %s", name, err)
	}
	return v, Outcome{}
}

func (c *Context) ofStep(s *syntax.Source, got *value.Value) (*value.Value, Outcome) {
	other, out := c.other(s)
	if other == nil {
		return nil, out
	}
	v, err := other.JSON()
	if err != nil {
		if s.Path == nil && got.Kind == value.String {
			return value.NewString(other.Text()), Outcome{}
		}
		return nil, miss("the answer of %s is not JSON: %s", sourceText(s), err)
	}
	if s.Path == nil {
		return v, Outcome{}
	}
	q, err := c.Names.Path(s.Path)
	if err != nil {
		return nil, broken(err)
	}
	nodes, err := q.Select(v)
	if err != nil {
		return nil, broken(err)
	}
	if len(nodes) != 1 {
		return nil, miss("%s of %s selects %s", q, sourceText(s), howMany(len(nodes)))
	}
	return nodes[0].Value, Outcome{}
}

// agrees compares what two values both have: the members that objects share,
// and everything else as it is.
func (c *Context) agrees(p *syntax.Predicate, got *value.Value, at string) Outcome {
	want, out := c.source(p.Source, got)
	if want == nil {
		return out
	}
	want, got, err := c.except(p, want, got)
	if err != nil {
		return broken(err)
	}
	var found []string
	agree(want, got, nil, &found)
	return Outcome{Held: len(found) == 0, Found: below(at, found)}
}

func agree(want, got *value.Value, at *value.Path, found *[]string) {
	switch {
	case want.Kind == value.Object && got.Kind == value.Object:
		for i, n := range want.Names {
			if v, ok := got.Get(n); ok {
				agree(want.Items[i], v, at.Member(n), found)
			}
		}
	case !value.Equal(want, got):
		place := "$"
		if at != nil {
			place = at.String()
		}
		was, is := value.CutAround(want, got, 80)
		*found = append(*found, fmt.Sprintf("%s is %s there, %s here", place, was, is))
	}
}

// resembles tells whether two answers are of one kind: the same media type,
// the same kind of JSON, and for objects a member in common, with no common
// member of another type.
func (c *Context) resembles(p *syntax.Predicate, got *value.Value) Outcome {
	other, out := c.other(p.Source)
	if other == nil {
		return out
	}
	name := sourceText(p.Source)
	here, there := exchange.MediaType(c.Reply.Answer.Header.Get("Content-Type")), exchange.MediaType(other.Answer.Header.Get("Content-Type"))
	if here != there {
		return miss("the body is %s here, and was %s in %s", orNone(here), orNone(there), name)
	}
	want, err := other.JSON()
	if err != nil {
		return miss("the answer of %s is not JSON", name)
	}
	if want.Kind != got.Kind {
		return miss("the body is of type %s here, and was %s in %s", got.Kind, want.Kind, name)
	}
	if want.Kind != value.Object {
		return Outcome{Held: true}
	}
	common := 0
	for i, n := range want.Names {
		v, ok := got.Get(n)
		if !ok {
			continue
		}
		common++
		if v.Kind != want.Items[i].Kind && v.Kind != value.Null && want.Items[i].Kind != value.Null {
			return miss("member %s is of type %s here, and was %s in %s", n, v.Kind, want.Items[i].Kind, name)
		}
	}
	return verdict(common > 0, "the body has members %s here, and had %s in %s: none in common", strings.Join(got.Names, ", "), strings.Join(want.Names, ", "), name)
}

func orNone(mediaType string) string {
	if mediaType == "" {
		return "of no declared type"
	}
	return mediaType
}

// except takes the paths under `except` out of both values.
func (c *Context) except(p *syntax.Predicate, want, got *value.Value) (*value.Value, *value.Value, error) {
	for _, e := range p.Except {
		q, err := c.Names.Path(e)
		if err != nil {
			return nil, nil, err
		}
		if want, err = state.Without(want, q); err != nil {
			return nil, nil, err
		}
		if got, err = state.Without(got, q); err != nil {
			return nil, nil, err
		}
	}
	return want, got, nil
}

func (c *Context) sameShape(p *syntax.Predicate, got *value.Value) Outcome {
	want, out := c.ofStep(p.Source, got)
	if want == nil {
		return out
	}
	var found []string
	shapes(want, got, nil, &found)
	return Outcome{Held: len(found) == 0, Found: found}
}

// shapes compares kinds and member names; each element of an array has the shape of
// one of the other's. Null fits everything.
func shapes(want, got *value.Value, at *value.Path, found *[]string) {
	place := "$"
	if at != nil {
		place = at.String()
	}
	switch {
	case want.Kind == value.Null || got.Kind == value.Null:
	case want.Kind != got.Kind:
		*found = append(*found, fmt.Sprintf("%s is of type %s here, %s there", place, got.Kind, want.Kind))
	case want.Kind == value.Object:
		for i, n := range want.Names {
			if v, ok := got.Get(n); ok {
				shapes(want.Items[i], v, at.Member(n), found)
			} else {
				*found = append(*found, at.Member(n).String()+" is missing here")
			}
		}
		for _, n := range got.Names {
			if _, ok := want.Get(n); !ok {
				*found = append(*found, at.Member(n).String()+" is missing there")
			}
		}
	case want.Kind == value.Array && len(want.Items) > 0:
		for i, item := range got.Items {
			if !slices.ContainsFunc(want.Items, func(one *value.Value) bool {
				var differs []string
				shapes(one, item, nil, &differs)
				return len(differs) == 0
			}) {
				shapes(want.Items[0], item, at.Element(i), found)
			}
		}
	}
}

func (c *Context) fits(p *syntax.Predicate, got *value.Value) Outcome {
	name, err := c.Names.Text(p.Values[0].Template)
	if err != nil {
		return broken(err)
	}
	data, err := c.ReadFile(name)
	if err != nil {
		return broken(err)
	}
	s, err := schema.Compile(name, string(data))
	if err != nil {
		return broken(fmt.Errorf("%s is not a JSON Schema: %w", name, err))
	}
	found, err := s.Check(c.until(), got)
	if err != nil {
		return broken(err)
	}
	if len(found) > mostLines {
		found = append(found[:mostLines], fmt.Sprintf("… and %d more", len(found)-mostLines))
	}
	return Outcome{Held: len(found) == 0, Found: found}
}

func (c *Context) xmlPath(s *syntax.Subject, p *syntax.Predicate) Outcome {
	texts, err := xmlTexts(c.until(), c.Reply, s.Name)
	if errors.Is(err, markup.TooFar{}) {
		return broken(err)
	}
	if err != nil {
		return miss("%s", err)
	}
	if judge := onXML[p.Op]; judge != nil {
		return judge(c, p, s.Name, texts)
	}
	if len(texts) != 1 {
		return miss("%s selects %s, where one was expected", s.Name, howMany(len(texts)))
	}
	return c.text(asked{p, s, s.Name, texts[0], true})
}

// xmlTexts are the texts of what an XPath 1.0 expression selects in the body.
func xmlTexts(ctx context.Context, r *Reply, text string) (out []string, err error) {
	expr, err := xpath.Compile(text)
	if err != nil {
		return nil, fmt.Errorf("%s is not an XPath: %w", text, err)
	}
	root, err := r.xml()
	if err != nil {
		return nil, fmt.Errorf("the body is not XML: %s", strings.TrimPrefix(err.Error(), "xmlquery: "))
	}
	worth, err := markup.Evaluate(ctx, root, expr, func(n xpath.NodeNavigator) { out = append(out, strings.TrimSpace(n.Value())) })
	if worth != nil {
		out = []string{fmt.Sprint(worth)}
	}
	return out, err
}

// absolute resolves a Location that is relative to the request's path, so that
// it leads to the same place from anywhere (RFC 9110 §10.2.2). A path from the
// root or a URL stays as it was sent.
func (c *Context) absolute(header, v string) string {
	if !strings.EqualFold(header, "Location") && !strings.EqualFold(header, "Content-Location") || strings.HasPrefix(v, "/") || strings.Contains(v, "://") {
		return v
	}
	base, err := url.Parse(c.Reply.Request.URL)
	if err != nil {
		return v
	}
	to, err := base.Parse(v)
	if err != nil {
		return v
	}
	return to.RequestURI()
}

// Keep is the value that a keep line binds.
func (c *Context) Keep(k *syntax.Keep) (*value.Value, error) {
	v, err := c.keep(k)
	for o := k.Or; o != nil && err != nil; o = o.Or {
		if other, bad := c.keep(o); bad == nil {
			return other, nil
		}
	}
	return v, err
}

// grouped is the first group of what a regular expression finds, or all that
// it finds without one. Of a URL it is the path that it leads to.
func (c *Context) grouped(k *syntax.Keep, in, where string) (*value.Value, error) {
	m := k.Pattern.Regexp.FindStringSubmatch(in)
	if m == nil {
		return nil, fmt.Errorf("%s matches nothing in %s", syntax.NodeText(k.Pattern), where)
	}
	text := m[min(1, len(m)-1)]
	if strings.EqualFold(k.Key, "Link") {
		text = c.absolute("Location", text)
	}
	return value.NewString(text), nil
}

func (c *Context) keep(k *syntax.Keep) (*value.Value, error) {
	if c.Reply == nil {
		return nil, fmt.Errorf("nothing was sent")
	}
	if f := c.Reply.Failure; f != nil {
		return nil, fmt.Errorf("there is no answer: %s", f)
	}
	switch k.From {
	case "status":
		return value.NewInt(int64(c.Reply.Answer.Status)), nil
	case "header":
		if v, ok := c.Reply.Header(k.Key); ok {
			switch {
			case k.Last:
				return lastSegment(v)
			case k.Pattern != nil:
				return c.grouped(k, v, "the header")
			}
			return value.NewString(c.absolute(k.Key, v)), nil
		}
		return nil, fmt.Errorf("there is no header %s", k.Key)
	case "cookie":
		if v, ok := c.Reply.Cookie(k.Key); ok {
			return value.NewString(v), nil
		}
		return nil, fmt.Errorf("no cookie %s is set", k.Key)
	case "text":
		return c.grouped(k, c.Reply.Text(), "the body")
	case "xml":
		texts, err := xmlTexts(c.until(), c.Reply, k.Key)
		if err == nil && len(texts) != 1 {
			err = fmt.Errorf("%s selects %s", k.Key, howMany(len(texts)))
		}
		if err != nil {
			return nil, err
		}
		return value.NewString(texts[0]), nil
	}
	read := c.Reply.JSON
	if k.IfThere {
		read = c.Reply.Lenient
	}
	v, err := read()
	if err != nil {
		if k.From == "body" {
			return value.NewString(c.Reply.Text()), nil
		}
		return nil, fmt.Errorf("the body is not JSON: %w", err)
	}
	if k.From == "body" {
		return v, nil
	}
	q, err := c.Names.Path(k.Path)
	if err != nil {
		return nil, err
	}
	nodes, err := q.Select(v)
	switch {
	case err != nil:
		return nil, err
	case len(nodes) == 1 && !q.Many():
		return nodes[0].Value, nil
	case q.Singular() || len(nodes) == 0:
		return nil, fmt.Errorf("%s selects nothing", q)
	}
	// A path that can select several keeps them as a list.
	all := value.NewArray()
	for _, n := range nodes {
		all.Items = append(all.Items, n.Value)
	}
	return all, nil
}

// lastSegment is the last segment of a URL's path, decoded.
func lastSegment(raw string) (*value.Value, error) {
	u, err := url.Parse(raw)
	if err != nil {
		return nil, fmt.Errorf("%s is not a URL", value.Quoted(value.Cut(raw, 80)))
	}
	last := path.Base(strings.TrimSuffix(u.EscapedPath(), "/"))
	text, err := url.PathUnescape(last)
	if err != nil || last == "." || last == "/" {
		return nil, fmt.Errorf("%s has no last segment", value.Quoted(value.Cut(raw, 80)))
	}
	return value.NewString(text), nil
}
