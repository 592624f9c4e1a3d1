package tests

import (
	"bytes"
	"context"
	"io"
	"log"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// delayed passes everything on to a service and takes its time.
type delayed struct {
	*httputil.ReverseProxy
	by time.Duration
	mu sync.Mutex
	// now are how many requests are under way, most how many were at once.
	now, most int
}

func newDelayed(t testing.TB, to string, by time.Duration) *delayed {
	u, err := url.Parse(to)
	require.NoError(t, err)
	d := &delayed{ReverseProxy: httputil.NewSingleHostReverseProxy(u), by: by}
	d.Transport = &http.Transport{MaxIdleConnsPerHost: 64}
	return d
}

func (d *delayed) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	d.mu.Lock()
	d.now++
	d.most = max(d.most, d.now)
	d.mu.Unlock()
	time.Sleep(d.by)
	d.ReverseProxy.ServeHTTP(w, r)
	d.mu.Lock()
	d.now--
	d.mu.Unlock()
}

// Checks run side by side where that saves time, unless the file says otherwise.
func TestSlowServicesAreCheckedSideBySide(t *testing.T) {
	boats, err := os.ReadFile("../examples/boats.upath")
	require.NoError(t, err)
	for name, c := range map[string]struct {
		by         time.Duration
		head       string
		args       []string
		sideBySide bool
	}{
		"slow":             {12 * time.Millisecond, "", nil, true},
		"quick":            {0, "", nil, false},
		"quick, but asked": {0, "", []string{"--workers", "8"}, true},
		"alone":            {12 * time.Millisecond, "alone\n", []string{"--workers", "8"}, false},
		"slow, but asked":  {12 * time.Millisecond, "", []string{"--workers", "1"}, false},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			d := newDelayed(t, gullPoint(t), c.by)
			dir := folder(t, "boats.upath", c.head+string(boats))
			args := append([]string{"run", "--base", service(t, d.ServeHTTP), "--resource", "boats", "--family", "absence"}, c.args...)
			r := run(t, dir, args...)
			assert.Equal(t, 0, r.code, r.out+r.err)
			d.mu.Lock()
			defer d.mu.Unlock()
			assert.Equal(t, c.sideBySide, d.most > 1, "%d at once", d.most)
		})
	}
}

// A service that does one thing after the other answers eight clients too late: that is no silence,
// and what it made all the same is removed.
func TestWhatIsLateBesideOthersIsAskedAlone(t *testing.T) {
	t.Parallel()
	base := gullPoint(t)
	to, err := url.Parse(base)
	require.NoError(t, err)
	proxy := httputil.NewSingleHostReverseProxy(to)
	proxy.ErrorLog = log.New(io.Discard, "", 0)
	var one sync.Mutex
	at := service(t, func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		one.Lock()
		time.Sleep(15 * time.Millisecond)
		one.Unlock()
		r.Body = io.NopCloser(bytes.NewReader(body))
		proxy.ServeHTTP(w, r.WithContext(context.WithoutCancel(r.Context())))
	})
	list := func() string { return run(t, ".", "try", "GET", base+"/boats", "--pick", "$[*].name").out }
	before := list()
	for _, c := range []struct{ says, left string }{{"", ""}, {"  disposable\n", "what POST /boats may have made"}} {
		r := run(t, folder(t, "boats.upath", "resource boats\n  collection /boats\n  make { \"name\": \"Sand Martin {turn}\", \"length_m\": 7 }\n  assigned id, registered_at\n  required name, length_m\n  supports list, create, read, delete\n"+c.says),
			"run", "--base", at, "--family", "names,absence", "--workers", "8", "--timeout", "60ms")
		assert.Equal(t, 0, r.code, "%s", tail(r.out))
		if c.left != "" {
			assert.Contains(t, strings.Join(strings.Fields(r.out), " "), c.left)
			continue
		}
		assert.NotContains(t, r.out, "left on the service")
		assert.Equal(t, before, list())
	}
}

// What another scenario did to its own items is nobody's miss; what it did not do
// is one, beside others as well.
func TestOthersExplainOnlyWhatTheyDid(t *testing.T) {
	t.Parallel()
	text := strings.Join([]string{
		"base {base}", `resource boats`, "  collection /boats", `  make { "name": "Sand Martin {turn}", "length_m": 7.2 }`, `  remake { "name": "Black Guillemot {turn}", "length_m": 8 }`, "  identity $.id"}, "\n")
	for fault, finds := range map[string]string{"": "", "deleted-still-there": "lifecycle/deleted-is-gone", "put-appends": "repeat/replace-is-idempotent"} {
		t.Run(fault, func(t *testing.T) {
			t.Parallel()
			var faults []string
			if fault != "" {
				faults = append(faults, fault)
			}
			d := newDelayed(t, gullPoint(t, faults...), 4*time.Millisecond)
			dir := folder(t, "boats.upath", strings.Replace(text, "{base}", service(t, d.ServeHTTP), 1))
			_, found := missed(t, dir, "run", "--family", "lifecycle,repeat", "--workers", "8")
			if finds == "" {
				assert.Empty(t, found)
			} else {
				assert.Contains(t, found, finds)
			}
		})
	}
}

// A conflict with what a neighbour holds is not taken for a refusal.
func TestAConflictBesideOthersSaysNothing(t *testing.T) {
	t.Parallel()
	d := newDelayed(t, gullPoint(t, "february-30-taken"), 3*time.Millisecond)
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		d.mu.Lock()
		beside := d.now > 0
		d.mu.Unlock()
		body, _ := io.ReadAll(r.Body)
		if beside && strings.Contains(string(body), "2027-02-30") {
			w.WriteHeader(http.StatusConflict)
			return
		}
		r.Body = io.NopCloser(bytes.NewReader(body))
		d.ServeHTTP(w, r)
	})
	_, found := missed(t, "../examples", "run", "boats.upath", "--base", base, "--resource", "stays", "--family", "limits", "--workers", "8", "--seed", "11")
	assert.Contains(t, found, "limits/beyond-is-refused")
}

// Derived checks of a service that takes 20 ms an answer, by eight workers and by one.
func BenchmarkSideBySide(b *testing.B) {
	front := httptest.NewServer(newDelayed(b, harbourFor(b), 20*time.Millisecond))
	b.Cleanup(front.Close)
	boats, err := os.ReadFile("../examples/boats.upath")
	require.NoError(b, err)
	dir := b.TempDir()
	require.NoError(b, os.WriteFile(filepath.Join(dir, "boats.upath"), boats, 0o644))
	with := func(workers string) time.Duration {
		return measure(b, tool(dir, "run", "-q", "--base", front.URL, "--resource", "boats", "--workers", workers)).wall
	}
	for b.Loop() {
		one, eight := with("1"), with("8")
		b.ReportMetric(ratio(eight, one), "ratio-8")
		b.ReportMetric(one.Seconds(), "s-1")
		b.ReportMetric(eight.Seconds(), "s-8")
	}
}
