package draft

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/tools/txtar"

	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/golden"
)

// What was tried is filed as steps of a scenario that is there: names are kept from one to the
// next, credentials are not written down, and nothing else of the file moves.
func TestWhatWasTriedIsFiled(t *testing.T) {
	golden.Each(t, "testdata/filed/*.txtar", func(t *testing.T, in map[string]string) []txtar.File {
		text, known := in["there"], Known{}
		dir := t.TempDir()
		for _, line := range strings.Split(strings.TrimSpace(in["tried"]), "\n") {
			said := struct {
				*Last
				JSON json.RawMessage `json:"json"`
				Text string
			}{Last: &Last{}}
			require.NoError(t, json.Unmarshal([]byte(line), &said), line)
			last := said.Last
			last.Body = []byte(said.Text + string(said.JSON))
			last.Typed, last.Secrets, _ = last.Typed.WithoutCredentials()
			require.NoError(t, last.Remember(dir))
			require.Equal(t, last.Body, append([]byte{}, LoadLast(dir).Body...))
			tree, _ := syntax.Parse(source.NewFile("a.upath", text))
			binds := func(top bool) func(string) bool { return func(n string) bool { return Binds(tree, n, top) } }
			filed, err := LoadLast(dir).File("a.upath", text, "mine", known, func(title string) bool { return Titled(tree, "mine", title) }, binds(false), binds(true))
			require.NoError(t, err, line)
			text = filed.Text
			_, diags := syntax.Parse(source.NewFile("a.upath", text))
			require.Zero(t, diags.Errors(), text)
		}
		assert.Contains(t, text, in["there"][strings.Index(in["there"], "scenario \"another\""):])
		return []txtar.File{{Name: "a.upath", Data: []byte(text)}}
	})
	_, err := Insert("a.upath", "scenario", "", "", []string{"step \"x\""})
	assert.ErrorContains(t, err, "mend the file first")
}
