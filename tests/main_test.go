// Package tests drives the built program as a user does: on files in a
// temporary folder, against services on loopback.
package tests

import (
	"bytes"
	"context"
	"errors"
	"flag"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"usualpath/internal/harbour"
)

var program string

func TestMain(m *testing.M) {
	if spec := os.Getenv("USUALPATH_BARE_LOOP"); spec != "" {
		os.Exit(bareLoop(spec))
	}
	dir, err := os.MkdirTemp("", "usualpath-tests-*")
	if err == nil {
		program = filepath.Join(dir, "usualpath")
		// USUALPATH_RACE builds the program with the race detector in it.
		args, cgo := []string{"build", "-o", program}, "CGO_ENABLED=0"
		if os.Getenv("USUALPATH_RACE") != "" {
			args, cgo = append(args, "-race"), "CGO_ENABLED=1"
			// Otherwise each of the many runs would linger for a second.
			_ = os.Setenv("GORACE", "atexit_sleep_ms=10") // fails for odd names only
		}
		build := exec.Command("go", append(args, "../cmd/usualpath")...)
		build.Env = append(os.Environ(), cgo)
		build.Stderr = os.Stderr
		err = build.Run()
	}
	// Most of a test is waiting for the program: a few more than there are processors go side by side.
	flag.Parse()
	if err == nil {
		err = flag.Set("test.parallel", strconv.Itoa(runtime.GOMAXPROCS(0)+2))
	}
	code := 1
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
	} else {
		code = m.Run()
	}
	_ = os.RemoveAll(dir)
	os.Exit(code)
}

// inTurn tells whether a row of a long table is run: each fourth, or each nth by USUALPATH_EVERY=n,
// and all of them by 1.
func inTurn(i int) bool {
	every, err := strconv.Atoi(os.Getenv("USUALPATH_EVERY"))
	if err != nil || every < 1 {
		every = 4
	}
	return i%every == 0
}

// result is what a run of the program gave.
type result struct {
	code     int
	out, err string
}

// run runs the program in a folder. It is ended after half a minute.
func run(t *testing.T, dir string, args ...string) result {
	t.Helper()
	return runWith(t, dir, "", args...)
}

// runWith is run, with a text as standard input.
func runWith(t *testing.T, dir, stdin string, args ...string) result {
	t.Helper()
	return runWithin(t, dir, 30*time.Second, 0, stdin, args...)
}

// runWithin is runWith, ended after a time of the caller's, and interrupted, as by
// Ctrl-C, after another, 0 for never.
func runWithin(t *testing.T, dir string, most, interrupt time.Duration, stdin string, args ...string) result {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), most)
	defer cancel()
	c := exec.CommandContext(ctx, program, args...)
	c.Dir = dir
	c.Env = append(os.Environ(), "HARBOUR_TOKEN=sesame-street-42")
	if stdin != "" {
		c.Stdin = strings.NewReader(stdin)
	}
	var out, errs bytes.Buffer
	c.Stdout, c.Stderr = &out, &errs
	require.NoError(t, c.Start())
	if interrupt > 0 {
		timer := time.AfterFunc(interrupt, func() { _ = c.Process.Signal(os.Interrupt) }) // it may have ended
		defer timer.Stop()
	}
	err := c.Wait()
	require.NoError(t, ctx.Err(), "the program did not end")
	var ee *exec.ExitError
	if err != nil {
		require.True(t, errors.As(err, &ee), "%v", err)
	}
	return result{c.ProcessState.ExitCode(), out.String(), errs.String()}
}

// folder writes files into a new folder; pairs of name and text.
func folder(t *testing.T, pairs ...string) string {
	t.Helper()
	dir := t.TempDir()
	for i := 0; i < len(pairs); i += 2 {
		name := filepath.Join(dir, pairs[i])
		require.NoError(t, os.MkdirAll(filepath.Dir(name), 0o755))
		require.NoError(t, os.WriteFile(name, []byte(pairs[i+1]), 0o644))
	}
	return dir
}

// gullPoint starts a harbour for the time of a test.
func gullPoint(t *testing.T, faults ...string) string {
	t.Helper()
	s, err := harbour.Start(harbour.Options{SeedData: true, Faults: faults})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	return s.URL
}

// service starts a handler for the time of a test.
func service(t *testing.T, h http.HandlerFunc) string {
	t.Helper()
	s := httptest.NewServer(h)
	t.Cleanup(s.Close)
	return s.URL
}

// scenario wraps steps into a file with one scenario.
func scenario(base, steps string) string {
	return "base " + base + "\n\nscenario \"s\"\n" + strings.TrimLeft(steps, "\n")
}
