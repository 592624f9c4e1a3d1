package tests

import (
	"compress/gzip"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// workshop is a service for the recipes that the harbour has no occasion for.
func workshop() http.HandlerFunc {
	var mu sync.Mutex
	begun := time.Time{}
	served, next := 0, 0
	crates, keys := map[string]map[string]any{}, map[string]map[string]any{}
	show := func(w http.ResponseWriter, status int, v any) {
		w.Header().Set("Content-Type", "application/json")
		w.WriteHeader(status)
		_ = json.NewEncoder(w).Encode(v)
	}
	return func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		key, id := r.Method+" "+r.URL.Path, strings.TrimPrefix(r.URL.Path, "/crates/")
		switch {
		case key == "POST /session":
			http.SetCookie(w, &http.Cookie{Name: "sid", Value: "s-1", HttpOnly: true})
			w.WriteHeader(http.StatusNoContent)
		case key == "GET /session":
			if c, err := r.Cookie("sid"); err != nil || c.Value != "s-1" {
				w.WriteHeader(http.StatusUnauthorized)
				return
			}
			show(w, http.StatusOK, map[string]any{"known": true})
		case key == "POST /form":
			show(w, http.StatusOK, map[string]string{"note": r.FormValue("note")})
		case key == "POST /echo":
			w.Header().Set("Content-Type", "application/json")
			_, _ = io.Copy(w, r.Body)
		case key == "POST /jobs":
			begun = time.Now()
			w.Header().Set("Location", "/jobs/1")
			show(w, http.StatusAccepted, map[string]any{"state": "waits"})
		case key == "GET /jobs/1":
			show(w, http.StatusOK, map[string]string{"state": map[bool]string{true: "done", false: "waits"}[time.Since(begun) > 200*time.Millisecond]})
		case key == "GET /old":
			http.Redirect(w, r, "/new", http.StatusMovedPermanently)
		case key == "GET /new":
			show(w, http.StatusOK, map[string]any{"moved": true})
		case key == "OPTIONS /open":
			w.Header().Set("Access-Control-Allow-Origin", r.Header.Get("Origin"))
			w.Header().Set("Access-Control-Allow-Methods", "GET, HEAD")
			w.WriteHeader(http.StatusNoContent)
		case key == "GET /long":
			w.Header().Set("Vary", "Accept-Encoding")
			var to io.Writer = w
			if r.Header.Get("Accept-Encoding") == "gzip" {
				w.Header().Set("Content-Encoding", "gzip")
				z := gzip.NewWriter(w)
				defer z.Close()
				to = z
			}
			_, _ = io.WriteString(to, strings.Repeat("and so on ", 100))
		case key == "GET /limited":
			if served++; served > 3 {
				w.Header().Set("Retry-After", "1")
				w.WriteHeader(http.StatusTooManyRequests)
				return
			}
			show(w, http.StatusOK, map[string]any{})
		case key == "GET /crates":
			list := []any{}
			for _, c := range crates {
				if c["state"] != "removed" {
					list = append(list, c)
				}
			}
			show(w, http.StatusOK, list)
		case key == "POST /crates":
			var c map[string]any
			if label, is := "", json.NewDecoder(r.Body).Decode(&c) == nil; !is || c == nil || !textAt(c, "label", &label) {
				show(w, http.StatusBadRequest, map[string]any{"status": 400})
				return
			}
			if again := keys[r.Header.Get("Idempotency-Key")]; again != nil {
				show(w, http.StatusCreated, again)
				return
			}
			next++
			c = map[string]any{"id": fmt.Sprint(next), "label": c["label"], "state": "kept"}
			crates[fmt.Sprint(next)] = c
			if key := r.Header.Get("Idempotency-Key"); key != "" {
				keys[key] = c
			}
			w.Header().Set("Location", "/crates/"+fmt.Sprint(next))
			show(w, http.StatusCreated, c)
		case crates[id] != nil && r.Method == "DELETE":
			crates[id]["state"] = "removed"
			w.WriteHeader(http.StatusNoContent)
		case crates[id] != nil && (r.Method == "GET" || r.Method == "HEAD"):
			show(w, http.StatusOK, crates[id])
		case r.URL.Path == "/crates" || crates[id] != nil:
			w.Header().Set("Allow", map[bool]string{true: "GET, HEAD, POST", false: "GET, HEAD, DELETE"}[r.URL.Path == "/crates"])
			if r.Method == http.MethodHead || r.Method == http.MethodOptions {
				w.Header().Set("Content-Type", "application/json")
				return
			}
			w.WriteHeader(http.StatusMethodNotAllowed)
		default:
			show(w, http.StatusNotFound, map[string]any{"status": 404})
		}
	}
}

func textAt(m map[string]any, name string, into *string) bool {
	text, is := m[name].(string)
	*into = text
	return is && text != ""
}

// Every recipe of the cookbook does what it says: its files run, and its commands.
func TestCookbook(t *testing.T) {
	t.Parallel()
	shell, err := exec.LookPath("bash")
	if err != nil {
		t.Skip("there is no shell to type into")
	}
	page, err := os.ReadFile("../docs/cookbook.md")
	require.NoError(t, err)
	blocks := regexp.MustCompile("(?s)\n```(upath|sh|text)(?: (\\S+))?\n(.*?)```")
	recipes := strings.Split(string(page), "\n### ")[1:]
	require.GreaterOrEqual(t, len(recipes), 40)
	harbourAt, dir := gullPoint(t), t.TempDir()
	require.NoError(t, os.CopyFS(filepath.Join(dir, "examples"), os.DirFS("../examples")))
	port := func(base string) string { return base[strings.LastIndexByte(base, ':')+1:] }
	ports := strings.NewReplacer("4710", port(harbourAt), "4720", port(service(t, workshop())))
	for _, recipe := range recipes {
		title, _, _ := strings.Cut(recipe, "\n")
		t.Run(title, func(t *testing.T) {
			commands, files := "", []string{}
			for _, b := range blocks.FindAllStringSubmatch(recipe, -1) {
				switch kind, name, text := b[1], b[2], b[3]; kind {
				case "sh":
					commands += text
				default:
					require.NotEmpty(t, name)
					name = filepath.Join(dir, filepath.FromSlash(name))
					require.NoError(t, os.MkdirAll(filepath.Dir(name), 0o755))
					require.NoError(t, os.WriteFile(name, []byte(ports.Replace(text)), 0o600))
					if kind == "upath" {
						r := run(t, dir, "fmt", "--check", name)
						assert.Equal(t, 0, r.code, "%s", r.out+r.err)
						files = append(files, name)
					}
				}
			}
			if commands == "" {
				require.NotEmpty(t, files)
				for _, f := range files {
					r := run(t, dir, "run", f)
					assert.Equal(t, 0, r.code, "%s", r.out+r.err)
					assert.NotContains(t, r.out, "left on the service")
				}
			}
			for _, l := range strings.Split(strings.TrimSpace(commands), "\n") {
				ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
				c := exec.CommandContext(ctx, shell, "-c", ports.Replace(l))
				c.Dir = dir
				c.Env = append(os.Environ(), "PATH="+filepath.Dir(program)+string(os.PathListSeparator)+os.Getenv("PATH"))
				out, err := c.CombinedOutput()
				cancel()
				assert.NoError(t, err, "%s\n%s", l, out)
			}
		})
	}
}
