package tests

import (
	"net/http"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// A run says beforehand what it would run, and afterwards can run only what failed.
func TestWhatWouldRunAndWhatFailed(t *testing.T) {
	t.Parallel()
	plainOnly(t)
	broken := map[string]bool{"/b": true, "/row/2": true}
	asked := map[string]int{}
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		asked[r.URL.Path]++
		if broken[r.URL.Path] {
			w.WriteHeader(500)
		}
	})
	step := "  step \"t\"\n    send GET "
	dir := folder(t, "project.upath", "project p\nbase "+base+"\n", "sub/a.upath", "scenario \"one\"\n  tags smoke\n"+step+"/a\n    expect status 200\nscenario \"two\"\n"+step+"/b\n    expect body empty\n    expect status 200\n"+
		"scenario \"row {n}\"\n  for each case\n    { \"n\": 1 }\n    { \"n\": 2 }\n    { \"n\": 3 }\n"+step+"/row/{n}\n    expect status 200\n")
	r := run(t, dir, "run", "--failed")
	assert.Equal(t, 2, r.code)
	assert.Contains(t, r.err, "nothing has failed here yet")
	r = run(t, dir, "run", "--list")
	assert.Equal(t, 0, r.code, r.err)
	for _, w := range []string{"sub/a.upath\n", "    1  one   smoke\n", "row {n}   3 rows", "5 scenarios, 0 checks; nothing was sent"} {
		assert.Contains(t, r.out, w)
	}
	assert.Contains(t, run(t, dir, "run", "--list=json", "--tag", "smoke").out, `"tags": [`)
	assert.Empty(t, asked)

	r = run(t, dir, "run")
	assert.Contains(t, r.out, "sub/a.upath:10", "a miss stands at its own line")
	assert.NotContains(t, r.out, "sub/a.upath:7")
	assert.FileExists(t, filepath.Join(dir, ".usualpath", "failed.json"))
	quiet := run(t, dir, "run", "-q").out
	assert.NotContains(t, quiet, "  one  ")
	assert.Contains(t, quiet, "two")
	assert.Equal(t, 1, strings.Count(run(t, dir, "run", "-qq").out, "\n"))

	clear(asked)
	r = run(t, filepath.Join(dir, "sub"), "run", "--failed")
	assert.Equal(t, 1, r.code, r.err)
	assert.Equal(t, map[string]int{"/b": 1, "/row/1": 1, "/row/2": 1, "/row/3": 1}, asked, "all rows of one that failed")
	clear(broken)
	assert.Equal(t, 0, run(t, dir, "run", "--failed").code)
	assert.Contains(t, run(t, dir, "run", "--failed").err, "nothing failed the last time")

	checks := folder(t, "c.upath", "scenario \"printed\"\n  check lifecycle/deleted-is-gone of boats on delete\n"+step+"/a\n    expect status 200\n")
	r = run(t, checks, "run", "--list", "--base", base)
	assert.Equal(t, 0, r.code, r.err)
	assert.Contains(t, r.out, "c.upath\n", "checks that were printed stand in their own file")

	base = gullPoint(t)
	r = run(t, "../examples", "run", "--list", "--resource", "log")
	assert.Regexp(t, `0 scenarios, \d+ checks`, r.out)
	r = run(t, "../examples", "run", "log.upath", "tides.upath", "--resource", "tides", "--base", base)
	assert.Contains(t, r.out, "checks of 1 resource")
	assert.NotContains(t, r.out, "log.upath")
}
