package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"usualpath/internal/core/event"
	"usualpath/internal/core/project"
	"usualpath/internal/core/resource"
)

func (a *app) lint() *cobra.Command {
	env := ""
	c := &cobra.Command{
		Use: "lint [PATH…]", Short: "Check scenario files without sending anything",
		Long: `Reads files, and all .upath files below folders (default: this folder), and says
all that is wrong with them, each mistake with its place and how to mend it.
Warnings are about what is allowed and seldom meant. Exit code 2 with errors.`,
		Example: `  usualpath lint
  usualpath lint boats.upath`,
		RunE: func(_ *cobra.Command, args []string) error {
			if len(args) == 0 {
				args = []string{"."}
			}
			p, resources := resource.Load(args, project.Options{Counted: true, Environment: environmentOf(env)})
			a.diagnose(p.Diagnostics, "")
			if p.Diagnostics.Errors() > 0 {
				return &exit{code: exitUsage}
			}
			if len(p.Diagnostics) == 0 {
				a.tidy(p, resources)
			}
			return nil
		},
	}
	c.Flags().StringVar(&env, "env", "", "the environment of project.upath to use")
	completeProject(c)
	return c
}

// tidy says what was read when there is nothing to say about it.
func (a *app) tidy(p *project.Project, resources []*resource.Resource) {
	files, scenarios, checks := 0, 0, 0
	for _, r := range resources {
		checks += r.Count()
	}
	for _, f := range p.Files {
		if !f.Derived() {
			files++
		}
	}
	for _, s := range p.Scenarios() {
		if !s.File.Derived() {
			scenarios++
		}
	}
	of := ""
	if len(resources) > 0 {
		of = fmt.Sprintf(", %s with %s", event.Count(len(resources), "resource"), event.Count(checks, "derived check"))
	}
	fmt.Fprintf(a.out, "%s, %s%s: nothing to say\n", event.Count(files, "file"), event.Count(scenarios, "scenario"), of)
}
