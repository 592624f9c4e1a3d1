package draft

import (
	"slices"
	"strings"

	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
)

// Statements are the titles of what a file holds: "resource NAME", and scenarios by title.
func Statements(name, text string) ([]string, bool) {
	f, diags := syntax.Parse(source.NewFile(name, text))
	var out []string
	for _, st := range f.Statements {
		switch b := st.Body.(type) {
		case *syntax.Scenario:
			if b.Title != nil {
				out = append(out, b.Title.Template.Raw)
			}
		case *syntax.Resource:
			out = append(out, "resource "+b.Name)
		}
	}
	return out, diags.Errors() == 0
}

// Without leaves out what is there already, by titles of statements.
func (s *Suite) Without(there []string) {
	for _, n := range s.Names {
		t := s.sheets[n]
		t.parts = slices.DeleteFunc(t.parts, func(p part) bool {
			return slices.Contains(there, strings.TrimSuffix(strings.TrimPrefix(syntax.Quoted(p.title), `"`), `"`)) || slices.Contains(there, p.title)
		})
	}
	s.Names = slices.DeleteFunc(s.Names, func(n string) bool { return len(s.sheets[n].parts) == 0 })
	s.finish()
}

// Added is a file's text with what was drafted for it behind what it has.
func (s *Suite) Added(name, text string) string {
	added := s.Files[name]
	if s.sheets[name].unguarded > 0 && strings.Contains(text, "\nlet "+unguardedName+" =") {
		_, added, _ = strings.Cut(added, "\n\n")
	}
	if strings.TrimSpace(text) == "" {
		return added
	}
	return strings.TrimRight(text, "\n") + "\n\n" + added
}
