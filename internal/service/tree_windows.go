package service

import (
	"fmt"
	"os/exec"
	"syscall"
	"unsafe"

	"golang.org/x/sys/windows"
)

// tree is a process and all that it starts: a job object, which ends its
// processes when its handle is closed, also when this process is killed.
type tree struct {
	job   windows.Handle
	group uint32
}

// shell runs a command in a process group of its own.
func shell(command string) *exec.Cmd {
	cmd := exec.Command("cmd.exe")
	cmd.SysProcAttr = &syscall.SysProcAttr{CmdLine: `cmd.exe /S /C "` + command + `"`, CreationFlags: windows.CREATE_NEW_PROCESS_GROUP}
	return cmd
}

// grow takes hold of a process that was just started.
func grow(cmd *exec.Cmd) (*tree, error) {
	job, err := windows.CreateJobObject(nil, nil)
	if err != nil {
		return nil, fmt.Errorf("the service's processes cannot be kept in one job: %w", err)
	}
	info := windows.JOBOBJECT_EXTENDED_LIMIT_INFORMATION{}
	info.BasicLimitInformation.LimitFlags = windows.JOB_OBJECT_LIMIT_KILL_ON_JOB_CLOSE
	_, err = windows.SetInformationJobObject(job, windows.JobObjectExtendedLimitInformation, uintptr(unsafe.Pointer(&info)), uint32(unsafe.Sizeof(info)))
	var process windows.Handle
	if err == nil {
		process, err = windows.OpenProcess(windows.PROCESS_SET_QUOTA|windows.PROCESS_TERMINATE, false, uint32(cmd.Process.Pid))
	}
	if err == nil {
		err = windows.AssignProcessToJobObject(job, process)
		_ = windows.CloseHandle(process)
	}
	if err != nil {
		_ = windows.CloseHandle(job)
		return nil, fmt.Errorf("the service's processes cannot be kept in one job: %w", err)
	}
	return &tree{job: job, group: uint32(cmd.Process.Pid)}, nil
}

// signal asks the tree to end, by CTRL_BREAK: there are no other signals here.
func (t *tree) signal(syscall.Signal) {
	_ = windows.GenerateConsoleCtrlEvent(windows.CTRL_BREAK_EVENT, t.group)
}

// kill ends the whole tree.
func (t *tree) kill() {
	_ = windows.TerminateJobObject(t.job, 1)
	_ = windows.CloseHandle(t.job)
}
