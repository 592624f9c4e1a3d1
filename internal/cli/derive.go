package cli

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"usualpath/internal/core/project"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/syntax"
)

func (a *app) derive() *cobra.Command {
	f := &runFlags{level: "must"}
	only := ""
	c := &cobra.Command{
		Use: "derive [PATH…]", Short: "Print the checks of a resource as scenarios",
		Long: `Prints the checks that resource statements give rise to, as scenarios of the
language: read them, copy one and change it, or run them as they are. Saved
beside the file they come from, they give the same verdicts as the resource.`,
		Example: `  usualpath derive boats.upath
  usualpath derive boats.upath --check lifecycle/deleted-is-gone
  usualpath derive boats.upath --resource boats > boats-checks.upath`,
		RunE: func(_ *cobra.Command, args []string) error {
			if err := checkNames(f); err != nil {
				return err
			}
			if len(args) == 0 {
				args = []string{"."}
			}
			return a.printDerived(args, f, only)
		},
	}
	fl := c.Flags()
	fl.StringSliceVar(&f.checks, "check", nil, "print these checks, by family/name (repeatable)")
	fl.StringSliceVar(&f.families, "family", nil, "print the checks of these families")
	fl.StringVar(&only, "resource", "", "print the checks of this resource")
	fl.BoolVar(&f.thorough, "thorough", false, "more values and combinations where a resource says what it takes")
	fl.StringVar(&f.env, "env", "", "the environment of project.upath to use (else USUALPATH_ENV)")
	fl.StringArrayVar(&f.let, "let", nil, "bind a name from outside, NAME=VALUE, over what the files say (repeatable)")
	completeChecks(c)
	completeProject(c)
	return c
}

func (a *app) printDerived(args []string, f *runFlags, only string) error {
	let, err := outside(f.let)
	if err != nil {
		return err
	}
	p, resources := resource.Load(args, project.Options{Environment: environmentOf(f.env), Let: let, Thorough: f.thorough})
	if p.Diagnostics.Errors() > 0 {
		a.diagnose(p.Diagnostics, "")
		return &exit{code: exitUsage}
	}
	var chosen []*resource.Resource
	for _, r := range resources {
		if only == "" || r.Name == only {
			chosen = append(chosen, r)
		}
	}
	if len(chosen) == 0 {
		hint := "write one: resource boats, with a collection and an example to make"
		if only != "" && len(resources) > 0 {
			hint = "there is " + resources[0].Name
		}
		return usage("there is no resource in these files", hint)
	}
	used := map[string]bool{}
	for _, r := range chosen {
		used[filepath.Base(r.File.Path)] = true
	}
	for _, r := range resources {
		if name := filepath.Base(r.File.Path); used[name] {
			fmt.Fprintf(a.out, "use %q\n", name)
			used[name] = false
		}
	}
	for _, r := range chosen {
		fmt.Fprintf(a.out, "\n%s", syntax.Print(choose(r.Tree(), f)))
	}
	return nil
}

// choose leaves the scenarios of the checks that were asked for, with what
// belongs to them.
func choose(tree *syntax.File, f *runFlags) *syntax.File {
	if len(f.checks)+len(f.families) == 0 {
		return tree
	}
	out := &syntax.File{Source: tree.Source}
	keep := false
	for _, st := range tree.Statements {
		if syntax.Is[*syntax.Scenario](st) {
			keep = f.wants(st)
		}
		if keep {
			out.Statements = append(out.Statements, st)
		}
	}
	return out
}

func (f *runFlags) wants(st *syntax.Statement) bool {
	wanted := f.wanted()
	return slices.ContainsFunc(st.Children, func(c *syntax.Statement) bool {
		b, is := c.Body.(*syntax.Check)
		return is && wanted(b.Resource, b.ID)
	})
}

// wanted tells of a check of a resource, by its id, whether it was asked for; nil where none
// was chosen.
func (f *runFlags) wanted() func(resource, id string) bool {
	if len(f.checks)+len(f.families)+len(f.resources) == 0 {
		return nil
	}
	return func(resource, id string) bool {
		family, name, _ := strings.Cut(id, "/")
		if len(f.resources) > 0 && !slices.Contains(f.resources, resource) {
			return false
		}
		return len(f.checks)+len(f.families) == 0 || slices.Contains(f.checks, id) || slices.Contains(f.checks, name) || slices.Contains(f.families, family)
	}
}
