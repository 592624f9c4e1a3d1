//go:build unix

package exchange

import (
	"net"
	"syscall"
)

// quiet tells whether an idle connection is still open and nothing has come on it
// that nobody asked for, and else the first bytes that have come.
func quiet(c net.Conn) (open bool, came []byte) {
	s, ok := c.(syscall.Conn)
	if !ok {
		return true, nil
	}
	raw, err := s.SyscallConn()
	if err != nil {
		return false, nil
	}
	err = raw.Read(func(fd uintptr) bool {
		var some [60]byte
		n, err := syscall.Read(int(fd), some[:])
		open = err == syscall.EAGAIN || err == syscall.EWOULDBLOCK
		came = some[:max(n, 0)]
		return true
	})
	return err == nil && open, came
}
