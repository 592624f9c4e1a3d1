package tests

import (
	"context"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// free is a port that nothing listens on.
func free(t *testing.T) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer func() { require.NoError(t, l.Close()) }()
	return fmt.Sprint(l.Addr().(*net.TCPAddr).Port)
}

// The tour of the README is typed as it is there, in an empty folder; only
// the port is one that is free here.
func TestTheTourOfTheREADME(t *testing.T) {
	t.Parallel()
	shell, err := exec.LookPath("bash")
	if err != nil {
		t.Skip("there is no shell to type into")
	}
	readme, err := os.ReadFile("../README.md")
	require.NoError(t, err)
	block := regexp.MustCompile("(?s)```sh\n(.*?)```").FindStringSubmatch(string(readme))
	require.NotNil(t, block)
	typed := strings.Split(strings.TrimSpace(block[1]), "\n")
	require.Less(t, len(typed), 10)
	port := free(t)
	var script strings.Builder
	script.WriteString("trap 'kill %1' EXIT\n")
	for i, l := range typed {
		fmt.Fprintf(&script, "echo '== %d'; %s\n", i, strings.ReplaceAll(l, "4710", port))
		if strings.HasSuffix(l, "&") {
			fmt.Fprintf(&script, "for i in $(seq 100); do (exec 3<>/dev/tcp/127.0.0.1/%s) 2>/dev/null && break; sleep 0.05; done\n", port)
		} else {
			fmt.Fprintf(&script, "echo \"code $?\"\n")
		}
	}
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	c := exec.CommandContext(ctx, shell, "-c", script.String())
	c.Dir = t.TempDir()
	c.Env = append(os.Environ(), "PATH="+filepath.Dir(program)+string(os.PathListSeparator)+os.Getenv("PATH"))
	out, err := c.CombinedOutput()
	require.NotNil(t, c.ProcessState, "%v", err)
	said := strings.Split(string(out), "== ")[1:]
	require.Len(t, said, len(typed))
	for i, want := range [][]string{{"listens at"}, {"200 OK", "Arctic Tern", "code 0"}, {"wrote gull-point/boats.upath", "code 0"}, {"code 0"},
		{"1 scenario: 1 held", "code 0"}, {"lifecycle/replace-takes-effect", "2 failed", "code 1"}, {"cause", "mend", "code 0"}} {
		for _, w := range want {
			require.Contains(t, said[i], w, typed[i])
		}
	}
}

// Every other command of the README is run too, in the order in which they stand
// there: in the project that the tour has drafted, with the files that the README
// writes out.
func TestTheOtherCommandsOfTheREADME(t *testing.T) {
	t.Parallel()
	plainOnly(t)
	shell, err := exec.LookPath("bash")
	if err != nil {
		t.Skip("there is no shell to type into")
	}
	readme, err := os.ReadFile("../README.md")
	require.NoError(t, err)
	_, after, found := strings.Cut(string(readme), "explain lifecycle/replace-takes-effect\n```")
	require.True(t, found, "the tour stands first")
	base, here := gullPoint(t), t.TempDir()
	port := strings.TrimPrefix(base, "http://127.0.0.1:")
	faulty := ""
	require.Equal(t, 0, run(t, here, "new", ".", "--from-service", base+"/boats", "--writes").code)
	// The examples say where the harbour listens; this one has another port.
	checkout := t.TempDir()
	require.NoError(t, os.CopyFS(filepath.Join(checkout, "examples"), os.DirFS("../examples")))
	config := filepath.Join(checkout, "examples", "project.upath")
	require.NoError(t, os.WriteFile(config, []byte(strings.ReplaceAll(text(t, config), "4710", port)), 0o644))
	ran := 0
	for _, block := range regexp.MustCompile("(?s)\n```\n(.*?)```").FindAllStringSubmatch(after, -1) {
		switch {
		case strings.HasPrefix(block[1], "scenario "):
			require.NoError(t, os.WriteFile(filepath.Join(here, "curlew.upath"), []byte(block[1]), 0o644))
			continue
		case strings.HasPrefix(block[1], "resource "):
			require.NoError(t, os.WriteFile(filepath.Join(here, "boats.upath"), []byte(block[1]), 0o644))
			continue
		}
		for _, l := range strings.Split(strings.TrimSpace(block[1]), "\n") {
			if _, fault, bent := strings.Cut(l, "serve --seed-data --fault "); bent {
				fault, _, _ = strings.Cut(fault, " ")
				faulty = strings.TrimPrefix(gullPoint(t, fault), "http://127.0.0.1:")
			}
			if strings.HasSuffix(l, "&") || strings.Contains(l, "--watch") {
				// These go on until they are stopped, and have tests of their own.
				continue
			}
			ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
			c := exec.CommandContext(ctx, shell, "-c", strings.NewReplacer("4710", port, "4711", faulty).Replace(l))
			c.Dir = here
			if strings.Contains(l, "examples") {
				c.Dir = checkout
			}
			c.Env = append(os.Environ(), "PATH="+filepath.Dir(program)+string(os.PathListSeparator)+os.Getenv("PATH"))
			out, err := c.CombinedOutput()
			cancel()
			require.NotNil(t, c.ProcessState, "%s: %v", l, err)
			want := 0
			if strings.Contains(l, "--fault") || strings.Contains(l, " roam ") {
				want = 1
			}
			assert.Equal(t, want, c.ProcessState.ExitCode(), "%s\n%s", l, out)
			ran++
		}
	}
	assert.Greater(t, ran, 15)
}
