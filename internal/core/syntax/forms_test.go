package syntax

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/source"
)

// around gives a line a place to be in.
var around = map[Place]string{
	InFile:        "%s\n",
	InHead:        "scenario \"s\"\n  %s\n\n  step \"t\"\n    send GET /x\n",
	InStep:        "scenario \"s\"\n  step \"first\"\n    send GET /x\n\n  step \"t\"\n    %s\n",
	InRequest:     "scenario \"s\"\n  step \"t\"\n    send POST /x\n      %s\n",
	InDefaults:    "defaults\n  %s\n",
	InEnvironment: "environment e\n  %s\n",
	InService:     "service s\n  %s\n",
	InRoutine:     "afterwards\n  %s\n",
	InResource:    "resource r\n  %s\n",
	InAlso:        "resource r\n  also xml\n    %s\n",
}

// placed puts a line where a form may be.
func placed(f *Form, p Place, line string) string {
	text := strings.Replace(around[p], "%s", line, 1)
	if p == InStep && (f.Role == roleClaim || f.Role == roleAgain) {
		text = strings.Replace(text, "    "+line, "    send GET /x\n    "+line, 1)
	}
	if p == InStep && f.Role == roleStep || p == InStep && f.Role == roleCall {
		text = strings.Replace(text, "    "+line, "    send GET /x\n\n  "+line, 1)
	}
	return text
}

// roundTrip reads a text, prints it, and reads and prints that again.
func roundTrip(t *testing.T, text string) *File {
	t.Helper()
	f, diags := Parse(source.NewFile("a.upath", text))
	require.Empty(t, diags, text)
	printed := Print(f)
	again, diags := Parse(source.NewFile("a.upath", printed))
	require.Empty(t, diags, printed)
	assert.Equal(t, printed, Print(again), "printed twice")
	assert.Equal(t, strings.Fields(text), strings.Fields(printed), "nothing is lost")
	for _, st := range f.Statements {
		walkAll(t, st)
	}
	return f
}

// walkAll visits all that a statement and those below it hold.
func walkAll(t *testing.T, st *Statement) {
	Walk(st, func(e *Expr) { require.NotNil(t, e) })
	for _, b := range Bindings(st) {
		require.NotEmpty(t, b.Name)
	}
	for _, c := range st.Children {
		walkAll(t, c)
	}
}

// Every form says all of itself, and its example is read and printed wherever
// it may be.
func TestEveryForm(t *testing.T) {
	for _, f := range Forms() {
		t.Run(f.Word, func(t *testing.T) {
			assert.True(t, strings.HasPrefix(f.Usage, f.Word), f.Usage)
			assert.True(t, strings.HasPrefix(f.Example, f.Word), f.Example)
			assert.True(t, strings.HasSuffix(f.Help, "."), "a sentence ends with a stop: %s", f.Help)
			require.NotZero(t, f.In, "it may stand somewhere")
			example := strings.ReplaceAll(f.Example, "{ … }", "{}")
			if f.Word == "let" {
				example = "let name = 1"
			}
			for p := range around {
				if f.In&p != 0 {
					roundTrip(t, placed(f, p, example))
				}
			}
		})
	}
}

// So does every predicate, with each of its subjects.
func TestEveryPredicate(t *testing.T) {
	subjects := map[string]string{"name": "{boat}", "header": "header X-Flag", "cookie": "cookie c", "path": "$.id", "xml": "xml //boat", "observation": "boats"}
	for _, f := range PredicateForms {
		for _, kind := range f.Subjects {
			t.Run(kind+" "+f.Op, func(t *testing.T) {
				assert.NotEmpty(t, f.Help)
				subject := subjects[kind]
				if subject == "" {
					subject = kind
				}
				tree := roundTrip(t, placed(&Form{Role: roleClaim}, InStep, "expect "+subject+" "+f.Example))
				children := tree.Statements[0].Children[1].Children
				claim := children[len(children)-1].Body.(*Expect).Claim
				assert.Equal(t, kind, claim.Subject.Kind)
				assert.Equal(t, f.Op, claim.Predicate.Op)
				assert.Same(t, f, claim.Predicate.form)
			})
		}
	}
}
