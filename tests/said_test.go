package tests

import (
	"encoding/json"
	"fmt"
	"io"
	"mime"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// quay is a service that does most things in another way than the harbour.
type quay struct {
	mu    sync.Mutex
	items map[string]map[string]any
	order []string
	next  int
	quayManners
}

type quayManners struct {
	// listed is the path of the list, wrapped the member that holds it.
	listed, wrapped string
	// made is what a create answers: "location", "ref", or the item.
	made string
	// key is the member of the identity.
	key string
	// pages is how the list pages: offset, page, cursor, link; five to a page.
	pages string
	// revision is a number that writes must carry: "etag", or "body" and ?rev.
	revision string
	// soft keeps what was deleted as closed.
	soft bool
	// patchJSON reads PATCH as application/json only; busy answers 429 now and
	// then; mute never answers methods that it does not know.
	patchJSON, busy, mute bool
	// miscounts tells the items of the page as the total.
	miscounts bool
	asked     int
	hung      map[string]int
}

func newQuay(m quayManners) *quay {
	if m.key == "" {
		m.key = "ref"
	}
	m.hung = map[string]int{}
	return &quay{items: map[string]map[string]any{}, quayManners: m}
}

func (q *quay) say(w http.ResponseWriter, status int, v any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(v)
}

func (q *quay) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	q.mu.Lock()
	defer q.mu.Unlock()
	if q.asked++; q.busy && q.asked%23 == 0 {
		w.Header().Set("Retry-After", "0")
		q.say(w, 429, map[string]any{"error": "busy"})
		return
	}
	if q.mute && !slices.Contains([]string{"GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS"}, r.Method) {
		q.hung[r.Method+" "+strings.Split(r.URL.Path, "-")[0]]++
		q.mu.Unlock()
		_, _ = io.Copy(io.Discard, r.Body)
		select {
		case <-r.Context().Done():
		case <-time.After(time.Second):
		}
		q.mu.Lock()
		return
	}
	parts := strings.Split(strings.Trim(r.URL.Path, "/"), "/")
	switch {
	case r.URL.Path == q.list() && (r.Method == "GET" || r.Method == "HEAD"):
		q.show(w, r)
	case parts[0] == "quays" && len(parts) == 1 && r.Method == "POST":
		q.make(w, r)
	case parts[0] == "quays" && len(parts) == 1:
		q.refuse(w, "GET, HEAD, POST")
	case parts[0] == "quays" && len(parts) == 2:
		q.one(w, r, parts[1])
	default:
		q.say(w, 404, map[string]any{"error": "nothing here"})
	}
}

func (q *quay) size() int {
	q.mu.Lock()
	defer q.mu.Unlock()
	return len(q.items)
}

func (q *quay) refuse(w http.ResponseWriter, allow string) {
	w.Header().Set("Allow", allow)
	q.say(w, 405, map[string]any{"error": "not so"})
}

func (q *quay) list() string {
	if q.listed != "" {
		return q.listed
	}
	return "/quays"
}

// read takes a body apart: the members that it may hold.
func (q *quay) read(w http.ResponseWriter, r *http.Request, whole bool) map[string]any {
	data, _ := io.ReadAll(r.Body)
	in := map[string]any{}
	kind, _, _ := mime.ParseMediaType(r.Header.Get("Content-Type"))
	switch {
	case q.patchJSON && kind == "application/merge-patch+json":
		q.say(w, 415, map[string]any{"error": "of another type"})
		return nil
	case kind != "application/json" && kind != "application/merge-patch+json":
		q.say(w, 415, map[string]any{"error": "of another type"})
		return nil
	default:
		if json.Unmarshal(data, &in) != nil || in == nil {
			q.say(w, 400, map[string]any{"error": "not an object"})
			return nil
		}
	}
	name, ok := in["name"].(string)
	depth := in["depth"]
	if _, number := depth.(float64); !number && depth != nil {
		q.say(w, 400, map[string]any{"error": "depth is a number"})
		return nil
	}
	if has := in["name"] != nil; whole && (!ok || name == "") || has && !ok {
		q.say(w, 400, map[string]any{"error": "name is a text"})
		return nil
	}
	return in
}

func (q *quay) make(w http.ResponseWriter, r *http.Request) {
	in := q.read(w, r, true)
	if in == nil {
		return
	}
	q.next++
	ref := fmt.Sprintf("q-%04d", q.next)
	it := map[string]any{}
	for _, n := range []string{"name", "depth"} {
		if in[n] != nil {
			it[n] = in[n]
		}
	}
	it[q.key], it["_rev"] = ref, 1
	if q.items[ref] == nil {
		q.order = append(q.order, ref)
	}
	q.items[ref] = it
	w.Header().Set("Location", "http://"+r.Host+"/quays/"+ref+"/")
	status := 201
	switch q.made {
	case "nothing":
		w.Header().Del("Location")
		w.WriteHeader(status)
	case "location":
		w.WriteHeader(status)
	case "ref":
		q.say(w, status, map[string]any{"result": map[string]any{"made": ref}})
	default:
		q.say(w, status, q.shown(it))
	}
}

// shown is an item as it is answered.
func (q *quay) shown(it map[string]any) map[string]any {
	out := map[string]any{}
	for n, v := range it {
		if n != "_rev" || q.revision == "body" {
			out[n] = v
		}
	}
	return out
}

func (q *quay) show(w http.ResponseWriter, r *http.Request) {
	all := []any{}
	for _, ref := range q.order {
		it := q.items[ref]
		if it == nil || it["state"] == "closed" {
			continue
		}
		if name := r.URL.Query().Get("name"); name != "" && it["name"] != name {
			continue
		}
		one := q.shown(it)
		if q.made == "ref" {
			one["uid"] = one[q.key]
			delete(one, q.key)
		}
		all = append(all, one)
	}
	page := all
	next := ""
	const size = 5
	if q.pages != "" {
		query := r.URL.Query()
		n, from := size, 0
		if got, err := strconv.Atoi(query.Get("size")); err == nil && got > 0 && got < size {
			n = got
		}
		where := map[string]string{"cursor": "after"}[q.pages]
		if where == "" {
			where = "at"
		}
		if got, err := strconv.Atoi(query.Get(where)); err == nil && got >= 0 {
			from = got
			if q.pages == "page" {
				from = max(0, got-1) * n
			}
		}
		from = min(from, len(all))
		to := min(from+n, len(all))
		page = all[from:to]
		if to < len(all) {
			next = strconv.Itoa(to)
		}
	}
	body := map[string]any{"total": len(all)}
	if q.miscounts {
		body["total"] = len(page)
	}
	if q.pages == "cursor" && next != "" {
		body["next"] = next
	}
	if q.pages == "link" && next != "" {
		w.Header().Set("Link", "</quays?at="+next+">; rel=\"next\"")
	}
	switch {
	case q.wrapped == "":
		q.say(w, 200, page)
		return
	default:
		body[q.wrapped] = page
	}
	q.say(w, 200, body)
}

func (q *quay) one(w http.ResponseWriter, r *http.Request, ref string) {
	it := q.items[ref]
	if it == nil || it["state"] == "closed" && r.Method != "GET" && r.Method != "HEAD" {
		q.say(w, 404, map[string]any{"error": "nothing here"})
		return
	}
	rev := fmt.Sprint(it["_rev"])
	if q.revision == "etag" {
		w.Header().Set("ETag", `"`+rev+`"`)
	}
	var in map[string]any
	switch r.Method {
	case "GET", "HEAD":
		if q.revision == "etag" && r.Header.Get("If-None-Match") == `"`+rev+`"` {
			w.WriteHeader(304)
			return
		}
		q.say(w, 200, q.shown(it))
		return
	case "PUT", "PATCH":
		if in = q.read(w, r, r.Method == "PUT"); in == nil {
			return
		}
	case "DELETE":
	default:
		q.refuse(w, "GET, HEAD, PUT, PATCH, DELETE")
		return
	}
	if carried := map[string]string{"etag": strings.Trim(r.Header.Get("If-Match"), `"`), "body": fmt.Sprint(in["_rev"])}[q.revision]; q.revision != "" {
		if r.Method == "DELETE" && q.revision == "body" {
			carried = r.URL.Query().Get("rev")
		}
		if carried != rev {
			q.say(w, map[bool]int{true: 412, false: 409}[q.revision == "etag"], map[string]any{"error": "not the revision"})
			return
		}
	}
	if r.Method == "DELETE" {
		if q.soft {
			it["state"] = "closed"
		} else {
			delete(q.items, ref)
			q.order = slices.DeleteFunc(q.order, func(s string) bool { return s == ref })
		}
		w.WriteHeader(204)
		return
	}
	if r.Method == "PUT" {
		for _, n := range []string{"name", "depth"} {
			delete(it, n)
		}
	}
	for _, n := range []string{"name", "depth"} {
		if v, ok := in[n]; ok && v == nil {
			delete(it, n)
		} else if ok {
			it[n] = v
		}
	}
	it["_rev"] = it["_rev"].(int) + 1
	if q.revision == "etag" {
		w.Header().Set("ETag", fmt.Sprintf("%q", fmt.Sprint(it["_rev"])))
	}
	q.say(w, 200, q.shown(it))
}

const quayExamples = `  make   { "name": "Oslo Quay {turn}", "depth": 4 }
  remake { "name": "Bergen Quay {turn}", "depth": 5 }
  amend  { "depth": 6 }
  required name
`

// A total that counts the page is told of.
func TestATotalIsHeldAgainstTheList(t *testing.T) {
	t.Parallel()
	for _, miscounts := range []bool{false, true} {
		q := newQuay(quayManners{pages: "offset", wrapped: "rows", miscounts: miscounts})
		for i := range 7 {
			ref := fmt.Sprintf("q-mine-%d", i)
			q.items[ref] = map[string]any{"name": fmt.Sprint("Mine ", i), "ref": ref, "_rev": 1}
			q.order = append(q.order, ref)
		}
		base := service(t, q.ServeHTTP)
		dir := folder(t, "quays.upath", "base "+base+"\n\nresource quays\n  collection /quays\n  identity $.ref\n  members $.rows[*]\n  paging by offset size, at\n  total $.total\n"+quayExamples)
		_, found := missed(t, dir, "run", "--check", "lifecycle/total-counts", "--level", "usual")
		assert.Equal(t, miscounts, slices.Contains(found, "lifecycle/total-counts"))
	}
}

// A method that is never answered is waited for twice, and not by every check.
func TestWhatIsNeverAnsweredIsToldOnce(t *testing.T) {
	t.Parallel()
	q := newQuay(quayManners{mute: true})
	base := service(t, q.ServeHTTP)
	dir := folder(t, "quays.upath", "base "+base+"\n\nresource quays\n  collection /quays\n  identity $.ref\n"+quayExamples)
	r := run(t, dir, "run", "--timeout", "100ms")
	assert.Equal(t, 1, r.code)
	assert.Contains(t, r.out, "MOOR on /quays gets no answer")
	q.mu.Lock()
	defer q.mu.Unlock()
	for what, n := range q.hung {
		assert.Equal(t, 2, n, what)
	}
	assert.NotEmpty(t, q.hung)
}

// A draft from a live service finds most of this by itself, and its suite runs
// at first try; what was there is there.
func TestADraftFindsOtherManners(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		manners quayManners
		list    string
		// says are lines of the draft.
		says []string
	}{
		"the identity elsewhere": {quayManners{made: "ref", wrapped: "entries"}, "/quays", []string{"members $.entries[*]", "identity $.ref in list $.uid in create $.result.made"}},
		"only Location":          {quayManners{made: "location", key: "_key"}, "/quays", []string{"identity $._key in create header Location"}},
		"a list elsewhere":       {quayManners{listed: "/quays/all"}, "/quays/all", []string{"collection /quays\n", "list /quays/all"}},
		"pages by offset":        {quayManners{wrapped: "rows"}, "/quays", []string{"total $.total"}},
		"pages by link":          {quayManners{pages: "link"}, "/quays", []string{"paging by link"}},
		"pages by cursor":        {quayManners{pages: "cursor", wrapped: "rows"}, "/quays", []string{"paging by cursor after from $.next"}},
		"a revision to carry":    {quayManners{revision: "body"}, "/quays", []string{"revision $._rev as $._rev on delete as query rev", "volatile $._rev"}},
		"a state for gone":       {quayManners{soft: true}, "/quays", []string{`gone { "state": "closed", ... }`}},
		"PATCH in JSON only":     {quayManners{patchJSON: true}, "/quays", []string{"amend", "required name"}},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			q := newQuay(c.manners)
			base := service(t, q.ServeHTTP)
			for i := range 7 {
				q.mu.Lock()
				ref := fmt.Sprintf("q-mine-%d", i)
				q.items[ref] = map[string]any{"name": fmt.Sprint("Mine No ", i), "depth": 2.5, q.key: ref, "_rev": 1}
				q.order = append(q.order, ref)
				q.mu.Unlock()
			}
			dir := t.TempDir()
			n := run(t, dir, "new", "d", "--from-service", base+c.list, "--writes")
			assert.Equal(t, 0, n.code, n.err)
			data, err := os.ReadFile(filepath.Join(dir, "d", filepath.Base(c.list)+".upath"))
			assert.NoError(t, err)
			text := strings.Join(strings.Fields(string(data)), " ")
			for _, says := range c.says {
				assert.Contains(t, text, strings.TrimSpace(says))
			}
			r := run(t, dir+"/d", "run")
			assert.NotContains(t, r.out, "▲", "%s", tail(r.out))
			assert.NotContains(t, r.out, "cannot tell", "%s", tail(r.out))
			q.mu.Lock()
			defer q.mu.Unlock()
			mine := 0
			for ref, it := range q.items {
				if strings.HasPrefix(ref, "q-mine-") && it["state"] == nil && it["depth"] == 2.5 {
					mine++
				} else {
					assert.Equal(t, "closed", it["state"], "%v is left", it)
				}
			}
			assert.Equal(t, 7, mine)
		})
	}
}

// Where the paths are not what the resource says, one item is made, and one
// thing is told.
func TestWhatIsSaidWrongIsToldOnce(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		manners    quayManners
		says, told string
	}{
		{quayManners{made: "nothing"}, "identity $.ref", "say where the answer to a create shows the identity"},
		{quayManners{}, "identity $.ref\n  item /quay/{id}", "GET /quay/q-"},
	} {
		q := newQuay(c.manners)
		base := service(t, q.ServeHTTP)
		dir := folder(t, "quays.upath", "base "+base+"\n\nresource quays\n  collection /quays\n  "+c.says+"\n"+quayExamples)
		r := run(t, dir, "run")
		assert.NotEqual(t, 0, r.code)
		assert.Contains(t, r.out, c.told)
		assert.NotContains(t, r.out, "▲ ", "%s", r.out)
		assert.LessOrEqual(t, q.size(), 3, "%s", r.out)
		assert.Contains(t, r.out, "left on the service")
	}
	// A list that shows the identity by another name cannot be observed: no check
	// fails by that.
	q := newQuay(quayManners{made: "ref"})
	base := service(t, q.ServeHTTP)
	dir := folder(t, "quays.upath", "base "+base+"\n\nresource quays\n  collection /quays\n  identity $.ref\n"+quayExamples)
	r := run(t, dir, "run")
	assert.Equal(t, 5, r.code)
	assert.NotContains(t, r.out, "▲ ", "%s", r.out)
	assert.Contains(t, r.out, "could not be observed")
	assert.Zero(t, q.size())
	// Nor by a list that shows a part of what is there, and is not said to page.
	for _, pages := range []string{"offset", "cursor"} {
		q = newQuay(quayManners{pages: pages, wrapped: "rows"})
		for i := range 8 {
			ref := fmt.Sprintf("q-mine-%d", i)
			q.items[ref] = map[string]any{"name": fmt.Sprint("Mine ", i), "ref": ref, "_rev": 1}
			q.order = append(q.order, ref)
		}
		base = service(t, q.ServeHTTP)
		dir = folder(t, "quays.upath", "base "+base+"\n\nresource quays\n  collection /quays\n  members $.rows[*]\n  identity $.ref\n"+quayExamples)
		r = run(t, dir, "run")
		assert.Equal(t, 5, r.code)
		assert.NotContains(t, r.out, "▲ ", "%s", r.out)
		assert.Contains(t, r.out, "write how it pages")
		assert.Equal(t, 8, q.size())
	}
}
