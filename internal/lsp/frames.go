package lsp

import (
	"bufio"
	"encoding/json"
	"io"
	"strconv"
	"strings"

	"github.com/sourcegraph/jsonrpc2"
)

// frames reads messages as the protocol frames them, and goes on at the next one after a frame
// that cannot be read: an editor that sends one bad message keeps its server.
type frames struct{ jsonrpc2.VSCodeObjectCodec }

// mostFrame bounds one message, in bytes.
const mostFrame = 256 << 20

func (frames) ReadObject(stream *bufio.Reader, v any) error {
	for {
		length := -1
		for {
			line, err := stream.ReadString('\n')
			if err != nil {
				return err
			}
			if line = strings.TrimRight(line, "\r\n"); line == "" {
				break
			}
			if name, text, ok := strings.Cut(line, ":"); ok && strings.EqualFold(strings.TrimSpace(name), "Content-Length") {
				if n, err := strconv.Atoi(strings.TrimSpace(text)); err == nil && n >= 0 {
					length = n
				}
			}
		}
		if length < 0 {
			continue
		}
		if length > mostFrame {
			if _, err := io.CopyN(io.Discard, stream, int64(length)); err != nil {
				return err
			}
			continue
		}
		data := make([]byte, length)
		if _, err := io.ReadFull(stream, data); err != nil {
			return err
		}
		if json.Unmarshal(data, v) == nil {
			return nil
		}
	}
}
