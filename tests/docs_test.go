package tests

import (
	"debug/elf"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/syntax"
)

var upathBlock = regexp.MustCompile("(?s)```upath\n(.*?)```")

func TestEveryExampleOfTheReferenceRuns(t *testing.T) {
	t.Parallel()
	var blocks [][]string
	for name, least := range map[string]int{"language": 8, "guide": 5} {
		text, err := os.ReadFile("../docs/" + name + ".md")
		require.NoError(t, err)
		found := upathBlock.FindAllStringSubmatch(string(text), -1)
		require.GreaterOrEqual(t, len(found), least)
		blocks = append(blocks, found...)
	}
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
	t.Parallel()
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

// The image has nothing but the binary: what it starts is what it copies, and the binary needs
// nothing beside it.
func TestTheImageHoldsWhatItStarts(t *testing.T) {
	t.Parallel()
	text, err := os.ReadFile("../Dockerfile")
	require.NoError(t, err)
	lines := map[string]string{}
	for _, l := range strings.Split(string(text), "\n") {
		if word, rest, ok := strings.Cut(l, " "); ok && !strings.HasPrefix(l, "#") {
			lines[word] = rest
		}
	}
	assert.Equal(t, "scratch", lines["FROM"])
	_, to, _ := strings.Cut(lines["COPY"], " ")
	var start []string
	require.NoError(t, json.Unmarshal([]byte(lines["ENTRYPOINT"]), &start))
	assert.Equal(t, []string{to}, start)
	static := filepath.Join(t.TempDir(), "usualpath")
	c := exec.Command("go", "build", "-o", static, "../cmd/usualpath")
	c.Env = append(os.Environ(), "CGO_ENABLED=0", "GOOS=linux")
	said, err := c.CombinedOutput()
	require.NoError(t, err, "%s", said)
	f, err := elf.Open(static)
	require.NoError(t, err)
	defer f.Close()
	libraries, err := f.ImportedLibraries()
	require.NoError(t, err)
	assert.Empty(t, libraries)
	assert.Nil(t, f.Section(".interp"))
}
