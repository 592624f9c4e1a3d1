package lsp

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/resource"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
)

// symbols are the document's scenarios, steps, routines, resources and names.
func (d *document) symbols() []symbol { return d.below(d.tree.Statements) }

func (d *document) below(list []*syntax.Statement) []symbol {
	out := []symbol{}
	for _, st := range list {
		name, kind := "", 0
		switch b := st.Body.(type) {
		case *syntax.Scenario:
			name, kind = raw(b.Title), symbolClass
		case *syntax.Step:
			name, kind = raw(b.Title), symbolMethod
		case *syntax.Routine:
			name, kind = raw(b.Title), symbolFunction
		case *syntax.Environment:
			name, kind = st.Word+" "+b.Name, symbolModule
		case *syntax.Service:
			name, kind = st.Word+" "+b.Name, symbolModule
		case *syntax.Resource:
			name, kind = st.Word+" "+b.Name, symbolModule
		case *syntax.ProjectName:
			name, kind = st.Word+" "+b.Name, symbolModule
		case *syntax.Let:
			name, kind = b.Name, symbolVariable
		case *syntax.Keep:
			name, kind = b.Name, symbolVariable
		case *syntax.Before:
			name, kind = strings.TrimSpace(st.Word+" "+raw(b.Title)), symbolEvent
		case *syntax.Afterwards, *syntax.Defaults, *syntax.After:
			name, kind = st.Word, symbolEvent
		}
		if kind == 0 || name == "" {
			continue
		}
		out = append(out, symbol{Name: name, Kind: kind, Children: d.below(st.Children),
			Range: rangeIn(d.text, source.Span{Start: st.Span.Start, End: end(st)}), SelectionRange: rangeIn(d.text, st.Span)})
	}
	return out
}

func raw(n *syntax.Node) string {
	if n == nil || n.Template == nil {
		return ""
	}
	return n.Template.Raw
}

// foldings are the statements that reach over more than a line.
func (d *document) foldings() []folding {
	out := []folding{}
	var down func(st *syntax.Statement)
	down = func(st *syntax.Statement) {
		from, to := d.src.Position(st.Span.Start).Line, d.src.Position(end(st)).Line
		if to > from {
			out = append(out, folding{from - 1, to - 1})
		}
		for c := range st.All() {
			down(c)
		}
	}
	for _, st := range d.tree.Statements {
		down(st)
	}
	return out
}

// lenses offer to run a scenario, or the checks of a resource, and to explain a check.
func (d *document) lenses() []lens {
	out := []lens{}
	explain := func(at source.Span, check string) {
		if slices.ContainsFunc(resource.Catalogue(), func(c resource.Check) bool { return c.ID() == check }) {
			out = append(out, lens{rangeIn(d.text, at), command{"explain " + check, runCommand, []any{"explain", check}}})
		}
	}
	for _, st := range d.tree.Statements {
		for _, c := range st.Children {
			switch b := c.Body.(type) {
			case *syntax.Check:
				explain(c.Span, b.ID)
			case *syntax.Skip:
				explain(c.Span, b.Check)
			}
		}
		switch b := st.Body.(type) {
		case *syntax.Scenario:
			if title, ok := plain(b.Title); ok {
				at := rangeIn(d.text, st.Span)
				out = append(out, lens{at, command{"run this scenario", runCommand, []any{d.path, "--only", title}}},
					lens{at, command{"show every exchange", runCommand, []any{d.path, "--only", title, "-v"}}})
			}
		case *syntax.Resource:
			n := 0
			for _, s := range d.project.Scenarios() {
				if s.Check != nil && s.Check.Resource == b.Name && s.File.Path == d.path {
					n++
				}
			}
			if n > 0 {
				at := rangeIn(d.text, st.Span)
				out = append(out, lens{at, command{fmt.Sprintf("run its %d derived checks", n), runCommand, []any{d.path, "--resource", b.Name}}},
					lens{at, command{"print them", runCommand, []any{"derive", d.path}}},
					lens{at, command{"roam", runCommand, []any{"roam", d.path, "--resource", b.Name, "--for", "20s"}}})
			}
		}
	}
	return out
}

// formatted is the text in canonical layout. Of a text with errors, the statements that
// have none are set.
func (d *document) formatted() []textEdit {
	tree, diags := syntax.Parse(d.src)
	if diags.Errors() > 0 {
		return d.formattedParts(tree)
	}
	text := syntax.Print(tree)
	if text == d.text {
		return []textEdit{}
	}
	return []textEdit{{rangeIn(d.text, source.Span{Start: 0, End: len(d.text)}), text}}
}

func (d *document) formattedParts(tree *syntax.File) []textEdit {
	out := []textEdit{}
	for _, st := range tree.Statements {
		at := source.Span{Start: st.Span.Start, End: end(st)}
		if at.End > len(d.text) || at.Start > at.End {
			continue
		}
		part, diags := syntax.Parse(source.NewFile("part", d.text[at.Start:at.End]+"\n"))
		if diags.Errors() > 0 || len(part.Statements) != 1 {
			continue
		}
		if text := strings.TrimRight(syntax.Print(part), "\n"); text != d.text[at.Start:at.End] {
			out = append(out, textEdit{rangeIn(d.text, at), text})
		}
	}
	return out
}
