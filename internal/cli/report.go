package cli

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"usualpath/internal/core/record"
	"usualpath/internal/report"
	"usualpath/internal/report/out"
	"usualpath/internal/runner"
)

func (a *app) report() *cobra.Command {
	format, file := "terminal", ""
	verbose, partial, quiet := false, false, 0
	c := &cobra.Command{
		Use: "report RECORD…", Short: "Turn saved run records into other formats",
		Long: `Reads records that run --save wrote, several as one (the shards of a suite), and
writes them as a report: the same bytes that run --report would have written.
Without --as it shows the run as run did.`,
		Example: `  usualpath run --save run.jsonl
  usualpath report run.jsonl --as html --out run.html
  usualpath report shard-1.jsonl shard-2.jsonl --as junit --out results.xml`,
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) == 0 {
				return usage("a record is needed", "usualpath run --save run.jsonl writes one")
			}
			return nil
		},
		RunE: func(_ *cobra.Command, args []string) error {
			return a.reportOn(args, format, file, verbose, partial, quiet)
		},
	}
	c.Flags().StringVar(&format, "as", "terminal", "the format: terminal, "+strings.Join(out.Formats(), ", "))
	c.Flags().StringVar(&file, "out", "", "the file to write (default: the output)")
	c.Flags().BoolVar(&partial, "partial", false, "shards may be missing")
	c.Flags().BoolVarP(&verbose, "verbose", "v", false, "with the format terminal: show every exchange")
	c.Flags().CountVarP(&quiet, "quiet", "q", "with the format terminal: show only failures and the summary; twice, only the summary")
	return c
}

// reportOn writes a report of records. Of a damaged one it shows what is there,
// and ends with an error.
func (a *app) reportOn(records []string, format, file string, verbose, partial bool, quiet int) error {
	if format == "terminal" {
		_, width := terminal(a.out)
		view := &report.Terminal{W: a.out, Style: a.style(a.out), Width: width, Verbose: verbose, Quiet: quiet > 0, Silent: quiet > 1}
		return whole(record.Read(records, view.Event), partial)
	}
	if !slices.Contains(out.Formats(), format) {
		return usage(fmt.Sprintf("there is no report format %q", format), "there are terminal, "+strings.Join(out.Formats(), ", "))
	}
	err := runner.WriteReport(records, runner.Report{Format: format, File: file}, a.out)
	var f *runner.Fault
	if errors.As(err, &f) {
		return a.fault(err)
	}
	return whole(err, partial)
}

// whole is the error of what is missing, unless that is allowed.
func whole(err error, partial bool) error {
	switch {
	case record.Partial(err) && partial:
		return nil
	case record.Partial(err):
		return &exit{code: exitUsage, message: err.Error(), hint: "what is there has been reported; --partial says that it is enough"}
	}
	return recordError(err)
}

// recordError is an error of reading or writing a record, as a usage error.
func recordError(err error) error {
	if err == nil {
		return nil
	}
	return &exit{code: exitUsage, message: err.Error(), hint: "a record is what run --save writes"}
}
