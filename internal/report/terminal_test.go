package report

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"golang.org/x/tools/txtar"

	"usualpath/internal/core/record"
	"usualpath/internal/golden"
)

func TestMain(m *testing.M) {
	time.Local = time.UTC
	os.Exit(m.Run())
}

// The archives hold what the terminal shows of recorded runs, in all views or those named.
func TestTerminalViews(t *testing.T) {
	golden.Each(t, "testdata/*.txtar", func(t *testing.T, in map[string]string) []txtar.File {
		views := map[string]*Terminal{
			"usual":   {Width: 100},
			"narrow":  {Width: 60, Style: NewStyle(false, true)},
			"verbose": {Width: 100, Verbose: true},
			"quiet":   {Width: 100, Quiet: true},
			"silent":  {Width: 100, Quiet: true, Silent: true},
			"coloured": {Width: 100, Style: NewStyle(true, false), Again: func(file, title string) string { return "again " + file + " " + title },
				AgainCheck: func(file, id, level string) string { return "again " + file + " " + id + " " + level }},
		}
		var given []txtar.File
		names := []string{"usual", "narrow", "verbose", "quiet", "silent", "coloured"}
		if only := strings.Fields(in["views"]); len(only) > 0 {
			names = only
		}
		for _, name := range names {
			var text bytes.Buffer
			view := views[name]
			view.W = &text
			if view.Style == nil {
				view.Style = NewStyle(false, false)
			}
			err := record.Read([]string{filepath.Join("testdata", strings.TrimSpace(in["record"]))}, view.Event)
			require.True(t, err == nil || record.Damaged(err), "%v", err)
			if name != "coloured" {
				given = append(given, txtar.File{Name: name, Data: text.Bytes()})
				continue
			}
			// Escapes as text, so that the archive can be read.
			shown := strings.ReplaceAll(text.String(), "\x1b", "^")
			given = append(given, txtar.File{Name: name, Data: []byte(shown)})
		}
		return given
	})
}
