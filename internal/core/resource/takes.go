package resource

import (
	"slices"
	"strings"

	"usualpath/internal/core/shape"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// takes reads what a body may hold, also from a JSON Schema.
func (rd *reader) takes(b *syntax.Takes) {
	node := b.Shape
	if b.Schema != nil {
		name, _ := b.Schema.Template.Plain()
		data, err := rd.p.ReadFile(rd.f, name)
		if err != nil {
			rd.say(b.Schema.Span, "the schema cannot be read: "+err.Error(), "the name is relative to this file")
			return
		}
		text, problem := shapeOfSchema(data)
		if problem != "" {
			rd.say(b.Schema.Span, name+": "+problem, `what a body may hold can be written out: takes { "name": string length 1..60 }`)
			return
		}
		tree, diags := syntax.Parse(source.NewFile(name, "resource r\n  takes "+text+"\n"))
		if diags.Errors() > 0 {
			rd.say(b.Schema.Span, name+" cannot be read as a shape: "+diags[0].Message, "")
			return
		}
		node = tree.Statements[0].Children[0].Body.(*syntax.Takes).Shape
	}
	if node != nil {
		rd.takesOf(node)
	}
}

// takesOf reads the members of an object that a body may be.
func (rd *reader) takesOf(node *syntax.Node) {
	r := rd.r
	r.open = node.Open
	for _, f := range node.Fields {
		if name, plain := f.Key.Template.Plain(); plain {
			r.Takes = append(r.Takes, taken{name, f.Optional, f.Value})
			if slices.ContainsFunc(alternatives(f.Value), func(n *syntax.Node) bool { return n.Kind == syntax.Type && n.Text == "datetime" }) {
				r.instants = append(r.instants, name)
			}
		}
	}
}

// examplesFit reports examples that are not what the resource takes: all that
// follows would rest on a contradiction. What a name stands for only when the
// checks run is not looked at.
func (rd *reader) examplesFit() {
	r := rd.r
	if r.Takes == nil {
		return
	}
	if len(r.Required) == 0 && len(r.OnCreate) == 0 {
		for _, t := range r.Takes {
			if !t.Optional && r.Make.Has(t.Name) {
				r.Required = append(r.Required, t.Name)
			}
		}
	}
	for _, one := range []struct {
		word string
		e    *Example
		part bool
	}{{"make", r.Make, false}, {"remake", r.Remake, false}, {"amend", r.Amend, true}} {
		if one.e == nil || len(one.e.Fields) == 0 || one.word == "remake" && one.e == r.Make {
			continue
		}
		rd.exampleFits(one.word, one.e, one.part)
	}
}

func (rd *reader) exampleFits(word string, e *Example, part bool) {
	r := rd.r
	for _, f := range e.Fields {
		t := r.taken(f.Name)
		if t == nil {
			if !r.open && !slices.Contains(r.Assigned, f.Name) {
				rd.say(rd.span(word), "`"+word+"` has `"+f.Name+"`, which the resource does not take", "add it to `takes`, or take it out of `"+word+"`")
			}
			continue
		}
		v := sample(f.Text)
		if v == nil || part && v.Kind == value.Null && t.Optional {
			continue
		}
		m, err := shape.Match(t.Shape, v, sampler())
		if err != nil || m.Held() {
			continue
		}
		rd.say(rd.span(word), "`"+word+"` has a `"+f.Name+"` that the resource does not take: "+strings.TrimPrefix(m.Mismatches[0].String(), "$ "), "mend one of the two")
	}
	if part {
		return
	}
	for _, t := range r.Takes {
		if !t.Optional && !e.Has(t.Name) {
			rd.say(rd.span(word), "`"+word+"` lacks `"+t.Name+"`, which `takes` asks for", `add it, or say that it may be absent: "`+t.Name+`"?: …`)
		}
	}
}
