package tests

import (
	"bufio"
	"bytes"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"
)

// asked is one request of a recorded walk, and what was answered.
type asked struct {
	Method, Path, Body string
	Status             int
	Answer             string
}

// replayLoop is the baseline of a walk: the same requests, the JSON of the answers
// decoded, and nothing else.
func replayLoop(base, file string) int {
	f, err := os.Open(file)
	if err != nil {
		return 1
	}
	defer f.Close()
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 16}}
	in := bufio.NewReader(f)
	for {
		line, err := in.ReadBytes('\n')
		if err != nil {
			return 0
		}
		var a asked
		if json.Unmarshal(line, &a) != nil {
			return 1
		}
		r, err := http.NewRequest(a.Method, base+a.Path, bytes.NewReader([]byte(a.Body)))
		if err != nil {
			return 1
		}
		answer, err := client.Do(r)
		if err != nil {
			return 1
		}
		data, _ := io.ReadAll(answer.Body)
		_ = answer.Body.Close()
		// What is not JSON takes no longer to refuse.
		var v any
		_ = json.Unmarshal(data, &v)
	}
}

// observed is what the tool took, with all that it sent and was answered; {base} in its
// arguments is the service.
func observed(b *testing.B, args ...string) (cost, []asked) {
	inner := harbourFor(b)
	var mu sync.Mutex
	var list []asked
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		var said bytes.Buffer
		forward, _ := http.NewRequest(r.Method, inner+r.URL.RequestURI(), bytes.NewReader(body))
		forward.Header = r.Header.Clone()
		answer, err := http.DefaultTransport.RoundTrip(forward)
		if err != nil {
			w.WriteHeader(http.StatusBadGateway)
			return
		}
		defer answer.Body.Close()
		_, _ = said.ReadFrom(answer.Body)
		mu.Lock()
		list = append(list, asked{r.Method, r.URL.RequestURI(), string(body), answer.StatusCode, said.String()})
		mu.Unlock()
		for n, v := range answer.Header {
			w.Header()[n] = v
		}
		w.WriteHeader(answer.StatusCode)
		_, _ = w.Write(said.Bytes())
	}))
	defer s.Close()
	for i, a := range args {
		args[i] = strings.ReplaceAll(a, "{base}", s.URL)
	}
	return measure(b, exec.Command(program, args...)), list
}

// looped is what the baseline takes for the same.
func looped(b *testing.B, list []asked) cost {
	file := filepath.Join(b.TempDir(), "asked.jsonl")
	var lines bytes.Buffer
	for _, a := range list {
		line, err := json.Marshal(a)
		require.NoError(b, err)
		lines.Write(append(line, '\n'))
	}
	require.NoError(b, os.WriteFile(file, lines.Bytes(), 0o600))
	next := 0
	var mu sync.Mutex
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		_, _ = io.Copy(io.Discard, r.Body)
		mu.Lock()
		a := list[next%len(list)]
		next++
		mu.Unlock()
		w.Header().Set("Content-Type", "application/json")
		w.WriteHeader(a.Status)
		_, _ = io.WriteString(w, a.Answer)
	}))
	defer s.Close()
	return measure(b, bare("%s 1 1 @%s", s.URL, file))
}

// BenchmarkRoam tells what a walk costs the tool itself, as a ratio to a loop that
// sends the same requests: processor time, and the memory of a long walk to that of
// a short one.
func BenchmarkRoam(b *testing.B) {
	walk := func(steps int) (cost, []asked) {
		return observed(b, "roam", "../examples/boats.upath", "--base", "{base}", "--clients", "1", "--steps", strconv.Itoa(steps), "--seed", "4", "--resource", "boats")
	}
	for b.Loop() {
		short, _ := walk(500)
		took, list := walk(5000)
		b.ReportMetric(float64(len(list)), "requests")
		b.ReportMetric(took.cpu.Seconds()/looped(b, list).cpu.Seconds(), "cpu/loop")
		b.ReportMetric(float64(took.peak)/float64(short.peak), "memory/short")
	}
}

// BenchmarkChecks tells the same of the checks of a resource.
func BenchmarkChecks(b *testing.B) {
	for b.Loop() {
		took, list := observed(b, "run", "-q", "../examples/boats.upath", "--base", "{base}", "--workers", "1", "--resource", "boats")
		b.ReportMetric(float64(len(list)), "requests")
		b.ReportMetric(took.cpu.Seconds()/looped(b, list).cpu.Seconds(), "cpu/loop")
	}
}
