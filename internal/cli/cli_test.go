package cli

import (
	"bytes"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/tools/txtar"

	"usualpath/internal/golden"
	"usualpath/internal/harbour"
)

// shifting is what differs between two runs of the same: ports, times, sizes of what is sent, seeds.
var shifting = []struct {
	is *regexp.Regexp
	to string
}{
	{regexp.MustCompile(`\b(in|after) \d+(\.\d+)? m?s\b`), "$1 N s"}, {regexp.MustCompile(` *\b\d+(\.\d+)? m?s\b`), " N s"},
	{regexp.MustCompile(`seed \d{4,}`), "seed N"}, {regexp.MustCompile(`port \d+`), "port N"}, {regexp.MustCompile(`\d{4}-\d\d-\d\dT[0-9:.]+Z`), "T"}, {regexp.MustCompile(`,\d+\.\d+,`), ",N,"}, {regexp.MustCompile(`(Date|ETag): .*`), "$1: …"}, {regexp.MustCompile(`(answered .*)\{".*`), "$1{…}"}, {regexp.MustCompile(`20\d\d-\d\d-\d\d`), "D"},
}

// The archives hold files and command lines, one to a line; what each prints, its exit code where
// it is not 0, and the files that it writes. $BASE is a harbour that starts for the archive.
func TestCommands(t *testing.T) {
	t.Setenv("NO_COLOR", "1")
	t.Setenv("EDITOR", "")
	t.Setenv("HARBOUR_TOKEN", "sesame-street-42")
	t.Setenv("XDG_CACHE_HOME", t.TempDir())
	golden.Each(t, "testdata/*.txtar", func(t *testing.T, in map[string]string) []txtar.File {
		service, err := harbour.Start(harbour.Options{SeedData: true})
		require.NoError(t, err)
		defer func() { assert.NoError(t, service.Close()) }()
		_, host, _ := strings.Cut(service.URL, "//")
		there := func(s string) string { return strings.ReplaceAll(s, "$BASE", service.URL) }
		same := func(s string) []byte {
			s = strings.ReplaceAll(strings.ReplaceAll(s, service.URL, "$BASE"), host, "$HOST")
			for _, c := range shifting {
				s = c.is.ReplaceAllString(s, c.to)
			}
			return []byte(s)
		}
		t.Chdir(t.TempDir())
		for name, text := range in {
			require.NoError(t, os.MkdirAll(filepath.Dir(name), 0o755))
			require.NoError(t, os.WriteFile(name, []byte(there(text)), 0o644))
		}
		var all bytes.Buffer
		for _, line := range strings.Split(strings.TrimSpace(in["commands"]), "\n") {
			fmt.Fprintf(&all, "$ usualpath %s\n", line)
			if code := Main(words(there(line)), &all, &all); code != 0 {
				fmt.Fprintf(&all, "[%d]\n", code)
			}
		}
		given := []txtar.File{{Name: "printed", Data: same(all.String())}}
		require.NoError(t, filepath.WalkDir(".", func(name string, e fs.DirEntry, err error) error {
			if err != nil || e.IsDir() || !slices.Contains([]string{".upath", ".tsv", ".csv", ".xml"}, filepath.Ext(name)) {
				return err
			}
			data, err := os.ReadFile(name)
			if there(in[name]) != string(data) {
				given = append(given, txtar.File{Name: filepath.ToSlash(name), Data: same(string(data))})
			}
			return err
		}))
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
