// Package golden compares what a test gives with what a file says it gives. It
// is for tests only.
package golden

import (
	"bytes"
	"flag"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/tools/txtar"
)

// Update tells whether the tests write what they give into their files; set by
// the flag -update.
var Update = flag.Bool("update", false, "write what the tests give into the files that say it")

// wanted begins the names of an archive's files that say what is given.
const wanted = "want/"

// Each runs do on every txtar archive that a pattern matches. Its files are the
// input, but for those under want/: these are the files that do returns, by
// name. With -update they are written.
func Each(t *testing.T, pattern string, do func(t *testing.T, in map[string]string) []txtar.File) {
	// The test may change the folder.
	pattern, err := filepath.Abs(pattern)
	require.NoError(t, err)
	names, err := filepath.Glob(pattern)
	require.NoError(t, err)
	require.NotEmpty(t, names, pattern)
	for _, name := range names {
		t.Run(strings.TrimSuffix(filepath.Base(name), ".txtar"), func(t *testing.T) {
			archive, err := txtar.ParseFile(name)
			require.NoError(t, err)
			in, want := map[string]string{}, map[string]string{}
			kept := archive.Files[:0]
			for _, f := range archive.Files {
				if which, is := strings.CutPrefix(f.Name, wanted); is {
					want[which] = string(f.Data)
					continue
				}
				in[f.Name] = string(f.Data)
				kept = append(kept, f)
			}
			archive.Files = kept
			for _, f := range do(t, in) {
				// An archive's files end in a line end.
				f.Data = append(bytes.TrimRight(f.Data, "\n"), '\n')
				if !*Update {
					Same(t, f.Name+" in "+filepath.Base(name), want[f.Name], string(f.Data))
				}
				delete(want, f.Name)
				archive.Files = append(archive.Files, txtar.File{Name: wanted + f.Name, Data: f.Data})
			}
			if *Update {
				require.NoError(t, os.WriteFile(name, txtar.Format(archive), 0o644))
				return
			}
			assert.Empty(t, want, "not given any more")
		})
	}
}

// Same tells the first line in which a text differs from what a file says.
func Same(t *testing.T, file, want, got string) {
	t.Helper()
	if at, was, is := departs(want, got); at > 0 {
		assert.Failf(t, "not as the file says; -update takes it over", "%s, line %d\nwas: %s\nis:  %s", file, at, was, is)
	}
}

// departs is the first line, from 1, in which two texts differ; 0 for none.
func departs(want, got string) (at int, was, is string) {
	a, b := strings.Split(want, "\n"), strings.Split(got, "\n")
	for i := range max(len(a), len(b)) {
		was, is = "(the end)", "(the end)"
		if i < len(a) {
			was = a[i]
		}
		if i < len(b) {
			is = b[i]
		}
		if was != is {
			return i + 1, was, is
		}
	}
	return 0, "", ""
}
