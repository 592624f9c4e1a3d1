package tests

import (
	"os"
	"path/filepath"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestDemoHoldsAndEachFaultIsFound(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	for _, c := range []struct {
		fault string
		code  int
		// says are pieces of the failure that a tester would look for.
		says []string
	}{
		{"", 0, []string{"31 scenarios: 31 held   477 checks of 5 resources: 467 held, 10 not applicable\n", "next"}},
		{"deleted-still-there", 1, []string{`step 5 "remove it"`, "boats: unchanged; nothing is gone, all are still there", "removes the one item it names", "200 OK"}},
		{"missing-is-empty-200", 1, []string{"sent      GET /boats/999999999", "200 OK", "neither a success nor an empty answer"}},
		{"delete-removes-all", 1, []string{"boats: 13 lost", "Arctic Tern", "and no other"}},
		{"put-appends", 1, []string{"boats: 1 gained", "after PUT the item is what was sent", "with it   5 more checks for the same cause: "}},
		{"no-allow", 1, []string{"there is no header Allow", "405 names what works (RFC 9110 §15.5.6)"}},
	} {
		t.Run(c.fault, func(t *testing.T) {
			if c.code > 0 && os.Getenv("USUALPATH_RACE") != "" {
				t.Skip("one run with the race detector is enough")
			}
			args := []string{"demo", "--seed", "7"}
			if c.fault != "" {
				args = append(args, "--fault", c.fault)
			}
			r := run(t, dir, args...)
			assert.Equal(t, c.code, r.code, r.out+r.err)
			for _, s := range c.says {
				assert.Contains(t, r.out, s)
			}
			if c.fault != "" {
				assert.Contains(t, r.out, "again     usualpath demo --fault "+c.fault+" --only ")
			}
		})
	}
}

func TestDemoLeavesNothingBehind(t *testing.T) {
	t.Parallel()
	base := gullPoint(t)
	before := run(t, ".", "try", "GET", base+"/boats").out
	r := run(t, ".", "run", "../examples", "--base", base)
	require.Equal(t, 0, r.code, r.out)
	after := run(t, ".", "try", "GET", base+"/boats").out
	// The time it took is in the second line.
	took := regexp.MustCompile(`[0-9.]+ ms`)
	assert.Equal(t, took.ReplaceAllString(before, ""), took.ReplaceAllString(after, ""))
}

func TestSameVerdictsForAnyNumberOfWorkers(t *testing.T) {
	t.Parallel()
	base := gullPoint(t, "put-appends")
	drop := regexp.MustCompile(`[0-9.]+ m?s\b|[0-9a-f]{8}-[0-9a-f-]{27}|"?registered_at"?.*|"?id"?: \d+|/boats/\d+|\d+ requests|  +`)
	var first string
	for _, n := range []string{"1", "2", "8"} {
		r := run(t, ".", "run", "../examples", "--base", base, "--seed", "3", "--workers", n, "--only", "is not found", "--only", "refused")
		require.Equal(t, 0, r.code, r.out+r.err)
		text := drop.ReplaceAllString(r.out, "")
		if first == "" {
			first = text
		}
		assert.Equal(t, first, text, "workers %s", n)
	}
}

func TestServeKeepsItsData(t *testing.T) {
	t.Parallel()
	data := filepath.Join(t.TempDir(), "deep", "data")
	for range 2 {
		stop, base := serve(t, "--data", data, "--seed-data")
		r := run(t, ".", "try", "GET", "/boats/12", "--base", base)
		assert.Contains(t, r.out, `"name": "Whimbrel"`)
		stop()
	}
	_, err := os.Stat(filepath.Join(data, "harbour.db"))
	assert.NoError(t, err)
	assert.Contains(t, run(t, ".", "demo", "serve", "--list-faults").out, "put-appends")
	r := run(t, ".", "demo", "serve", "--fault", "deleted-still-here")
	assert.Equal(t, 2, r.code)
	assert.Contains(t, r.err, "deleted-still-there")
}
