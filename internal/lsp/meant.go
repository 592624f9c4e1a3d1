package lsp

import (
	"regexp"
	"slices"
	"strings"

	"usualpath/internal/core/late"
	"usualpath/internal/core/project"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
)

// sort is what kind of thing a name or a title is of.
type sort string

const (
	aName     sort = "name"
	aStep     sort = "step"
	aScenario sort = "scenario"
	aRoutine  sort = "routine"
	aResource sort = "resource"
)

// meaning is what is meant at a place: a name or a title, where it stands.
type meaning struct {
	sort sort
	name string
	at   source.Span
}

// occurrence is a place where something is named; declares marks where it is made.
type occurrence struct {
	file     *project.File
	at       source.Span
	declares bool
}

// meant is what an offset is on.
func (d *document) meant(offset int) (meaning, bool) {
	f := d.file()
	if f == nil {
		return meaning{}, false
	}
	on := func(s source.Span) bool { return offset >= s.Start && offset <= s.End }
	var out meaning
	nameScope{f, f.Statements, false}.each(func(st *syntax.Statement) {
		if out.name != "" || offset < st.Span.Start || offset > st.Span.End {
			return
		}
		for _, m := range mentions(f, st) {
			if on(m.at) {
				out = m.meaning
			}
		}
	})
	if out.name != "" {
		return out, true
	}
	if name, at, ok := d.nameAt(offset); ok {
		if _, _, bound := d.bound(name, offset); bound {
			return meaning{aName, name, at}, true
		}
	}
	return meaning{}, false
}

// mention is a title or a resource's name in a statement.
type mention struct {
	meaning
	declares bool
}

// ofStep finds where a statement names a step of its scenario.
var ofStep = late.Regexp(`\b(?:of|as|with|resembles|from)\s+"((?:[^"\\]|\\.)*)"`)

// ofResource finds where a line names a resource.
var ofResource = late.Regexp(`^\s*(?:under|check\s+\S+\s+of)\s+([A-Za-z_][A-Za-z0-9_]*)`)

// mentions are the titles, and names of resources, in a statement.
func mentions(f *project.File, st *syntax.Statement) []mention {
	text := f.Source.Text
	var out []mention
	title := func(sort sort, n *syntax.Node, declares bool) {
		if n == nil || n.Template == nil || n.Block || n.Span.End-n.Span.Start < 2 {
			return
		}
		out = append(out, mention{meaning{sort, n.Template.Raw, source.Span{Start: n.Span.Start + 1, End: n.Span.End - 1}}, declares})
	}
	within := func(sort sort, re *regexp.Regexp) {
		part := text[st.Span.Start:min(st.Span.End, len(text))]
		for _, m := range re.FindAllStringSubmatchIndex(part, -1) {
			out = append(out, mention{meaning{sort, part[m[2]:m[3]], source.Span{Start: st.Span.Start + m[2], End: st.Span.Start + m[3]}}, false})
		}
	}
	switch b := st.Body.(type) {
	case *syntax.Scenario:
		title(aScenario, b.Title, true)
	case *syntax.Step:
		title(aStep, b.Title, true)
	case *syntax.Routine:
		title(aRoutine, b.Title, true)
	case *syntax.Do:
		title(aRoutine, b.Title, false)
	case *syntax.Resource:
		if i := strings.Index(text[st.Span.Start:], b.Name); i >= 0 && b.Name != "" {
			// The word itself comes first.
			if i < len("resource") {
				i = len("resource") + strings.Index(text[st.Span.Start+len("resource"):], b.Name)
			}
			at := st.Span.Start + i
			out = append(out, mention{meaning{aResource, b.Name, source.Span{Start: at, End: at + len(b.Name)}}, true})
		}
	case *syntax.Under, *syntax.Check:
		within(aResource, ofResource())
	case *syntax.Keep, *syntax.When, syntax.Claiming:
		within(aStep, ofStep())
	}
	return out
}

// namedIn are the places of a scope that mean something.
func namedIn(s nameScope, m meaning) []occurrence {
	var out []occurrence
	s.whole = false
	s.each(func(st *syntax.Statement) {
		for _, one := range mentions(s.file, st) {
			if one.sort == m.sort && one.name == m.name {
				out = append(out, occurrence{s.file, one.at, one.declares})
			}
		}
	})
	return out
}

// occurrences are all places where what is meant at an offset is named, the places where
// it is made among them.
func (s *Server) occurrences(d *document, m meaning, offset int) []occurrence {
	f := d.file()
	switch m.sort {
	case aStep, aScenario:
		for _, one := range scopes(f, offset) {
			if !one.whole || m.sort == aScenario {
				return namedIn(one, m)
			}
		}
		return nil
	case aRoutine, aResource:
		var out []occurrence
		for _, one := range s.files(d) {
			list := namedIn(nameScope{one, one.Statements, false}, m)
			if m.sort == aResource {
				list = append(list, itemsOf(one, m.name)...)
			}
			if one.Path == f.Path || reaches(one, f) || reaches(f, one) {
				out = append(out, list...)
			}
		}
		return out
	}
	in, at, ok := d.bound(m.name, offset)
	if !ok {
		return nil
	}
	var out []occurrence
	take := func(scope nameScope, not []source.Span) {
		seen := map[int]bool{}
		for _, u := range uses(scope, m.name) {
			if seen[u.Span.Start] || slices.ContainsFunc(not, func(n source.Span) bool { return u.Span.Start >= n.Start && u.Span.Start < n.End }) {
				continue
			}
			seen[u.Span.Start] = true
			declares := scope.file.Path == in.file.Path && u.Span.Start == at.Start
			out = append(out, occurrence{scope.file, u.Span, declares})
		}
	}
	if !in.whole {
		take(in, nil)
		return out
	}
	for _, one := range s.files(d) {
		if one.Path == in.file.Path || s.seesFile(one, in.file) {
			take(nameScope{one, one.Statements, true}, hidden(one, m.name))
		}
	}
	return out
}

// itemsOf are the places where a resource's lines name an item of another: {boats.id}.
func itemsOf(f *project.File, name string) []occurrence {
	var out []occurrence
	for _, st := range f.Statements {
		if !syntax.Is[*syntax.Resource](st) {
			continue
		}
		for _, u := range uses(nameScope{f, []*syntax.Statement{st}, false}, name) {
			out = append(out, occurrence{f, u.Span, false})
		}
	}
	return out
}

// reaches tells whether a file uses another, directly or through others.
func reaches(f, other *project.File) bool {
	return slices.ContainsFunc(f.Whole(), func(one *project.File) bool { return one.Path == other.Path })
}

// files are the project's files, and those that they use, as they are in the editor.
func (s *Server) files(d *document) []*project.File {
	root := d.project.Root
	if root == "" {
		root = d.file().Dir()
	}
	var out []*project.File
	s.all, out = s.load(root)
	return out
}

// load reads a project, and gives its files and those that they use.
func (s *Server) load(root string) (*project.Project, []*project.File) {
	all := project.Load([]string{root}, project.Options{Overlay: s.overlay()})
	var out []*project.File
	for _, f := range all.Files {
		if f.Derived() {
			continue
		}
		for _, one := range f.Whole() {
			if !slices.ContainsFunc(out, func(have *project.File) bool { return have.Path == one.Path }) {
				out = append(out, one)
			}
		}
	}
	if c := all.Config; c != nil && !slices.ContainsFunc(out, func(have *project.File) bool { return have.Path == c.Path }) {
		out = append(out, c)
	}
	return all, out
}

// seesFile tells whether a file takes names of another.
func (s *Server) seesFile(f, other *project.File) bool {
	return sees(s.all, f, other.Path) || reaches(f, other)
}
