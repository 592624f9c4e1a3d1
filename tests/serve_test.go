package tests

import (
	"bufio"
	"os"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// serve starts `demo serve` and gives what stops it, and its base URL.
func serve(t *testing.T, args ...string) (stop func(), base string) {
	t.Helper()
	c := exec.Command(program, append([]string{"demo", "serve"}, args...)...)
	out, err := c.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, c.Start())
	ended := false
	stop = func() {
		if ended {
			return
		}
		ended = true
		require.NoError(t, c.Process.Signal(os.Interrupt))
		require.NoError(t, c.Wait())
	}
	t.Cleanup(stop)
	line, err := bufio.NewReader(out).ReadString('\n')
	require.NoError(t, err)
	_, base, ok := strings.Cut(strings.TrimSpace(line), "listens at ")
	require.True(t, ok, line)
	return stop, base
}
