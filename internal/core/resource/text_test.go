package resource

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/tools/txtar"

	"usualpath/internal/golden"
)

// The archives hold resources, the checks that follow from them (all, or those
// of the families named) and those that do not apply.
func TestTexts(t *testing.T) {
	golden.Each(t, "testdata/*.txtar", func(t *testing.T, in map[string]string) []txtar.File {
		p, list := derived(t, "base http://127.0.0.1:1\n"+in["a.upath"])
		require.Zero(t, p.Diagnostics.Errors(), "%v", p.Diagnostics)
		var checks, not, said strings.Builder
		for _, d := range p.Diagnostics {
			fmt.Fprintf(&said, "%d: %s → %s\n", d.File.Position(d.Span.Start).Line-1, d.Message, d.Hint)
		}
		known := map[string]bool{}
		for _, r := range list {
			text, left := r.Text()
			for _, one := range strings.SplitAfter(text, "\n\nscenario ") {
				title, _, _ := strings.Cut(one, "\n")
				if only := in["families"]; only == "" || slices.ContainsFunc(strings.Fields(only), func(f string) bool { return strings.Contains(title, " "+f+"/") }) {
					checks.WriteString(unseen(one, known))
				}
			}
			for _, l := range left {
				fmt.Fprintf(&not, "%s %s: %s\n", r.Name, l.Check.ID(), l.Why)
			}
		}
		return []txtar.File{{Name: "checks", Data: []byte(checks.String())}, {Name: "not applicable", Data: []byte(not.String())}, {Name: "said", Data: []byte(said.String())}}
	})
}

// unseen is the text of a scenario without what stands above as it is: lines of its head, and steps,
// of which their titles are left, in brackets.
func unseen(scenario string, known map[string]bool) string {
	var out []string
	for _, block := range strings.Split(scenario, "\n\n") {
		title, more, _ := strings.Cut(block, "\n")
		if strings.HasPrefix(title, "scenario ") || len(out) == 0 {
			lines := slices.DeleteFunc(strings.Split(block, "\n"), func(l string) bool {
				again := known[l]
				known[l] = true
				return again || strings.HasPrefix(l, "  about ")
			})
			block = strings.Join(lines, "\n")
		}
		switch key := strings.TrimSpace(block); {
		case !strings.HasPrefix(title, "  step "), more == "":
		case known[key]:
			if last := len(out) - 1; last >= 0 && strings.HasPrefix(out[last], "  [") {
				out[last] = strings.TrimSuffix(out[last], "]") + ", " + strings.TrimPrefix(title, "  step ") + "]"
				continue
			}
			block = "  [" + strings.TrimPrefix(title, "  step ") + "]"
		default:
			known[key] = true
		}
		out = append(out, block)
	}
	return strings.Join(out, "\n\n")
}
