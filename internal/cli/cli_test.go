package cli

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/tools/txtar"

	"usualpath/internal/golden"
)

// The archives hold files and command lines, one to a line; what each prints,
// its exit code where it is not 0, and the files that it writes.
func TestCommands(t *testing.T) {
	t.Setenv("NO_COLOR", "1")
	t.Setenv("EDITOR", "")
	t.Setenv("XDG_CACHE_HOME", t.TempDir())
	golden.Each(t, "testdata/*.txtar", func(t *testing.T, in map[string]string) []txtar.File {
		t.Chdir(t.TempDir())
		for name, text := range in {
			require.NoError(t, os.MkdirAll(filepath.Dir(name), 0o755))
			require.NoError(t, os.WriteFile(name, []byte(text), 0o644))
		}
		var all bytes.Buffer
		for _, line := range strings.Split(strings.TrimSpace(in["commands"]), "\n") {
			fmt.Fprintf(&all, "$ usualpath %s\n", line)
			if code := Main(words(line), &all, &all); code != 0 {
				fmt.Fprintf(&all, "[%d]\n", code)
			}
		}
		given := []txtar.File{{Name: "printed", Data: all.Bytes()}}
		entries, err := os.ReadDir(".")
		require.NoError(t, err)
		for _, e := range entries {
			if e.IsDir() {
				continue
			}
			data, err := os.ReadFile(e.Name())
			require.NoError(t, err)
			if in[e.Name()] != string(data) && !slices.Contains([]string{"commands"}, e.Name()) {
				given = append(given, txtar.File{Name: e.Name(), Data: data})
			}
		}
		return given
	})
}

// words are those of a command line; '…' holds spaces.
func words(line string) []string {
	var out []string
	for i, part := range strings.Split(line, "'") {
		if i%2 == 1 {
			out = append(out, part)
		} else {
			out = append(out, strings.Fields(part)...)
		}
	}
	return out
}

// Every command has help with an example, and every flag says what it does.
func TestHelp(t *testing.T) {
	root := (&app{}).root()
	for _, c := range root.Commands() {
		if !c.IsAvailableCommand() || c.Name() == "completion" || c.Name() == "help" {
			continue
		}
		t.Run(c.Name(), func(t *testing.T) {
			var out bytes.Buffer
			assert.Zero(t, Main([]string{c.Name(), "--help"}, &out, &out))
			assert.Contains(t, out.String(), "usualpath "+c.Name())
			for _, line := range strings.Split(out.String(), "\n") {
				assert.LessOrEqual(t, len([]rune(line)), 140, "%q", line)
			}
		})
	}
}
