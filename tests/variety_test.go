package tests

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/variety"
)

// drawn starts a legal service that follows these lines, with what stands in its answers rewritten, and
// gives it with the folder of its file.
func drawn(t *testing.T, rewrite func(r *http.Request, body string) string, lines ...string) (*variety.Service, string) {
	t.Helper()
	m, err := variety.Of(lines...)
	require.NoError(t, err)
	s := variety.New(m, 1)
	base := service(t, s.Handler(func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			a := httptest.NewRecorder()
			next.ServeHTTP(a, r)
			for n, v := range a.Header() {
				w.Header()[n] = v
			}
			body := a.Body.String()
			if rewrite != nil {
				body = rewrite(r, body)
				w.Header().Del("Content-Length")
			}
			w.WriteHeader(a.Code)
			_, _ = io.WriteString(w, body) // a client that has gone away does not read it
		})
	}).ServeHTTP)
	return s, folder(t, "lamps.upath", s.Statement(base))
}

// What is sent empty may be left out of answers, and not filled.
func TestWhatIsSentEmptyIsNotFilled(t *testing.T) {
	t.Parallel()
	_, dir := drawn(t, func(r *http.Request, body string) string {
		if r.Method == http.MethodGet && r.URL.Path != "/lamps" {
			return strings.Replace(body, `"kind"`, `"marks":["drawn"],"kind"`, 1)
		}
		return body
	}, "empty list left out")
	r, found := missed(t, dir, "run", "--check", "lifecycle/create-keeps-values")
	assert.Contains(t, found, "lifecycle/create-keeps-values")
	assert.Contains(t, r.out, "$.marks[0] is extra")
}

// A member that reads as another type from the start is a form of the service's own: it is told
// once, and nothing that must hold fails.
func TestNumbersThatReadAsTexts(t *testing.T) {
	t.Parallel()
	number := regexp.MustCompile(`"depth":\s*(-?[0-9][0-9.eE+-]*)`)
	_, dir := drawn(t, func(_ *http.Request, body string) string { return number.ReplaceAllString(body, `"depth": "$1"`) }, "identity text")
	r, found := missed(t, dir, "run", "-v", "--seed", "11")
	assert.Equal(t, 0, r.code, "%s", tail(r.out))
	assert.Contains(t, found, "lifecycle/types-are-kept")
	assert.Contains(t, r.out, "depth is sent as number and reads as string")
}

// Of a member that no item shows it is said how that is told to be meant.
func TestAMemberThatIsNeverShown(t *testing.T) {
	t.Parallel()
	note := regexp.MustCompile(`"note":\s*"[^"]*",?`)
	_, dir := drawn(t, func(_ *http.Request, body string) string { return note.ReplaceAllString(body, "") }, "identity text")
	r := run(t, dir, "run")
	assert.Equal(t, 1, r.code, r.out)
	assert.Contains(t, r.out, "`hidden note` says of a member that it is taken, and never shown")
}

// Members may have any name that JSON knows.
func TestMembersOfAnyName(t *testing.T) {
	t.Parallel()
	items, next := map[string]map[string]any{}, 0
	var mu sync.Mutex
	example := map[string]any{}
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		say := func(status int, v any) {
			w.Header().Set("Content-Type", "application/json")
			w.WriteHeader(status)
			_ = json.NewEncoder(w).Encode(v)
		}
		_, id, _ := strings.Cut(strings.TrimPrefix(r.URL.Path, "/"), "/")
		var in map[string]any
		method := strings.Replace(r.Method, "HEAD", "GET", 1)
		if method == "POST" && id == "" || method == "PUT" && id != "" {
			err := json.NewDecoder(r.Body).Decode(&in)
			for n, v := range example {
				if have, there := in[n]; err == nil && (!there && n == "a b" || there && fmt.Sprintf("%T", have) != fmt.Sprintf("%T", v)) {
					err = fmt.Errorf("%q is missing or wrong", n)
				}
			}
			if err != nil || in == nil {
				say(400, map[string]any{"error": fmt.Sprint(err)})
				return
			}
		}
		it := items[id]
		switch {
		case !strings.HasPrefix(r.URL.Path, "/boxes") || strings.HasPrefix(r.URL.Path, "/boxes-") || id != "" && it == nil:
			say(404, map[string]any{"error": "not found"})
		case id == "" && method == "GET":
			list := []any{}
			for _, one := range items {
				list = append(list, one)
			}
			say(200, list)
		case id == "" && method == "POST":
			next++
			in["id"] = fmt.Sprint("x", next)
			items[in["id"].(string)] = in
			say(201, in)
		case method == "GET" && id != "":
			say(200, it)
		case method == "PUT" && id != "":
			in["id"] = id
			items[id] = in
			say(200, in)
		case method == "DELETE" && id != "":
			delete(items, id)
			w.WriteHeader(204)
		default:
			w.Header().Set("Allow", map[bool]string{true: "GET, HEAD, POST", false: "GET, HEAD, PUT, DELETE"}[id == ""])
			say(405, map[string]any{"error": "not here"})
		}
	})
	const make = `{ "@type": "Crate {turn}", "$ref": "x", "é": 1, "a b": "c", "1": true, "": "e", "it's": "q", "say \"so\"": "q", "two\nlines": "t", "\{turn}": "b", "back\\slash": "s" }`
	require.NoError(t, json.Unmarshal([]byte(strings.ReplaceAll(make, `\{`, "{")), &example))
	dir := folder(t, "b.upath", "base "+base+"\n\nresource boxes\n  collection /boxes\n  make "+make+"\n  remake { \"@type\": \"Chest {turn}\", \"a b\": \"d\", \"two\\nlines\": \"u\" }\n  assigned id\n  required \"a b\"\n")
	r := run(t, dir, "run")
	assert.Equal(t, 0, r.code, "%s%s", tail(r.out), r.err)
	assert.NotContains(t, r.out, "blocked")
	assert.Empty(t, items)
}

// tail is what a run says at its end: the grid and what is below it.
func tail(out string) string {
	if i := strings.LastIndex(out, "lifecycle  repeat"); i >= 0 {
		return out[i:]
	}
	return out
}
