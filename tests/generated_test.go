package tests

import (
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/scope"
	"usualpath/internal/core/syntax"
)

var update = flag.Bool("update", false, "write what is made from the language's table anew")

var places = map[string]syntax.Place{"file": syntax.InFile, "head": syntax.InHead, "step": syntax.InStep, "request": syntax.InRequest, "routine": syntax.InRoutine,
	"defaults": syntax.InDefaults, "environment": syntax.InEnvironment, "service": syntax.InService, "resource": syntax.InResource}

// home is the first place of a form, in the order of the reference: it is told
// there only.
func home(f *syntax.Form) syntax.Place {
	for _, name := range []string{"step", "request", "routine", "file", "head", "defaults", "environment", "service", "resource"} {
		if f.In&places[name] != 0 && (f.Word != "let" && f.Word != "observe" || name == "file") {
			return places[name]
		}
	}
	return 0
}

var (
	generated = regexp.MustCompile(`(?s)(<!-- (forms: [a-z ]+|predicates|functions) -->\n).*?(<!-- end -->)`)
)

func cell(text string) string { return strings.ReplaceAll(text, "|", `\|`) }

// table makes what is between two marks of the reference.
func table(mark string) string {
	var b strings.Builder
	switch names, forms := strings.CutPrefix(mark, "forms: "); {
	case forms:
		b.WriteString("| line | does |\n|---|---|\n")
		for _, name := range strings.Fields(names) {
			for _, f := range syntax.Forms() {
				if home(f) == places[name] {
					fmt.Fprintf(&b, "| `%s` | %s |\n", cell(f.Usage), cell(f.Help))
				}
			}
		}
	case mark == "predicates":
		b.WriteString("| subject | |\n|---|---|\n")
		for _, s := range syntax.SubjectForms {
			fmt.Fprintf(&b, "| `%s` | %s |\n", s.Usage, s.Help)
		}
		b.WriteString("\n| predicate | of | holds when |\n|---|---|---|\n")
		for _, p := range syntax.PredicateForms {
			of := strings.ReplaceAll(strings.Join(p.Subjects, ", "), "path", "JSONPath")
			fmt.Fprintf(&b, "| `%s` | %s | %s |\n", cell(p.Usage), of, cell(p.Help))
		}
	default:
		b.WriteString("| function | gives |\n|---|---|\n")
		for _, n := range scope.Functions() {
			form, help := scope.Describe(n)
			fmt.Fprintf(&b, "| `%s` | %s |\n", form, help)
		}
	}
	return b.String()
}

// grammar puts the words of the language into the editor's grammar.
func grammar(t *testing.T, text string) string {
	var g struct {
		Repository map[string]struct{ Match string }
	}
	require.NoError(t, json.Unmarshal([]byte(text), &g))
	var said []string
	for _, p := range syntax.PredicateForms {
		said = append(said, strings.Fields(p.Usage)...)
	}
	for _, s := range syntax.SubjectForms {
		said = append(said, s.Kind)
	}
	own := slices.Clone(said)
	for _, f := range syntax.Forms() {
		// The word of a statement is one elsewhere only where a predicate has it too.
		for _, w := range strings.Fields(f.Usage)[1:] {
			if !slices.Contains(syntax.Keywords(), w) || slices.Contains(own, w) {
				said = append(said, w)
			}
		}
	}
	said = append(said, strings.Fields("not or and as if there takes times any order at least most")...)
	var words []string
	for _, w := range said {
		w = strings.Trim(w, "[],")
		if w != "" && strings.Trim(w, "abcdefghijklmnopqrstuvwxyz") == "" && w != "path" && w != "observation" {
			words = append(words, w)
		}
	}
	slices.Sort(words)
	for name, alternatives := range map[string]string{
		"statement": `^\s*(` + strings.Join(syntax.Keywords(), "|") + `)\b`,
		"word":      `\b(?:` + strings.Join(slices.Compact(words), "|") + `)\b`,
		"type":      `\b(?:` + strings.Join(syntax.Types(), "|") + `)\b`,
	} {
		was, err := json.Marshal(g.Repository[name].Match)
		require.NoError(t, err)
		is, err := json.Marshal(alternatives)
		require.NoError(t, err)
		require.Contains(t, text, string(was), name)
		text = strings.Replace(text, string(was), string(is), 1)
	}
	return text
}

// What is made from the language's table is what is checked in: go test ./tests
// -run TestGenerated -update.
func TestGeneratedFilesAreFresh(t *testing.T) {
	for name, make := range map[string]func(text string) string{
		"../docs/language.md": func(text string) string {
			return generated.ReplaceAllStringFunc(text, func(m string) string {
				parts := generated.FindStringSubmatch(m)
				return parts[1] + table(parts[2]) + parts[3]
			})
		},
		"../editors/upath.tmLanguage.json": func(text string) string { return grammar(t, text) },
	} {
		data, err := os.ReadFile(name)
		require.NoError(t, err)
		fresh := make(string(data))
		if *update {
			require.NoError(t, os.WriteFile(name, []byte(fresh), 0o644))
			continue
		}
		assert.Equal(t, fresh, string(data), "%s is not fresh", name)
	}
}

// Each form is in the reference once.
func TestTheReferenceTellsEveryForm(t *testing.T) {
	t.Parallel()
	data, err := os.ReadFile("../docs/language.md")
	require.NoError(t, err)
	for _, f := range syntax.Forms() {
		assert.Equal(t, 1, strings.Count(string(data), "| `"+cell(f.Usage)+"` |"), f.Word)
	}
}
