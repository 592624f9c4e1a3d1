package tests

import (
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Values come from the command line, from environments and from the shell.
func TestValuesFromOutside(t *testing.T) {
	plainOnly(t)
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		_, _ = io.Copy(w, r.Body)
	})
	config := "project p\nenvironment dev default\n  let who = \"dev\"\nenvironment ci\n  let who = \"ci\"\n"
	dir := folder(t, "project.upath", config, "a.upath", "base "+base+"\nlet n = 1\nsecret token from env TOKEN\n"+`
scenario "s {who}"
  step "t"
    send POST /x
      json { "n": {n}, "who": {who}, "token": {token} }
    expect $.n is 2
    expect $.who is "dev"
`)
	r := run(t, dir, "run")
	assert.Equal(t, 2, r.code)
	assert.Contains(t, r.err, "the environment variable TOKEN of `token` is not set")
	assert.Contains(t, r.err, "1 error; nothing was sent")
	t.Setenv("TOKEN", "sesame-42")
	for _, c := range []struct {
		args []string
		code int
		says string
	}{
		{[]string{"--let", "n=2"}, 0, "s dev"},
		{[]string{"--let", "n=[1]"}, 1, "$.n expected 2, found [1]"},
		{[]string{"--let", "n=two"}, 1, "--let n=two"},
		{[]string{"--let", "n=2", "--env", "ci"}, 1, "s ci"},
		{[]string{"--let", "n=2", "--let", "who=dev", "--env", "ci"}, 0, "s dev"},
		{[]string{"--let", "token=x"}, 2, "bind it as a secret"},
		{[]string{"--let", "turn=1"}, 2, "is not bound from outside"},
		{[]string{"--let", "n"}, 2, "does not bind a name"},
		{[]string{"--env", "cj"}, 2, "did you mean ci?"},
	} {
		r := run(t, dir, append([]string{"run"}, c.args...)...)
		assert.Equal(t, c.code, r.code, "%v\n%s%s", c.args, r.out, r.err)
		assert.Contains(t, r.out+r.err, c.says)
		assert.NotContains(t, r.out+r.err, "`who` is never bound")
	}
	t.Setenv("TOKEN", "")
	require.NoError(t, os.Unsetenv("TOKEN"))
	kept := folder(t, "project.upath", config+"\nenv file \".env\"\n", "a.upath", text(t, dir, "a.upath"))
	r = run(t, kept, "run", "--let", "n=2")
	assert.Equal(t, 2, r.code)
	assert.Contains(t, r.err, "or write it into .env")
	require.NoError(t, os.WriteFile(filepath.Join(kept, ".env"), []byte("# of ours\nexport TOKEN='sesame-44'\n"), 0o600))
	r = run(t, kept, "run", "--let", "n=2", "-v")
	assert.Equal(t, 0, r.code, r.out+r.err)
	assert.NotContains(t, r.out, "sesame")
	t.Setenv("TOKEN", "other-token")
	assert.NotContains(t, run(t, kept, "run", "--let", "n=2", "-v").out, "other-token", "the process environment wins")
	require.NoError(t, os.WriteFile(filepath.Join(kept, ".env"), []byte("TOKEN sesame\n"), 0o600))
	assert.Contains(t, run(t, kept, "lint").err+run(t, kept, "lint").out, ".env does not hold variables")
	t.Setenv("USUALPATH_ENV", "ci")
	assert.Contains(t, run(t, dir, "run", "--let", "n=2").out, "s ci")
	t.Setenv("USUALPATH_ENV", "")
	dir = folder(t, "project.upath", "project p\nenvironment dev\n  let who = \"dev\"\nenvironment ci\n  let who = \"ci\"\n", "a.upath", "base "+base+"\nscenario \"s\"\n  step \"t\"\n    send GET /{who}\n    expect status 200\n")
	assert.Contains(t, run(t, dir, "lint").out+run(t, dir, "lint").err, "choose one: --env dev, --env ci")
}

// FILE:LINE runs what stands at a line: a scenario, with what is done afterwards,
// a resource, or the checks that go by one of its lines.
func TestWhatStandsAtALine(t *testing.T) {
	t.Parallel()
	plainOnly(t)
	text, err := os.ReadFile("../examples/boats.upath")
	require.NoError(t, err)
	line := func(of string) string {
		before, _, found := strings.Cut(string(text), of)
		require.True(t, found, of)
		return strconv.Itoa(strings.Count(before, "\n") + 1)
	}
	base := gullPoint(t)
	for of, says := range map[string]string{
		"scenario \"a boat's": "1 scenario: 1 held", "send PATCH /boats/{boat}": "1 scenario: 1 held", "leave nothing behind": "1 scenario: 1 held", "let heron": "nothing that runs stands at that line",
		"resource boats": " checks of 1 resource: ", "  unique     name": " checks of 1 resource: ", "  paging ": " checks of 1 resource: ",
	} {
		r := run(t, "../examples", "run", "boats.upath:"+line(of), "--base", base)
		assert.Contains(t, r.out+r.err, says, of)
	}
	all := run(t, "../examples", "run", "boats.upath:"+line("resource boats"), "--base", base, "-q").out
	some := run(t, "../examples", "run", "boats.upath:"+line("  unique     name"), "--base", base).out
	assert.NotEqual(t, all, some)
	assert.NotContains(t, some, "stays  ")
}
