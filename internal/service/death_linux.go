package service

import "syscall"

// setDeathSignal has the kernel end the process when the tool is killed.
func setDeathSignal(a *syscall.SysProcAttr) { a.Pdeathsig = syscall.SIGKILL }
