package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"usualpath/docs"
	"usualpath/internal/core/late"
	"usualpath/internal/report"
)

// topics are the parts of the reference that help shows, by the head of the
// section; "" is all of it.
var topics = []struct{ name, short, section string }{
	{"language", "the scenario language, all of it", ""},
	{"lines", "how a file is laid out", "Lines"},
	{"names", "values, names and functions", "Values and names"},
	{"projects", "project.upath, environments, the started service, routines", "Files and projects"},
	{"steps", "requests", "Steps"},
	{"expectations", "what can be expected of an answer", "Expectations"},
	{"shapes", "patterns of JSON", "Shapes"},
	{"effects", "observations, and what a request did to them", "Effects"},
	{"resources", "what a resource statement may say", "Resources"},
}

// pages are whole pages that help shows.
var pages = []struct {
	name, short string
	text        *string
}{
	{"guide", "from the first line to a resource, in one sitting", &docs.Guide},
	{"cookbook", "short recipes: sign in, upload, poll, page, retry, shard …", &docs.Cookbook},
	{"roaming", "how roam walks, what it tells, and what it leaves alone", &docs.Roam},
	{"documents", "drafting from an OpenAPI document, and holding a service against it", &docs.Documents},
	{"recordings", "drafting scenarios of what a browser has sent (HAR)", &docs.Recordings},
}

const exitCodes = `Every command ends with one of these codes:

    0    all held; what should and is usual may have been warned of
    1    an expectation failed, roaming has found something,
         something is newly failing (compare), a file is not in canonical layout (fmt --check), or an answer
         departs from the document (run --against)
    2    wrong usage, or a file with errors: nothing was sent
    3    the service could not be started or reached, or it ended during the run
    4    the tool itself failed
    5    nothing failed, but something could not be judged, or was seen once (roam)
    130  interrupted: the clean-up has run and the record is complete
`

// help adds the topics that teach.
func (a *app) help(root *cobra.Command) {
	for _, t := range topics {
		c := &cobra.Command{Use: t.name, Short: t.short}
		c.SetHelpFunc(func(*cobra.Command, []string) {
			fmt.Fprint(a.out, plainText(section(docs.Language, t.section), a.style(a.out)))
		})
		root.AddCommand(c)
	}
	for _, p := range pages {
		c := &cobra.Command{Use: p.name, Short: p.short}
		c.SetHelpFunc(func(*cobra.Command, []string) { fmt.Fprint(a.out, plainText(*p.text, a.style(a.out))) })
		root.AddCommand(c)
	}
	c := &cobra.Command{Use: "exit-codes", Short: "what the exit codes mean"}
	c.SetHelpFunc(func(*cobra.Command, []string) { fmt.Fprint(a.out, exitCodes) })
	root.AddCommand(c)
}

// section is the part of a Markdown text below a head of the second level.
func section(text, head string) string {
	if head == "" {
		return text
	}
	_, rest, _ := strings.Cut(text, "\n## "+head+"\n")
	rest, _, _ = strings.Cut(rest, "\n## ")
	return "## " + head + "\n" + rest
}

var link = late.Regexp(`\[([^\]]*)\]\([^)]*\)`)

// plainText sets Markdown for a terminal: paragraphs in lines of 88 characters,
// code moved in, tables as they are.
func plainText(text string, s *report.Style) string {
	var b strings.Builder
	var paragraph []string
	flush := func() {
		if len(paragraph) > 0 {
			for _, l := range report.Fold(link().ReplaceAllString(strings.Join(paragraph, " "), "$1"), 88) {
				b.WriteString(l + "\n")
			}
			paragraph = nil
		}
	}
	code := false
	lines := strings.Split(strings.TrimSpace(text), "\n")
	for i, l := range lines {
		switch {
		case !code && strings.HasPrefix(l, "|") && i+1 < len(lines) && strings.HasPrefix(lines[i+1], "|-"):
			// The heads of a table say nothing here.
			flush()
		case !code && strings.HasPrefix(l, "<!--"):
			// Marks of what is generated.
		case strings.HasPrefix(l, "```"):
			flush()
			code = !code
		case code && l == "":
			b.WriteString("\n")
		case code:
			b.WriteString("    " + l + "\n")
		case strings.HasPrefix(l, "#"):
			flush()
			b.WriteString(s.Strong(strings.TrimLeft(l, "# ")) + "\n")
		case strings.HasPrefix(l, "|"):
			flush()
			row(&b, l)
		case l == "":
			flush()
			b.WriteString("\n")
		case strings.HasPrefix(l, "- "):
			flush()
			paragraph = append(paragraph, strings.ReplaceAll(l, "**", ""))
		default:
			paragraph = append(paragraph, l)
		}
	}
	flush()
	return b.String()
}

// row sets a row of a table as a term and what is said of it.
func row(b *strings.Builder, line string) {
	cells := strings.Split(strings.Trim(strings.ReplaceAll(line, `\|`, "\x00"), "|"), "|")
	for i, c := range cells {
		cells[i] = strings.TrimSpace(strings.ReplaceAll(c, "\x00", "|"))
	}
	if strings.Trim(strings.Join(cells, ""), "-: ") == "" {
		return
	}
	b.WriteString("  " + cells[0] + "\n")
	for _, l := range report.Fold(strings.Join(cells[1:], "   "), 80) {
		b.WriteString("      " + l + "\n")
	}
}
