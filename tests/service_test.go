package tests

import (
	"os"
	"os/exec"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func durable(start string) []string {
	return []string{"project.upath", "project gull\ndefaults\n  header Accept: application/json\nservice harbour\n  start \"" + start + "\"\n  env MARK = \"7\"\n  ready GET /healthz is 200 within 10s\n  stop INT within 3s\n",
		"a.upath", `scenario "what was written is there after a restart, and after a kill"
  step "write"
    send POST /boats
      json { "name": "Brent", "length_m": 5 }
    expect status 201
    keep boat from $.id

  step "restart"
    restart service
    send GET /boats/{boat}
    expect status 200

  step "write again"
    send PATCH /boats/{boat}
      json { "length_m": 6 }
    expect status 200

  step "kill"
    kill service
    send GET /boats/{boat}
    expect $.length_m is 6
`}
}

func TestServiceIsStartedRestartedAndGone(t *testing.T) {
	dir := folder(t, durable(program+" demo serve --listen 127.0.0.1:{port} --data {folder}")...)
	r := run(t, dir, "run")
	assert.Equal(t, 0, r.code, r.out+r.err)
	assert.Contains(t, r.out, "the service is ready at http://127.0.0.1:")
	gone(t, dir)

	// In a folder of its own for each start, nothing survives.
	dir = folder(t, durable(program+" demo serve --listen 127.0.0.1:{port}")...)
	r = run(t, dir, "run")
	assert.Equal(t, 1, r.code, r.out+r.err)
	assert.Contains(t, r.out, "404 Not Found")
	gone(t, dir)
}

// gone tells that no service of a run is left.
func gone(t *testing.T, dir string) {
	t.Helper()
	out, _ := exec.Command("pgrep", "-f", "usualpath-service-").Output()
	assert.Empty(t, strings.TrimSpace(string(out)), dir)
}

func TestServiceThatDoesNotStart(t *testing.T) {
	for start, says := range map[string]string{
		"echo no such harbour; exit 3":     "no such harbour",
		"sleep 60":                         "was not ready within",
		"./gone --listen 127.0.0.1:{port}": "its last words",
	} {
		dir := folder(t, durable(start)...)
		text, err := os.ReadFile(dir + "/project.upath")
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(dir+"/project.upath", []byte(strings.Replace(string(text), "within 10s", "within 400ms", 1)), 0o644))
		r := run(t, dir, "run")
		assert.Equal(t, 3, r.code, r.out+r.err)
		assert.Contains(t, r.err, says)
	}
}

func TestInterruptCleansUpAndStopsTheService(t *testing.T) {
	files := durable(program + " demo serve --listen 127.0.0.1:{port} --data {folder}")
	files[3] = "scenario \"long\"\n  step \"one\"\n    send POST /boats\n      json { \"name\": \"Knot\", \"length_m\": 5 }\n    expect status 201\n    keep boat from $.id\n\n  step \"two\"\n    pause 20s\n    send GET /healthz\n    expect status 200\n\n  step \"three\"\n    send GET /healthz\n    expect status 200\n\nafterwards\n  step \"clean\"\n    send DELETE /boats/{boat}\n    expect status 204\n"
	dir := folder(t, files...)
	c := exec.Command(program, "run", "-v")
	c.Dir = dir
	var out strings.Builder
	c.Stdout = &out
	require.NoError(t, c.Start())
	time.Sleep(900 * time.Millisecond)
	require.NoError(t, c.Process.Signal(os.Interrupt))
	err := c.Wait()
	assert.Error(t, err)
	assert.Equal(t, 130, c.ProcessState.ExitCode(), out.String())
	assert.Contains(t, out.String(), "DELETE http://127.0.0.1:")
	assert.Contains(t, out.String(), "1 not finished")
	gone(t, dir)
}
