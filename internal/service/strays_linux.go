package service

import (
	"bytes"
	"os"
	"path/filepath"
	"strconv"
	"syscall"
)

// endStrays ends the processes that carry a mark in their environment: those
// that the service started and that have left its process group.
func endStrays(mark string) {
	entries, err := filepath.Glob("/proc/[0-9]*/environ")
	if err != nil {
		return
	}
	for _, name := range entries {
		data, err := os.ReadFile(name)
		if err != nil || !bytes.Contains(data, []byte(mark)) {
			continue
		}
		// One that is gone by now is what we want.
		if pid, err := strconv.Atoi(filepath.Base(filepath.Dir(name))); err == nil && pid != os.Getpid() {
			_ = syscall.Kill(pid, syscall.SIGKILL)
		}
	}
}
