package exchange

import "syscall"

// What the system calls a connection that nobody takes, and one that was
// broken off: Winsock's numbers (WSAECONNREFUSED, WSAECONNRESET, WSAECONNABORTED).
var (
	connRefused = []error{syscall.Errno(10061)}
	connReset   = []error{syscall.Errno(10054), syscall.Errno(10053)}
)
