package cli

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/project"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
)

// expand adds the derived checks of a project's resources to it.
func expand(p *project.Project) error {
	if _, err := resource.Expand(p); err != nil {
		return &exit{code: exitBroken, message: err.Error()}
	}
	return nil
}

// checkNames wants checks, families and a level that there are. A check may be
// given by its name alone.
func checkNames(f *runFlags) error {
	for i, id := range f.checks {
		c := resource.Find(id)
		if c == nil {
			hint := "usualpath explain lists the checks"
			if n := source.Nearest(id, resource.IDs()); n != "" {
				hint = "did you mean " + n + "?"
			}
			return usage(fmt.Sprintf("there is no check %q", id), hint)
		}
		f.checks[i] = c.ID()
	}
	names, _ := resource.Families()
	for _, family := range f.families {
		if !slices.Contains(names, family) {
			return usage(fmt.Sprintf("there is no family %q", family), "there are "+strings.Join(names, ", "))
		}
	}
	if !slices.Contains(syntax.Levels, f.level) {
		return usage("--level is must, should or usual, not "+f.level, "")
	}
	return nil
}
