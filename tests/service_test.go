package tests

import (
	"os"
	"os/exec"
	"strings"
	"sync"
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
		"./gone --listen 127.0.0.1:{port}": "its last output",
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

func TestServiceThatDiesInTheMiddle(t *testing.T) {
	dir := folder(t, "project.upath", "project p\nservice s\n  start \"python3 -u mortal.py {port}\"\n  ready GET /ok is 200 within 10s\n",
		"mortal.py", `import http.server, os, sys
class H(http.server.BaseHTTPRequestHandler):
    def do_GET(self):
        if self.path == "/die":
            print("out of paper", flush=True)
            os._exit(3)
        self.send_response(200); self.send_header("Content-Length", "0"); self.end_headers()
    def log_message(self, *a): pass
http.server.HTTPServer(("127.0.0.1", int(sys.argv[1])), H).serve_forever()
`,
		"a.upath", "scenario \"one\"\n  step \"fine\"\n    send GET /ok\n    expect status 200\n  step \"deadly\"\n    send GET /die\n    expect status 200\n  step \"never\"\n    send GET /ok\n    expect status 200\nscenario \"two\"\n  step \"never either\"\n    send GET /ok\n    expect status 200\n")
	if _, err := exec.LookPath("python3"); err != nil {
		t.Skip("no python3 here to write a mortal service in")
	}
	r := run(t, dir, "run")
	assert.Equal(t, 3, r.code, r.out+r.err)
	assert.Contains(t, r.out, `the service has ended by itself during step "deadly" (a.upath:5)`)
	assert.Contains(t, r.out, "out of paper")
	assert.Contains(t, r.out, "what the service said is in ")
	assert.NotContains(t, r.out, "never either")
	gone(t, dir)
}

func TestTwoInterruptsStopAtOnce(t *testing.T) {
	files := durable(program + " demo serve --listen 127.0.0.1:{port} --data {folder}")
	files[3] = "scenario \"long\"\n  step \"one\"\n    send GET /healthz\n    expect status 200\n    pause 1ms\n"
	files[3] = "scenario \"long\"\n  step \"two\"\n    send GET /healthz\n      retry for 60s every 50ms\n    expect status 500\n\nafterwards\n  step \"slow\"\n    pause 60s\n    send GET /healthz\n"
	dir := folder(t, files...)
	c := exec.Command(program, "run")
	c.Dir = dir
	var out strings.Builder
	c.Stdout, c.Stderr = &out, &out
	require.NoError(t, c.Start())
	time.Sleep(900 * time.Millisecond)
	require.NoError(t, c.Process.Signal(os.Interrupt))
	time.Sleep(200 * time.Millisecond)
	require.NoError(t, c.Process.Signal(os.Interrupt))
	assert.Error(t, c.Wait())
	assert.Equal(t, 130, c.ProcessState.ExitCode(), out.String())
	gone(t, dir)
}

// lines collects what a running program prints, for a test that waits for it.
type lines struct {
	mu sync.Mutex
	b  strings.Builder
}

func (l *lines) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.b.Write(p)
}

func (l *lines) has(text string) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	return strings.Contains(l.b.String(), text)
}

func TestWatchRunsAgainWhenAFileChanges(t *testing.T) {
	base := gullPoint(t)
	text := "scenario \"%s\"\n  step \"t\"\n    send GET /healthz\n    expect status 200\n"
	dir := folder(t, "project.upath", "project p\nbase "+base+"\n", "a.upath", strings.Replace(text, "%s", "first", 1), "b.upath", strings.Replace(text, "%s", "other", 1))
	c := exec.Command(program, "run", "--watch", "--save", "run.jsonl", "--report", "html=r.html")
	c.Dir = dir
	var out lines
	c.Stdout, c.Stderr = &out, &out
	require.NoError(t, c.Start())
	defer func() {
		require.NoError(t, c.Process.Signal(os.Interrupt))
		_ = c.Wait()
	}()
	within := func(what string) {
		require.Eventually(t, func() bool { return out.has(what) }, 10*time.Second, 20*time.Millisecond, "%s does not come", what)
	}
	within("waiting for a change")
	require.NoError(t, os.WriteFile(dir+"/b.upath", []byte(strings.Replace(text, "%s", "changed", 1)), 0o644))
	within("b.upath changed at")
	within("changed   ")
	assert.True(t, out.has("first"), "what was there before is not cleared")
	require.Eventually(t, func() bool {
		out.mu.Lock()
		defer out.mu.Unlock()
		return strings.Count(out.b.String(), "waiting for a change") == 2
	}, 10*time.Second, 20*time.Millisecond)
	out.mu.Lock()
	after := out.b.String()[strings.Index(out.b.String(), "b.upath changed at"):]
	out.mu.Unlock()
	assert.Less(t, strings.Index(after, "changed   "), strings.Index(after, "first"), "what is concerned runs first")
	require.NoError(t, os.WriteFile(dir+"/notes.txt", []byte("no file of a run"), 0o644))
	time.Sleep(600 * time.Millisecond)
	out.mu.Lock()
	defer out.mu.Unlock()
	assert.Equal(t, 2, strings.Count(out.b.String(), "waiting for a change"), "what the run writes is not what it waits for")
}
