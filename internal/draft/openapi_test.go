package draft

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/tools/txtar"

	"usualpath/internal/contract"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/golden"
)

// The archives hold documents, the files drafted from them, and what is left
// for the user.
func TestDocumentsBecomeDrafts(t *testing.T) {
	golden.Each(t, "testdata/*.txtar", func(t *testing.T, in map[string]string) []txtar.File {
		name := filepath.Join(t.TempDir(), "described.yaml")
		require.NoError(t, os.WriteFile(name, []byte(in["described.yaml"]), 0o644))
		d, err := contract.Load(name)
		require.NoError(t, err)
		s := FromOpenAPI(d, "")
		var given []txtar.File
		for _, n := range s.Names {
			_, diags := syntax.Parse(source.NewFile(n, s.Files[n]))
			require.Empty(t, diags, "what is drafted is of the language")
			given = append(given, txtar.File{Name: n, Data: []byte(s.Files[n])})
		}
		return append(given, txtar.File{Name: "left", Data: []byte(strings.Join(s.Left, "\n"))})
	})
}
