package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/record"
	"usualpath/internal/report"
)

func (a *app) compare() *cobra.Command {
	format := "terminal"
	c := &cobra.Command{
		Use: "compare [OLD NEW]", Short: "What changed between two run records",
		Long: `Shows what newly fails, what is mended, new and gone, what is answered differently
(status, headers, shape of the body), and what has become slower or faster,
judged by many samples. Without arguments: the last two runs of the history.
The exit code is 1 when something newly fails.`,
		Example: `  usualpath compare yesterday.jsonl today.jsonl
  usualpath compare --as markdown yesterday.jsonl today.jsonl
  usualpath run --history && usualpath compare`,
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) != 0 && len(args) != 2 {
				return usage("two records are compared, the older one first", "usualpath compare OLD NEW, or no argument for the last two of the history")
			}
			return nil
		},
		RunE: func(_ *cobra.Command, args []string) error {
			if len(args) == 0 {
				here, err := os.Getwd()
				if err != nil {
					return &exit{code: exitBroken, message: err.Error()}
				}
				names := record.HistoryOf(here).Records()
				if len(names) < 2 {
					return usage("there is no history of two runs here", "usualpath run --history keeps the record of a run")
				}
				args = names[len(names)-2:]
			}
			old, before := record.Load(args[0])
			now, after := record.Load(args[1])
			for _, err := range []error{before, after} {
				if err != nil && !record.Damaged(err) {
					return recordError(err)
				}
			}
			d := record.Compare(old, now)
			switch format {
			case "terminal":
				a.showComparison(d)
			case "markdown":
				markdownComparison(a.out, d)
			case "json":
				e := json.NewEncoder(a.out)
				e.SetIndent("", "  ")
				if err := e.Encode(jsonComparison(d)); err != nil {
					return &exit{code: exitBroken, message: err.Error()}
				}
			default:
				return usage(fmt.Sprintf("there is no format %q to compare in", format), "there are terminal, markdown, json")
			}
			if damage := errors.Join(before, after); damage != nil {
				return recordError(damage)
			}
			if len(d.Failing) > 0 {
				return &exit{code: exitFailed}
			}
			return nil
		},
	}
	c.Flags().StringVar(&format, "as", "terminal", "the format: terminal, markdown or json")
	return c
}

// part is a list of a comparison with its head.
type part struct {
	head  string
	lines []string
}

// mostPlaces bounds how many places of one change are named.
const mostPlaces = 5

func parts(d *record.Comparison) []part {
	clean := func(s string) string { return report.Clean(s, false) }
	changes := func(list []record.Change) (out []string) {
		for _, c := range list {
			line := clean(c.File + ": " + c.Title)
			switch {
			case c.Was != "" && c.Is != "":
				line += fmt.Sprintf(": was %s, is %s", c.Was, c.Is)
			case c.Is != "":
				line += ": " + string(c.Is)
			}
			out = append(out, line)
		}
		return out
	}
	var answered, paces []string
	for _, c := range d.Causes() {
		line := c.What + "\n" + strings.Join(c.Places[:min(len(c.Places), mostPlaces)], "\n")
		if more := len(c.Places) - mostPlaces; more > 0 {
			line += "\nand in " + event.Count(more, "more place")
		}
		answered = append(answered, report.Clean(line, true))
	}
	for _, p := range d.Paces {
		word := "faster"
		if p.Slower {
			word = "slower"
		}
		paces = append(paces, clean(fmt.Sprintf("%s: %s: median %s, was %s (%d and %d samples)", p.Request, word, exchange.Took(p.Is), exchange.Took(p.Was), p.Samples[1], p.Samples[0])))
	}
	return []part{{"failing newly", changes(d.Failing)}, {"mended", changes(d.Mended)}, {"new", changes(d.Added)}, {"gone", changes(d.Gone)}, {"answered differently", answered}, {"slower or faster", paces}}
}

func (a *app) showComparison(d *record.Comparison) {
	s := a.style(a.out)
	_, width := terminal(a.out)
	if d.Equal() {
		fmt.Fprintf(a.out, "nothing changed: %s, %d of them failing in both\n", event.Count(d.Held+d.Failed, "scenario"), d.Failed)
		return
	}
	const most = 40
	for _, p := range parts(d) {
		if len(p.lines) == 0 {
			continue
		}
		fmt.Fprintf(a.out, "%s  %s\n", s.Strong(p.head), s.Faint(fmt.Sprint(len(p.lines))))
		for i, l := range p.lines {
			if i == most {
				fmt.Fprintf(a.out, "  … and %d more\n", len(p.lines)-most)
				break
			}
			// A change, and below it where.
			first, places, _ := strings.Cut(l, "\n")
			for i, line := range report.Fold(first, width-4) {
				fmt.Fprintf(a.out, "  %s%s\n", strings.Repeat(" ", 2*min(i, 1)), line)
			}
			for line := range strings.SplitSeq(places, "\n") {
				for i, part := range report.Fold(line, width-8) {
					if part != "" {
						fmt.Fprintf(a.out, "      %s%s\n", strings.Repeat(" ", 2*min(i, 1)), s.Faint(part))
					}
				}
			}
		}
		fmt.Fprintln(a.out)
	}
}

func markdownComparison(w io.Writer, d *record.Comparison) {
	fmt.Fprintf(w, "## What changed\n\n")
	if d.Equal() {
		fmt.Fprintf(w, "Nothing: %s.\n", event.Count(d.Held+d.Failed, "scenario"))
		return
	}
	for _, p := range parts(d) {
		if len(p.lines) == 0 {
			continue
		}
		fmt.Fprintf(w, "### %s (%d)\n\n", p.head, len(p.lines))
		for _, l := range p.lines {
			first, places, _ := strings.Cut(l, "\n")
			fmt.Fprintf(w, "- %s\n", inCode(first))
			for line := range strings.SplitSeq(places, "\n") {
				if line != "" {
					fmt.Fprintf(w, "  - %s\n", inCode(line))
				}
			}
		}
		fmt.Fprintln(w)
	}
}

// inCode is a text as code of Markdown: nothing in it is a mark.
func inCode(text string) string {
	fence := "`"
	for strings.Contains(text, fence) {
		fence += "`"
	}
	if len(fence) > 1 {
		return fence + " " + text + " " + fence
	}
	return fence + text + fence
}

func jsonComparison(d *record.Comparison) map[string]any {
	out := map[string]any{"old": d.Old.Name, "new": d.New.Name, "equal": d.Equal()}
	for _, p := range parts(d) {
		lines := p.lines
		if lines == nil {
			lines = []string{}
		}
		out[strings.ReplaceAll(p.head, " ", "_")] = lines
	}
	return out
}
