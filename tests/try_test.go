package tests

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func text(t *testing.T, parts ...string) string {
	t.Helper()
	data, err := os.ReadFile(filepath.Join(parts...))
	require.NoError(t, err)
	return string(data)
}

// What is tried becomes a suite: each request a step, ids as names, and the whole
// runs as it is.
func TestTryFilesSteps(t *testing.T) {
	t.Parallel()
	base := gullPoint(t)
	before := "# Written by hand.\n\nscenario \"mine\"  # and kept\n  step \"open\"\n    send GET /healthz\n    expect status 200\n"
	dir := folder(t, "project.upath", "project p\n\nbase "+base+"\n\ndefaults\n  header Accept: application/json\n", "boats.upath", before)
	try := func(args ...string) string {
		t.Helper()
		r := run(t, dir, append([]string{"try"}, args...)...)
		require.Equal(t, 0, r.code, r.err)
		return r.out
	}
	out := try("POST", "/boats", "--json", `{"name": "Smew", "length_m": 4.50}`, "--into", "boats.upath", "--scenario", "a life", "--step", "register")
	assert.Contains(t, out, "+ ", "the change is shown")
	assert.Contains(t, out, "as boat")
	made := text(t, dir, "boats.upath")
	require.True(t, strings.HasPrefix(made, before), "nothing else moves")
	id := strings.SplitN(strings.SplitN(out, "Location", 2)[1], "/boats/", 2)[1]
	id = id[:strings.IndexFunc(id, func(r rune) bool { return r < '0' || r > '9' })]
	try("GET", "/boats/"+id, "--into", "boats.upath")
	try("PATCH", "/boats/"+id, "--json", `{"flag": "SE"}`, "--header", "Content-Type: application/merge-patch+json", "--into", "boats.upath")
	try("DELETE", "/boats/"+id, "--into", "boats.upath", "--step", "end it")
	made = text(t, dir, "boats.upath")
	for _, w := range []string{`scenario "a life"`, `step "register"`, `"length_m": 4.50`, "expect status 201", `"id": integer`, `"registered_at": datetime`, "send GET /boats/{boat}", "send PATCH /boats/{boat}", "as application/merge-patch+json", "send DELETE /boats/{boat}", `step "end it"`, "expect status 204", "expect body empty"} {
		assert.Contains(t, made, w)
	}
	assert.NotContains(t, made, "/boats/"+id)
	tidy(t, dir)
	r := run(t, dir, "run")
	assert.Equal(t, 0, r.code, r.out)
	assert.Contains(t, r.out, "2 scenarios: 2 held")

	for _, c := range []struct {
		args []string
		want string
	}{
		{[]string{"GET", "/boats", "--into", "boats.txt"}, "is not a scenario file"},
		{[]string{"GET", "/boats", "--step", "x"}, "--into names it"},
		{[]string{"GET", "/boats/{nope}"}, "never bound"},
		{[]string{"GET", "/boats", "--without", "cookie x"}, "--without 'header Name'"},
		{[]string{"GET", "/boats", "--repeat", "0"}, "from 1 to 10000"},
	} {
		r := run(t, dir, append([]string{"try"}, c.args...)...)
		assert.Equal(t, 2, r.code, "%v", c.args)
		assert.Contains(t, r.err, c.want, "%v", c.args)
	}
	broken := folder(t, "b.upath", "scenario \"s\"\n  stap \"t\"\n")
	r = run(t, broken, "try", "GET", base+"/boats", "--into", "b.upath")
	assert.Equal(t, 2, r.code, r.out)
	assert.Equal(t, "scenario \"s\"\n  stap \"t\"\n", text(t, broken, "b.upath"), "a file with errors is left alone")
}
