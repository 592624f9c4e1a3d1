//go:build !windows

package service

import (
	"os/exec"
	"syscall"

	"usualpath/internal/core/late"
)

// tree is a process and all that it starts: a process group.
type tree struct{ group int }

// plain is a command of words alone: one that a shell can hand over to.
var plain = late.Regexp("^[\\w./-]+( [^;&|()<>`$\n]*)?$")

// shell runs a command by the shell. Where it is one command only, no shell is
// left between us and it.
func shell(command string) *exec.Cmd {
	if plain().MatchString(command) {
		command = "exec " + command
	}
	cmd := exec.Command("/bin/sh", "-c", command)
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	setDeathSignal(cmd.SysProcAttr)
	return cmd
}

// grow takes hold of a process that was just started.
func grow(cmd *exec.Cmd) (*tree, error) { return &tree{group: -cmd.Process.Pid}, nil }

// signal asks the whole tree to end. One that is gone already is what we want.
func (t *tree) signal(s syscall.Signal) { _ = syscall.Kill(t.group, s) }

// kill ends the whole tree.
func (t *tree) kill() { _ = syscall.Kill(t.group, syscall.SIGKILL) }
