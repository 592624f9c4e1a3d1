package project

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The base, the defaults and the hosts that hold for a file.
func TestWhatHoldsForAFile(t *testing.T) {
	const config = `project quay
base http://127.0.0.1:1
defaults
  header Accept: application/json
environment near
  base http://127.0.0.1:2
  header X-Near: 1
  allow near.test
environment far
  allow far.test
`
	for name, c := range map[string]struct {
		environment, file, base string
		allowed                 []string
		defaults                int
	}{
		"the project's":             {"", "", "http://127.0.0.1:1", nil, 1},
		"the file's":                {"", "base http://127.0.0.1:3\n", "http://127.0.0.1:3", nil, 1},
		"a used file's":             {"", "use \"used.upath\"\n", "http://127.0.0.1:4", nil, 1},
		"the environment's":         {"near", "base http://127.0.0.1:3\n", "http://127.0.0.1:2", []string{"near.test"}, 2},
		"an environment without it": {"far", "base http://127.0.0.1:3\n", "http://127.0.0.1:3", []string{"far.test"}, 1},
	} {
		t.Run(name, func(t *testing.T) {
			dir := t.TempDir()
			for n, text := range map[string]string{ConfigName: config, "used.upath": "base http://127.0.0.1:4\n", "a.upath": c.file + "scenario \"s\"\n  step \"t\"\n    send GET /x\n    expect status 200\n"} {
				require.NoError(t, os.WriteFile(filepath.Join(dir, n), []byte(text), 0o644))
			}
			p := Load([]string{filepath.Join(dir, "a.upath")}, Options{Environment: c.environment})
			require.Empty(t, p.Diagnostics)
			require.Len(t, p.Scenarios(), 1)
			base, plain := p.Base(p.Scenarios()[0].File).Plain()
			assert.True(t, plain)
			assert.Equal(t, c.base, base)
			assert.Equal(t, c.allowed, p.Allowed())
			assert.Len(t, p.Defaults(), c.defaults)
			assert.Equal(t, []string{"near", "far"}, p.Environments())
			assert.Nil(t, p.Service())
		})
	}
}
