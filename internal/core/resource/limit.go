package resource

import (
	"regexp"
	"slices"
	"strings"
	"time"

	"usualpath/internal/core/late"
	"usualpath/internal/core/pattern"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/shape"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// taken is a member of what a body may hold.
type taken struct {
	Name     string
	Optional bool
	Shape    *syntax.Node
}

// reading is how a value on a limit may read.
type reading int

const (
	asSent reading = iota
	// asNull is null, absent or a default, asInstant the same time in any offset, anyCase the
	// same text in either case; unread is not looked at.
	asNull
	asInstant
	anyCase
	unread
)

// limited is a value of a member on a limit, or one step beyond it.
type limited struct {
	// says is what it is in words: "60 characters, the longest".
	says string
	// text is the value as text of the language; "" leaves the member out.
	text string
	// usual is what many services see otherwise, with good reason.
	usual bool
	reads reading
	// like is an ordinary value of the kind: where that is refused too, the reason is
	// another one, such as an end before its beginning.
	like string
}

// longest bounds the texts that are sent, in characters, and mostElements arrays.
const (
	longest      = 100_000
	mostElements = 1_000
)

// sampler works values out that the tool writes itself.
var sampler = func() *scope.Scope {
	names := scope.New(&scope.World{Rand: scope.Seeded(1, "takes"), Now: time.Now})
	names.Bind("turn", value.NewInt(123_456))
	return names
}

// sample is what a text of the language is worth, with numbers and random texts
// as they might come; nil where it cannot be told.
func sample(text string) *value.Value {
	tree, diags := syntax.Parse(source.NewFile("takes", "let x = "+text+"\n"))
	if diags.Errors() > 0 || len(tree.Statements) != 1 {
		return nil
	}
	let, ok := tree.Statements[0].Body.(*syntax.Let)
	if !ok || let.Value == nil {
		return nil
	}
	v, err := sampler().Value(let.Value)
	if err != nil {
		return nil
	}
	return v
}

// fits tells whether a text of the language has a shape.
func fits(n *syntax.Node, text string) (fits, known bool) {
	v := sample(text)
	if v == nil {
		return false, false
	}
	r, err := shape.Match(n, v, sampler())
	return err == nil && r.Held(), err == nil
}

// within are the values that the shape allows, beyond those that it does not:
// whatever was put together is held against the shape once more.
func (t *taken) within(e *Example) []limited {
	if f := e.memberOf(t.Name); f != nil && refers().MatchString(f.Text) {
		// It has to be that of an item.
		return nil
	}
	return t.held(edges(t.Shape, e.node(t.Name)), true)
}

// refers finds the identity of another resource's item in a value.
var refers = late.Regexp(`\{[A-Za-z_][A-Za-z0-9_]*\.`)

func (e *Example) memberOf(name string) *Field {
	if e == nil {
		return nil
	}
	return e.field(name)
}

func (t *taken) beyond(e *Example) []limited { return t.held(beyonds(t.Shape, e.node(t.Name)), false) }

func (t *taken) held(list []limited, want bool) []limited {
	var out []limited
	for _, l := range list {
		ok, known := fits(t.Shape, l.text)
		if known && ok == want && !slices.ContainsFunc(out, func(o limited) bool { return o.text == l.text }) {
			out = append(out, l)
		}
	}
	return out
}

// node is a member of an example as it is written, nil for none.
func (e *Example) node(name string) *syntax.Node {
	if f := e.memberOf(name); f != nil {
		return f.Node
	}
	return nil
}

// alternatives are what a shape is one of.
func alternatives(n *syntax.Node) []*syntax.Node {
	switch n.Kind {
	case syntax.Or:
		var out []*syntax.Node
		for _, it := range n.Items {
			out = append(out, alternatives(it.Value)...)
		}
		return out
	case syntax.As:
		return alternatives(n.Items[0].Value)
	}
	return []*syntax.Node{n}
}

// edges are values on the limits of a shape; example is how one is written in
// `make`, nil for not at all.
func edges(n, example *syntax.Node) []limited {
	var out []limited
	list := alternatives(n)
	for _, a := range list {
		switch a.Kind {
		case syntax.Null:
			out = append(out, limited{says: "null", text: "null", reads: asNull})
		case syntax.String, syntax.Number, syntax.True, syntax.False:
			says := "one of the alternatives: " + value.Cut(syntax.OneLine(a), 40)
			out = append(out, limited{says: says, text: syntax.OneLine(a)})
		case syntax.Regex:
			// What a pattern allows may still have to be one that there is: the code of
			// another item, the name of a country.
		case syntax.Object:
			out = append(out, ofMembers(a, example, edges)...)
		case syntax.Array:
			// Its elements are said one by one: there is nothing between.
		case syntax.Type:
			out = append(out, edgesOfType(a, example)...)
		}
	}
	return out
}

// beyonds are values one step beyond the limits of a shape.
func beyonds(n, example *syntax.Node) []limited {
	var out []limited
	for _, a := range alternatives(n) {
		switch a.Kind {
		case syntax.String:
			if text, plain := a.Template.Plain(); plain && text != "" {
				for _, other := range []struct{ how, text string }{{"in the other case", swapCase(text)}, {"with a blank before it", " " + text}, {"with a letter more", text + "x"}} {
					out = append(out, limited{says: value.Quoted(value.Cut(other.text, 40)) + ", an alternative " + other.how, text: syntax.Quoted(other.text)})
				}
			}
		case syntax.Regex:
			out = append(out, missesOf(a.Regexp)...)
		case syntax.Object:
			out = append(out, ofMembers(a, example, beyonds)...)
		case syntax.Type:
			out = append(out, beyondsOfType(a, example)...)
		}
	}
	return out
}

func swapCase(s string) string {
	if up := strings.ToUpper(s); up != s {
		return up
	}
	return strings.ToLower(s)
}

// ofMembers are values of the members of an object inside of what it is in the
// example.
func ofMembers(n, example *syntax.Node, of func(n, example *syntax.Node) []limited) []limited {
	var out []limited
	for _, f := range n.Fields {
		name, plain := f.Key.Template.Plain()
		if !plain {
			continue
		}
		inner := member(example, name)
		for _, l := range of(f.Value, inner) {
			text, ok := withMember(n, example, name, l.text)
			if ok {
				out = append(out, limited{says: name + " in it is " + l.says, text: text, usual: l.usual, reads: nestedReading(l.reads)})
			}
		}
	}
	return out
}

// nestedReading is how a member inside of an object is looked at: exactly, or not.
func nestedReading(r reading) reading {
	if r == asSent {
		return asSent
	}
	return unread
}

// member is a member of an object as it is written, nil for none.
func member(n *syntax.Node, name string) *syntax.Node {
	if n == nil || n.Kind != syntax.Object {
		return nil
	}
	for _, f := range n.Fields {
		if key, plain := f.Key.Template.Plain(); plain && key == name {
			return f.Value
		}
	}
	return nil
}

// withMember is an object with another value for one member: as in the example,
// and where that has none, with usual values.
func withMember(n, example *syntax.Node, name, text string) (string, bool) {
	var parts []string
	seen := false
	add := func(key, v string) { parts = append(parts, syntax.Quoted(key)+": "+v) }
	if example != nil && example.Kind == syntax.Object {
		for _, f := range example.Fields {
			key, _ := f.Key.Template.Plain()
			if key == name {
				seen = true
				add(key, text)
				continue
			}
			add(key, syntax.OneLine(f.Value))
		}
	} else {
		for _, f := range n.Fields {
			key, _ := f.Key.Template.Plain()
			switch {
			case key == name:
				seen = true
				add(key, text)
			case !f.Optional:
				v, ok := normal(f.Value)
				if !ok {
					return "", false
				}
				add(key, v)
			}
		}
	}
	if !seen {
		add(name, text)
	}
	return "{ " + strings.Join(parts, ", ") + " }", true
}

// normal is a value of a shape that is nothing special.
func normal(n *syntax.Node) (string, bool) {
	for _, candidate := range []string{`"{random_text(8)}"`, "1", "true", "[]", "{}"} {
		if ok, known := fits(n, candidate); known && ok {
			return candidate, true
		}
	}
	for _, l := range edges(n, nil) {
		if ok, known := fits(n, l.text); known && ok && l.text != "null" {
			return l.text, true
		}
	}
	for _, a := range alternatives(n) {
		re := a.Regexp
		if a.Limits != nil && a.Limits.Pattern != nil {
			re = a.Limits.Pattern.Regexp
		}
		if re == nil {
			continue
		}
		if short, _, found := pattern.Fit(re); found {
			if ok, known := fits(n, syntax.Quoted(short)); known && ok {
				return syntax.Quoted(short), true
			}
		}
	}
	return "", false
}

func missesOf(re *regexp.Regexp) []limited {
	short, _, ok := pattern.Fit(re)
	if !ok {
		return nil
	}
	var out []limited
	for _, m := range pattern.Near(re, short) {
		out = append(out, limited{says: value.Quoted(value.Cut(m.Text, 40)) + ", the pattern " + m.How, text: syntax.Quoted(m.Text)})
	}
	return out
}

func edgesOfType(n, example *syntax.Node) []limited {
	l := n.Limits
	if l == nil {
		l = &syntax.Limits{}
	}
	switch n.Text {
	case "string":
		return edgesOfText(l)
	case "number", "integer":
		return edgesOfNumber(l, n.Text == "integer")
	case "boolean":
		return []limited{{says: "true", text: "true"}, {says: "false", text: "false"}}
	case "array":
		return ofElements(l, example, true)
	}
	if n.Text == "uuid" {
		return otherUUID(example)
	}
	return edgesOfFormat[n.Text]
}

// otherUUID is the UUID of the example in the other case: another one may have to
// be that of something.
func otherUUID(example *syntax.Node) []limited {
	if example == nil || example.Kind != syntax.String {
		return nil
	}
	text, plain := example.Template.Plain()
	if !plain || !shape.IsText("uuid", text) {
		return nil
	}
	return []limited{{says: "the UUID in the other case", text: syntax.Quoted(swapCase(text)), usual: true, reads: anyCase}}
}

func beyondsOfType(n, example *syntax.Node) []limited {
	l := n.Limits
	if l == nil {
		l = &syntax.Limits{}
	}
	switch n.Text {
	case "string":
		return beyondsOfText(l)
	case "number", "integer":
		return beyondsOfNumber(l, n.Text == "integer")
	case "array":
		return ofElements(l, example, false)
	}
	return beyondsOfFormat[n.Text]
}
