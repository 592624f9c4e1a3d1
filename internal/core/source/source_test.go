package source

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestPositions(t *testing.T) {
	f := NewFile("a", "ab\r\nçd\n\nx")
	for offset, want := range map[int]Position{-3: {1, 1}, 0: {1, 1}, 2: {1, 3}, 4: {2, 1}, 6: {2, 2}, 8: {3, 1}, 9: {4, 1}, 10: {4, 2}, 99: {4, 2}} {
		assert.Equal(t, want, f.Position(offset), "%d", offset)
	}
	assert.Equal(t, 4, f.Lines())
	for n, want := range map[int]string{0: "", 1: "ab", 2: "çd", 3: "", 4: "x", 5: ""} {
		assert.Equal(t, want, f.Line(n), "%d", n)
	}
}

func TestNearest(t *testing.T) {
	words := []string{"status", "state", "header", "is", "json"}
	for word, want := range map[string]string{"statsu": "status", "sate": "state", "Header": "header", "jsno": "json", "hedaer": "header", "cookie": "", "json": "", "it": "is", "x": ""} {
		assert.Equal(t, want, Nearest(word, words), word)
	}
}

func TestDiagnosticsAreSorted(t *testing.T) {
	a, b := NewFile("a", "12345"), NewFile("b", "12345")
	list := Diagnostics{{File: b, Span: Span{1, 2}, Severity: Warning, Message: "3"}, {File: a, Span: Span{3, 4}, Message: "2"}, {File: a, Span: Span{0, 1}, Message: "1"}}
	var order string
	for _, d := range list.Sort() {
		order += d.Message
	}
	assert.Equal(t, "123", order)
	assert.Equal(t, 2, list.Errors())
}

// A file is seen whole or not at all, and keeps its permissions.
func TestWholeFiles(t *testing.T) {
	dir := t.TempDir()
	name := filepath.Join(dir, "a")
	require.NoError(t, WriteWhole(name, []byte("one")))
	require.NoError(t, os.Chmod(name, 0o600))

	w, err := NewWhole(name)
	require.NoError(t, err)
	_, err = w.Write([]byte("two"))
	require.NoError(t, err)
	text, err := os.ReadFile(name)
	require.NoError(t, err)
	assert.Equal(t, "one", string(text), "not before it is closed")
	require.NoError(t, w.Close())
	text, err = os.ReadFile(name)
	require.NoError(t, err)
	assert.Equal(t, "two", string(text))
	info, err := os.Stat(name)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())

	w, err = NewWhole(name)
	require.NoError(t, err)
	w.Drop()
	left, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, left, 1, "nothing of it stays")
	_, err = NewWhole(filepath.Join(dir, "none", "a"))
	assert.Error(t, err)
}
