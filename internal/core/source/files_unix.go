//go:build unix

package source

import (
	"os"
	"syscall"
)

const nonblock = syscall.O_NONBLOCK

// umask is what the permissions of new files leave out. It can be read only by
// setting it, so it is read once, at the start.
func umask() os.FileMode { return startMask }

var startMask = func() os.FileMode {
	mask := syscall.Umask(0o077)
	syscall.Umask(mask)
	return os.FileMode(mask) & os.ModePerm
}()
