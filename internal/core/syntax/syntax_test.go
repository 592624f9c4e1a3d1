package syntax

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/source"
)

func parse(t testing.TB, text string) *File {
	tree, diags := Parse(source.NewFile("t", text))
	for _, d := range diags {
		t.Errorf("%s at %d in:\n%s", d.Message, d.Span.Start, text)
	}
	return tree
}

func TestLayout(t *testing.T) {
	for _, c := range []struct{ name, in, out string }{
		{"comments and blanks survive", "# head\n\n\n\nlet   a=1 # one\n#two\nlet b = 2\n\n# end\n", "# head\n\nlet a = 1  # one\n#two\nlet b = 2\n\n# end\n"},
		{"indentation is set", "scenario \"s\"\n step \"t\"\n  send GET /x\n   header A:b\n         expect status 200\n", "scenario \"s\"\n  step \"t\"\n    send GET /x\n      header A: b\n    expect status 200\n"},
		{"steps and blocks are set apart", "scenario \"s\"\n  step \"t\"\n    send GET /x\n  step \"u\"\n    send GET /y\nafterwards\n  step \"v\"\n    send GET /z\n", "scenario \"s\"\n  step \"t\"\n    send GET /x\n\n  step \"u\"\n    send GET /y\n\nafterwards\n  step \"v\"\n    send GET /z\n"},
		{"values on one line", "let a = {\"x\":[1,2 ,{}],\"y\":{name}}\n", "let a = { \"x\": [1, 2, {}], \"y\": {name} }\n"},
		{"values on several lines", "let a = {\n\"x\":1,\n \"y\":[\n2]}\n", "let a = {\n  \"x\": 1,\n  \"y\": [\n    2\n  ]\n}\n"},
		{"comments inside values", "let a = { # open\n # lead\n \"x\": 1, # trail\n \"y\": 2 # last\n # tail\n}\n", "let a = {\n  # open\n  # lead\n  \"x\": 1,  # trail\n  \"y\": 2  # last\n  # tail\n}\n"},
		{"long values are broken", "let a = { \"x\": \"" + strings.Repeat("y", 60) + "\", \"z\": \"" + strings.Repeat("y", 40) + "\" }\n", "let a = {\n  \"x\": \"" + strings.Repeat("y", 60) + "\",\n  \"z\": \"" + strings.Repeat("y", 40) + "\"\n}\n"},
		{"text blocks", "let a = \"\"\"\n      one {x}\n        two\n\n      \"\"\"\n", "let a = \"\"\"\n  one {x}\n    two\n\n\"\"\"\n"},
		{"aligned blocks", "defaults\n  header A: b\n  timeout 5s\n", "defaults\n  header  A: b\n  timeout 5s\n"},
		{"CRLF", "let a = 1\r\nlet b = 2 # x\r\n", "let a = 1\nlet b = 2  # x\n"},
		{"shapes", "scenario \"s\"\n  step \"t\"\n    send GET /x\n    expect $.a is   integer 1..  as n or not null or /a b/i\n    expect body is {\"a\"?:string length 1..5 /x/,\"b\":any order [1,...],...}\n    expect boats gains 1   and loses {name} because \"why\"\n    expect at least 2 status 2xx or not 204\n    expect $ sorted by $.x descending\n    expect header Allow lists GET,HEAD\n", "scenario \"s\"\n  step \"t\"\n    send GET /x\n    expect $.a is integer 1.. as n or not null or /a b/i\n    expect body is { \"a\"?: string length 1..5 /x/, \"b\": any order [1, ...], ... }\n    expect boats gains 1 and loses {name}  because \"why\"\n    expect at least 2 status 2xx or not 204\n    expect $ sorted by $.x descending\n    expect header Allow lists GET, HEAD\n"},
	} {
		got := Print(parse(t, c.in))
		assert.Equal(t, c.out, got, c.name)
		assert.Equal(t, got, Print(parse(t, got)), "%s, twice", c.name)
	}
}

func TestExamplesAreLaidOut(t *testing.T) {
	files, err := filepath.Glob("../../../examples/*.upath")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, f := range files {
		data, err := os.ReadFile(f)
		require.NoError(t, err)
		assert.Equal(t, string(data), Print(parse(t, string(data))), f)
	}
}

func TestAllMistakesOfAFileInOneGo(t *testing.T) {
	text := "scenario \"s\"\n  step \"t\"\n    snd GET /x\n    send POST /x\n      json { \"a\": [1,\n    expect status 2000\nlet = 5\nscenario \"u\"\n  stp \"x\"\n"
	_, diags := Parse(source.NewFile("t", text))
	f := source.NewFile("t", text)
	var lines []int
	for _, d := range diags {
		lines = append(lines, f.Position(d.Span.Start).Line)
	}
	assert.Equal(t, []int{3, 6, 6, 7, 9}, lines)
}

func comments(f *File) string {
	var out []string
	add := func(lead []Comment, trail string) {
		for _, c := range lead {
			if c.Text != "" {
				out = append(out, c.Text)
			}
		}
		if trail != "" {
			out = append(out, trail)
		}
	}
	var each func(list []*Statement)
	each = func(list []*Statement) {
		for _, st := range list {
			add(st.Lead, st.Trail)
			each(st.Children)
		}
	}
	each(f.Statements)
	add(f.Tail, "")
	return strings.Join(out, "\n")
}

func FuzzParse(f *testing.F) {
	files, _ := filepath.Glob("../../../examples/*.upath")
	for _, name := range files {
		data, err := os.ReadFile(name)
		require.NoError(f, err)
		f.Add(string(data))
	}
	f.Add("scenario \"s\"\n  for each case\n    { \"a\": 1 } # c\n  step \"t\"\n    when status 2xx of \"q\"\n    send GET {p}?x={n + 1} # d\n      part a file \"x\" as image/png\n      retry for 5s every 200ms\n    keep x from text /a(b)/\n    again 3 times\n      without header A\n    expect xml //a[@b = 'c'] is \"d\"\n")
	f.Add("let a = [ # x\n1 # y\n, # z\n2]\nservice s\n  ready GET /x is 200 or 204 within 5s\n  stop TERM\n")
	f.Add("scenario \"s\"\n  step \"t\"\n    send GET {m[\"\\{a}\"]}\n    expect $ is {m[\"b\\x\"]}\n")
	for _, form := range Forms() {
		for p := range around {
			if form.In&p != 0 {
				f.Add(placed(form, p, form.Example))
			}
		}
	}
	for _, one := range PredicateForms {
		f.Add(placed(&Form{Role: roleClaim}, InStep, "expect $.id "+one.Example))
	}
	f.Fuzz(func(t *testing.T, text string) {
		tree, diags := Parse(source.NewFile("t", text))
		for _, d := range diags {
			require.True(t, d.Span.Start >= 0 && d.Span.Start <= d.Span.End && d.Span.End <= len(text), "%v %q", d.Span, d.Message)
		}
		if len(diags) > 0 {
			return
		}
		for _, st := range tree.Statements {
			walkAll(t, st)
		}
		once := Print(tree)
		again, diags := Parse(source.NewFile("t", once))
		require.Empty(t, diags, "%q became %q", text, once)
		require.Equal(t, once, Print(again))
		require.Equal(t, comments(tree), comments(again))
	})
}
