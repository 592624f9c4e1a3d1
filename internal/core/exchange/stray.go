package exchange

import (
	"bytes"
	"net"
	"sync"
)

// noBody tells whether an answer ends with its header section, whatever its
// fields say (RFC 9112 §6.3).
func noBody(method string, status int) bool {
	return method == "HEAD" || status == 204 || status == 304 || status/100 == 1
}

// keptBytes bounds what a connection remembers of an answer.
const keptBytes = 8 << 10

// watched is a connection that remembers how the current answer begins, so
// that bytes behind one that has no body are seen: the transport drops them.
type watched struct {
	net.Conn
	mu   sync.Mutex
	kept []byte
}

func (w *watched) Write(p []byte) (int, error) {
	w.mu.Lock()
	w.kept = w.kept[:0]
	w.mu.Unlock()
	return w.Conn.Write(p)
}

func (w *watched) Read(p []byte) (int, error) {
	n, err := w.Conn.Read(p)
	w.mu.Lock()
	if room := keptBytes - len(w.kept); room > 0 {
		w.kept = append(w.kept, p[:min(n, room)]...)
	}
	w.mu.Unlock()
	return n, err
}

// stray are the bytes that came behind the header section.
func stray(c net.Conn) []byte {
	w, ok := c.(*watched)
	if !ok {
		return nil
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	// Interim answers (1xx) end in an empty line too.
	rest := w.kept
	for bytes.HasPrefix(rest, []byte("HTTP/1.1 1")) {
		i := bytes.Index(rest, []byte("\r\n\r\n"))
		if i < 0 {
			return nil
		}
		rest = rest[i+4:]
	}
	i := bytes.Index(rest, []byte("\r\n\r\n"))
	if i < 0 {
		return nil
	}
	return bytes.Clone(rest[i+4:])
}
