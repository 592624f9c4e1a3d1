package exchange

import (
	"context"
	"io"
	"net"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A service that refuses a big body before it has read it, and breaks off, is
// heard all the same.
func TestAnEarlyRefusalIsHeard(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go func() {
				// Only the head is read.
				head := make([]byte, 400)
				_, _ = c.Read(head)
				_, _ = c.Write([]byte("HTTP/1.1 413 Content Too Large\r\nContent-Length: 3\r\nConnection: close\r\n\r\nno\n"))
				_ = c.(*net.TCPConn).SetLinger(0)
				_ = c.Close()
			}()
		}
	}()
	c := NewClient(Options{MaxBody: 1 << 20, Agent: "test"})
	defer c.Close()
	for range 5 {
		x := c.Do(context.Background(), &Request{Method: "POST", URL: "http://" + l.Addr().String() + "/boats", Body: make([]byte, 16<<20), Timeout: 5 * time.Second})
		require.NotNil(t, x.Answer, "%v", x.Failure)
		assert.Equal(t, 413, x.Answer.Status)
	}
}

// Another protocol that nobody asked for ends with its head.
func TestAnUnaskedSwitchEnds(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	go func() {
		c, err := l.Accept()
		if err != nil {
			return
		}
		head := make([]byte, 400)
		_, _ = c.Read(head)
		_, _ = c.Write([]byte("HTTP/1.1 101 Switching Protocols\r\nUpgrade: gull\r\nConnection: Upgrade\r\n\r\nsquawk"))
		_, _ = io.Copy(io.Discard, c)
		_ = c.Close()
	}()
	c := NewClient(Options{MaxBody: 1 << 20, Agent: "test"})
	defer c.Close()
	x := c.Do(context.Background(), &Request{Method: "GET", URL: "http://" + l.Addr().String() + "/boats", Timeout: 2 * time.Second})
	require.NotNil(t, x.Answer, "%v", x.Failure)
	assert.Equal(t, 101, x.Answer.Status)
}
