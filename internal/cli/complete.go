package cli

import (
	"slices"

	"github.com/spf13/cobra"

	"usualpath/internal/core/project"
	"usualpath/internal/core/resource"
	"usualpath/internal/harbour"
)

type completion = func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective)

// proposals offers what a list holds, and no files.
func proposals(list func(p *project.Project) []string) completion {
	return func(_ *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
		if len(args) == 0 {
			args = []string{"."}
		}
		return list(project.Load(args, project.Options{})), cobra.ShellCompDirectiveNoFileComp
	}
}

// completeProject offers the titles, tags and environments of the files that are
// named, or of this folder.
func completeProject(c *cobra.Command) {
	titles := proposals(func(p *project.Project) []string {
		var out []string
		for _, s := range p.Scenarios() {
			out = append(out, s.Raw())
		}
		return out
	})
	tags := proposals(func(p *project.Project) []string {
		var out []string
		for _, s := range p.Scenarios() {
			out = append(out, s.Tags...)
		}
		slices.Sort(out)
		return slices.Compact(out)
	})
	for flag, f := range map[string]completion{"only": titles, "tag": tags, "skip-tag": tags,
		"env": proposals(func(p *project.Project) []string { return p.Environments() })} {
		if c.Flags().Lookup(flag) != nil {
			// The flag is there, so this cannot fail.
			_ = c.RegisterFlagCompletionFunc(flag, f)
		}
	}
}

// completeFaults offers the harbour's faults.
func completeFaults(c *cobra.Command) {
	// The flag is there, so this cannot fail.
	_ = c.RegisterFlagCompletionFunc("fault", func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
		var out []string
		for _, f := range harbour.Faults() {
			out = append(out, f.Name+"\t"+f.Says)
		}
		return out, cobra.ShellCompDirectiveNoFileComp
	})
}

func completeChecks(c *cobra.Command) {
	ids := func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
		var out []string
		for _, k := range resource.Catalogue() {
			out = append(out, k.ID()+"\t"+k.Proves)
		}
		return out, cobra.ShellCompDirectiveNoFileComp
	}
	// The flags are there, so this cannot fail.
	_ = c.RegisterFlagCompletionFunc("check", ids)
	_ = c.RegisterFlagCompletionFunc("family", func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
		names, _ := resource.Families()
		return names, cobra.ShellCompDirectiveNoFileComp
	})
}
