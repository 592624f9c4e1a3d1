package lsp

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/source"
)

// While somebody types, a text is cut off anywhere: every feature answers, and
// what it answers lies inside the text.
func TestHalfATextIsAnswered(t *testing.T) {
	files, err := filepath.Glob("../../examples/*.upath")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, name := range files {
		data, err := os.ReadFile(name)
		require.NoError(t, err)
		whole := string(data)
		for n := 0; n <= len(whole); n += 17 {
			s := &Server{open: map[string]*document{}}
			d := &document{uri: "file:///x/" + filepath.Base(name), path: filepath.Join(t.TempDir(), filepath.Base(name)), text: whole[:n]}
			s.open[d.uri] = d
			s.read(d)
			lines := positionIn(d.text, len(d.text)).Line
			for _, g := range d.diagnostics() {
				require.LessOrEqual(t, g.Range.End.Line, lines)
			}
			for _, f := range d.foldings() {
				require.Less(t, f.StartLine, f.EndLine)
			}
			for _, at := range []int{n, n / 2, 0} {
				s.complete(d, at)
				d.hover(at)
				s.definition(d, at)
				s.rename(d, at, "x")
				s.references(d, at, true)
				s.highlights(d, at)
				d.selections([]position{positionIn(d.text, at)})
				d.indented(positionIn(d.text, at))
			}
			d.symbols()
			d.links()
			s.fixes(d, rangeIn(d.text, source.Span{Start: 0, End: n}))
			require.Zero(t, len(d.tokens())%5)
			d.lenses()
			d.formatted()
		}
	}
}

func TestPositionsCountAsEditorsDo(t *testing.T) {
	text := "ab\n\U0001D11Ec\r\n\nend"
	for _, c := range []struct {
		offset int
		at     position
	}{{0, position{0, 0}}, {2, position{0, 2}}, {3, position{1, 0}}, {7, position{1, 2}}, {8, position{1, 3}}, {10, position{2, 0}}, {14, position{3, 3}}} {
		assert.Equal(t, c.at, positionIn(text, c.offset), "%d", c.offset)
		assert.Equal(t, c.offset, offsetIn(text, c.at), "%v", c.at)
	}
	assert.Equal(t, len(text), offsetIn(text, position{99, 0}), "beyond the end")
	assert.Equal(t, 2, offsetIn(text, position{0, 99}), "beyond a line")
}

func TestPathsAndURIs(t *testing.T) {
	for _, p := range []string{"/tmp/a b/ü.upath", "/x/y#z.upath", "/100%/q.upath"} {
		assert.Equal(t, p, pathOf(uriOf(p)))
	}
	assert.Empty(t, pathOf("untitled:1"))
}

func TestWhereALineStands(t *testing.T) {
	text := "scenario \"s\"\n  step \"t\"\n    send GET /x\n      \n    \n  \n"
	for offset, want := range map[int]string{len(text): "", len(text) - 1: "scenario", len(text) - 4: "step", len(text) - 9: "send"} {
		assert.Equal(t, want, parent(text, offset), "%d", offset)
	}
	assert.Equal(t, source.Span{Start: 0, End: 8}, wordAt(text, 3))
}

// BenchmarkKeystroke is a key in a file of 3,000 lines, until what is to be said of it is known.
func BenchmarkKeystroke(b *testing.B) {
	var text strings.Builder
	text.WriteString("base http://127.0.0.1:1\n\n")
	for i := range 73 {
		fmt.Fprintf(&text, "scenario \"s%d\"\n", i)
		for j := range 10 {
			fmt.Fprintf(&text, "  step \"t%d\"\n    send GET /boats/3\n    expect status 200\n    expect $.name is \"Cormorant\"\n", j)
		}
		text.WriteString("\n")
	}
	s := &Server{open: map[string]*document{}}
	d := &document{uri: "file:///x/a.upath", path: filepath.Join(b.TempDir(), "a.upath"), text: text.String()}
	s.open[d.uri] = d
	at := position{Line: 1500, Character: 4}
	for b.Loop() {
		d.change(change{&span{at, at}, "x"})
		s.read(d)
		d.diagnostics()
		d.change(change{&span{at, position{Line: 1500, Character: 5}}, ""})
	}
}
