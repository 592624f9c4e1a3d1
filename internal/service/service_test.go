package service

import (
	"context"
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"runtime"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The test's own program is the service: it listens, and what ends it is told
// by its first word.
func TestMain(m *testing.M) {
	manner, address, is := strings.Cut(os.Getenv("QUAY"), " ")
	if !is {
		os.Exit(m.Run())
	}
	fmt.Println("quay:", manner)
	switch manner {
	case "gone":
		os.Exit(3)
	case "deaf":
		signal.Ignore(syscall.SIGTERM)
	case "mute":
		time.Sleep(time.Minute)
	case "away", "hidden":
		// What listens has left the group; hidden, the environment too.
		child := exec.Command("/bin/sh", "-c", "exec setsid "+os.Args[0])
		child.Env = append(os.Environ(), "QUAY=brief "+address)
		if manner == "hidden" {
			child.Env = []string{"QUAY=brief " + address, "PATH=" + os.Getenv("PATH")}
		}
		_ = child.Run()
		os.Exit(0)
	case "brief":
		go func() {
			time.Sleep(6 * time.Second)
			os.Exit(0)
		}()
	}
	l, err := net.Listen("tcp", address)
	if err != nil {
		fmt.Println(err)
		os.Exit(1)
	}
	if manner == "short" {
		time.Sleep(300 * time.Millisecond)
		os.Exit(0)
	}
	for {
		c, err := l.Accept()
		if err != nil {
			os.Exit(1)
		}
		_ = c.Close()
	}
}

func options(t *testing.T, manner string) Options {
	port, err := FreePort()
	require.NoError(t, err)
	address := fmt.Sprintf("127.0.0.1:%d", port)
	self, err := os.Executable()
	require.NoError(t, err)
	return Options{Command: self, Dir: t.TempDir(), Env: []string{"QUAY=" + manner + " " + address}, Base: "http://" + address, Log: LogName(t.TempDir()),
		Ready: Listens(address), Within: 5 * time.Second, Grace: 200 * time.Millisecond, Signal: syscall.SIGTERM}
}

func TestStartAndStop(t *testing.T) {
	for _, manner := range []string{"good", "deaf"} {
		t.Run(manner, func(t *testing.T) {
			o := options(t, manner)
			s, err := Start(context.Background(), o)
			require.NoError(t, err)
			assert.Equal(t, o.Base, s.Base())
			for _, kill := range []bool{false, true} {
				require.NoError(t, s.Restart(context.Background(), kill))
				assert.True(t, o.Ready(context.Background()), "there again, on the same port")
			}
			dead, _ := s.Dead()
			assert.False(t, dead)
			s.Stop()
			assert.False(t, o.Ready(context.Background()))
			dead, _ = s.Dead()
			assert.False(t, dead, "it was stopped, and did not die")
		})
	}
}

// A process that has left its group is ended too; where it cannot be found, a
// restart says that it cannot tell.
func TestProcessesThatLeaveTheirGroup(t *testing.T) {
	if runtime.GOOS != "linux" {
		t.Skip("processes are looked through on Linux only")
	}
	o := options(t, "away")
	s, err := Start(context.Background(), o)
	require.NoError(t, err)
	require.NoError(t, s.Restart(context.Background(), false))
	s.Stop()
	assert.Eventually(t, func() bool { return !o.Ready(context.Background()) }, 2*time.Second, 20*time.Millisecond)

	o = options(t, "hidden")
	s, err = Start(context.Background(), o)
	require.NoError(t, err)
	var still *stillThereError
	require.ErrorAs(t, s.Restart(context.Background(), true), &still)
	assert.ErrorContains(t, still, "still answers")
	assert.True(t, still.CannotTell())
}

// A command is whatever a shell takes.
func TestCommandsOfTheShell(t *testing.T) {
	for _, form := range []string{"cd / && %s", "A=1 %s", "true; %s", "(%s)", "if true; then %s; fi", "%s --listen x"} {
		o := options(t, "good")
		o.Command = fmt.Sprintf(form, o.Command)
		s, err := Start(context.Background(), o)
		require.NoError(t, err, form)
		s.Stop()
		assert.Eventually(t, func() bool { return !o.Ready(context.Background()) }, 2*time.Second, 20*time.Millisecond, form)
	}
}

func TestServicesThatDoNotStart(t *testing.T) {
	for manner, want := range map[string]string{"gone": "ended before it was ready; its last output:\nquay: gone", "mute": "not ready within 3s; its last output:\nquay: mute"} {
		t.Run(manner, func(t *testing.T) {
			o := options(t, manner)
			if manner == "mute" {
				o.Within = 3 * time.Second
			}
			_, err := Start(context.Background(), o)
			assert.ErrorContains(t, err, want)
		})
	}
	o := options(t, "good")
	o.Log = filepath.Join(t.TempDir(), "none", "log")
	_, err := Start(context.Background(), o)
	assert.Error(t, err, "nowhere to keep its output")
}

func TestAServiceThatDies(t *testing.T) {
	s, err := Start(context.Background(), options(t, "short"))
	require.NoError(t, err)
	require.Eventually(t, func() bool { dead, _ := s.Dead(); return dead }, 5*time.Second, 10*time.Millisecond)
	_, said := s.Dead()
	assert.Equal(t, "quay: short", said)
	s.Stop()
}
