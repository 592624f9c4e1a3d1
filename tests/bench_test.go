package tests

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"usualpath/internal/harbour"
)

// bareLoop is the baseline, as a process of its own: the same requests sent
// with net/http, the same JSON decoded, and nothing else.
func bareLoop(spec string) int {
	var url, file string
	var n, workers int
	if _, err := fmt.Sscan(spec, &url, &n, &workers, &file); err != nil {
		return 2
	}
	if walk, is := strings.CutPrefix(file, "@"); is {
		return replayLoop(url, walk)
	}
	if file != "-" {
		return decodeLines(file)
	}
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 16}}
	var all sync.WaitGroup
	code := 0
	for range workers {
		all.Add(1)
		go func() {
			defer all.Done()
			for range n / workers {
				r, err := client.Get(url)
				if err != nil {
					code = 1
					return
				}
				data, _ := io.ReadAll(r.Body)
				_ = r.Body.Close()
				var v any
				if json.Unmarshal(data, &v) != nil || r.StatusCode != 200 {
					code = 1
				}
			}
		}()
	}
	all.Wait()
	return code
}

func decodeLines(file string) int {
	data, err := os.ReadFile(file)
	if err != nil {
		return 1
	}
	var v any
	if json.Unmarshal(data, &v) != nil {
		return 1
	}
	return 0
}

// cost is what a process took.
type cost struct {
	cpu, wall time.Duration
	peak      int64
}

func measure(b testing.TB, c *exec.Cmd) cost {
	b.Helper()
	start := time.Now()
	out, err := c.CombinedOutput()
	wall := time.Since(start)
	require.NoError(b, err, "%.2000s", out)
	usage := c.ProcessState.SysUsage().(*syscall.Rusage)
	return cost{c.ProcessState.UserTime() + c.ProcessState.SystemTime(), wall, usage.Maxrss}
}

// steps writes a project of n steps, ten a scenario.
func steps(b *testing.B, base string, n int) string {
	dir := b.TempDir()
	var text strings.Builder
	fmt.Fprintf(&text, "base %s\n", base)
	for i := range n / 10 {
		fmt.Fprintf(&text, "\nscenario \"s%d\"\n", i)
		for j := range 10 {
			fmt.Fprintf(&text, "  step \"t%d\"\n    send GET /boats/3\n    expect status 200\n    expect $.name is \"Cormorant\"\n", j)
		}
	}
	require.NoError(b, os.WriteFile(filepath.Join(dir, "a.upath"), []byte(text.String()), 0o644))
	return dir
}

func tool(dir string, args ...string) *exec.Cmd {
	c := exec.Command(program, args...)
	c.Dir = dir
	return c
}

func bare(spec string, args ...any) *exec.Cmd {
	c := exec.Command(os.Args[0])
	c.Env = append(os.Environ(), "USUALPATH_BARE_LOOP="+fmt.Sprintf(spec, args...))
	return c
}

func ratio(a, b time.Duration) float64 { return float64(a) / float64(b) }

func harbourFor(b testing.TB) string {
	s, err := harbour.Start(harbour.Options{SeedData: true})
	require.NoError(b, err)
	b.Cleanup(func() { require.NoError(b, s.Close()) })
	return s.URL
}

// Steps in the tool beside the bare loop, both measured in this run.
func BenchmarkSteps(b *testing.B) {
	base := harbourFor(b)
	const n = 20_000
	dir := b.TempDir()
	require.NoError(b, os.WriteFile(filepath.Join(dir, "a.upath"), []byte(repeated(base, n)), 0o644))
	for b.Loop() {
		loop := measure(b, bare("%s/boats/3 %d 1 -", base, n))
		run := measure(b, tool(dir, "run", "-q"))
		loop8 := measure(b, bare("%s/boats/3 %d 8 -", base, n))
		run8 := measure(b, tool(dir, "run", "-q", "--workers", "8"))
		saved := measure(b, tool(dir, "run", "-q", "--save", "run.jsonl"))
		b.ReportMetric(ratio(saved.cpu, run.cpu), "save-cpu-ratio")
		b.ReportMetric(ratio(run.cpu, loop.cpu), "cpu-ratio")
		b.ReportMetric(ratio(run.wall, loop.wall), "wall-ratio")
		b.ReportMetric(ratio(loop8.wall, run8.wall), "throughput-ratio-8")
	}
}

// Peak memory of a long run beside that of a short one.
func BenchmarkMemory(b *testing.B) {
	base := harbourFor(b)
	short := b.TempDir()
	require.NoError(b, os.WriteFile(filepath.Join(short, "a.upath"), []byte(repeated(base, 1000)), 0o644))
	long := b.TempDir()
	require.NoError(b, os.WriteFile(filepath.Join(long, "a.upath"), []byte(repeated(base, 100_000)), 0o644))
	for b.Loop() {
		few, many := measure(b, tool(short, "run", "-q")), measure(b, tool(long, "run", "-q"))
		b.ReportMetric(float64(many.peak)/float64(few.peak), "peak-ratio")
	}
}

// repeated is one row file's worth of scenarios: the same ten steps over rows.
func repeated(base string, n int) string {
	var text strings.Builder
	fmt.Fprintf(&text, "base %s\nscenario \"row {n}\"\n  for each case\n", base)
	for i := range n / 10 {
		fmt.Fprintf(&text, "    { \"n\": %d }\n", i)
	}
	for j := range 10 {
		fmt.Fprintf(&text, "  step \"t%d\"\n    send GET /boats/3?n={n}\n    expect status 200\n    expect $.name is \"Cormorant\"\n", j)
	}
	return text.String()
}

// The start of the tool beside that of an empty program.
func BenchmarkStart(b *testing.B) {
	dir := b.TempDir()
	require.NoError(b, os.WriteFile(filepath.Join(dir, "main.go"), []byte("package main\n\nfunc main() {}\n"), 0o644))
	empty := filepath.Join(dir, "empty")
	build := exec.Command("go", "build", "-o", empty, filepath.Join(dir, "main.go"))
	require.NoError(b, build.Run())
	for b.Loop() {
		var mine, bare time.Duration
		for range 20 {
			bare += measure(b, exec.Command(empty)).wall
			mine += measure(b, exec.Command(program, "version")).wall
		}
		b.ReportMetric(ratio(mine, bare), "start-ratio")
	}
}

// lint of 100,000 lines beside reading and decoding as many bytes of JSON.
func BenchmarkLint(b *testing.B) {
	dir := steps(b, "http://127.0.0.1:1", 24_500)
	data, err := os.ReadFile(filepath.Join(dir, "a.upath"))
	require.NoError(b, err)
	require.Greater(b, strings.Count(string(data), "\n"), 100_000)
	one := `{"name":"Grey Heron","length_m":9.4,"flag":"NL","tags":["a","b"]},` + "\n"
	text := "[" + strings.TrimSuffix(strings.Repeat(one, len(data)/len(one)), ",\n") + "]"
	name := filepath.Join(dir, "same.json")
	require.NoError(b, os.WriteFile(name, []byte(text), 0o644))
	for b.Loop() {
		decode := measure(b, bare("- 0 0 %s", name))
		lint := measure(b, tool(dir, "lint"))
		b.ReportMetric(ratio(lint.wall, decode.wall), "lint-ratio")
		b.ReportMetric(ratio(lint.cpu, decode.cpu), "lint-cpu-ratio")
	}
}

// What could take a machine's memory, beside reading a file of one scenario.
func BenchmarkBounded(b *testing.B) {
	dir, pairs := b.TempDir(), append(heavy(), "small.upath", "scenario \"s\"\n  step \"t\"\n    send GET /\n    expect status 200\n")
	for i := 0; i < len(pairs); i += 2 {
		at := filepath.Join(dir, pairs[i])
		require.NoError(b, os.MkdirAll(filepath.Dir(at), 0o755))
		require.NoError(b, os.WriteFile(at, []byte(pairs[i+1]), 0o644))
	}
	small := measure(b, tool(dir, "lint", "small.upath"))
	for range b.N {
		slowest, most := time.Duration(0), int64(0)
		for _, args := range limits {
			c := tool(dir, args...)
			_ = c.Run() // most end in an error
			slowest = max(slowest, c.ProcessState.UserTime()+c.ProcessState.SystemTime())
			most = max(most, c.ProcessState.SysUsage().(*syscall.Rusage).Maxrss)
		}
		b.ReportMetric(ratio(slowest, small.cpu), "cpu/small")
		b.ReportMetric(float64(most)/float64(small.peak), "peak/small")
	}
}
