package tests

import (
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"slices"
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
	// nearest writes to the first item in place of one that is not there.
	nearest bool
	// missing reads any missing item as the first one.
	missing bool
	// short lists no more than these, whatever is there.
	short int
	// harm is what goes wrong with others when an item is written: "delete" takes
	// the one before it along, "amend" writes to it too, "count" marks the last of the user's.
	harm  string
	marks int
	// post makes an item in its own way: what it gives is answered. read and write are asked for
	// an item first, and list changes what is listed; each answers by itself, or gives nothing.
	post  func(c *crates, in map[string]any) (int, any)
	read  func(c *crates, id string, it map[string]any) (int, any)
	write func(c *crates, method, id string, in map[string]any) (int, any)
	list  func(c *crates, list []any) []any
	// last is the body that was sent last.
	last map[string]any
}

// userItems is how many items are a user's.
const userItems = 10

func newCrates(m crateManners) *crates {
	c := &crates{items: map[string]map[string]any{}, next: 40, crateManners: m}
	for i := range userItems {
		id := strconv.Itoa(i + 1)
		c.items[id] = map[string]any{"id": i + 1, "name": []string{"Salt Cod", "Oil Lamps", "Rope"}[i%3] + " " + id, "kg": 12.5, "code": "C-" + id}
	}
	return c
}

func (c *crates) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	c.mu.Lock()
	defer c.mu.Unlock()
	body, _ := io.ReadAll(r.Body)
	method := r.Method
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
		if c.list != nil {
			list = c.list(c, list)
		}
		c.say(w, 200, list)
	case method == "POST":
		if len(body) == 0 && c.post != nil {
			if status, shown := c.post(c, nil); status > 0 {
				c.say(w, status, shown)
				return
			}
		}
		in := c.reads(w, body)
		if in == nil {
			return
		}
		c.last = in
		if c.post != nil {
			if status, shown := c.post(c, in); status > 0 {
				c.say(w, status, shown)
				return
			}
		}
		n := c.next
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
	if c.read != nil && (method == "GET" || method == "HEAD") {
		if status, shown := c.read(c, id, it); status > 0 {
			c.say(w, status, shown)
			return
		}
	}
	if c.write != nil && method != "GET" && method != "HEAD" {
		var in map[string]any
		_ = json.Unmarshal(body, &in)
		if status, shown := c.write(c, method, id, in); status > 0 {
			c.say(w, status, shown)
			return
		}
	}
	switch {
	case it == nil:
		c.say(w, 404, map[string]any{"error": "not found"})
	case method == "GET" || method == "HEAD":
		c.say(w, 200, it)
	case method == "PUT":
		if in := c.reads(w, body); in != nil {
			in["id"] = it["id"]
			c.items[id] = in
			c.say(w, 200, in)
		}
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

func (c *crates) reads(w http.ResponseWriter, body []byte) map[string]any {
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
	if status == 204 {
		w.WriteHeader(status)
		return
	}
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(v)
}

// lowest and highest are the identities of the first item and of the last one.
func (c *crates) lowest() string {
	for i := range c.next {
		if c.items[strconv.Itoa(i)] != nil {
			return strconv.Itoa(i)
		}
	}
	return ""
}

func (c *crates) highest() string {
	for i := c.next; i > 0; i-- {
		if c.items[strconv.Itoa(i)] != nil {
			return strconv.Itoa(i)
		}
	}
	return ""
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
	n := 0
	for _, it := range c.items {
		if it["archived"] != true {
			n++
		}
	}
	return n
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

// add makes an item in the usual way.
func (c *crates) add(in map[string]any) map[string]any {
	in["id"] = c.next
	c.items[strconv.Itoa(c.next)] = in
	c.next++
	return in
}

// with finds an item by a member, nil for none.
func (c *crates) with(name string, v any) map[string]any {
	for i := range c.next {
		if it := c.items[strconv.Itoa(i)]; it != nil && it[name] == v {
			return it
		}
	}
	return nil
}

const cratesResource = "resource crates\n  collection /crates\n  make { \"name\": \"Tar {turn}\", \"kg\": 3 }\n  remake { \"name\": \"Tar {turn}\", \"kg\": 4 }\n  amend { \"kg\": 5 } as application/json\n  assigned id\n  required name\n"

// Whatever a service does with odd requests: what was there before is there
// afterwards, and unchanged.
func TestNothingThatWasThereIsTouched(t *testing.T) {
	t.Parallel()
	fixed := func(v any) func(string) any { return func(string) any { return v } }
	for name, c := range map[string]struct {
		crateManners
		says string
		// finds is what the run tells of it.
		finds string
	}{
		"good manners":                     {},
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
		"a write to nobody reaches the first":     {crateManners: crateManners{missing: true}},
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
			if os.Getenv("USUALPATH_RACE") != "" || !inTurn(len(name)) {
				// What could race has been seen; the same by hand and as a draft takes its time.
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

// odd are manners of services that look for an item before they make one, name another than
// they made, show a part of what is there, or remove more than they were asked to.
var odd = map[string]struct {
	crateManners
	// make is the body of `make`, says further lines of the resource.
	make, says string
	// told says that the user's items may change: then it is told, with the request; left that
	// something may stay, which is told too.
	told, left bool
}{
	"the newest four are listed":                      {crateManners: crateManners{short: 4}, left: true},
	"the newest four, and a fixed body":               {crateManners: crateManners{short: 4}, make: `{ "name": "Tar", "kg": 3 }`, left: true},
	"a fixed body":                                    {make: `{ "name": "Tar", "kg": 3 }`},
	"a fixed body that the list has":                  {make: `{ "name": "Rope 3", "kg": 3 }`},
	"an empty name is the first item":                 {crateManners: crateManners{short: 4, post: byDefault(200)}, left: true},
	"an empty name is the first, with 201":            {crateManners: crateManners{short: 4, post: byDefault(201)}, left: true},
	"an empty name is the first, all are listed":      {crateManners: crateManners{post: byDefault(200)}},
	"a name that is there is found":                   {crateManners: crateManners{post: find("name", 200)}},
	"a fixed name that is there is found":             {crateManners: crateManners{post: find("name", 200)}, make: `{ "name": "Salt Cod 1", "kg": 3 }`},
	"a fixed name that is hidden is found":            {crateManners: crateManners{short: 4, post: find("name", 200)}, make: `{ "name": "Salt Cod 1", "kg": 3 }`, left: true},
	"a hidden one is found, with 201":                 {crateManners: crateManners{short: 4, post: find("name", 201)}, make: `{ "name": "Salt Cod 1", "kg": 3 }`, left: true},
	"a code that is there is written to":              {crateManners: crateManners{post: upsert("code")}, make: `{ "name": "Tar {turn}", "kg": 3, "code": "C-9" }`, left: true},
	"a code in other letters is written to":           {crateManners: crateManners{post: upsert("code")}, make: `{ "name": "Tar {turn}", "kg": 3, "code": " c-9" }`},
	"a listed code is written to":                     {crateManners: crateManners{short: 4, post: upsert("code")}, make: `{ "name": "Tar {turn}", "kg": 3, "code": "C-9" }`, left: true},
	"a code within is written to":                     {crateManners: crateManners{post: upsert("code")}, make: `{ "name": "Tar {turn}", "kg": 3, "code": "C-9", "box": { "code": "C-9" } }`},
	"another identity, hidden":                        {crateManners: crateManners{short: 4, id: func(string) any { return 2 }}, left: true},
	"another identity, hidden, and a fixed body":      {crateManners: crateManners{short: 4, id: func(string) any { return 2 }}, make: `{ "name": "Tar", "kg": 3 }`, left: true},
	"another identity, whose read echoes":             {crateManners: crateManners{id: func(string) any { return 2 }, read: echo}, left: true},
	"another identity, whose read has a log":          {crateManners: crateManners{post: names(3), read: logs}, left: true},
	"no such identity, whose read echoes":             {crateManners: crateManners{id: func(string) any { return 999 }, read: echo}, left: true},
	"creates answer 200":                              {crateManners: crateManners{post: answers(200)}},
	"creates answer 200, and a fixed body":            {crateManners: crateManners{post: answers(200)}, make: `{ "name": "Tar", "kg": 3 }`, left: true},
	"items cannot be read":                            {crateManners: crateManners{read: refuses(405)}},
	"items must not be read":                          {crateManners: crateManners{read: refuses(403)}},
	"nothing can be read, the list neither":           {crateManners: crateManners{short: 1, read: refuses(403)}, left: true},
	"latest is the newest":                            {crateManners: crateManners{id: func(string) any { return "latest" }, read: latest, write: onLatest}, left: true},
	"a delete removes the latest":                     {crateManners: crateManners{write: removes("latest")}, told: true},
	"a delete of nothing removes the latest":          {crateManners: crateManners{write: removesElse("latest")}, told: true},
	"a delete of nothing removes the first":           {crateManners: crateManners{write: removesElse("first")}, told: true},
	"a delete removes the first, and four are listed": {crateManners: crateManners{short: 4, write: removes("9")}, told: true},
	"an empty POST removes the first":                 {crateManners: crateManners{post: emptyRemoves}, told: true},
	"a create removes the oldest":                     {crateManners: crateManners{post: evicts}, told: true},
	"a replace writes to the same name":               {crateManners: crateManners{write: byName}},
	"a PATCH of an array empties the first":           {crateManners: crateManners{write: arrays}, told: true},
	"a member id in a PATCH leads elsewhere":          {crateManners: crateManners{write: byMember}},
	"what is deleted is listed no more":               {crateManners: crateManners{write: archives, read: archived, list: unarchived}},
	"the list is cut at random":                       {crateManners: crateManners{list: func(c *crates, l []any) []any { c.marks++; return l[c.marks%3:] }}, left: true},
	"the list shows the oldest":                       {crateManners: crateManners{list: func(_ *crates, l []any) []any { return l[:min(len(l), 12)] }}, left: true},
}

func byDefault(status int) func(*crates, map[string]any) (int, any) {
	return func(c *crates, in map[string]any) (int, any) {
		if in["name"] != "" {
			return 0, nil
		}
		return status, c.items["1"]
	}
}

func find(by string, status int) func(*crates, map[string]any) (int, any) {
	return func(c *crates, in map[string]any) (int, any) {
		if it := c.with(by, in[by]); it != nil {
			return status, it
		}
		return 0, nil
	}
}

func upsert(by string) func(*crates, map[string]any) (int, any) {
	return func(c *crates, in map[string]any) (int, any) {
		key, _ := in[by].(string)
		it := c.with(by, strings.ToUpper(strings.TrimSpace(key)))
		if it == nil {
			return 0, nil
		}
		for k, v := range in {
			it[k] = v
		}
		return 200, it
	}
}

func answers(status int) func(*crates, map[string]any) (int, any) {
	return func(c *crates, in map[string]any) (int, any) {
		if in == nil {
			return 400, nil
		}
		return status, c.add(in)
	}
}

// names makes an item and answers with the first ones in turn.
func names(n int) func(*crates, map[string]any) (int, any) {
	return func(c *crates, in map[string]any) (int, any) {
		c.add(in)
		c.marks++
		return 201, map[string]any{"id": 11 + c.marks%n}
	}
}

func emptyRemoves(c *crates, in map[string]any) (int, any) {
	if in != nil {
		return 0, nil
	}
	delete(c.items, c.lowest())
	return 204, nil
}

func evicts(c *crates, in map[string]any) (int, any) {
	if in != nil {
		delete(c.items, c.lowest())
	}
	return 0, nil
}

func echo(c *crates, id string, _ map[string]any) (int, any) {
	if c.last == nil {
		return 0, nil
	}
	out := map[string]any{}
	for k, v := range c.last {
		out[k] = v
	}
	out["id"], _ = strconv.Atoi(id)
	return 200, out
}

func logs(c *crates, id string, it map[string]any) (int, any) {
	if it == nil && len(id) > 2 {
		return 0, nil
	}
	return 200, map[string]any{"id": id, "seen": c.last}
}

func refuses(status int) func(*crates, string, map[string]any) (int, any) {
	return func(*crates, string, map[string]any) (int, any) {
		return status, map[string]any{"error": "not so"}
	}
}

func latest(c *crates, id string, _ map[string]any) (int, any) {
	if id != "latest" {
		return 0, nil
	}
	return 200, c.items[c.highest()]
}

func onLatest(c *crates, method, id string, in map[string]any) (int, any) {
	if id != "latest" {
		return 0, nil
	}
	if method == "DELETE" {
		delete(c.items, c.highest())
		return 204, nil
	}
	for k, v := range in {
		c.items[c.highest()][k] = v
	}
	return 200, c.items[c.highest()]
}

// removes removes another item beside the one that is named.
func removes(what string) func(*crates, string, string, map[string]any) (int, any) {
	return func(c *crates, method, id string, _ map[string]any) (int, any) {
		if method != "DELETE" {
			return 0, nil
		}
		delete(c.items, id)
		switch what {
		case "latest":
			delete(c.items, c.highest())
		default:
			delete(c.items, what)
		}
		return 204, nil
	}
}

// removesElse removes another item where the one that is named is not there.
func removesElse(what string) func(*crates, string, string, map[string]any) (int, any) {
	return func(c *crates, method, id string, _ map[string]any) (int, any) {
		if method != "DELETE" || c.items[id] != nil {
			return 0, nil
		}
		other := c.highest()
		if what == "first" {
			other = c.lowest()
		}
		delete(c.items, other)
		return 204, nil
	}
}

func byName(c *crates, method, id string, in map[string]any) (int, any) {
	if it := c.with("name", in["name"]); method == "PUT" && it != nil && c.items[id] != nil {
		it["kg"] = in["kg"]
		return 200, it
	}
	return 0, nil
}

func arrays(c *crates, method, id string, in map[string]any) (int, any) {
	if method == "PATCH" && in == nil && c.items[id] != nil {
		if it := c.items[c.lowest()]; it != nil {
			it["kg"] = c.marks
			c.marks++
		}
		return 204, nil
	}
	return 0, nil
}

func byMember(c *crates, method, id string, in map[string]any) (int, any) {
	if other, ok := in["id"].(float64); ok && method == "PATCH" && other < 20 {
		delete(c.items, fmt.Sprint(other))
		return 204, nil
	}
	return 0, nil
}

func archives(c *crates, method, id string, _ map[string]any) (int, any) {
	if it := c.items[id]; it != nil && method == "DELETE" {
		it["archived"] = true
		return 204, nil
	}
	return 0, nil
}

func archived(_ *crates, _ string, it map[string]any) (int, any) {
	if it["archived"] == true {
		return 404, map[string]any{"error": "gone"}
	}
	return 0, nil
}

func unarchived(_ *crates, list []any) []any {
	return slices.DeleteFunc(list, func(it any) bool { return it.(map[string]any)["archived"] == true })
}

// Whatever an item is made of, and whatever the list shows: what was there is left alone by
// checks, printed checks, drafts and walks, or it is told which request changed it.
func TestOddCreatesAndLists(t *testing.T) {
	plainOnly(t)
	for name, c := range odd {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			s := newCrates(c.crateManners)
			before := s.users()
			base := service(t, s.ServeHTTP)
			text := strings.Replace(cratesResource, `{ "name": "Tar {turn}", "kg": 3 }`, cmp.Or(c.make, `{ "name": "Tar {turn}", "kg": 3 }`), 1)
			dir := folder(t, "crates.upath", "base "+base+"\n\n"+text+c.says)
			printed := run(t, dir, "derive", "crates.upath")
			require.Equal(t, 0, printed.code, printed.err)
			require.NoError(t, os.WriteFile(dir+"/printed.upath", []byte("base "+base+"\n\n"+printed.out), 0o600))
			for _, args := range [][]string{{"run", "crates.upath", "--level", "usual"}, {"run", "printed.upath", "--level", "usual"}, {"roam", "crates.upath", "--steps", "80", "--clients", "1", "--seed", "3"},
				{"new", "drafted", "--from-service", base + "/crates", "--writes"}, {"run", "drafted"}} {
				there := s.size()
				r := run(t, dir, args...)
				out := r.out + r.err
				if is := s.users(); is != before {
					assert.True(t, c.told, "%v: %s\n%s", args, is, tail(out))
					assert.Equal(t, 1, r.code, "%v: %s", args, tail(out))
					assert.Contains(t, strings.Join(strings.Fields(out), " "), "is not left alone", args)
					return
				}
				if s.size() > there {
					assert.True(t, c.left, "%v leaves %d: %s", args, s.size()-there, tail(out))
					assert.Regexp(t, "left on the service|still there|which could not be read", out, args)
				}
			}
		})
	}
}

// A service that changes what a request does not name is told of before all
// else, with the request, after one repeat; then nothing more is written.
func TestAServiceThatHarmsOthersIsTold(t *testing.T) {
	t.Parallel()
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
			assert.Regexp(t, "what was there before this run is not left alone: .*"+map[string]string{"delete": "DELETE", "amend": "PATCH", "count": "PATCH"}[c.harm], r.out)
			assert.Contains(t, r.out, c.says)
			if c.harm != "delete" {
				// What is gone is not removed once more to be sure.
				assert.Contains(t, r.out, "and when it was sent once more:")
			}
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
			assert.GreaterOrEqual(t, there, userItems-1, "it is not tried again and again")
		})
	}
}

// What others change while a run goes on is told, and is not a finding.
func TestWhatOthersChangeIsAWarning(t *testing.T) {
	t.Parallel()
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
	t.Parallel()
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
	t.Parallel()
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

// A document of procedures, and one whose creates are refused: a draft of it calls nothing that
// it cannot undo, and takes no name out of an error.
func TestADraftOfADocumentCallsNothingThatItCannotUndo(t *testing.T) {
	t.Parallel()
	var mu sync.Mutex
	var wrote []string
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		w.Header().Set("Content-Type", "application/json")
		switch {
		case r.Method != "GET":
			wrote = append(wrote, r.Method+" "+r.URL.Path)
			w.WriteHeader(422)
			fmt.Fprint(w, `{"name": "mooring", "id": 1}`)
		default:
			fmt.Fprint(w, `[]`)
		}
	})
	operation := func(method string) string {
		return `{"` + method + `": {"responses": {"200": {"description": "done"}}}}`
	}
	create := `{"get": {"responses": {"200": {"description": "all", "content": {"application/json": {"schema": {"type": "array", "items": {"$ref": "#/components/schemas/Mooring"}}}}}}},
		"post": {"requestBody": {"content": {"application/json": {"schema": {"$ref": "#/components/schemas/Mooring"}}}}, "responses": {"201": {"description": "made", "content": {"application/json": {"schema": {"$ref": "#/components/schemas/Mooring"}}}}}}}`
	item := `{"parameters": [{"name": "name", "in": "path", "required": true, "schema": {"type": "string"}}], "get": {"responses": {"200": {"description": "one", "content": {"application/json": {"schema": {"$ref": "#/components/schemas/Mooring"}}}}}},
		"put": {"requestBody": {"content": {"application/json": {"schema": {"$ref": "#/components/schemas/Mooring"}}}}, "responses": {"200": {"description": "done"}}}, "delete": {"responses": {"204": {"description": "done"}}}}`
	document := `{"openapi": "3.0.3", "info": {"title": "pier", "version": "1"}, "servers": [{"url": "` + base + `"}], "paths": {"/core/quit": ` + operation("post") + `, "/mounts/unmount": ` + operation("post") + `, "/cache": ` + operation("delete") + `,
		"/moorings": ` + create + `, "/moorings/{name}": ` + item + `}, "components": {"schemas": {"Mooring": {"type": "object", "required": ["name"], "properties": {"name": {"type": "string"}, "depth": {"type": "number"}}}}}}`
	dir := folder(t, "pier.json", document)
	r := run(t, dir, "new", "d", "--from-openapi", "pier.json")
	require.Equal(t, 0, r.code, r.out+r.err)
	assert.Contains(t, r.out, "--let unguarded=true")
	run(t, dir, "run", "d")
	mu.Lock()
	for _, w := range wrote {
		assert.Equal(t, "POST /moorings", w, "only what the scenario would remove again is made")
	}
	assert.NotEmpty(t, wrote)
	wrote = nil
	mu.Unlock()
	run(t, dir, "run", "d", "--let", "unguarded=true")
	mu.Lock()
	defer mu.Unlock()
	assert.Contains(t, wrote, "POST /core/quit")
	assert.Contains(t, wrote, "DELETE /cache")
}
