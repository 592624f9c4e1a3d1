package lsp

import (
	"bufio"
	"fmt"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A frame that cannot be read is passed over, and the next one is read.
func TestABadFrameIsPassedOver(t *testing.T) {
	framed := func(text string) string { return fmt.Sprintf("Content-Length: %d\r\n\r\n%s", len(text), text) }
	for name, bad := range map[string]string{"no JSON": framed(`{"id": `), "another type": framed(`7`), "no length": "Content-Type: x\r\n\r\n", "a length that is none": "Content-Length: many\r\n\r\n", "below nothing": "Content-Length: -1\r\n\r\n"} {
		stream := bufio.NewReader(strings.NewReader(bad + "content-length: 9\n\n" + `{"id": 1}`))
		var got struct{ ID int }
		require.NoError(t, frames{}.ReadObject(stream, &got), name)
		assert.Equal(t, 1, got.ID, name)
		assert.ErrorIs(t, frames{}.ReadObject(stream, &got), io.EOF)
	}
	var got struct{ ID int }
	assert.Error(t, frames{}.ReadObject(bufio.NewReader(strings.NewReader("Content-Length: 9\r\n\r\n{")), &got), "cut short")
}
