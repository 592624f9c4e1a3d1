package tests

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// crates is a service whose manners are dangerous for a client that is careless
// with what it sends. Ten items are a user's.
type crates struct {
	mu    sync.Mutex
	items map[string]map[string]any
	next  int
	crateManners
}

type crateManners struct {
	// bulk says which methods on the collection reach all items.
	bulk string
	// allow is what OPTIONS says, whatever is true.
	allow string
	// id is what the answer to a create shows: "" for the true one.
	id func(made string) any
	// location replaces that of a create.
	location string
	// lenient reads ids as numbers as far as they go; wild reads empty, blank,
	// dotted and null ids as the collection.
	lenient, wild bool
	// upsert makes with PUT and PATCH what is not there; nearest writes to the
	// first item in place of one that is not there.
	upsert, nearest bool
	// override reads the method from a header.
	override bool
	// missing reads any missing item as the first one.
	missing bool
	// lowest gives the lowest number that is free to a new item.
	lowest bool
	// query reads DELETE with a query as one of all that match.
	query bool
	// short lists no more than these, whatever is there.
	short int
	// harm is what goes wrong with others when an item is written: "delete" takes
	// the one before it along, "amend" writes to it too, "count" marks the last of the user's.
	harm  string
	marks int
}

// userItems is how many items are a user's.
const userItems = 10

func newCrates(m crateManners) *crates {
	c := &crates{items: map[string]map[string]any{}, next: 40, crateManners: m}
	for i := range userItems {
		id := strconv.Itoa(i + 1)
		c.items[id] = map[string]any{"id": i + 1, "name": []string{"Salt Cod", "Oil Lamps", "Rope"}[i%3] + " " + id, "kg": 12.5}
	}
	return c
}

func (c *crates) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	c.mu.Lock()
	defer c.mu.Unlock()
	body, _ := io.ReadAll(r.Body)
	method := r.Method
	if m := r.Header.Get("X-HTTP-Method-Override"); m != "" && c.override {
		method = m
	}
	path, _ := url.PathUnescape(r.URL.Path)
	if c.wild {
		path = strings.TrimRight(strings.ReplaceAll(path, "null", ""), " /.")
	}
	rest, ok := strings.CutPrefix(path, "/crates")
	id := strings.TrimPrefix(rest, "/")
	switch {
	case !ok || rest != "" && !strings.HasPrefix(rest, "/"):
		c.say(w, 404, map[string]any{"error": "not found"})
	case method == "OPTIONS":
		w.Header().Set("Allow", c.allow)
		w.WriteHeader(204)
	case id == "":
		c.collection(w, r, method, body)
	default:
		c.item(w, r, method, id, body)
	}
}

func (c *crates) collection(w http.ResponseWriter, r *http.Request, method string, body []byte) {
	switch {
	case method == "GET" || method == "HEAD":
		list := []any{}
		for i := range c.next {
			if it := c.items[strconv.Itoa(i)]; it != nil {
				list = append(list, it)
			}
		}
		if c.short > 0 && len(list) > c.short {
			list = list[len(list)-c.short:]
		}
		c.say(w, 200, list)
	case method == "POST":
		in := c.read(w, body)
		if in == nil {
			return
		}
		n := c.next
		for free := 1; c.lowest && free < n; free++ {
			if c.items[strconv.Itoa(free)] == nil {
				n = free
			}
		}
		id := strconv.Itoa(n)
		in["id"] = n
		c.next = max(c.next, n+1)
		c.items[id] = in
		shown := map[string]any{}
		for k, v := range in {
			shown[k] = v
		}
		w.Header().Set("Location", "/crates/"+id)
		if c.location != "" {
			w.Header().Set("Location", c.location)
		}
		if c.id != nil {
			shown["id"] = c.id(id)
		}
		c.say(w, 201, shown)
	case strings.Contains(c.bulk, method):
		// All of them, whatever the body says.
		for id, it := range c.items {
			if method == "DELETE" {
				delete(c.items, id)
			} else {
				it["name"] = "changed with all others"
			}
		}
		w.WriteHeader(204)
	default:
		w.Header().Set("Allow", "GET, HEAD, POST")
		c.say(w, 405, map[string]any{"error": "not here"})
	}
}

func (c *crates) item(w http.ResponseWriter, r *http.Request, method, id string, body []byte) {
	if c.lenient {
		n := 0
		if _, err := fmt.Sscanf(strings.TrimLeft(id, " 0"), "%d", &n); err == nil {
			id = strconv.Itoa(n)
		}
	}
	it := c.items[id]
	if it == nil && (c.missing || c.nearest && method != "GET" && method != "HEAD") {
		id = "1"
		it = c.items[id]
	}
	if it == nil && c.upsert && method == "PUT" {
		it = map[string]any{}
	}
	switch {
	case it == nil:
		c.say(w, 404, map[string]any{"error": "not found"})
	case method == "GET" || method == "HEAD":
		c.say(w, 200, it)
	case method == "PUT":
		if in := c.read(w, body); in != nil {
			in["id"] = it["id"]
			c.items[id] = in
			c.say(w, 200, in)
		}
	case method == "DELETE" && c.query && r.URL.RawQuery != "":
		clear(c.items)
		w.WriteHeader(204)
	case method == "PATCH":
		var in map[string]any
		if json.Unmarshal(body, &in) != nil || in == nil {
			c.say(w, 400, map[string]any{"error": "not an object"})
			return
		}
		for k, v := range in {
			it[k] = v
		}
		switch c.harm {
		case "count":
			c.marks++
			c.items[strconv.Itoa(userItems)]["kg"] = 99 + c.marks
		case "amend":
			c.before(id)["kg"] = in["kg"]
		}
		c.say(w, 200, it)
	case method == "DELETE":
		if c.harm == "delete" {
			delete(c.items, fmt.Sprint(c.before(id)["id"]))
		}
		delete(c.items, id)
		w.WriteHeader(204)
	default:
		w.Header().Set("Allow", "GET, HEAD, PUT, PATCH, DELETE")
		c.say(w, 405, map[string]any{"error": "not here"})
	}
}

func (c *crates) read(w http.ResponseWriter, body []byte) map[string]any {
	var in map[string]any
	if json.Unmarshal(body, &in) != nil || in == nil {
		c.say(w, 400, map[string]any{"error": "not an object"})
		return nil
	}
	if _, text := in["name"].(string); !text {
		c.say(w, 400, map[string]any{"error": "name is missing"})
		return nil
	}
	return in
}

func (c *crates) say(w http.ResponseWriter, status int, v any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(v)
}

// before is the item before another; an empty one where there is none.
func (c *crates) before(id string) map[string]any {
	n, _ := strconv.Atoi(id)
	for n--; n > 0; n-- {
		if it := c.items[strconv.Itoa(n)]; it != nil {
			return it
		}
	}
	return map[string]any{}
}

func (c *crates) size() int {
	c.mu.Lock()
	defer c.mu.Unlock()
	return len(c.items)
}

// users are the items of the user, as they are now.
func (c *crates) users() string {
	c.mu.Lock()
	defer c.mu.Unlock()
	var list []any
	for i := range userItems {
		list = append(list, c.items[strconv.Itoa(i+1)])
	}
	data, _ := json.Marshal(list)
	return string(data)
}

const cratesResource = "resource crates\n  collection /crates\n  make { \"name\": \"Tar {turn}\", \"kg\": 3 }\n  remake { \"name\": \"Tar {turn}\", \"kg\": 4 }\n  amend { \"kg\": 5 } as application/json\n  assigned id\n  required name\n"

// Whatever a service does with odd requests: what was there before is there
// afterwards, and unchanged.
func TestNothingThatWasThereIsTouched(t *testing.T) {
	fixed := func(v any) func(string) any { return func(string) any { return v } }
	for name, c := range map[string]struct {
		crateManners
		says string
		// finds is what the run tells of it.
		finds string
	}{
		"good manners":                     {},
		"DELETE empties the collection":    {crateManners: crateManners{bulk: "DELETE"}},
		"PUT and PATCH reach all":          {crateManners: crateManners{bulk: "PUT PATCH"}},
		"all of it, and OPTIONS lies":      {crateManners: crateManners{bulk: "DELETE PUT PATCH", allow: "GET, POST"}},
		"OPTIONS says that all is allowed": {crateManners: crateManners{bulk: "DELETE PUT PATCH", allow: "GET, POST, PUT, PATCH, DELETE"}},
		"an empty id":                      {crateManners: crateManners{bulk: "DELETE PUT PATCH", wild: true, id: fixed("")}},
		"a blank id":                       {crateManners: crateManners{bulk: "DELETE PUT PATCH", wild: true, id: fixed(" ")}},
		"null for an id":                   {crateManners: crateManners{bulk: "DELETE PUT PATCH", wild: true, id: fixed(nil)}},
		"a dot for an id":                  {crateManners: crateManners{bulk: "DELETE PUT PATCH", wild: true, id: fixed(".")}},
		"an encoded dot for an id":         {crateManners: crateManners{bulk: "DELETE PUT PATCH", wild: true, id: fixed("%2e")}},
		"an object for an id":              {crateManners: crateManners{bulk: "DELETE PUT PATCH", id: fixed(map[string]any{"n": 1})}},
		"the id of another item":           {crateManners: crateManners{id: fixed(2)}, finds: "which was listed before the request was sent"},
		"its id as text":                   {crateManners: crateManners{id: fixed("2")}, finds: "which was listed before the request was sent"},
		"Location is the collection": {crateManners: crateManners{bulk: "DELETE PUT PATCH", location: "/crates"},
			says: "  identity header Location by $.id\n"},
		"Location is the root": {crateManners: crateManners{bulk: "DELETE PUT PATCH", location: "/"},
			says: "  identity header Location by $.id\n"},
		"Location is another item": {crateManners: crateManners{location: "/crates/1"},
			says: "  identity header Location by $.id\n", finds: "which was listed before the request was sent"},
		"ids are read as far as they are numbers": {crateManners: crateManners{lenient: true}},
		"PUT makes what is not there":             {crateManners: crateManners{upsert: true}},
		"a write to nobody reaches the first":     {crateManners: crateManners{missing: true}},
		"the method stands in a header":           {crateManners: crateManners{override: true, bulk: "DELETE PUT PATCH"}},
		"a query deletes what matches":            {crateManners: crateManners{query: true, bulk: "DELETE"}},
		"a new item gets the lowest free number":  {crateManners: crateManners{lowest: true, bulk: "DELETE PUT PATCH"}},
		"the id of an item that is not listed":    {crateManners: crateManners{short: 4, id: fixed(2)}},
		"and no list is declared":                 {crateManners: crateManners{id: fixed(2)}, says: "  supports create, read, replace, amend, delete\n"},
		"only read, and deletes are there":        {crateManners: crateManners{bulk: "DELETE PUT PATCH"}, says: "  supports list, read\n"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			s := newCrates(c.crateManners)
			before := s.users()
			base := service(t, s.ServeHTTP)
			text := cratesResource
			if strings.Contains(c.says, "supports list, read") {
				text = "resource crates\n  collection /crates\n"
			}
			dir := folder(t, "crates.upath", "base "+base+"\n\n"+text+c.says)
			r := run(t, dir, "run", "crates.upath", "--level", "usual")
			assert.Equal(t, before, s.users(), "%s", tail(r.out))
			if c.finds != "" {
				assert.Contains(t, r.out, c.finds)
				assert.Equal(t, 1, r.code)
			}
			assert.NotContains(t, r.out, "is not left alone")
			if os.Getenv("USUALPATH_RACE") != "" {
				// What could race has been seen.
				return
			}
			// The printed checks keep to the same.
			printed := run(t, dir, "derive", "crates.upath")
			require.Equal(t, 0, printed.code, printed.err)
			dir = folder(t, "crates.upath", "base "+base+"\n", "printed.upath", "base "+base+"\n\n"+printed.out)
			p := run(t, dir, "run", "printed.upath", "--level", "usual")
			assert.Equal(t, r.code, p.code, "%s", tail(p.out)+p.err)
			assert.Equal(t, before, s.users(), "%s", tail(p.out))
			// So does a draft.
			n := run(t, dir, "new", "drafted", "--from-service", base+"/crates", "--writes")
			assert.Equal(t, 0, n.code, n.err)
			assert.Equal(t, before, s.users(), n.out)
			d := run(t, dir+"/drafted", "run", "--level", "usual")
			assert.Equal(t, before, s.users(), "%s", tail(d.out))
		})
	}
}

// A service that changes what a request does not name is told of before all
// else, with the request, after one repeat; then nothing more is written.
func TestAServiceThatHarmsOthersIsTold(t *testing.T) {
	for _, c := range []struct{ harm, says, workers string }{
		{"delete", "1 lost", "1"}, {"count", "was 12.5, is 1", "8"}, {"count", "was 12.5, is 100", "1"}, {"amend", "was 12.5, is 5", "1"},
	} {
		t.Run(c.harm+" "+c.workers, func(t *testing.T) {
			t.Parallel()
			s := newCrates(crateManners{harm: c.harm})
			base := service(t, s.ServeHTTP)
			dir := folder(t, "crates.upath", "base "+base+"\n\n"+cratesResource)
			r := run(t, dir, "run", "--workers", c.workers, "--report", "markdown=r.md", "--report", "junit=r.xml")
			assert.Equal(t, 1, r.code)
			if c.workers != "1" {
				// Beside others it is not always seen which of them it was.
				assert.Contains(t, r.out, "what was there before")
				return
			}
			assert.Contains(t, r.out, "what was there before this run is not left alone: "+map[string]string{"delete": "DELETE", "amend": "PATCH", "count": "PATCH"}[c.harm])
			assert.Contains(t, r.out, c.says)
			assert.Contains(t, r.out, "and when it was sent once more:")
			for _, report := range []string{"r.md", "r.xml"} {
				text, err := os.ReadFile(dir + "/" + report)
				require.NoError(t, err)
				assert.Contains(t, string(text), "what was there before is left alone")
			}
			s.mu.Lock()
			defer s.mu.Unlock()
			there := 0
			for i := range userItems {
				if s.items[strconv.Itoa(i+1)] != nil {
					there++
				}
			}
			assert.GreaterOrEqual(t, there, 5, "it is not tried again and again")
		})
	}
}

// What others change while a run goes on is told, and is not a finding.
func TestWhatOthersChangeIsAWarning(t *testing.T) {
	s := newCrates(crateManners{})
	served := 0
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		s.mu.Lock()
		if served++; served == 60 {
			s.items["3"]["name"] = "Tallow"
		}
		s.mu.Unlock()
		s.ServeHTTP(w, r)
	})
	dir := folder(t, "crates.upath", "base "+base+"\n\n"+cratesResource)
	r := run(t, dir, "run")
	assert.Contains(t, r.out, "has changed while the run went on")
	assert.Contains(t, r.out, "Tallow")
	assert.NotContains(t, r.out, "is not left alone")
}

// A name in a path that stands for nothing, or for more than one thing, keeps a
// request that changes state from being sent.
func TestANameInAPathStandsForOneThing(t *testing.T) {
	for _, c := range []struct{ value, target, says string }{
		{`""`, "/crates/{id}", "empty"}, {`" "`, "/crates/{id}", "blank"}, {`null`, "/crates/{id}", "neither a text nor a number"},
		{`"null"`, "/crates/{id}", "`null`"}, {`"."`, "/crates/{id}", "`.`"}, {`".."`, "/crates/{id}/x", "`..`"}, {`"%2e%2e"`, "/crates/{id}", "`..`"},
		{`true`, "/crates/{id}", "neither"}, {`["1"]`, "/crates/{id}", "neither"}, {`{ "a": 1 }`, "/crates/{id}", "neither"},
		{`""`, "{id}", "empty"}, {`"/crates/%20"`, "{id}", "blank"}, {`"/crates/../x"`, "{id}", "`..`"}, {`""`, "/crates/{id}?n=1", "empty"},
		{`"2"`, "/crates/{id}", ""}, {`2`, "/crates/{id}", ""}, {`""`, "/crates/2{id}", ""}, {`"/crates/2"`, "{id}", ""}, {`""`, "/crates/2?n={id}", ""},
	} {
		for _, method := range []string{"DELETE", "GET"} {
			t.Run(method+" "+c.target+" "+c.value, func(t *testing.T) {
				asked := 0
				base := service(t, func(w http.ResponseWriter, r *http.Request) { asked++ })
				dir := folder(t, "s.upath", "base "+base+"\n\nlet id = "+c.value+"\n\nscenario \"s\"\n  step \"send it\"\n    send "+method+" "+c.target+"\n    expect status 2xx\n")
				r := run(t, dir, "run", "s.upath")
				if c.says == "" || method == "GET" {
					assert.Equal(t, 1, asked, r.out+r.err)
					return
				}
				assert.Equal(t, 0, asked, r.out+r.err)
				assert.Contains(t, r.out, c.says)
				assert.NotEqual(t, 0, r.code)
			})
		}
	}
}

// An interrupt in the middle leaves the user's items as they are, and nothing of
// the run's own.
func TestAnInterruptHarmsNothing(t *testing.T) {
	for _, after := range []int64{20, 90, 200} {
		var served atomic.Int64
		s := newCrates(crateManners{bulk: "DELETE PUT PATCH"})
		before := s.users()
		base := service(t, func(w http.ResponseWriter, r *http.Request) {
			served.Add(1)
			time.Sleep(3 * time.Millisecond)
			s.ServeHTTP(w, r)
		})
		dir := folder(t, "crates.upath", "base "+base+"\n\n"+cratesResource)
		c := exec.Command(program, "run")
		c.Dir = dir
		var out bytes.Buffer
		c.Stdout, c.Stderr = &out, &out
		require.NoError(t, c.Start())
		require.Eventually(t, func() bool { return served.Load() >= after }, 20*time.Second, time.Millisecond)
		require.NoError(t, c.Process.Signal(os.Interrupt))
		_ = c.Wait()
		assert.Equal(t, 130, c.ProcessState.ExitCode(), out.String())
		assert.Equal(t, before, s.users(), out.String())
		assert.Equal(t, userItems, s.size(), out.String())
	}
}
