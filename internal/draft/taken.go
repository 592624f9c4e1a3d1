package draft

import (
	"fmt"
	"slices"

	"usualpath/internal/core/syntax"
)

// FreeTitle is the title of a step for a request: the one that was asked for, else one made
// of the request, with a number where it is taken.
func FreeTitle(t *Typed, asked string, taken func(title string) bool) string {
	if asked == "" {
		asked = title(t.Method, t.Target)
	}
	title := asked
	for n := 2; taken(title); n++ {
		title = fmt.Sprintf("%s (%d)", asked, n)
	}
	return title
}

// Titled tells whether a scenario of a file, the last one for "", has a step of a title.
func Titled(tree *syntax.File, scenario, title string) bool {
	var in *syntax.Statement
	for _, st := range tree.Statements {
		if syntax.Is[*syntax.Scenario](st) && (scenario == "" || syntax.StepTitle(st) == scenario) {
			in = st
		}
	}
	return in != nil && slices.ContainsFunc(in.Children, func(c *syntax.Statement) bool {
		return syntax.Is[*syntax.Step](c) && syntax.StepTitle(c) == title
	})
}

// Binds tells whether a file binds a name, at its top only or anywhere.
func Binds(tree *syntax.File, name string, top bool) bool {
	var in func(st *syntax.Statement) bool
	in = func(st *syntax.Statement) bool {
		if slices.ContainsFunc(syntax.Bindings(st), func(b syntax.NameAt) bool { return b.Name == name }) {
			return true
		}
		return !top && slices.ContainsFunc(st.Children, in)
	}
	return slices.ContainsFunc(tree.Statements, in)
}
