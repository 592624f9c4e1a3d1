package tests

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/harbour"
)

// What a browser has recorded of the harbour's page runs on a harbour whose ids are others.
func TestARecordingOfABrowserRuns(t *testing.T) {
	data, err := os.ReadFile("../examples/office.har")
	require.NoError(t, err)
	s, err := harbour.Start(harbour.Options{})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	dir := folder(t, "office.har", string(data))
	for range 5 {
		require.Equal(t, 0, run(t, dir, "try", "POST", s.URL+"/boats", "--json", `{"name": "Boat {uuid()}", "length_m": 5}`).code)
	}
	r := run(t, dir, "new", "drafted", "--from-har", "office.har", "--base", s.URL)
	require.Equal(t, 0, r.code, r.out+r.err)
	text, err := os.ReadFile(filepath.Join(dir, "drafted", "recorded.upath"))
	require.NoError(t, err)
	for _, w := range []string{"PATCH /boats/{boat}", "xml \"<boat><name>Red Knot", "expect xml /boat/name is", "resource boats", "resource log", "auth none"} {
		assert.Contains(t, string(text), w)
	}
	assert.NotContains(t, string(text), "1357")
	assert.NotContains(t, string(text), "unguarded")
	for _, args := range [][]string{{"fmt", "--check", "drafted"}, {"lint", "drafted"}} {
		r = run(t, dir, args...)
		assert.Equal(t, 0, r.code, r.out+r.err)
	}
	t.Run("a run", func(t *testing.T) {
		t.Setenv("PIN", "1357")
		r := run(t, dir, "run", "drafted")
		assert.Equal(t, 0, r.code, r.out+r.err)
		assert.NotContains(t, r.out, "left on the service")
	})
	r = run(t, dir, "run", "drafted")
	assert.Equal(t, 2, r.code, "without the secret nothing is sent")
	r = run(t, dir, "try", "--from-har", "office.har")
	assert.Contains(t, r.out, "POST http://127.0.0.1:4710/boats")
	r = run(t, dir, "try", "--from-har", "office.har", "--entry", "2", "--base", s.URL)
	assert.Equal(t, 0, r.code, r.out+r.err)
	assert.Contains(t, r.out, "200 OK")
	for args, says := range map[string]string{"--entry 99": "there is no request 99", "--entry 3 GET": "is too much", "--into x.upath --entry 2": "filed into"} {
		r = run(t, dir, append(strings.Fields("try --from-har office.har --base "+s.URL), strings.Fields(args)...)...)
		assert.Contains(t, r.out+r.err, says)
	}
}
