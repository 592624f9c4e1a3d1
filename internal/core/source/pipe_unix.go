//go:build unix

package source

import (
	"errors"
	"syscall"
)

const notBlocking = syscall.O_NONBLOCK

// nobodyReads tells of a pipe that has no reader.
func nobodyReads(err error) bool { return errors.Is(err, syscall.ENXIO) }

// gone tells whether no process has a number any more.
func gone(pid int) bool { return errors.Is(syscall.Kill(pid, 0), syscall.ESRCH) }
