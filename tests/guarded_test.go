package tests

import (
	"bytes"
	"encoding/json"
	"fmt"
	"html"
	"io"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"strconv"
	"strings"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// plainOnly leaves a test out that is the same with the race detector: nothing in
// it runs side by side.
func plainOnly(t *testing.T) {
	if os.Getenv("USUALPATH_RACE") != "" {
		t.Skip("the same without the race detector is enough")
	}
}

// No output shows a secret, however a service spells it.
func TestNoOutputShowsASecret(t *testing.T) {
	const token = "Møwe \"Auk\" & 9/%41"
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		plain, _ := json.Marshal(token)
		w.Header().Set("Set-Cookie", "sid=beacon-of-skagen; Path=/")
		w.Header().Set("Content-Type", "text/plain")
		fmt.Fprintf(w, "%s|%s|%s|%s|%s|%q|%s", body, token, url.QueryEscape(token), strings.ToLower(url.PathEscape("ø")), html.EscapeString(token), string(plain), strconv.QuoteToASCII(token))
	})
	dir := folder(t, "a.upath", "base "+base+"\nsecret token from env TOKEN\n"+`
scenario "for {token}"
  about "it is {token}"
  auth bearer {token}

  step "echo {token}"
    send POST /x?key={token}
      header X-Mine: a{token}b
      json { "t": {token}, "up": "{upper(token)}", "b": "{base64(token)}" }
    expect status 299
    expect header Set-Cookie is "none"
    expect cookie sid is "none"
    expect text is "{token}"
    expect text same as baseline
`)
	t.Setenv("TOKEN", token)
	outputs := []string{}
	for _, format := range []string{"csv", "har", "html", "json", "junit", "markdown", "tap"} {
		outputs = append(outputs, "--report", format+"=out."+format)
	}
	r := run(t, dir, append([]string{"run", "-v", "--save", "run.jsonl", "--history", "--accept"}, outputs...)...)
	require.Equal(t, 1, r.code, r.out+r.err)
	all := map[string]string{"terminal": r.out + r.err, "again": run(t, dir, "run").out}
	require.NoError(t, filepath.WalkDir(dir, func(at string, d os.DirEntry, err error) error {
		if err == nil && !d.IsDir() && filepath.Base(at) != "a.upath" {
			text, err := os.ReadFile(at)
			require.NoError(t, err)
			all[at] = string(text)
		}
		return nil
	}))
	assert.Greater(t, len(all), 9)
	for where, text := range all {
		for _, part := range []string{"Auk", "AUK", "M%C3%B8we", `M\u00f8we`, "beacon"} {
			assert.NotContains(t, text, part, where)
		}
	}
	assert.Contains(t, all["terminal"], "Authorization: Bearer •••")
	assert.NotContains(t, all["again"], "baseline", "a baseline with a secret holds")
	for _, name := range []string{"run.jsonl", ".usualpath"} {
		info, err := os.Stat(filepath.Join(dir, name))
		require.NoError(t, err)
		assert.Zero(t, info.Mode().Perm()&0o077, name)
	}
	t.Setenv("TOKEN", "abc")
	r = run(t, dir, "run")
	assert.Equal(t, 2, r.code, r.out+r.err)
	assert.Contains(t, r.err, "fewer than 4 characters")
}

func TestWhatTryFilesHoldsNoCredential(t *testing.T) {
	t.Parallel()
	plainOnly(t)
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		_, _ = io.Copy(w, r.Body)
	})
	dir := folder(t)
	r := run(t, dir, "try", "POST", base+"/in", "--header", "Authorization: Bearer sesame-street-42", "--json", `{"user":"ada","password":"swordfish9"}`, "--into", "a.upath")
	require.Equal(t, 0, r.code, r.out+r.err)
	text, err := os.ReadFile(filepath.Join(dir, "a.upath"))
	require.NoError(t, err)
	for _, w := range []string{"secret token from env TOKEN", "secret password from env PASSWORD", "auth bearer {token}", `"password": {password}`} {
		assert.Contains(t, string(text), w)
	}
	assert.NotRegexp(t, "sesame|swordfish", string(text))
	tidy(t, dir)
}

// What could take for ever ends with a word about its limit.
func TestWhatTakesTooLongEnds(t *testing.T) {
	t.Parallel()
	plainOnly(t)
	wide, _ := json.Marshal(make([]int, 20_000))
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/xml":
			w.Header().Set("Content-Type", "application/xml")
			fmt.Fprint(w, strings.Repeat("<a>", 3000)+strings.Repeat("</a>", 3000))
		case "/deep":
			fmt.Fprint(w, strings.Repeat("[", 900)+strings.Repeat("]", 900))
		default:
			_, _ = w.Write(wide)
		}
	})
	branches := map[string]any{"leaf": map[string]any{"type": "string"}}
	for i := range 40 {
		to := map[string]any{"$ref": fmt.Sprintf("#/$defs/d%d", i+1)}
		if i == 39 {
			to["$ref"] = "#/$defs/leaf"
		}
		branches[fmt.Sprintf("d%d", i)] = map[string]any{"anyOf": []any{to, to}}
	}
	schema, _ := json.Marshal(map[string]any{"$ref": "#/$defs/d0", "$defs": branches})
	doubling, chain := "let a0 = \"gull\"\n", "let a0 = \"gull\"\n"
	for i := 1; i < 30; i++ {
		doubling += fmt.Sprintf("let a%d = [{a%d}, {a%d}]\n", i, i-1, i-1)
	}
	for i := 1; i < 30_000; i++ {
		chain += fmt.Sprintf("let a%d = \"{a%d}\"\n", i, i-1)
	}
	step := "\nscenario \"s\"\n  step \"t\"\n    send GET /"
	dir := folder(t, "s.json", string(schema), "project.upath", "base "+base+"\n",
		"path.upath", step+"deep\n    expect $..*..*..* count 3\n", "filter.upath", step+"wide\n    expect $[?count($[*]) > 1] count 3\n",
		"xml.upath", step+"xml\n    expect xml //a//a//a//a count 3\n", "schema.upath", step+"wide\n    expect body fits schema \"s.json\"\n",
		"doubling.upath", doubling+step+"wide\n    expect body is {a29}\n", "chain.upath", chain+step+"wide\n    expect text is \"{a29999}\"\n")
	for i, c := range [][2]string{{"path", "4,000,000 nodes"}, {"filter", "4,000,000 nodes"}, {"xml", "takes more than 3s"}, {"schema", "takes more than 3s"}, {"doubling", "1,000,000 values"}} {
		if !inTurn(i) {
			continue
		}
		r := run(t, dir, "run", c[0]+".upath")
		assert.Equal(t, 5, r.code, r.out+r.err)
		assert.Contains(t, r.out, c[1])
		assert.Contains(t, strings.Join(strings.Fields(r.out), " "), "--effort 10 allows ten times as much")
	}
	assert.Contains(t, run(t, dir, "run", "path.upath", "--effort", "2").out, "8,000,000 nodes")
	assert.Equal(t, 2, run(t, dir, "run", "path.upath", "--effort", "0").code)
	assert.Equal(t, 0, run(t, dir, "lint", "chain.upath").code)
}

// Only files with an end are read, and only those of the project.
func TestFilesThatAreNone(t *testing.T) {
	plainOnly(t)
	if runtime.GOOS == "windows" {
		t.Skip("there are no such files")
	}
	step := "scenario \"s\"\n  step \"t\"\n    send POST /x\n      "
	dir := folder(t, "p/project.upath", "base http://127.0.0.1:1\n", "outside.upath", "let x = 1\n", "p/use.upath", "use \"../outside.upath\"\n"+step+"json {x}\n", "p/file.upath", step+"file \"pipe.json\"\n    expect status 200\n")
	for _, name := range []string{"p/pipe.json", "pipe.upath"} {
		require.NoError(t, syscall.Mkfifo(filepath.Join(dir, name), 0o600))
	}
	require.NoError(t, os.Symlink("/dev/zero", filepath.Join(dir, "zero.upath")))
	for says, args := range map[string][]string{
		"not a regular file":   {"lint", "pipe.upath"},
		"this is not a":        {"lint", "zero.upath"},
		"a regular file":       {"run", "p/file.upath"},
		"outside the project":  {"lint", "p/use.upath"},
		"is not a regular":     {"new", "x", "--from-openapi", "p/pipe.json"},
		"this is not a regula": {"report", "pipe.upath"},
	} {
		r := run(t, dir, args...)
		assert.Equal(t, 2, r.code, r.out+r.err)
		assert.Contains(t, r.out+r.err, says)
	}
	base := service(t, func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(204) })
	dir = folder(t, "a.upath", scenario(base, "  step \"t\"\n    send GET /\n    expect status 204\n"))
	require.NoError(t, os.Symlink("real.xml", filepath.Join(dir, "link.xml")))
	r := run(t, dir, "run", "--report", "junit=link.xml")
	require.Equal(t, 0, r.code, r.out+r.err)
	to, err := os.Readlink(filepath.Join(dir, "link.xml"))
	require.NoError(t, err)
	assert.Equal(t, "real.xml", to)
	r = run(t, dir, "run", "--report", "junit=-")
	assert.True(t, strings.HasPrefix(r.out, "<?xml"), r.out)
	assert.Contains(t, r.err, "1 scenario: 1 held")
	t.Setenv("TMPDIR", filepath.Join(dir, "none"))
	assert.Contains(t, run(t, dir, "run").err, "set TMPDIR")
}

func TestNamesOfThisMachine(t *testing.T) {
	t.Parallel()
	plainOnly(t)
	base := service(t, func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(204) })
	for _, host := range []string{"LOCALHOST", "localhost.", "127.0.0.1", "Localhost"} {
		r := run(t, folder(t), "try", "GET", strings.Replace(base, "127.0.0.1", host, 1))
		assert.Contains(t, r.out, "204 No Content", host)
	}
	r := run(t, folder(t), "try", "GET", strings.Replace(base, "//", "//ada:secret@", 1))
	assert.Contains(t, r.out+r.err, "auth basic")
}

// A terminal that is closed, and a reader that goes away, end a run in order.
func TestEveryEndCleansUp(t *testing.T) {
	for _, how := range []string{"hang-up", "closed pipe"} {
		s := newCrates(crateManners{})
		var served atomic.Int64
		base := service(t, func(w http.ResponseWriter, r *http.Request) {
			served.Add(1)
			time.Sleep(3 * time.Millisecond)
			s.ServeHTTP(w, r)
		})
		dir := folder(t, "crates.upath", "base "+base+"\n\n"+cratesResource)
		c := exec.Command(program, "run", "-v")
		c.Dir = dir
		var errs bytes.Buffer
		c.Stderr = &errs
		out, err := c.StdoutPipe()
		require.NoError(t, err)
		require.NoError(t, c.Start())
		if how == "hang-up" {
			go func() { _, _ = io.Copy(io.Discard, out) }()
			require.Eventually(t, func() bool { return served.Load() >= 30 }, 20*time.Second, time.Millisecond)
			require.NoError(t, c.Process.Signal(syscall.SIGHUP))
		} else {
			_, _ = io.ReadFull(out, make([]byte, 10))
			require.NoError(t, out.Close())
		}
		_ = c.Wait()
		assert.Equal(t, 130, c.ProcessState.ExitCode(), how+errs.String())
		assert.Equal(t, userItems, s.size(), how)
		assert.NotContains(t, errs.String(), "broken pipe")
	}
}

// The harbour whose files do not say that its data may be lost has as many checks that hold: each
// number may only rise.
func TestNothingIsLostWithoutDisposable(t *testing.T) {
	t.Parallel()
	plainOnly(t)
	base := gullPoint(t)
	dir := t.TempDir()
	files, err := filepath.Glob("../examples/*.upath")
	require.NoError(t, err)
	for _, name := range files {
		text, err := os.ReadFile(name)
		require.NoError(t, err)
		plain := strings.ReplaceAll(string(text), "\n  disposable", "")
		require.NoError(t, os.WriteFile(filepath.Join(dir, filepath.Base(name)), []byte(plain), 0o600))
	}
	for resources, least := range map[string]int{"boats,stays": 242, "berths": 99, "log": 79} {
		r := run(t, dir, "run", "--base", base, "--resource", resources, "-q")
		assert.Equal(t, 0, r.code, r.out)
		assert.NotContains(t, r.out, "left on the service")
		m := regexp.MustCompile(`checks of .*: (\d+) held`).FindStringSubmatch(r.out)
		require.NotNil(t, m, r.out)
		held, _ := strconv.Atoi(m[1])
		assert.GreaterOrEqual(t, held, least, "%s: %s", resources, r.out)
	}
}
