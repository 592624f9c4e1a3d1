package tests

import (
	"bytes"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What a run made and did not remove is told at its end, and in every report;
// what was there before is told to stay.
func TestWhatIsLeftIsTold(t *testing.T) {
	t.Parallel()
	s := newCrates(crateManners{})
	base := service(t, s.ServeHTTP)
	dir := folder(t, "a.upath", scenario(base, `  step "make one"
    send POST /crates
      json { "name": "Tar" }
    keep crate from $.id
  step "make another"
    send POST /crates
      json { "name": "Pitch" }
    keep other from $.id
  step "remove one"
    send DELETE /crates/{crate}
    expect status 2xx
`), "b.upath", "base "+base+"\n\n"+cratesResource)
	for _, format := range []string{"html", "json", "junit", "markdown", "tap"} {
		r := run(t, dir, "run", "a.upath", "--report", format+"=out."+format)
		assert.Contains(t, r.out, "left on the service: POST /crates ")
		assert.Contains(t, run(t, dir, "run", "b.upath", "--family", "lifecycle").out, "that are there stay as they are")
		text, err := os.ReadFile(filepath.Join(dir, "out."+format))
		require.NoError(t, err)
		assert.Contains(t, string(text), "left on the service")
	}
	assert.NotContains(t, run(t, dir, "run", "b.upath").out, "left on the service")
}

// What a service said it has removed, and still shows, is left too.
func TestWhatIsNotRemovedIsLeft(t *testing.T) {
	t.Parallel()
	s := newCrates(crateManners{})
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		if r.Method == "DELETE" {
			w.WriteHeader(204)
			return
		}
		s.ServeHTTP(w, r)
	})
	dir := folder(t, "a.upath", scenario(base, `  step "make one"
    send POST /crates
      json { "name": "Tar" }
    keep crate from $.id
  step "remove it"
    send DELETE /crates/{crate}
  step "read it"
    send GET /crates/{crate}
`))
	assert.Contains(t, run(t, dir, "run").out, "left on the service: POST /crates ")
	// So is what checks have made, all of it.
	dir = folder(t, "b.upath", "base "+base+"\n\n"+cratesResource)
	made := s.size()
	out := run(t, dir, "run", "--family", "lifecycle").out
	assert.Contains(t, out, fmt.Sprintf("and %d more", s.size()-made-10))
}

// A place where nothing was, and to which PUT has put something, is left whatever it answered.
func TestAListThatCannotBeReadAnyMoreIsTold(t *testing.T) {
	t.Parallel()
	s := newCrates(crateManners{})
	broken := false
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		r.Body = io.NopCloser(bytes.NewReader(body))
		s.mu.Lock()
		// What is not an object is put among the others as it is.
		broken = broken || r.Method == "POST" && bytes.HasPrefix(body, []byte(`"`))
		odd := broken && r.Method == "GET" && r.URL.Path == "/crates"
		s.mu.Unlock()
		if odd {
			fmt.Fprint(w, `["a"]`)
			return
		}
		s.ServeHTTP(w, r)
	})
	r := run(t, folder(t, "b.upath", "base "+base+"\n\n"+cratesResource), "run", "--family", "input")
	assert.Regexp(t, `(?s)/crates can no longer be read, since step "a\s.*input/wrong-container: \$\.id tells members apart by one value`, r.out)
	assert.Contains(t, strings.Join(strings.Fields(r.out), " "), "whether what was there before is as it was, cannot be told")
}

// Where nothing says that a name is free, nothing is made, and none is said to be left.
func TestWhatWasNeverMadeIsNotLeft(t *testing.T) {
	t.Parallel()
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		assert.Contains(t, []string{"GET", "HEAD", "OPTIONS"}, r.Method)
		fmt.Fprint(w, "null")
	})
	dir := folder(t, "a.upath", "base "+base+"\n\nresource tags\n  collection /tags\n  identity chosen \"t-{turn}\" by $.id\n  make { \"id\": \"t-{turn}\", \"hue\": \"red\" }\n  supports read, replace, delete\n")
	out := run(t, dir, "run").out
	assert.Contains(t, out, "needed    status 404 or 410")
	assert.NotContains(t, out, "what was made is still there")
}

func TestWhatPUTMakesIsLeft(t *testing.T) {
	t.Parallel()
	there := false
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		if there = there || r.Method == "PUT"; !there {
			w.WriteHeader(404)
		}
	})
	dir := folder(t, "a.upath", scenario(base, "  step \"look\"\n    send GET /crates/tar\n  step \"put it\"\n    send PUT /crates/tar\n"))
	assert.Contains(t, run(t, dir, "run").out, "left on the service: PUT /crates/tar")
	assert.NotContains(t, run(t, dir, "run").out, "left on the service", "it was there before")
}

// A run that is read-only sends nothing that could change anything.
func TestReadOnly(t *testing.T) {
	t.Parallel()
	s := newCrates(crateManners{allow: "GET, POST"})
	var mu sync.Mutex
	var methods []string
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		methods = append(methods, r.Method)
		mu.Unlock()
		s.ServeHTTP(w, r)
	})
	dir := folder(t, "a.upath", scenario(base, "  step \"make one\"\n    send POST /crates\n    expect status 201\n"), "b.upath", "base "+base+"\n\n"+cratesResource)
	r := run(t, dir, "run", "--read-only", "--level", "usual")
	assert.Equal(t, 0, r.code, r.out+r.err)
	assert.Contains(t, r.out, "not applicable")
	slices.Sort(methods)
	assert.Subset(t, []string{"GET", "HEAD", "OPTIONS"}, slices.Compact(methods))
	assert.NotEmpty(t, methods)
}

// The last look asks as the resource says, with its credentials: else what a
// service has made beside what it says is never seen.
func TestTheLastLookHasCredentials(t *testing.T) {
	t.Parallel()
	s := newCrates(crateManners{})
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		if r.Header.Get("X-Key") != "k9-made-up" {
			w.WriteHeader(401)
			return
		}
		if r.Method == "POST" {
			body, _ := io.ReadAll(r.Body)
			s.ServeHTTP(httptest.NewRecorder(), httptest.NewRequest("POST", "/crates", bytes.NewReader(body)))
			r.Body = io.NopCloser(bytes.NewReader(body))
		}
		s.ServeHTTP(w, r)
	})
	dir := folder(t, "a.upath", "base "+base+"\nlet key = \"k9-made-up\"\n\n"+strings.Replace(cratesResource, "  make", "  auth header \"X-Key\" {key}\n  make", 1))
	assert.NotContains(t, run(t, dir, "run", "--check", "lifecycle/create-answers").out, "left on the service")
	assert.Equal(t, userItems, s.size(), "what it made beside what it says is found and removed")
}

// Nothing is left by what removes it in the right order, or with what it needs for that.
func TestNothingIsLeft(t *testing.T) {
	plainOnly(t)
	t.Run("a parent that wants its revision", func(t *testing.T) {
		base := gullPoint(t)
		dir := folder(t, "stays.upath", "base "+base+`

resource boats
  collection /boats
  make     { "name": "Tern {uuid()}", "length_m": 8 }
  revision header ETag as header If-Match
  supports list, create, read, delete

resource stays
  under boats
  collection /boats/{boats.id}/stays
  make { "berth": "A01", "from": "{in_days(turn)}", "nights": 2 }
  supports list, create, read, delete
`, "boats.upath", scenario(base, "  step \"as many as before\"\n    send GET /boats\n    expect $ count 12\n"))
		r := run(t, dir, "run", "stays.upath", "--resource", "stays", "--family", "lifecycle")
		assert.NotContains(t, r.out, "left on the service", "%s", tail(r.out))
		boats := run(t, dir, "run", "boats.upath")
		assert.Equal(t, 0, boats.code, boats.out)
	})
	t.Run("a step that was filed with its credentials", func(t *testing.T) {
		s := newCrates(crateManners{})
		base := service(t, func(w http.ResponseWriter, r *http.Request) {
			if r.Header.Get("Authorization") != "Bearer harbour-light-9" || r.Header.Get("X-Pier") != "4" {
				w.WriteHeader(401)
				return
			}
			s.ServeHTTP(w, r)
		})
		dir := folder(t)
		r := run(t, dir, "try", "POST", base+"/crates", "--header", "Authorization: Bearer harbour-light-9", "--header", "X-Pier: 4", "--json", `{"name": "Tar"}`, "--into", "a.upath")
		require.Equal(t, 0, r.code, r.out+r.err)
		t.Setenv("TOKEN", "harbour-light-9")
		there := s.size()
		r = run(t, dir, "run", "a.upath")
		assert.Equal(t, 0, r.code, r.out+r.err)
		assert.Equal(t, there, s.size(), r.out)
	})
	t.Run("a soft delete that the list loses", func(t *testing.T) {
		hidden := map[string]bool{}
		s := newCrates(crateManners{write: func(c *crates, method, id string, _ map[string]any) (int, any) {
			if method == "DELETE" {
				hidden[id] = true
				return 204, nil
			}
			return 0, nil
		}, list: func(_ *crates, l []any) []any {
			return slices.DeleteFunc(l, func(it any) bool { return hidden[fmt.Sprint(it.(map[string]any)["id"])] })
		}})
		base := service(t, s.ServeHTTP)
		dir := folder(t, "a.upath", "base "+base+`

scenario "s"
  observe crates at /crates by $.id
  step "make one"
    send POST /crates
      json { "name": "Tar" }
    keep id from $.id
  step "remove it"
    send DELETE /crates/{id}
    expect crates loses 1
  step "read it"
    send GET /crates/{id}
    expect status 200
`)
		r := run(t, dir, "run")
		assert.Equal(t, 0, r.code, r.out)
		assert.NotContains(t, r.out, "left on the service")
	})
	for name, args := range map[string][]string{"run --watch": {"run", "--watch"}, "new --writes": {"new", "drafted", "--from-service", "BASE/crates", "--writes"}, "roam": {"roam"}} {
		t.Run("an interrupt of "+name, func(t *testing.T) {
			s := newCrates(crateManners{})
			var once sync.Once
			var c *exec.Cmd
			base := service(t, func(w http.ResponseWriter, r *http.Request) {
				s.ServeHTTP(w, r)
				if r.Method == "POST" && s.size() > userItems {
					once.Do(func() { _ = c.Process.Signal(os.Interrupt) })
				}
			})
			dir := folder(t, "crates.upath", "base "+base+"\n\n"+cratesResource)
			c = exec.Command(program, strings.Split(strings.ReplaceAll(strings.Join(args, "\n"), "BASE", base), "\n")...)
			c.Dir = dir
			var out bytes.Buffer
			c.Stdout, c.Stderr = &out, &out
			require.NoError(t, c.Start())
			_ = c.Wait()
			assert.Equal(t, 130, c.ProcessState.ExitCode(), out.String())
			assert.Equal(t, userItems, s.size(), out.String())
			_, err := os.Stat(filepath.Join(dir, "drafted"))
			assert.Error(t, err, "nothing is written")
		})
	}
}

// Whatever is quiet tells what is left.
func TestQuietRunsTellWhatIsLeft(t *testing.T) {
	t.Parallel()
	s := newCrates(crateManners{})
	dir := folder(t, "a.upath", scenario(service(t, s.ServeHTTP), "  step \"make one\"\n    send POST /crates\n      json { \"name\": \"Tar\" }\n    expect status 201\n"))
	for _, q := range []string{"-q", "-qq"} {
		r := run(t, dir, "run", q)
		assert.Contains(t, r.out+r.err, "left on the service: POST /crates 4")
	}
}

// A service that the run did not start is not restarted, nor is another one started.
func TestWhatWasNotStartedIsNotRestarted(t *testing.T) {
	t.Parallel()
	s := newCrates(crateManners{})
	base := service(t, s.ServeHTTP)
	dir := folder(t, "project.upath", "project p\n\nservice crates\n  start \"touch started\"\n", "a.upath", cratesResource+"\nscenario \"s\"\n  step \"again\"\n    restart service\n  step \"hard\"\n    kill service\n")
	r := run(t, dir, "run", "--base", base, "--family", "durability")
	assert.Contains(t, r.out, "3 not applicable")
	r = run(t, dir, "run", "--base", base, "--only", "s", "-v")
	assert.Contains(t, r.out, "this run has not started the service itself")
	walked := run(t, dir, "roam", "--base", base, "--steps", "60", "--clients", "1", "--seed", "2", "-v")
	assert.NotContains(t, walked.out, "restart")
	_, err := os.Stat(filepath.Join(dir, "started"))
	assert.Error(t, err)
	assert.Equal(t, userItems, s.size())
}
