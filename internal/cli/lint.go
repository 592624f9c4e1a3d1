package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"usualpath/internal/core/project"
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
			p := project.Load(args, project.Options{Environment: env})
			a.diagnose(p.Diagnostics, "")
			if p.Diagnostics.Errors() > 0 {
				return &exit{code: exitUsage}
			}
			if len(p.Diagnostics) == 0 {
				fmt.Fprintf(a.out, "%s, %s: nothing to say\n", plural(len(p.Files), "file"), plural(len(p.Scenarios()), "scenario"))
			}
			return nil
		},
	}
	c.Flags().StringVar(&env, "env", "", "the environment of project.upath to use")
	return c
}
