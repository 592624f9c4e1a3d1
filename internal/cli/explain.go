package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"usualpath/internal/core/resource"
	"usualpath/internal/core/source"
	"usualpath/internal/report"
)

func (a *app) explain() *cobra.Command {
	c := &cobra.Command{
		Use: "explain [CHECK]", Short: "What a derived check proves, and why",
		Long: `Without an argument: the catalogue of derived checks. With one: what it proves,
where that is written, what the usual cause on the server is and the usual mend,
and how to narrow or skip it.`,
		Example: `  usualpath explain
  usualpath explain lifecycle/deleted-is-gone
  usualpath explain race`,
		Args: cobra.MaximumNArgs(1),
		ValidArgsFunction: func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
			return resource.IDs(), cobra.ShellCompDirectiveNoFileComp
		},
		RunE: func(_ *cobra.Command, args []string) error {
			if len(args) == 0 {
				a.listChecks("")
				return nil
			}
			if _, says := resource.Families(); says[args[0]] != "" {
				a.listChecks(args[0])
				return nil
			}
			k := resource.Find(args[0])
			if k == nil {
				hint := "usualpath explain lists the checks"
				if n := source.Nearest(args[0], resource.IDs()); n != "" {
					hint = "did you mean " + n + "?"
				}
				return usage(fmt.Sprintf("there is no check %q", args[0]), hint)
			}
			a.explainOne(k)
			return nil
		},
	}
	return c
}

func (a *app) listChecks(family string) {
	s := a.style(a.out)
	names, says := resource.Families()
	for _, f := range names {
		if family != "" && f != family {
			continue
		}
		fmt.Fprintf(a.out, "%s  %s\n", s.Strong(f), s.Faint(says[f]))
		for _, k := range resource.Catalogue() {
			if k.Family == f {
				fmt.Fprintf(a.out, "  %-26s %-7s %s\n", k.Name, k.Level, k.Proves)
			}
		}
		fmt.Fprintln(a.out)
	}
	if family == "" {
		fmt.Fprintf(a.out, "%s checks; usualpath explain FAMILY/NAME tells more about one\n", fmt.Sprint(len(resource.Catalogue())))
	}
}

func (a *app) explainOne(k *resource.Check) {
	s := a.style(a.out)
	fmt.Fprintf(a.out, "%s   %s\n\n", s.Strong(k.ID()), k.Level)
	field := func(label, text string) {
		if text == "" {
			return
		}
		lines := report.Fold(text, 84)
		for i, l := range lines {
			if i > 0 {
				label = ""
			}
			fmt.Fprintf(a.out, "  %s %s\n", s.Faint(fmt.Sprintf("%-8s", label)), l)
		}
	}
	field("proves", k.Proves)
	field("source", k.Source)
	field("cause", k.Cause)
	field("mend", k.Mend)
	field("missed", map[string]string{"must": "the run fails", "should": "a warning; a failure with --level should", "usual": "a warning; a failure with --level usual"}[k.Level])
	field("see it", "usualpath derive FILE --check "+k.ID())
	field("skip it", "in the resource: skip "+k.ID()+` because "…"`)
}
