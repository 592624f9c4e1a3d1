package tests

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"math/rand/v2"
	"net/http"
	"net/http/httputil"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// manners are the choices that the standards leave to a service.
type manners struct {
	wrapped, texts, patch, options, gzip, chunked, closes, vendor, shuffled, moves bool
	create, replace, remove, again, gone, refuse                                   int
	location, etag                                                                 string
	// entries is the name under which each entry of the list has its member; keyed
	// lists are objects.
	entries string
	keyed   bool
	// posted items are changed by POST too, of which nothing is said.
	posted bool
	// hidden is all of it to those without the key: 404.
	hidden bool
	path   string
	// once are members that no write changes, amended those that PATCH does not
	// change; unique is whether kinds are.
	once, amended []string
	unique        bool
}

// formOfText is what the text that names a mooring looks like; others are refused.
var formOfText = regexp.MustCompile(`^buoy-[0-9]{6}$`)

// moored are the members of a mooring. A list without marks is not shown.
var moored = []string{"kind", "depth", "note", "marks"}

// moorings is a small service that is as good as the harbour, and different.
type moorings struct {
	manners
	mu    sync.Mutex
	items map[string]map[string]any
	n     int
}

func (m *moorings) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	body, _ := io.ReadAll(r.Body)
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.closes {
		w.Header().Set("Connection", "close")
	}
	id, isItem := strings.CutPrefix(r.URL.Path, m.path+"/")
	isItem = isItem && !strings.Contains(id, "/") && id != ""
	item := m.items[id]
	method := r.Method
	if method == "HEAD" {
		method = "GET"
	}
	allowed := map[bool]string{false: "GET, POST", true: "GET, PUT, DELETE"}[isItem]
	if isItem && m.patch {
		allowed += ", PATCH"
	}
	if isItem && m.posted {
		allowed += ", POST"
		method = strings.Replace(method, "POST", "PATCH", 1)
	}
	switch {
	case !isItem && r.URL.Path != m.path, m.hidden && r.Header.Get("Authorization") != "Bearer quay-key":
		m.fail(w, 404, "no such path")
	case isItem && m.texts && id != "mine" && !formOfText.MatchString(id):
		m.fail(w, 400, "this is not the number of a buoy")
	case method == "OPTIONS" && m.options:
		w.Header().Set("Allow", allowed)
		w.WriteHeader(200)
	case !strings.Contains(allowed, method):
		w.Header().Set("Allow", allowed)
		m.fail(w, 405, "cannot be done")
	case len(body) > 0 && !strings.Contains(r.Header.Get("Content-Type"), "json"):
		m.fail(w, 415, "send JSON")
	case !isItem && method == "GET":
		m.list(w, r)
	case !isItem:
		m.make(w, body)
	case item == nil && method == "DELETE" && m.again == 204:
		w.WriteHeader(204)
	case item == nil:
		m.fail(w, m.gone, "no such mooring")
	case method == "GET":
		if tag := m.tag(item); tag != "" && r.Header.Get("If-None-Match") == tag {
			w.Header().Set("ETag", tag)
			w.WriteHeader(304)
			return
		}
		m.show(w, 200, item)
	case r.Header.Get("If-Match") != "" && m.etag != "" || r.Header.Get("If-None-Match") == "*" && m.etag != "":
		m.fail(w, 412, "it has changed")
	case method == "DELETE":
		delete(m.items, id)
		m.show(w, m.remove, item)
	default:
		m.write(w, method, body, item)
	}
}

func (m *moorings) tag(item map[string]any) string {
	if m.etag == "" {
		return ""
	}
	return fmt.Sprintf(`%s"%v-%v"`, m.etag, item["ref"], item["version"])
}

func (m *moorings) list(w http.ResponseWriter, r *http.Request) {
	list, byName := []any{}, map[string]any{}
	for id, it := range m.items {
		if k := r.URL.Query().Get("kind"); k == "" || it["kind"] == k {
			var one any = it
			if m.entries != "" {
				one = map[string]any{"key": id, m.entries: it}
			}
			list, byName[id] = append(list, one), one
		}
	}
	if m.shuffled {
		rand.Shuffle(len(list), func(i, j int) { list[i], list[j] = list[j], list[i] })
	}
	var v any = list
	switch {
	case m.keyed:
		v = map[string]any{"rows": byName}
	case m.entries != "":
		v = map[string]any{"rows": list}
	case m.wrapped:
		v = map[string]any{"found": map[string]any{"moorings": list, "count": len(list)}}
	}
	m.send(w, 200, v)
}

func (m *moorings) read(w http.ResponseWriter, body []byte, whole bool) map[string]any {
	var in map[string]any
	d := json.NewDecoder(bytes.NewReader(body))
	d.UseNumber()
	if err := d.Decode(&in); err != nil || in == nil || d.More() || strings.ContainsRune(string(body), 0xfffd) {
		m.fail(w, 400, "no JSON object")
		return nil
	}
	for _, n := range []string{"kind", "depth"} {
		v, there := in[n]
		_, text := v.(string)
		_, number := v.(json.Number)
		if whole && (!there || v == nil) || there && (n == "kind" && !text || n == "depth" && !number) {
			m.fail(w, m.refuse, n+" is missing or wrong")
			return nil
		}
	}
	if _, text := in["note"].(string); in["note"] != nil && !text {
		m.fail(w, m.refuse, "note is a text")
		return nil
	}
	marks, list := in["marks"].([]any)
	if in["marks"] != nil && !list {
		m.fail(w, m.refuse, "marks are a list")
		return nil
	}
	out := map[string]any{}
	for _, n := range moored {
		if v, there := in[n]; there && v != nil && (n != "marks" || len(marks) > 0) {
			out[n] = v
		}
	}
	return out
}

func (m *moorings) stamp(item map[string]any) {
	m.n++
	item["version"] = m.n
	if m.moves {
		item["updated_at"] = time.Now().Format(time.RFC3339Nano)
	}
}

func (m *moorings) make(w http.ResponseWriter, body []byte) {
	item := m.read(w, body, true)
	if item == nil {
		return
	}
	if m.taken(item["kind"]) {
		m.fail(w, 409, "this kind is taken")
		return
	}
	id := uuid.NewString()
	if m.texts {
		// Drawn again where it is taken.
		for id = ""; id == "" || m.items[id] != nil; {
			id = fmt.Sprintf("buoy-%06d", rand.IntN(1_000_000))
		}
	}
	item["ref"] = id
	m.stamp(item)
	m.items[id] = item
	switch m.location {
	case "relative":
		w.Header().Set("Location", strings.TrimPrefix(m.path, "/api/")+"/"+id)
	case "rooted":
		w.Header().Set("Location", m.path+"/"+id)
	}
	m.show(w, m.create, item)
}

func (m *moorings) taken(kind any) bool {
	for _, one := range m.items {
		if m.unique && one["kind"] == kind {
			return true
		}
	}
	return false
}

func (m *moorings) write(w http.ResponseWriter, method string, body []byte, item map[string]any) {
	in := m.read(w, body, method == "PUT")
	if in == nil {
		return
	}
	kept := slices.Clone(m.once)
	if method == "PATCH" {
		kept = append(kept, m.amended...)
	}
	for _, n := range kept {
		if v, there := item[n]; there {
			in[n] = v
		}
	}
	if method == "PUT" {
		for _, n := range moored {
			delete(item, n)
		}
	} else {
		var patch map[string]any
		_ = json.Unmarshal(body, &patch)
		for n, v := range patch {
			if v == nil {
				delete(item, n)
			}
		}
	}
	for n, v := range in {
		item[n] = v
	}
	m.stamp(item)
	m.show(w, m.replace, item)
}

func (m *moorings) show(w http.ResponseWriter, status int, item map[string]any) {
	if tag := m.tag(item); tag != "" {
		w.Header().Set("ETag", tag)
	}
	if status == 204 {
		w.WriteHeader(204)
		return
	}
	var v any = item
	if m.wrapped {
		v = map[string]any{"mooring": item}
	}
	m.send(w, status, v)
}

func (m *moorings) fail(w http.ResponseWriter, status int, says string) {
	m.send(w, status, map[string]any{"trouble": says, "code": "M" + fmt.Sprint(status)})
}

func (m *moorings) send(w http.ResponseWriter, status int, v any) {
	data, _ := json.Marshal(v)
	w.Header().Set("Content-Type", map[bool]string{true: "application/vnd.moorings+json; charset=utf-8", false: "application/json;charset=UTF-8"}[m.vendor])
	if m.gzip {
		var b bytes.Buffer
		z := gzip.NewWriter(&b)
		_, _ = z.Write(data)
		_ = z.Close()
		data = b.Bytes()
		w.Header().Set("Content-Encoding", "gzip")
	}
	w.WriteHeader(status)
	half := len(data) / 2
	_, _ = w.Write(data[:half])
	if f, ok := w.(http.Flusher); ok && m.chunked {
		f.Flush()
	}
	_, _ = w.Write(data[half:])
}

// varied is a service that is as good as the harbour, and what is said of it.
type varied struct {
	manners
	says string
}

func varieties() map[string]varied {
	const example = "  make { \"kind\": \"Swing {turn}\", \"depth\": 4.5, \"note\": \"soft mud\" }\n  remake { \"kind\": \"Swing {turn}\", \"depth\": 5 }\n  required kind, depth\n  takes { \"kind\": string, \"depth\": number, \"note\"?: string or null }\n"
	return map[string]varied{
		"wrapped, uuids, 410": {manners{wrapped: true, patch: true, gzip: true, vendor: true, shuffled: true, moves: true, create: 201, replace: 204, remove: 200, again: 204, gone: 410, refuse: 400, path: "/moorings"},
			example + "  members $.found.moorings[*]\n  content $.mooring\n  identity $.ref\n  amend { \"note\": \"hard sand\" } as application/json\n  assigned ref, version, updated_at\n  volatile $.updated_at, $.version\n"},
		"204 for everything": {manners{texts: true, closes: true, create: 204, replace: 204, remove: 204, again: 404, gone: 404, refuse: 422, location: "rooted", path: "/moorings"},
			example + "  identity header Location by $.ref\n  assigned ref, version\n  answers create 204\n"},
		"relative Location, weak tags": {manners{wrapped: true, chunked: true, options: true, create: 201, replace: 200, remove: 204, again: 404, gone: 404, refuse: 400, location: "relative", etag: "W/", path: "/api/moorings"},
			example + "  members $.found.moorings[*]\n  content $.mooring\n  identity header Location by $.ref\n  assigned ref, version\n"},
		"strong tags, own words for success": {manners{texts: true, patch: true, options: true, moves: true, create: 200, replace: 200, remove: 200, again: 204, gone: 404, refuse: 400, etag: "", path: "/moorings"},
			example + "  identity $.ref\n  amend { \"depth\": 6 }\n  assigned ref, version, updated_at\n  answers create 200, missing 404, repeat delete 204\n  filter kind = \"Swing {turn}\"\n  supports list, create, read, replace, amend, delete\n"},
		"entries that wrap": {manners{entries: "doc", hidden: true, shuffled: true, patch: true, create: 201, replace: 200, remove: 204, again: 404, gone: 404, refuse: 400, path: "/moorings"},
			example + "  auth bearer \"quay-key\"\n  members $.rows[*].doc\n  identity $.ref\n  amend { \"note\": \"hard sand\" } as application/json\n  assigned ref, version\n  filter kind = \"Swing {turn}\"\n"},
		"a list by name": {manners{keyed: true, posted: true, texts: true, create: 201, replace: 200, remove: 204, again: 404, gone: 404, refuse: 400, path: "/moorings"},
			strings.Replace(strings.Split(example, "  takes")[0], `"soft mud" }`, `"soft mud", "marks": [] }`, 1) + "  members $.rows.*\n  identity $.ref\n  assigned ref, version\n"},
		"a kind for good, a depth that only PUT changes": {manners{patch: true, unique: true, once: []string{"kind"}, amended: []string{"depth"}, create: 201, replace: 200, remove: 204, again: 404, gone: 404, refuse: 422, path: "/moorings"},
			example + "  identity $.ref\n  amend { \"note\": \"hard sand\" } as application/json\n  assigned ref, version\n  unique kind\n"},
	}
}

// start serves a variety with one item that was there before, and writes the file
// about it.
func (c varied) start(t *testing.T) (m *moorings, dir string) {
	m = &moorings{manners: c.manners, items: map[string]map[string]any{}}
	m.items["mine"] = map[string]any{"ref": "mine", "kind": "Fore and aft", "depth": json.Number("2.50"), "version": 0}
	base := service(t, m.ServeHTTP)
	says := strings.Replace(c.says, "  filter kind = \"Swing {turn}\"\n", "", 1)
	if strings.HasPrefix(m.path, "/api") {
		base += "/api"
	}
	return m, folder(t, "m.upath", "base "+base+"\n\nresource moorings\n  collection /moorings\n"+says)
}

// What the standards leave open is not a defect: nothing that must hold fails, and
// nothing warns, whichever choice a service has made.
func TestLegalVarietyPasses(t *testing.T) {
	all := varieties()
	for i, name := range slices.Sorted(maps.Keys(all)) {
		c := all[name]
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			m, dir := c.start(t)
			for n, workers := range []string{"1", "8"} {
				// Each is tried with one of the two, and those in turn with both.
				if n != i%2 && !inTurn(i) {
					continue
				}
				r, found := missed(t, dir, "run", "-v", "--workers", workers, "--seed", strconv.Itoa(11+n))
				assert.Equal(t, 0, r.code, "%s", tail(r.out))
				assert.Empty(t, found, "%s", tail(r.out))
				assert.NotContains(t, tail(r.out), "blocked", "%s", tail(r.out))
				m.mu.Lock()
				assert.Len(t, m.items, 1, "nothing is left behind")
				m.mu.Unlock()
			}
		})
	}
}

// What is sent empty may be left out of answers, and not filled.
func TestWhatIsSentEmptyIsNotFilled(t *testing.T) {
	c := varieties()["a list by name"]
	m := &moorings{manners: c.manners, items: map[string]map[string]any{}}
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		if r.Method == "GET" {
			m.mu.Lock()
			if one := m.items[path.Base(r.URL.Path)]; one != nil {
				one["marks"] = []any{"drawn"}
			}
			m.mu.Unlock()
		}
		m.ServeHTTP(w, r)
	})
	dir := folder(t, "m.upath", "base "+base+"\n\nresource moorings\n  collection /moorings\n"+c.says)
	r, found := missed(t, dir, "run", "--check", "lifecycle/create-keeps-values")
	assert.Contains(t, found, "lifecycle/create-keeps-values")
	assert.Contains(t, r.out, "$.marks[0] is extra")
}

// What the service keeps beside what was sent may move as it likes, also where the resource says
// nothing of it: nothing that must hold fails.
func TestWhatIsNotSaidIsNoDefect(t *testing.T) {
	t.Parallel()
	unsaid := regexp.MustCompile(`(?m)^  (assigned|volatile|required) .*\n`)
	all := varieties()
	for i, name := range slices.Sorted(maps.Keys(all)) {
		if !inTurn(i) {
			continue
		}
		c := all[name]
		t.Run(name, func(t *testing.T) {
			c.says, c.moves = unsaid.ReplaceAllString(c.says, ""), true
			_, dir := c.start(t)
			r, _ := missed(t, dir, "run", "-v", "--seed", "11")
			assert.Equal(t, 0, r.code, "%s", tail(r.out))
		})
	}
}

// rewritten is a variety whose answers are rewritten on their way, and the folder with its file.
func (c varied) rewritten(t *testing.T, from *regexp.Regexp, to string) string {
	m, dir := c.start(t)
	u, err := url.Parse(service(t, m.ServeHTTP))
	require.NoError(t, err)
	between := httputil.NewSingleHostReverseProxy(u)
	between.ModifyResponse = func(r *http.Response) error {
		body, err := io.ReadAll(r.Body)
		body = from.ReplaceAll(body, []byte(to))
		r.Body, r.ContentLength = io.NopCloser(bytes.NewReader(body)), int64(len(body))
		if r.Header.Set("Content-Length", strconv.Itoa(len(body))); r.Request.Method == http.MethodHead {
			r.Header.Del("Content-Length")
		}
		return err
	}
	name := filepath.Join(dir, "m.upath")
	says, err := os.ReadFile(name)
	require.NoError(t, err)
	text := regexp.MustCompile(`base http://[^/\s]+`).ReplaceAllString(string(says), "base "+service(t, between.ServeHTTP))
	require.NoError(t, os.WriteFile(name, []byte(text), 0o644))
	return dir
}

// A member that reads as another type from the start is a form of the service's own: it is told
// once, and nothing that must hold fails.
func TestNumbersThatReadAsTexts(t *testing.T) {
	t.Parallel()
	all := varieties()
	for i, name := range slices.Sorted(maps.Keys(all)) {
		c := all[name]
		if c.gzip || c.etag != "" || !inTurn(i) {
			continue
		}
		dir := c.rewritten(t, regexp.MustCompile(`"depth":\s*(-?[0-9][0-9.eE+-]*)`), `"depth": "$1"`)
		r, found := missed(t, dir, "run", "-v", "--seed", "11")
		assert.Equal(t, 0, r.code, "%s: %s", name, tail(r.out))
		assert.Contains(t, found, "lifecycle/types-are-kept", name)
		assert.Contains(t, r.out, "depth is sent as number and reads as string")
	}
}

// Of a member that no item shows it is said how that is told to be meant.
func TestAMemberThatIsNeverShown(t *testing.T) {
	dir := varieties()["a list by name"].rewritten(t, regexp.MustCompile(`"note":\s*"[^"]*",?`), "")
	r := run(t, dir, "run")
	assert.Equal(t, 1, r.code, r.out)
	assert.Contains(t, r.out, "`hidden note` says of a member that it is taken, and never shown")
}

// Members may have any name that JSON knows.
func TestMembersOfAnyName(t *testing.T) {
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
