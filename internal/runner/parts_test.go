package runner

import (
	"bytes"
	"context"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/event"
	"usualpath/internal/core/project"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/source"
)

// load reads the files of a project in a folder of their own.
func load(t *testing.T, files map[string]string) *project.Project {
	t.Helper()
	dir := t.TempDir()
	var names []string
	for name, text := range files {
		at := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(at, []byte(text), 0o644))
		if strings.HasSuffix(name, ".upath") && name != "project.upath" {
			names = append(names, at)
		}
	}
	p, _ := resource.Load(names, project.Options{})
	require.Zero(t, p.Diagnostics.Errors(), "%v", p.Diagnostics)
	return p
}

const boats = "resource boats\n  collection /boats\n  make { \"name\": \"x {turn}\" }\n"

// What failed is remembered by file and title, or by check, until it holds.
func TestWhatFailedLast(t *testing.T) {
	p := load(t, map[string]string{"project.upath": "project quay\nbase http://127.0.0.1:1\n", "a.upath": look + strings.Replace(look, `"s"`, `"other"`, 1), "b.upath": boats})
	f, there, err := lastFailures(p)
	require.NoError(t, err)
	assert.False(t, there)
	chosen := func() string {
		var out []string
		for _, s := range p.Scenarios() {
			if f.chosen(s) {
				name := s.Raw()
				if s.Check != nil {
					name = s.Check.ID
				}
				out = append(out, name)
			}
		}
		slices.Sort(out)
		return strings.Join(out, " ")
	}
	tell := func(id int, title string, check *event.Check, verdict event.Verdict) {
		name := p.Files[0].Source.Name
		for _, one := range p.Files {
			if check != nil && strings.HasSuffix(one.Path, "b.upath") || check == nil && strings.HasSuffix(one.Path, "a.upath") {
				name = one.Source.Name
			}
		}
		f.event(&event.ScenarioStarted{ID: id, File: name, Pattern: title, Check: check})
		f.event(&event.ScenarioFinished{Scenario: id, Verdict: verdict})
	}
	assert.Empty(t, chosen())
	f.keep()
	assert.NoFileExists(t, f.at, "nothing has changed")
	tell(1, "s", nil, event.Failed)
	tell(2, "other", nil, event.Held)
	assert.Equal(t, "s", chosen())
	gone := &event.Check{ID: "lifecycle/deleted-is-gone", Resource: "boats", Operation: "delete"}
	tell(3, "", gone, event.Blocked)
	assert.Equal(t, "lifecycle/deleted-is-gone s setup/examples-work", chosen(), "the probe says why others cannot run")
	f.keep()
	f, there, err = lastFailures(p)
	require.NoError(t, err)
	assert.True(t, there)
	assert.Equal(t, "lifecycle/deleted-is-gone s setup/examples-work", chosen())

	// Rows of one scenario count together; what was not reached says nothing.
	tell(4, "s", nil, event.NotReached)
	tell(5, "s", nil, event.Failed)
	tell(6, "s", nil, event.Held)
	assert.Contains(t, chosen(), " s", "one row that fails counts")
	f.event(&event.ScenarioFinished{Scenario: 99, Verdict: event.Failed})
	f, _, err = lastFailures(p)
	require.NoError(t, err)
	tell(7, "s", nil, event.Held)
	tell(8, "", gone, event.Warned)
	assert.Empty(t, chosen())
	f.keep()
	data, err := os.ReadFile(f.at)
	require.NoError(t, err)
	assert.Equal(t, "[]\n", string(data))
	require.NoError(t, os.WriteFile(f.at, []byte("{"), 0o600))
	_, there, err = lastFailures(p)
	assert.Error(t, err)
	assert.False(t, there)
}

// How a project's service is started.
func TestServiceOptions(t *testing.T) {
	for name, lines := range map[string]string{
		"as it is":  "  start \"serve --port {port} --data {folder}\"\n",
		"all lines": "  start \"serve {port}\"\n  env A = \"b {port}\"\n  ready GET /healthz is 2xx within 3s\n  stop INT within 1s\n",
	} {
		t.Run(name, func(t *testing.T) {
			p := load(t, map[string]string{"project.upath": "project quay\nservice harbour\n" + lines, "a.upath": look})
			o, err := serviceOptions(p, t.TempDir())
			require.NoError(t, err)
			port := strings.TrimPrefix(o.Base, "http://127.0.0.1:")
			assert.Contains(t, o.Command, port)
			if name == "all lines" {
				assert.Equal(t, []string{"A=b " + port}, o.Env)
				assert.Equal(t, []any{3 * time.Second, time.Second, signals["INT"]}, []any{o.Within, o.Grace, o.Signal})
			} else {
				assert.Equal(t, []any{20 * time.Second, 5 * time.Second, signals["TERM"]}, []any{o.Within, o.Grace, o.Signal})
				assert.Contains(t, o.Command, "--data ")
			}
		})
	}
	name := filepath.Join(t.TempDir(), "said")
	require.NoError(t, os.WriteFile(name, []byte("out of paper\n"), 0o600))
	kept, err := keepLog(name)
	require.NoError(t, err)
	defer os.Remove(kept)
	data, err := os.ReadFile(kept)
	require.NoError(t, err)
	assert.Equal(t, "out of paper\n", string(data))
	_, err = keepLog(name + "-none")
	assert.Error(t, err)
}

// Reports are made of records, whole or damaged, and nothing stays of one that cannot be made.
func TestReportsOfRecords(t *testing.T) {
	s := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) {}))
	defer s.Close()
	dir := t.TempDir()
	c := config(t, look, s.URL)
	c.Save = filepath.Join(dir, "run.jsonl")
	_, err := Run(context.Background(), c, View{})
	require.NoError(t, err)
	var out bytes.Buffer
	require.NoError(t, WriteReport([]string{c.Save}, Report{Format: "tap"}, &out))
	assert.Contains(t, out.String(), "ok 1 - ")
	file := filepath.Join(dir, "run.tap")
	require.NoError(t, WriteReport([]string{c.Save}, Report{"tap", file}, nil))
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, out.String(), string(text))

	whole, err := os.ReadFile(c.Save)
	require.NoError(t, err)
	cut := filepath.Join(dir, "cut.jsonl")
	require.NoError(t, os.WriteFile(cut, whole[:len(whole)-20], 0o644))
	out.Reset()
	err = WriteReport([]string{cut}, Report{Format: "tap"}, &out)
	assert.Error(t, err, "it says that the record is damaged")
	assert.Contains(t, out.String(), "1..", "and tells what is there")
	none := filepath.Join(dir, "none.tap")
	assert.Error(t, WriteReport([]string{filepath.Join(dir, "none.jsonl")}, Report{"tap", none}, nil))
	assert.NoFileExists(t, none)
	assert.Error(t, WriteReport([]string{c.Save}, Report{Format: "gopher"}, &out))
	assert.Error(t, WriteReport([]string{c.Save}, Report{"tap", filepath.Join(dir, "no", "x.tap")}, nil))
	assert.Equal(t, 2, (&Config{Save: source.Stdout, Reports: []Report{{"tap", source.Stdout}, {"tap", "x"}}}).Straight())
	var fault error = &Fault{Message: "no"}
	assert.EqualError(t, fault, "no")
}

// Annotations and a history go along with a run.
func TestOutputsOfARun(t *testing.T) {
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(500) }))
	defer s.Close()
	c := config(t, look, s.URL)
	var said bytes.Buffer
	c.Annotations, c.History = &said, true
	for range 2 {
		_, err := Run(context.Background(), c, View{})
		require.NoError(t, err)
	}
	assert.Contains(t, said.String(), "::error file=")
	kept, err := filepath.Glob(filepath.Join(c.Project.Root, ".usualpath", "*", "*"))
	require.NoError(t, err)
	assert.GreaterOrEqual(t, len(kept), 2)
	o, err := openOutputs(&c)
	require.NoError(t, err)
	assert.NotNil(t, o.since())
	require.NoError(t, o.close())
	empty := &outputs{}
	assert.Nil(t, empty.since())
	assert.Nil(t, empty.flickering())
	empty.event(&event.Notice{})
	require.NoError(t, empty.close())
}
