package tests

import (
	"encoding/json"
	"os"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/syntax"
)

var upathBlock = regexp.MustCompile("(?s)```upath\n(.*?)```")

func TestEveryExampleOfTheReferenceRuns(t *testing.T) {
	text, err := os.ReadFile("../docs/language.md")
	require.NoError(t, err)
	blocks := upathBlock.FindAllStringSubmatch(string(text), -1)
	require.Greater(t, len(blocks), 7)
	base := gullPoint(t)
	for _, b := range blocks {
		dir := folder(t, "a.upath", b[1])
		for _, args := range [][]string{{"fmt", "--check"}, {"lint"}, {"run", "--base", base}} {
			r := run(t, dir, args...)
			assert.Equal(t, 0, r.code, "%v\n%s\n%s%s", args, b[1], r.out, r.err)
			assert.Empty(t, r.err, "%v", args)
		}
	}
}

func TestTheGrammarKnowsEveryKeyword(t *testing.T) {
	data, err := os.ReadFile("../editors/upath.tmLanguage.json")
	require.NoError(t, err)
	var grammar struct {
		Repository map[string]struct{ Match string }
	}
	require.NoError(t, json.Unmarshal(data, &grammar))
	statement, err := regexp.Compile(grammar.Repository["statement"].Match)
	require.NoError(t, err)
	for _, w := range syntax.Keywords() {
		require.True(t, statement.MatchString("  "+w+" x"), "%s is not coloured", w)
	}
}
