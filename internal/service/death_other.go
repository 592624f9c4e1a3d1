//go:build !linux && !windows

package service

import "syscall"

// setDeathSignal does nothing: only Linux can tie one process to another.
func setDeathSignal(*syscall.SysProcAttr) {}
