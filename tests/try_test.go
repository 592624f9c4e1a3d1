package tests

import (
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
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

// A project's names, secrets and environments are known by hand too.
func TestTryKnowsTheProject(t *testing.T) {
	t.Parallel()
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		fmt.Fprintf(w, `{"path": %q, "auth": %q, "crew": %q}`, r.URL.Path, r.Header.Get("Authorization"), r.Header.Get("X-Crew"))
	})
	dir := folder(t, "project.upath", "project p\n\nbase http://127.0.0.1:1\n\nsecret key from env HARBOUR_TOKEN\nlet pier = \"north\"\n\ndefaults\n  auth bearer {key}\n\nenvironment here\n  base "+base+"\n  header X-Crew: two\n")
	r := run(t, dir, "try", "GET", "/{pier}", "--env", "here")
	require.Equal(t, 0, r.code, r.err)
	assert.Contains(t, r.out, `"path": "/north"`)
	assert.Contains(t, r.out, `"crew": "two"`)
	assert.NotContains(t, r.out, "sesame-street-42")
	r = run(t, dir, "try", "GET", "/x")
	assert.Equal(t, 3, r.code, r.out)
	r = run(t, dir, "try", "GET", "/x", "--env", "there")
	assert.Equal(t, 2, r.code)
	assert.Contains(t, r.err, "here")
}

func TestTryShowsWhatDiffers(t *testing.T) {
	t.Parallel()
	var n atomic.Int64
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		switch {
		case r.URL.Path == "/list" && r.URL.Query().Get("all") == "":
			fmt.Fprint(w, `[0]`)
		case r.URL.Path == "/list":
			fmt.Fprint(w, `[0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10]`)
		case r.URL.Path == "/counts":
			fmt.Fprintf(w, `{"n": %d, "name": "same"}`, n.Add(1))
		case r.Header.Get("X-Pilot") == "":
			w.WriteHeader(401)
			fmt.Fprint(w, `{"title": "who?"}`)
		default:
			fmt.Fprintf(w, `{"flag": %q}`, r.URL.Query().Get("flag"))
		}
	})
	r := run(t, t.TempDir(), "try", "GET", base+"/counts", "--repeat", "5")
	require.Equal(t, 0, r.code, r.err)
	assert.EqualValues(t, 5, n.Load())
	for _, w := range []string{"5", "$.n"} {
		assert.Contains(t, r.out, w)
	}
	_, differs, _ := strings.Cut(r.out, "}")
	assert.NotContains(t, differs, "$.name")
	r = run(t, t.TempDir(), "try", "GET", base+"/x?flag=NL", "--header", "X-Pilot: y", "--without", "header X-Pilot", "--without", "query flag")
	require.Equal(t, 0, r.code, r.err)
	for _, w := range []string{"without header X-Pilot", "401", "without query flag", "NL"} {
		assert.Contains(t, r.out, w)
	}
	r = run(t, t.TempDir(), "try", "GET", base+"/list", "--query", "all=1", "--without", "query all")
	require.Equal(t, 0, r.code, r.err)
	assert.Regexp(t, `(?s)\$\[2\].*\$\[9\].*\$\[10\]`, r.out, "elements in their order")
}
