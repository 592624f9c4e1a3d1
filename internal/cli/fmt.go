package cli

import (
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"usualpath/internal/core/event"
	"usualpath/internal/core/project"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
)

func (a *app) fmt() *cobra.Command {
	check := false
	c := &cobra.Command{
		Use: "fmt [PATH…]", Short: "Format files in the canonical layout",
		Long: `Rewrites files, and all .upath files below folders (default: this folder), in the
one canonical layout. Comments stay, and so do single blank lines. A file with
mistakes is left as it is. With - as path, text goes from input to output.`,
		Example: `  usualpath fmt
  usualpath fmt --check boats.upath`,
		RunE: func(c *cobra.Command, args []string) error {
			if len(args) == 1 && args[0] == "-" {
				return a.fmtInput(c.InOrStdin())
			}
			if len(args) == 0 {
				args = []string{"."}
			}
			return a.fmtFiles(args, check)
		},
	}
	c.Flags().BoolVar(&check, "check", false, "change nothing, and fail when a file is not laid out so")
	return c
}

func (a *app) fmtInput(r io.Reader) error {
	text, err := io.ReadAll(r)
	if err != nil {
		return &exit{code: exitBroken, message: "the input cannot be read: " + err.Error()}
	}
	tree, diags := syntax.Parse(source.NewFile("-", string(text)))
	if diags.Errors() > 0 {
		a.diagnose(diags.Sort(), "; files with errors are left as they are")
		return &exit{code: exitUsage}
	}
	fmt.Fprint(a.out, syntax.Print(tree))
	return nil
}

func (a *app) fmtFiles(args []string, check bool) error {
	files, diags := project.Find(args)
	changed := 0
	for _, name := range files {
		data, err := source.ReadFile(name)
		if err != nil {
			return &exit{code: exitUsage, message: name + " cannot be read: " + err.Error()}
		}
		tree, found := syntax.Parse(source.NewFile(name, string(data)))
		diags = append(diags, found...)
		if found.Errors() > 0 {
			continue
		}
		text := syntax.Print(tree)
		if text == string(data) {
			continue
		}
		changed++
		fmt.Fprintln(a.out, name)
		if !check {
			if err := source.WriteWhole(name, []byte(text)); err != nil {
				return &exit{code: exitBroken, message: name + " cannot be written: " + err.Error()}
			}
		}
	}
	if diags.Errors() > 0 {
		a.diagnose(diags.Sort(), "; files with errors are left as they are")
		return &exit{code: exitUsage}
	}
	if check && changed > 0 {
		return &exit{exitFailed, event.Count(changed, "file") + " not laid out as usualpath fmt does", "usualpath fmt sets the layout"}
	}
	return nil
}
