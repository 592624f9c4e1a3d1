package out

import (
	"bytes"
	"encoding/json"
	"encoding/xml"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/tools/txtar"

	"usualpath/internal/core/record"
	"usualpath/internal/golden"
)

func TestMain(m *testing.M) {
	time.Local = time.UTC
	os.Exit(m.Run())
}

// frame is what is the same in every page.
var frame = regexp.MustCompile(`(?s)<(style|script)>.*?</(style|script)>`)

// asItCame is what is shown as it came: in the archives in one line.
var asItCame = regexp.MustCompile(`(?s)<pre[ >].*?</pre>`)

// The archives hold recorded runs in every format.
func TestFormats(t *testing.T) {
	golden.Each(t, "testdata/*.txtar", func(t *testing.T, in map[string]string) []txtar.File {
		var given []txtar.File
		for _, format := range Formats() {
			var text bytes.Buffer
			sink, err := New(format, &text)
			require.NoError(t, err)
			err = record.Read([]string{filepath.Join("../testdata", strings.TrimSpace(in["record"]))}, sink.Event)
			require.True(t, err == nil || record.Damaged(err), "%v", err)
			require.NoError(t, sink.Close())
			data := text.Bytes()
			switch format {
			case "har", "json":
				assert.True(t, json.Valid(data), format)
			case "junit":
				d := xml.NewDecoder(bytes.NewReader(data))
				for err == nil || record.Damaged(err) {
					_, err = d.Token()
				}
				assert.ErrorIs(t, err, io.EOF, "well-formed")
			case "html":
				data = frame.ReplaceAll(data, []byte("<$1></$1>"))
				data = asItCame.ReplaceAllFunc(data, func(pre []byte) []byte { return bytes.ReplaceAll(pre, []byte("\n"), []byte("↵")) })
			}
			given = append(given, txtar.File{Name: format, Data: data})
		}
		return given
	})
}

func TestUnknownFormat(t *testing.T) {
	_, err := New("gopher", io.Discard)
	assert.ErrorContains(t, err, "there are annotations, csv, har, html, json, junit, markdown, tap")
}
