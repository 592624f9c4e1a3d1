//go:build !windows

package exchange

import "syscall"

// What the system calls a connection that nobody takes, and one that was
// broken off.
var (
	connRefused = []error{syscall.ECONNREFUSED}
	connReset   = []error{syscall.ECONNRESET, syscall.EPIPE}
)
