package resource

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/pattern"
	"usualpath/internal/core/shape"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// within are the values that the shape allows, beyond those that it does not:
// whatever was put together is held against the shape once more.
func (t *taken) within(e *Example) []limited {
	if f := e.memberOf(t.Name); f != nil && refers().MatchString(f.Text) {
		// It has to be that of an item.
		return nil
	}
	return t.held(edges(t.Shape, e.node(t.Name)), true)
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

// ofElements are arrays with the fewest and the most elements, and with an element
// on a limit of its own; or beyond these.
func ofElements(l *syntax.Limits, example *syntax.Node, within bool) []limited {
	one, known := "", false
	if example != nil && example.Kind == syntax.Array && len(example.Items) > 0 {
		one, known = syntax.OneLine(example.Items[0].Value), true
	} else if l.Of != nil {
		one, known = normal(l.Of)
	} else {
		one, known = `"{random_text(4)}"`, true
	}
	var out []limited
	list := func(n int, says string) {
		if n < 0 || n > mostElements || n > 0 && !known {
			return
		}
		out = append(out, limited{says: fmt.Sprintf("%d elements, %s", n, says), text: "[" + strings.TrimSuffix(strings.Repeat(one+", ", n), ", ") + "]"})
	}
	if c := l.Count; c != nil {
		if n, ok := whole(c.Lo); ok {
			if within {
				list(n, "the fewest")
			} else {
				list(n-1, "one too few")
			}
		}
		if n, ok := whole(c.Hi); ok {
			if within {
				list(n, "the most")
			} else {
				list(n+1, "one too many")
			}
		}
	}
	if l.Of == nil {
		return out
	}
	of := edges
	if !within {
		of = beyonds
	}
	var inner *syntax.Node
	if example != nil && example.Kind == syntax.Array && len(example.Items) > 0 {
		inner = example.Items[0].Value
	}
	fewest := 1
	if l.Count != nil {
		if n, ok := whole(l.Count.Lo); ok {
			fewest = max(1, n)
		}
	}
	if fewest > mostElements || fewest > 1 && !known {
		return out
	}
	for _, e := range of(l.Of, inner) {
		out = append(out, limited{says: "an element is " + e.says, text: "[" + e.text + strings.Repeat(", "+one, fewest-1) + "]", usual: e.usual, reads: nestedReading(e.reads)})
	}
	return out
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
