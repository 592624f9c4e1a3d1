package lsp

import (
	"slices"
	"strings"

	"usualpath/internal/core/project"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
)

// nameScope is a part of a file in which a name is one and the same: a scenario
// with its afterwards, a routine, or the whole file.
type nameScope struct {
	file       *project.File
	statements []*syntax.Statement
	// whole is the file's own level.
	whole bool
}

// scopes are the scenario or routine around an offset, and the file.
func scopes(f *project.File, offset int) []nameScope {
	var out []nameScope
	for i, st := range f.Statements {
		if offset < st.Span.Start || i+1 < len(f.Statements) && offset >= f.Statements[i+1].Span.Start {
			continue
		}
		switch st.Body.(type) {
		case *syntax.Let, *syntax.Secret, *syntax.Observe, *syntax.Environment, *syntax.Before, *syntax.Use:
			// What these bind is of the whole file.
			continue
		}
		group := []*syntax.Statement{st}
		if syntax.Is[*syntax.Afterwards](st) {
			for j := i - 1; j >= 0; j-- {
				group = append(group, f.Statements[j])
				if syntax.Is[*syntax.Scenario](f.Statements[j]) {
					break
				}
			}
		}
		if syntax.Is[*syntax.Scenario](st) && i+1 < len(f.Statements) && syntax.Is[*syntax.Afterwards](f.Statements[i+1]) {
			group = append(group, f.Statements[i+1])
		}
		out = append(out, nameScope{f, group, false})
	}
	return append(out, nameScope{f, f.Statements, true})
}

func (s nameScope) each(visit func(*syntax.Statement)) {
	var down func(st *syntax.Statement)
	down = func(st *syntax.Statement) {
		visit(st)
		if s.whole && !syntax.Is[*syntax.Environment](st) && !syntax.Is[*syntax.Before](st) {
			return
		}
		for c := range st.All() {
			down(c)
		}
	}
	for _, st := range s.statements {
		down(st)
	}
}

// bindings are the places where a scope binds names.
func (s nameScope) bindings() []syntax.NameAt {
	var out []syntax.NameAt
	s.each(func(st *syntax.Statement) {
		out = append(out, syntax.Bindings(st)...)
		switch b := st.Body.(type) {
		case *syntax.Routine:
			if !s.whole {
				out = append(out, b.Takes...)
			}
		case *syntax.Observe:
			out = append(out, syntax.NameAt{Name: b.Name, Span: b.NameSpan})
		}
	})
	for i, b := range out {
		out[i].Span = exact(s.file.Source.Text, b)
	}
	return out
}

// exact is where the name itself is: shapes span more than the name.
func exact(text string, b syntax.NameAt) source.Span {
	if b.Span.End-b.Span.Start == len(b.Name) {
		return b.Span
	}
	part := text[b.Span.Start:b.Span.End]
	if i := strings.LastIndex(part, b.Name); i >= 0 {
		return source.Span{Start: b.Span.Start + i, End: b.Span.Start + i + len(b.Name)}
	}
	return b.Span
}

// visible are the scopes in which a name at a place may be bound, the nearest
// first.
func (d *document) visible(offset int) []nameScope {
	f := d.file()
	if f == nil {
		return nil
	}
	out := scopes(f, offset)
	for _, l := range d.project.Layers(f) {
		if l.File != f {
			out = append(out, nameScope{l.File, l.Statements, true})
		}
	}
	return out
}

func (d *document) file() *project.File {
	for _, f := range d.project.Files {
		if f.Path == d.path && !f.Derived() {
			return f
		}
	}
	return nil
}

// nameAt is the name at an offset: used in an expression, or being bound.
func (d *document) nameAt(offset int) (string, source.Span, bool) {
	f := d.file()
	if f == nil {
		return "", source.Span{}, false
	}
	for _, u := range uses(nameScope{f, f.Statements, false}, "") {
		if offset >= u.Span.Start && offset <= u.Span.End {
			return u.Name, u.Span, true
		}
	}
	return "", source.Span{}, false
}

// uses are all places where a name is, or where any does.
func uses(s nameScope, name string) []syntax.NameAt {
	var out []syntax.NameAt
	add := func(n syntax.NameAt) {
		if name == "" || n.Name == name {
			out = append(out, n)
		}
	}
	text := s.file.Source.Text
	all := s
	all.whole = false
	all.each(func(st *syntax.Statement) {
		syntax.Walk(st, func(e *syntax.Expr) {
			if e.Call || e.Name == "" || e.Op != 0 || e.Literal != nil {
				return
			}
			part := text[e.Span.Start:min(e.Span.End, len(text))]
			if i := strings.Index(part, e.Name); i >= 0 {
				add(syntax.NameAt{Name: e.Name, Span: source.Span{Start: e.Span.Start + i, End: e.Span.Start + i + len(e.Name)}})
			}
		})
		for _, b := range syntax.Bindings(st) {
			add(syntax.NameAt{Name: b.Name, Span: exact(text, b)})
		}
		switch b := st.Body.(type) {
		case *syntax.Give:
			for _, n := range b.Names {
				add(n)
			}
		case *syntax.Routine:
			for _, n := range b.Takes {
				add(n)
			}
		case *syntax.Observe:
			add(syntax.NameAt{Name: b.Name, Span: b.NameSpan})
		case syntax.Claiming:
			for _, o := range b.Claimed().Observations() {
				add(o)
			}
		}
	})
	return out
}

// bound is where a name at an offset is bound, with the scope that binds it.
func (d *document) bound(name string, offset int) (nameScope, source.Span, bool) {
	for _, s := range d.visible(offset) {
		for _, b := range s.bindings() {
			if b.Name == name {
				return s, b.Span, true
			}
		}
	}
	return nameScope{}, source.Span{}, false
}

func plain(n *syntax.Node) (string, bool) {
	if n == nil || n.Template == nil {
		return "", false
	}
	return n.Template.Plain()
}

// sees tells whether a file takes names of another.
func sees(p *project.Project, f *project.File, path string) bool {
	return slices.ContainsFunc(p.Layers(f), func(l project.Layer) bool { return l.File.Path == path })
}

// hidden are the scenarios and routines that bind the name themselves.
func hidden(f *project.File, name string) []source.Span {
	var out []source.Span
	for _, st := range f.Statements {
		switch st.Body.(type) {
		case *syntax.Let, *syntax.Secret, *syntax.Observe, *syntax.Environment:
			continue
		}
		for _, s := range scopes(f, st.Span.Start) {
			if !s.whole && slices.ContainsFunc(s.bindings(), func(b syntax.NameAt) bool { return b.Name == name }) {
				out = append(out, source.Span{Start: st.Span.Start, End: end(st)})
			}
		}
	}
	return out
}
