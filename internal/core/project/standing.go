package project

import (
	"slices"

	"usualpath/internal/core/syntax"
)

// StandsAt tells whether the scenario stands at a line of its file, counted from
// 1. Of derived ones those that go by that line of the resource, or all of the
// resource where none does.
func (s *Scenario) StandsAt(line int) bool {
	if !s.File.Derived() {
		return stands(s.File, s.Statement, line)
	}
	if !s.Of(line) {
		return false
	}
	if s.Line() == line {
		return true
	}
	return !slices.ContainsFunc(s.File.scenarios, func(o *Scenario) bool {
		return o.Check != nil && s.Check != nil && o.Check.Resource == s.Check.Resource && o.Line() == line
	})
}

// Of tells whether a derived scenario is of the resource that stands at a line.
func (s *Scenario) Of(line int) bool {
	if !s.File.Derived() || s.Check == nil || len(s.File.Uses) == 0 {
		return false
	}
	from := s.File.Uses[0]
	return slices.ContainsFunc(from.Statements, func(st *syntax.Statement) bool {
		r, is := st.Body.(*syntax.Resource)
		return is && r.Name == s.Check.Resource && stands(from, st, line)
	})
}

// stands tells whether a statement is what stands at a line: from its first line
// to the next statement; what is done afterwards belongs to it.
func stands(f *File, st *syntax.Statement, line int) bool {
	first := func(st *syntax.Statement) int { return f.Source.Position(st.Span.Start).Line }
	if line < first(st) {
		return false
	}
	for _, next := range f.Statements {
		if next.Span.Start > st.Span.Start && !syntax.Is[*syntax.Afterwards](next) {
			return line < first(next)
		}
	}
	return line <= f.Source.Lines()
}
