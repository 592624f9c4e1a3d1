package tests

import (
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// lodge guards crates by a key that is given out at a gate, and counts what
// happens there.
type lodge struct {
	*crates
	mu        sync.Mutex
	in, out   int
	key, with string
	broken    bool
}

func (l *lodge) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	l.mu.Lock()
	key, broken := l.key, l.broken
	if r.URL.Path == "/gate" {
		defer l.mu.Unlock()
		switch {
		case r.Method == "DELETE":
			l.out++
			w.WriteHeader(204)
		case broken || r.Header.Get("Authorization") != "":
			l.crates.say(w, 400, map[string]any{"error": "not now"})
		default:
			l.in++
			l.key = fmt.Sprintf("key-%d-%s", l.in, strings.Repeat("x", 12))
			l.crates.say(w, 200, map[string]any{"key": l.key})
		}
		return
	}
	l.mu.Unlock()
	got := r.Header.Get("X-Gate-Key")
	if l.with != "header" {
		got = strings.TrimPrefix(r.Header.Get("Authorization"), "Bearer ")
	}
	if got == "" || got != key {
		w.Header().Set("WWW-Authenticate", "Bearer")
		l.crates.say(w, 401, map[string]any{"error": "who are you"})
		return
	}
	l.crates.ServeHTTP(w, r)
}

// asked is how often the gate was asked for a key, and given one back.
func (l *lodge) asked() (in, out int) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.in, l.out
}

const gateProject = `project lodge

before all "fetch the key"
  step "ask at the gate"
    send POST /gate
      auth none
    expect status 200
    keep secret key from $.key

after all
  step "give the key back"
    send DELETE /gate

defaults
  auth bearer {key}
`

// A name that `before all` keeps is there for scenarios, observations, resources
// and tries; it runs once, and its value is not shown.
func TestBeforeAllRunsOnce(t *testing.T) {
	t.Parallel()
	for _, c := range []struct{ workers, with string }{{"1", ""}, {"8", ""}, {"8", "header"}} {
		t.Run(c.workers+c.with, func(t *testing.T) {
			l := &lodge{crates: newCrates(crateManners{}), with: c.with}
			base := service(t, l.ServeHTTP)
			config := strings.Replace(gateProject, "defaults\n", "base "+base+"\n\ndefaults\n", 1)
			resource := cratesResource + "  auth bearer {key}\n"
			if c.with == "header" {
				config = strings.Replace(config, "auth bearer {key}", `auth header "X-Gate-Key" {key}`, 1)
				resource = cratesResource + `  auth header "X-Gate-Key" {key}` + "\n"
			}
			dir := folder(t, "project.upath", config, "r.upath", resource, "s.upath", scenario(base, `  observe crates at /crates by $.id
  step "make one"
    send POST /crates
      json { "name": "Tar" }
    expect status 201
    keep id from $.id
    expect crates gains 1
  step "remove it"
    send DELETE /crates/{id}
    expect status 2xx
`))
			r := run(t, dir, "run", "--workers", c.workers, "--report", "json=out.json", "-v")
			assert.Equal(t, 0, r.code, tail(r.out)+r.err)
			in, out := l.asked()
			assert.Equal(t, []int{1, 1}, []int{in, out})
			assert.Contains(t, r.out, `before all "fetch the key"`)
			data, err := os.ReadFile(filepath.Join(dir, "out.json"))
			require.NoError(t, err)
			for _, text := range []string{r.out, string(data)} {
				assert.NotContains(t, text, "key-1-")
			}
			tried := run(t, dir, "try", "GET", "/crates")
			assert.Equal(t, 0, tried.code, tried.err)
			assert.Contains(t, tried.out, "200 OK")
			in, _ = l.asked()
			assert.Equal(t, 2, in)
			only := run(t, dir, "run", "s.upath", "--only", "no such")
			assert.NotEqual(t, 0, only.code)
			in, _ = l.asked()
			assert.Equal(t, 2, in, "nothing needs it")
			l.mu.Lock()
			l.broken = true
			l.mu.Unlock()
			b := run(t, dir, "run", "--workers", c.workers)
			assert.Equal(t, 1, b.code)
			assert.Equal(t, 1, strings.Count(b.out, "not now"), tail(b.out))
			assert.Contains(t, b.out, `before all "fetch the key" has failed`)
			assert.Equal(t, 1, strings.Count(b.out, "▲ step"), b.out)
			ro := run(t, dir, "run", "--read-only")
			assert.Contains(t, ro.out, "sends POST, although the run only reads")
		})
	}
}

// Values that are too old are fetched anew, between scenarios.
func TestBeforeAllEvery(t *testing.T) {
	t.Parallel()
	l := &lodge{crates: newCrates(crateManners{})}
	base := service(t, l.ServeHTTP)
	config := strings.NewReplacer("defaults\n", "base "+base+"\n\ndefaults\n", `"fetch the key"`, `"fetch the key" every 300ms`).Replace(gateProject)
	step := "    pause 200ms\n    send GET /crates\n    expect status 200\n"
	dir := folder(t, "project.upath", config, "s.upath", "scenario \"a\"\n  step \"read\"\n"+step+"  step \"read again\"\n"+step+"\nscenario \"b\"\n  step \"read\"\n"+step)
	for _, workers := range []string{"1", "4"} {
		before, _ := l.asked()
		r := run(t, dir, "run", "--workers", workers)
		assert.Equal(t, 0, r.code, r.out+r.err)
		want := 2
		if workers == "4" {
			want = 1
		}
		in, _ := l.asked()
		assert.Equal(t, want, in-before)
	}
}
