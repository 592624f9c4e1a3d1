package tests

import (
	"bytes"
	"image"
	"image/png"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Whatever a client may send can be typed: it is shown as it goes out, and filed
// so that it goes out again.
func TestTrySendsEverything(t *testing.T) {
	var seen atomic.Value
	seen.Store("")
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		data, _ := io.ReadAll(r.Body)
		r.Body = io.NopCloser(bytes.NewReader(data))
		got := r.Header.Get("Content-Type") + " " + r.Header.Get("Authorization") + " " + string(data)
		if r.ParseMultipartForm(1<<20) == nil {
			got += " " + r.MultipartForm.File["photo"][0].Filename
		}
		seen.Store(got)
	})
	t.Setenv("TOKEN", "sesame-42")
	t.Setenv("SERVICE_USER", "ada")
	t.Setenv("SERVICE_PASSWORD", "sesame-43")
	for name, c := range map[string]struct {
		args   []string
		stdin  string
		sent   string
		filed  string
		shown  string
		hidden string
	}{
		"a form":      {args: []string{"--field", "a=b c", "--field", "d= é"}, sent: "application/x-www-form-urlencoded  a=b+c&d=+%C3%A9", filed: "form a = b c", shown: "Content-Length: "},
		"parts":       {args: []string{"--part", "a=b", "--part-file", "photo=pier.png"}, sent: "pier.png", filed: `part photo file "pier.png"`, shown: "multipart/form-data"},
		"a file":      {args: []string{"--body-file", "pier.png", "--media", "image/x"}, sent: "image/x  \x89PNG", filed: `file "pier.png" as image/x`, shown: "not text"},
		"JSON piped":  {args: []string{"--body-file", "-"}, stdin: `{"a": 1}`, sent: `application/json  {"a":1}`, filed: `json { "a": 1 }`, shown: "User-Agent: usualpath/"},
		"text piped":  {args: []string{"--body-file", "-"}, stdin: "gull\n", sent: "gull\n", filed: `text "gull\n"`, shown: "Host: 127.0.0.1"},
		"a token":     {args: []string{"--sign-in", "bearer"}, sent: "Bearer sesame-42", filed: "auth bearer {token}", shown: "Authorization: Bearer •••", hidden: "sesame"},
		"a password":  {args: []string{"--sign-in", "basic"}, sent: "Basic YWRhOnNlc2FtZS00Mw==", filed: "secret password from env SERVICE_PASSWORD", shown: "Authorization: Basic •••", hidden: "sesame"},
		"named media": {args: []string{"--json", `{"a": 1}`, "--media", "application/vnd.gull+json"}, sent: "application/vnd.gull+json  {", filed: "as application/vnd.gull+json", shown: "POST http"},
	} {
		t.Run(name, func(t *testing.T) {
			dir := folder(t, "pier.png", "\x89PNG\r\n\x1a\n\x00")
			args := append([]string{"try", "POST", "/x", "--base", base}, c.args...)
			r := runWith(t, dir, c.stdin, append(args, "--dry-run")...)
			assert.Equal(t, 0, r.code, r.err)
			assert.Contains(t, r.out, "not sent")
			assert.Contains(t, r.out, c.shown)
			assert.Empty(t, seen.Load())
			r = runWith(t, dir, c.stdin, append(args, "-v", "--into", "a.upath")...)
			assert.Equal(t, 0, r.code, r.err)
			assert.Contains(t, r.out, c.shown)
			assert.Contains(t, seen.Load(), c.sent)
			made := text(t, dir, "a.upath")
			assert.Contains(t, made, c.filed)
			if c.hidden != "" {
				assert.NotContains(t, r.out+made, c.hidden)
			}
			first := seen.Load()
			r = run(t, dir, "run", "a.upath")
			assert.Equal(t, 0, r.code, r.out+r.err)
			assert.Equal(t, first, seen.Load(), "the same goes out again")
			seen.Store("")
		})
	}
	dir := t.TempDir()
	t.Setenv("TOKEN", "")
	require.NoError(t, os.Unsetenv("TOKEN"))
	for want, args := range map[string][]string{
		"names no value":            {"--field", "a"},
		"basic or bearer":           {"--sign-in", "digest"},
		"in the environment":        {"--sign-in", "bearer"},
		"is the type of":            {"--media", "text/plain"},
		"there is no file":          {"--body-file", "none.json"},
		"expected a JSONPath segme": {"--pick", "$x"},
		"none of the others can be": {"--json", "1", "--field", "a=b"},
	} {
		r := run(t, dir, append([]string{"try", "POST", "/x", "--base", base}, args...)...)
		assert.Equal(t, 2, r.code, "%v\n%s", args, r.out)
		assert.Contains(t, r.err, want, "%v", args)
	}
	outside := filepath.Join(t.TempDir(), "far.bin")
	require.NoError(t, os.WriteFile(outside, []byte{0, 0xff}, 0o600))
	r := run(t, dir, "try", "POST", base+"/x", "--part-file", "photo="+outside, "--into", "a.upath")
	assert.Contains(t, r.err, "lies outside the project's folder")
	assert.NoFileExists(t, filepath.Join(dir, "a.upath"))
}

// Answers are shown as people look at them, kept as they came, and in parts.
func TestTryShowsWhatCame(t *testing.T) {
	t.Parallel()
	var pixels bytes.Buffer
	require.NoError(t, png.Encode(&pixels, image.NewGray(image.Rect(0, 0, 12, 7))))
	bodies := map[string][2]string{
		"/page":  {"text/html", "<title>Quay &amp; pier</title><h2>Closed</h2><script>x()</script><pre>at 03:12\n  at 04</pre>"},
		"/tide":  {"application/xml", "<tides><tide><day>1</day></tide></tides>"},
		"/table": {"text/csv", "name,length\n\"Tern, Arctic\",11\n"},
		"/pixel": {"image/png", pixels.String()},
		"/list":  {"application/json", `{"items": [{"id": 1, "name": "a b"}, {"id": 22, "name": "c"}]}`},
		"/blob":  {"application/octet-stream", "\x00\x01\x02"},
	}
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", bodies[r.URL.Path][0])
		_, _ = io.WriteString(w, bodies[r.URL.Path][1])
	})
	dir := t.TempDir()
	for path, says := range map[string]string{
		"/page": "Quay & pier\n\n## Closed\n\n```\nat 03:12\n  at 04\n```", "/tide": "<tides>\n  <tide>\n    <day>1</day>", "/table": " Tern, Arctic │ 11", "/pixel": "a PNG image, 12 × 7, ", "/blob": "3 B, not text",
	} {
		r := run(t, dir, "try", "GET", base+path)
		assert.Contains(t, r.out, says)
		assert.NotContains(t, r.out, "x()")
		assert.Equal(t, bodies[path][1], run(t, dir, "try", "GET", base+path, "--raw").out)
		assert.Contains(t, run(t, dir, "try", "GET", base+path, "--out", "kept").out, "is in kept")
		assert.Equal(t, bodies[path][1], text(t, dir, "kept"))
	}
	for pick, want := range map[string]string{"$.items[*].name": "a b\nc\n", "$.items[1]": `{"id": 22, "name": "c"}` + "\n", "$.none": ""} {
		r := run(t, dir, "try", "GET", base+"/list", "--pick", pick)
		assert.Equal(t, want, r.out)
		assert.Equal(t, want == "", r.code == 1, r.err)
	}
	assert.Contains(t, run(t, dir, "try", "GET", base+"/blob", "--pick", "$.a").err, "is not JSON")
}

// What is filed holds on the next run too, and leaves nothing behind.
func TestWhatIsFiledHoldsTomorrow(t *testing.T) {
	base := gullPoint(t)
	dir := t.TempDir()
	boats := func() string { return run(t, dir, "try", "GET", base+"/boats", "--raw").out }
	for _, args := range [][]string{
		{"POST", "/boats", "--json", `{"name": "Ruff", "length_m": 8}`}, {"GET", "/boats?limit=2"}, {"POST", "/sessions", "--json", `{"name": "harbourmaster", "pin": "1357"}`},
	} {
		r := run(t, dir, append([]string{"try", "--base", base, "--into", "a.upath"}, args...)...)
		require.Equal(t, 0, r.code, r.err)
	}
	made := text(t, dir, "a.upath")
	for _, w := range []string{`"name": {boat_name}`, `let boat_name = "Ruff {random_text(6)}"`, "afterwards\n  step \"remove the boat again\"\n    send DELETE /boats/{boat}\n", `"token": string`} {
		assert.Contains(t, made, w)
	}
	tidy(t, dir)
	t.Setenv("PIN", "1357")
	before := boats()
	for range 2 {
		r := run(t, dir, "run")
		assert.Equal(t, 0, r.code, r.out+r.err)
		assert.Equal(t, before, boats())
	}
	// Before all that comes first need not be sent for a look.
	require.NoError(t, os.WriteFile(filepath.Join(dir, "project.upath"), []byte("project p\nbefore all \"in\"\n  step \"in\"\n    send POST /none\n    expect status 201\n    keep secret token from $.token\ndefaults\n  auth bearer {token}\n"), 0o600))
	r := run(t, dir, "try", "GET", base+"/log", "--dry-run")
	assert.Equal(t, 0, r.code, r.err)
	assert.Equal(t, 2, strings.Count(r.out, "\n\n")+1, r.out)
	assert.Contains(t, r.out, "Authorization: Bearer •••")
	assert.Equal(t, 2, run(t, dir, "try", "GET", base+"/log").code)
}
