package runner

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/engine"
	"usualpath/internal/core/event"
	"usualpath/internal/core/project"
	"usualpath/internal/core/record"
	"usualpath/internal/core/resource"
)

// config is a run of one file.
func config(t *testing.T, text, base string) Config {
	t.Helper()
	name := filepath.Join(t.TempDir(), "a.upath")
	require.NoError(t, os.WriteFile(name, []byte(text), 0o644))
	p, resources := resource.Load([]string{name}, project.Options{})
	return Config{Project: p, Resources: resources, Engine: engine.Options{Base: base, Timeout: time.Second, MaxBody: 1 << 20, Workers: 1, Tool: "t", Getenv: os.LookupEnv}}
}

const look = "scenario \"s\"\n  step \"look\"\n    send GET /x\n    expect status 200\n"

func TestARunIsTold(t *testing.T) {
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusTeapot) }))
	defer s.Close()
	dir := t.TempDir()
	c := config(t, look, s.URL)
	c.Save = filepath.Join(dir, "run.jsonl")
	c.Reports = []Report{{"json", filepath.Join(dir, "run.json")}, {"junit", filepath.Join(dir, "run.xml")}}
	var told []string
	out, err := Run(context.Background(), c, View{
		Begin:   func(n int, _ func(file, pattern string) string) { assert.Equal(t, 1, n) },
		Request: func(r string) { told = append(told, r) },
		Event:   func(event.Event) {},
	})
	require.NoError(t, err)
	assert.True(t, out.Failed())
	assert.False(t, out.Departs())
	assert.Equal(t, []string{"GET " + s.URL + "/x"}, told)
	var read []event.Event
	require.NoError(t, record.Read([]string{c.Save}, func(e event.Event) { read = append(read, e) }))
	assert.Equal(t, out.Finished.Counts, read[len(read)-1].(*event.RunFinished).Counts, "the record says the same")
	text, err := os.ReadFile(c.Reports[0].File)
	require.NoError(t, err)
	assert.True(t, json.Valid(text))
	assert.FileExists(t, c.Reports[1].File)
}

// Whose fault it is decides what the tool ends with.
func TestFaults(t *testing.T) {
	free := "http://127.0.0.1:1"
	for name, c := range map[string]struct {
		change func(c *Config)
		text   string
		base   string
		kind   Kind
		says   string
	}{
		"a mistake in the file": {nil, "scenario\n", free, Usage, ""},
		"nobody chosen":         {func(c *Config) { c.Engine.Select.Only = []string{"zzz"} }, look, free, Usage, "no scenario is chosen"},
		"no base":               {nil, look, "", Usage, ""},
		"a report into nowhere": {func(c *Config) { c.Reports = []Report{{"json", "none/at/all.json"}} }, look, free, Usage, "the report cannot be written: "},
		"a record into nowhere": {func(c *Config) { c.Save = "none/at/all.jsonl" }, look, free, Usage, "the record cannot be written: "},
	} {
		t.Run(name, func(t *testing.T) {
			of := config(t, c.text, c.base)
			if c.change != nil {
				c.change(&of)
			}
			out, err := Run(context.Background(), of, View{})
			var fault *Fault
			require.True(t, errors.As(err, &fault), "%v", err)
			assert.Nil(t, out)
			assert.Equal(t, c.kind, fault.Kind)
			assert.Contains(t, fault.Message, c.says)
			assert.True(t, fault.Message != "" || len(fault.Mistakes) > 0)
		})
	}
	out, err := Run(context.Background(), config(t, look, free), View{})
	require.NoError(t, err)
	assert.True(t, out.Finished.Unreachable)
}

func TestReportsAreNamedWithTheirFile(t *testing.T) {
	r, err := ParseReport("html=a=b.html")
	require.NoError(t, err)
	assert.Equal(t, Report{"html", "a=b.html"}, r)
	for _, text := range []string{"html", "html=", "gopher=x", ""} {
		_, err := ParseReport(text)
		assert.Error(t, err, text)
	}
}
