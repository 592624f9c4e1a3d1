package project

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/golden"
)

// The file holds cases: a line of dashes, the text, and every diagnostic that the text gives rise
// to, exactly, each in a line behind an exclamation mark.
func TestDiagnosticsExactly(t *testing.T) {
	file, err := filepath.Abs("testdata/diagnostics.txt")
	require.NoError(t, err)
	raw, err := os.ReadFile(file)
	require.NoError(t, err)
	var out strings.Builder
	distinct := map[string]bool{}
	for i, block := range strings.Split(string(raw), "-----\n")[1:] {
		text, want := block, ""
		if at := strings.Index("\n"+block, "\n! "); at >= 0 {
			text, want = block[:at], block[at:]
		}
		got := said(t, text)
		if !*golden.Update {
			assert.Equal(t, want, got, "case %d:\n%s", i, text)
		}
		for _, line := range strings.Split(strings.TrimSpace(got), "\n") {
			_, message, _ := strings.Cut(strings.TrimPrefix(line, "! "), " ")
			distinct[message] = true
		}
		out.WriteString("-----\n" + text + got)
	}
	if *golden.Update {
		require.NoError(t, os.WriteFile(file, []byte(out.String()), 0o644))
	}
	assert.GreaterOrEqual(t, len(distinct), 120, "different diagnostics")
}

// said is what the files say; a text may hold several, each after a line
// `=== name`.
func said(t *testing.T, text string) string {
	dir := t.TempDir()
	name := "a.upath"
	files := map[string]string{}
	for _, line := range strings.SplitAfter(text, "\n") {
		if n, ok := strings.CutPrefix(line, "=== "); ok {
			name = strings.TrimSpace(n)
			continue
		}
		files[name] += line
	}
	for n, content := range files {
		require.NoError(t, os.WriteFile(filepath.Join(dir, n), []byte(content), 0o644))
	}
	t.Chdir(dir)
	p := Load([]string{"."}, Options{})
	var b strings.Builder
	for _, d := range p.Diagnostics {
		at := d.File.Position(d.Span.Start)
		place := fmt.Sprintf("%s:%d:%d", d.File.Name, at.Line, at.Column)
		if d.Whole {
			place = d.File.Name
		}
		fmt.Fprintf(&b, "! %s %s: %s", place, d.Severity, d.Message)
		if d.Hint != "" {
			fmt.Fprintf(&b, " → %s", d.Hint)
		}
		b.WriteByte('\n')
	}
	return b.String()
}
