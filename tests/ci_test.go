package tests

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/goccy/go-yaml"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// commandsIn are the commands of a CI file, those below `run` and `script`.
func commandsIn(v any) []string {
	var out []string
	switch v := v.(type) {
	case yaml.MapSlice:
		for _, item := range v {
			if text, is := item.Value.(string); is && item.Key == "run" {
				out = append(out, text)
				continue
			}
			if list, is := item.Value.([]any); is && item.Key == "script" {
				for _, one := range list {
					out = append(out, one.(string))
				}
				continue
			}
			out = append(out, commandsIn(item.Value)...)
		}
	case []any:
		for _, one := range v {
			out = append(out, commandsIn(one)...)
		}
	}
	return out
}

// Each command of docs/ci.md runs, for each part of its matrix.
func TestWhatCIRuns(t *testing.T) {
	if os.Getenv("USUALPATH_RACE") != "" {
		t.Skip("the same without the race detector is enough")
	}
	page := text(t, "../docs/ci.md")
	dir := started(t)
	var commands []string
	for _, block := range regexp.MustCompile("(?s)```yaml\n(.*?)```").FindAllStringSubmatch(page, -1) {
		var doc yaml.MapSlice
		require.NoError(t, yaml.UnmarshalWithOptions([]byte(block[1]), &doc, yaml.UseOrderedMap()))
		commands = append(commands, commandsIn(doc)...)
	}
	for _, block := range regexp.MustCompile("(?s)```sh\n(.*?)```").FindAllStringSubmatch(page, -1) {
		commands = append(commands, strings.Split(strings.TrimSpace(block[1]), "\n")...)
	}
	require.GreaterOrEqual(t, len(commands), 8)
	bin := t.TempDir()
	require.NoError(t, os.Symlink(program, filepath.Join(bin, "usualpath")))
	for _, command := range commands {
		parts := []string{""}
		if strings.Contains(command, "matrix.shard") {
			parts = []string{"1", "2", "3"}
		} else if strings.Contains(command, "CI_NODE_INDEX") {
			parts = []string{"1", "2"}
		}
		for _, part := range parts {
			c := exec.Command("sh", "-c", strings.ReplaceAll(command, "${{ matrix.shard }}", part))
			c.Dir = dir
			c.Env = append(os.Environ(), "PATH="+bin+":"+os.Getenv("PATH"), "CI_NODE_INDEX="+part, "CI_NODE_TOTAL=2", "GITHUB_STEP_SUMMARY=summary.md")
			out, err := c.CombinedOutput()
			assert.NoError(t, err, "%s\n%s", command, out)
		}
	}
	for _, made := range []string{"summary.md", "report.html", "part-1.xml", "results.xml"} {
		assert.FileExists(t, filepath.Join(dir, made))
	}
	require.NoError(t, os.Remove(filepath.Join(dir, "shard-2.jsonl")))
	shards := []string{"report", "shard-1.jsonl", "shard-3.jsonl", "-qq"}
	r := run(t, dir, shards...)
	assert.Equal(t, 2, r.code, r.out)
	assert.Contains(t, r.err, "the record of shard 2 of 3 is missing")
	assert.Equal(t, 0, run(t, dir, append(shards, "--partial")...).code)

	t.Setenv("GITHUB_ACTIONS", "true")
	r = run(t, t.TempDir(), "demo", "-qq", "--fault", "put-appends")
	assert.NotContains(t, r.out, "::error", "the demo has no files of yours")
	failing := folder(t, "a.upath", "scenario \"s, t\"\n  step \"u\"\n    send GET http://127.0.0.1:1/x\n    expect status 200\n")
	r = run(t, failing, "run")
	assert.Contains(t, r.out, "\n::error file=a.upath,line=2,title=s%2C t::expected an answer")
}
