package variety

import (
	"bytes"
	"crypto/sha256"
	"encoding/base32"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/url"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"
)

// Service is a legal service of lamps, in memory.
type Service struct {
	Manners
	mu    sync.Mutex
	items []*Item
	// made and writes count; seen counts reads.
	made, writes, seen, seq int
	// buried are identities of deleted items; taken kinds that stay taken.
	buried, taken map[string]bool
	keys          map[string]*answer
	digests       map[string][32]byte
	asked         int
	draw          *rand.Rand
}

// Item is a lamp as it is stored.
type Item struct {
	ID string
	// Seq is its place in the order in which items were made.
	Seq int
	// Members are those that clients send.
	Members map[string]any
	// Revision counts the item's writes; Changed is the time of the last one.
	Revision int
	Changed  time.Time
	// From is when it begins to be shown.
	From time.Time
	// Gone marks one that is deleted and still reads, as a state.
	Gone bool
}

// Mine are the identities of the items that were there before.
var Mine = []string{"7", "12"}

// New makes a service with two items of a user's.
func New(m Manners, seed uint64) *Service {
	s := &Service{Manners: m, buried: map[string]bool{}, taken: map[string]bool{}, keys: map[string]*answer{}, digests: map[string][32]byte{}, draw: rand.New(rand.NewPCG(seed, 1)), made: 12, seq: len(Mine)}
	for i, kind := range []string{"harbour light", "riding lamp"} {
		n, _ := strconv.Atoi(Mine[i]) // they are numbers
		id := s.identity(n)
		if s.natural() || m.Has("identity chosen") || m.Has("identity chosen and repeated") {
			id = "mine-" + Mine[i]
		}
		s.items = append(s.items, &Item{ID: id, Seq: i + 1, Members: map[string]any{"kind": kind, "depth": json.Number("2.50")}, Changed: time.Unix(1_700_000_000, 0)})
	}
	return s
}

// State is all that is stored, as text: equal texts mean that nothing has changed.
func (s *Service) State() string {
	s.mu.Lock()
	defer s.mu.Unlock()
	there := slices.DeleteFunc(slices.Clone(s.items), func(it *Item) bool { return it.Gone })
	data, _ := json.Marshal(there) // what came as JSON can be written
	return string(data)
}

// answer is what is said, before manners of speaking and sending.
type answer struct {
	status int
	header http.Header
	// value is the body, nil for none; text is one that is not JSON.
	value any
	text  string
	kind  string
}

func say(status int, value any) *answer {
	return &answer{status: status, header: http.Header{}, value: value}
}

// call is one request.
type call struct {
	r      *http.Request
	method string
	// list or one says what the path names; id and item which one.
	list, one bool
	// elsewhere tells that the list has a path of its own, and this is where items are made.
	elsewhere bool
	id        string
	item      *Item
	body      []byte
}

func (s *Service) root() string {
	switch {
	case s.Has("path below /api"):
		return "/api/v2/lamps"
	case s.Has("path capitals"):
		return "/Lamps_List"
	}
	return "/lamps"
}

// listed is where the list is.
func (s *Service) listed() string {
	if s.Has("path a list elsewhere") {
		return s.root() + "/all"
	}
	return s.root()
}

// under is where items are; suffix is what follows an identity there.
func (s *Service) under() (prefix, suffix string) {
	prefix = s.root() + "/"
	if s.Has("path items elsewhere") {
		prefix = "/lamp/"
	}
	if s.Has("identity versioned path") {
		suffix = "/latest"
	}
	return prefix, suffix
}

// locate says what a path names.
func (s *Service) locate(c *call) (known bool) {
	p := c.r.URL.EscapedPath()
	if strings.HasSuffix(p, "/") && s.Has("slash as without") && p != "/" {
		p = strings.TrimSuffix(p, "/")
	}
	if p == s.root() || p == s.listed() {
		c.list, c.elsewhere = true, p != s.listed()
		return true
	}
	prefix, suffix := s.under()
	rest, ok := strings.CutPrefix(p, prefix)
	if s.Has("location with a suffix") {
		rest = strings.TrimSuffix(rest, ".json")
	}
	rest, ended := strings.CutSuffix(rest, suffix)
	id, err := url.PathUnescape(rest)
	if !ok || !ended || rest == "" || strings.Contains(rest, "/") || err != nil {
		return false
	}
	c.one, c.id = true, id
	c.item = s.find(id)
	return true
}

func (s *Service) find(id string) *Item {
	for _, it := range s.items {
		if !it.shows() {
			continue
		}
		if it.ID == id || s.Has("case of names does not matter") && strings.EqualFold(it.ID, id) {
			return it
		}
	}
	return nil
}

func (it *Item) shows() bool { return !time.Now().Before(it.From) }

// natural tells whether bodies name the items that POST makes.
func (s *Service) natural() bool { return strings.HasPrefix(s.option("identity"), "natural") }

// states tells whether what is deleted is kept in a state that says so.
func (s *Service) states() bool { return strings.HasPrefix(s.option("gone"), "a state") }

var forms = map[string]*regexp.Regexp{
	"":               regexp.MustCompile(`^[0-9]{1,9}$`),
	"gaps":           regexp.MustCompile(`^[0-9]{1,9}$`),
	"digits":         regexp.MustCompile(`^[0-9]{1,9}$`),
	"versioned path": regexp.MustCompile(`^[0-9]{1,9}$`),
	"huge":           regexp.MustCompile(`^[0-9]{1,20}$`),
	"text":           regexp.MustCompile(`^lamp-[0-9]{6}$`),
	"uuid":           regexp.MustCompile(`^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$`),
	"ulid":           regexp.MustCompile(`^[0-9A-HJKMNP-TV-Z]{26}$`),
	"hex":            regexp.MustCompile(`^[0-9a-f]{24}$`),
}

// identity makes one of the service's form; those of different numbers differ.
func (s *Service) identity(n int) string {
	random := func() []byte {
		sum := sha256.Sum256(fmt.Appendf(nil, "%d %d", n, s.draw.Uint64()))
		return sum[:]
	}
	switch s.option("identity") {
	case "text":
		return fmt.Sprintf("lamp-%06d", (n*7919)%1_000_000)
	case "uuid":
		id, err := uuid.NewRandomFromReader(bytes.NewReader(random()))
		if err != nil {
			panic(err)
		}
		return id.String()
	case "ulid":
		return "01" + base32.NewEncoding("0123456789ABCDEFGHJKMNPQRSTVWXYZ").WithPadding(base32.NoPadding).EncodeToString(random()[:15])
	case "hex":
		return fmt.Sprintf("%08x%x", n, random()[:8])
	case "huge":
		return strconv.FormatUint(1<<60+uint64(n)<<12, 10)
	case "gaps":
		return strconv.Itoa(n*10 + n%7)
	}
	return strconv.Itoa(n)
}

// may tells whether PUT may make an item of this identity.
func (s *Service) may(id string) bool {
	return !s.number() || forms[s.option("identity")].MatchString(id) && !strings.HasPrefix(id, "0")
}

// number tells whether identities are JSON numbers.
func (s *Service) number() bool {
	switch s.option("identity") {
	case "", "gaps", "huge", "versioned path":
		return true
	}
	return false
}

// byName tells whether PUT makes the items.
func (s *Service) byName() bool {
	return s.Has("identity chosen") || s.Has("identity chosen and repeated")
}

// offered are the methods of a path.
func (s *Service) offered(c *call) []string {
	if c.list {
		var out []string
		if !c.elsewhere {
			out = append(out, "GET")
		}
		if !s.byName() && (c.elsewhere || s.listed() == s.root()) {
			out = append(out, "POST")
		}
		switch s.option("collection") {
		case "emptied by DELETE", "DELETE with a query":
			out = append(out, "DELETE")
		case "replaced by PUT":
			out = append(out, "PUT")
		case "amended by PATCH":
			out = append(out, "PATCH")
		}
		return out
	}
	out := []string{"GET", "DELETE"}
	if !s.Has("replace none") {
		out = append(out, "PUT")
	}
	if !s.Has("amend none") {
		out = append(out, "PATCH")
	}
	if s.Has("post amends") {
		out = append(out, "POST")
	}
	return out
}

// all is a write to the collection itself, which reaches everything in it.
func (s *Service) all(c *call) *answer {
	kind, some := c.r.URL.Query().Get("kind"), s.Has("collection DELETE with a query")
	if some && kind == "" {
		return s.fail(400, "say which kind")
	}
	for _, it := range s.items {
		it.Gone = !some || it.Members["kind"] == kind
		it.Members["note"] = "written with all others"
	}
	return say(204, nil)
}

func (s *Service) allow(c *call) string {
	out := s.offered(c)
	if !s.Has("HEAD none") {
		out = append(out, "HEAD")
	}
	if !s.Has("OPTIONS none") {
		out = append(out, "OPTIONS")
	}
	return strings.Join(out, ", ")
}

// answer is the service itself, before its manners of sending.
func (s *Service) answer(r *http.Request, body func() []byte) *answer {
	s.mu.Lock()
	defer s.mu.Unlock()
	c := &call{r: r, method: r.Method}
	if m := r.Header.Get("X-HTTP-Method-Override"); m != "" && s.Has("method in a header heard") {
		c.method = m
	}
	known := s.locate(c)
	if a := s.door(c, known); a != nil {
		return a
	}
	c.body = body()
	if a := s.cannot(c); a != nil {
		return a
	}
	switch {
	case c.list && c.method == "GET":
		return s.list(c)
	case c.list && c.method != "POST":
		return s.all(c)
	case c.list:
		return s.create(c)
	case c.method == "GET":
		return s.read(c)
	case c.item == nil && c.method == "PUT" && (s.byName() || s.Has("missing put creates") && s.may(c.id)):
		return s.create(c)
	case c.item == nil:
		return s.missing(c)
	case c.item.Gone && (c.method != "DELETE" || s.option("repeated delete") == ""):
		return s.fail(409, "the lamp has been removed")
	case c.item.Gone:
		return s.missing(c)
	case c.method == "DELETE":
		return s.remove(c)
	}
	return s.write(c)
}

// door is what is said before the body matters: credentials, rates, paths, methods.
func (s *Service) door(c *call, known bool) *answer {
	if s.asked++; s.Has("rate 429") && s.asked%900 == 899 {
		a := s.fail(429, "too many requests")
		a.header.Set("Retry-After", "1")
		return a
	}
	if a := s.admit(c); a != nil {
		return a
	}
	if !known && strings.HasSuffix(c.r.URL.Path, "/") && s.Has("slash redirects") && c.r.URL.Path != "/" {
		a := say(308, nil)
		a.header.Set("Location", strings.TrimSuffix(c.r.URL.EscapedPath(), "/"))
		return a
	}
	method := c.method
	if method == "HEAD" && !s.Has("HEAD none") {
		c.method, method = "GET", "GET"
	}
	switch {
	case !slices.Contains([]string{"GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS", "TRACE", "CONNECT"}, method) && s.option("invented method") != "":
		status, _ := strconv.Atoi(s.option("invented method")[:3]) // they begin with one
		if status == 400 {
			return say(400, nil)
		}
		return s.fail(status, "there is no such method")
	case !known:
		status := 404
		if s.Has("unknown path 400") {
			status = 400
		}
		if s.Has("unknown path 403") {
			status = 403
		}
		return s.fail(status, "there is nothing here")
	case method == "OPTIONS" && !s.Has("OPTIONS none"):
		a := say(204, nil)
		if s.Has("OPTIONS 200") {
			a.status, a.value = 200, map[string]any{"methods": s.offered(c)}
		}
		a.header.Set("Allow", s.allow(c))
		return a
	case !slices.Contains(s.offered(c), method):
		return s.notOffered(c)
	}
	return nil
}

func (s *Service) notOffered(c *call) *answer {
	switch how := s.option("not offered"); {
	case how == "501":
		return s.fail(501, "this is not implemented")
	case how == "404" && c.method != http.MethodHead:
		return s.fail(404, "there is nothing here")
	}
	a := s.fail(405, "this cannot be done here")
	if s.Has("not offered 405 without body") {
		a = say(405, nil)
	}
	a.header.Set("Allow", s.allow(c))
	return a
}

// The credentials that are good.
const (
	secret = "lantern-oil-9000"
	keeper = "keeper"
)

func (s *Service) admit(c *call) *answer {
	how := s.option("credentials")
	if how == "" {
		return nil
	}
	h := c.r.Header.Get("Authorization")
	good := h == "Bearer "+secret
	switch how {
	case "basic":
		user, pass, ok := c.r.BasicAuth()
		good = ok && user == keeper && pass == secret
	case "key in a header":
		h = c.r.Header.Get("X-Lamp-Key")
		good = h == secret
	}
	switch {
	case good:
		return nil
	case how == "hidden":
		return s.fail(404, "there is nothing here")
	case how == "403 when wrong" && h != "":
		return s.fail(403, "this token is not good")
	}
	a := s.fail(401, "who are you?")
	a.header.Set("WWW-Authenticate", map[string]string{"basic": `Basic realm="lamps"`, "key in a header": `Key realm="lamps"`}[how])
	if a.header.Get("WWW-Authenticate") == "" {
		a.header.Set("WWW-Authenticate", `Bearer realm="lamps"`)
	}
	return a
}

// missing is the answer about an item that is not there.
func (s *Service) missing(c *call) *answer {
	if form := forms[s.option("identity")]; form != nil && !form.MatchString(c.id) {
		switch {
		case s.Has("form 400 for others"), s.Has("odd name 400"):
			return s.fail(400, "this is not the form of an identity")
		case s.Has("form 422 for others"), s.Has("odd name 422"):
			return s.fail(422, "this is not the form of an identity")
		}
	}
	status := 404
	switch s.option("gone") {
	case "410":
		status = 410
	case "410 once deleted":
		if s.buried[c.id] {
			status = 410
		}
	case "403":
		status = 403
	}
	switch c.method {
	case "DELETE":
		switch s.option("repeated delete") {
		case "204":
			return say(204, nil)
		case "200":
			return say(200, nil)
		case "410":
			status = 410
		}
	case "PUT":
		switch s.option("missing put") {
		case "409":
			return s.fail(409, "there is no lamp to replace")
		case "405":
			a := s.fail(405, "there is no lamp to replace")
			a.header.Set("Allow", "GET, HEAD, DELETE")
			return a
		}
	}
	return s.fail(status, "there is no such lamp")
}

// cannot is what stands against the body's type.
func (s *Service) cannot(c *call) *answer {
	kind := strings.ToLower(strings.TrimSpace(strings.Split(c.r.Header.Get("Content-Type"), ";")[0]))
	if len(c.body) == 0 || c.method == "GET" || c.method == "DELETE" {
		return nil
	}
	want := []string{"application/json", "application/vnd.lamps+json"}
	if c.method == "PATCH" {
		switch s.option("amend") {
		case "":
			want = []string{"application/merge-patch+json"}
		case "application/json":
			want = []string{"application/json", "application/merge-patch+json"}
		case "application/json, null is nothing":
			want = []string{"application/json"}
		case "vendor type":
			want = []string{"application/vnd.lamps.change+json"}
		case "JSON Patch":
			want = []string{"application/json-patch+json"}
		}
	}
	if s.Has("sends forms") {
		want = []string{"application/x-www-form-urlencoded"}
	}
	if slices.Contains(want, kind) || s.Has("media read all the same") && c.method != "PATCH" {
		return nil
	}
	status := 415
	if s.Has("media 400") {
		status = 400
	}
	a := s.fail(status, "send "+strings.Join(want, " or "))
	if c.method == "PATCH" {
		a.header.Set("Accept-Patch", strings.Join(want, ", "))
	}
	return a
}

// fail is an error in the service's own form.
func (s *Service) fail(status int, says string, members ...string) *answer {
	a := say(status, nil)
	switch s.option("errors") {
	case "problem":
		a.value, a.kind = map[string]any{"type": "about:blank", "title": http.StatusText(status), "status": status, "detail": says, "fields": members}, "application/problem+json"
	case "text":
		a.text = strings.TrimSpace(says + " " + strings.Join(members, ", "))
	case "without body":
	case "a list":
		a.value = map[string]any{"errors": []any{map[string]any{"message": says, "at": members}}}
	default:
		a.value = map[string]any{"trouble": strings.TrimSpace(says + " " + strings.Join(members, ", ")), "code": "L" + strconv.Itoa(status)}
	}
	return a
}

func (s *Service) read(c *call) *answer {
	if c.item == nil {
		return s.missing(c)
	}
	s.seen++
	tag := s.tag(c.item)
	if not := c.r.Header.Get("If-None-Match"); tag != "" && not != "" && (not == "*" || tagIn(not, tag, true)) {
		a := say(304, nil)
		a.header.Set("ETag", tag)
		return a
	}
	return s.show(c, 200, c.item)
}

func tagIn(list, tag string, weak bool) bool {
	for _, one := range strings.Split(list, ",") {
		one = strings.TrimSpace(one)
		if weak && strings.TrimPrefix(one, "W/") == strings.TrimPrefix(tag, "W/") || one == tag && !strings.HasPrefix(tag, "W/") {
			return true
		}
	}
	return false
}

// tag is the item's entity tag, "" for none.
func (s *Service) tag(it *Item) string {
	switch {
	case s.Has("tags weak"):
		return fmt.Sprintf(`W/"%d-%s"`, it.Revision, it.ID)
	case s.Has("tags of content"), s.Has("tags only in reads"):
		data, _ := json.Marshal(s.shown(it, "")) // what came as JSON can be written
		sum := sha256.Sum256(data)
		return fmt.Sprintf(`"%x"`, sum[:6])
	case s.Has("tags of revision"), s.Has("revision 428 without If-Match"):
		return fmt.Sprintf(`"r%d"`, it.Revision)
	}
	return ""
}

// stale is what stands against a write by its conditions.
func (s *Service) stale(c *call) *answer {
	if c.item == nil {
		if c.r.Header.Get("If-Match") != "" && s.option("tags") != "" {
			return s.fail(412, "there is no such lamp")
		}
		return nil
	}
	tag := s.tag(c.item)
	if tag != "" {
		if want := c.r.Header.Get("If-Match"); want != "" && want != "*" && !tagIn(want, tag, false) {
			return s.fail(412, "it has changed")
		}
		if not := c.r.Header.Get("If-None-Match"); not != "" && (not == "*" || tagIn(not, tag, true)) {
			return s.fail(412, "it is there")
		}
	}
	now := strconv.Itoa(c.item.Revision)
	given, there := "", false
	switch s.option("revision") {
	case "428 without If-Match":
		if c.r.Header.Get("If-Match") == "" {
			return s.fail(428, "say which revision")
		}
		return nil
	case "a query":
		given, there = c.r.URL.Query().Get("rev"), c.r.URL.Query().Has("rev")
	case "a header":
		given, there = c.r.Header.Get("X-Lamp-Rev"), c.r.Header.Get("X-Lamp-Rev") != ""
	default:
		return nil
	}
	switch {
	case !there:
		return s.fail(400, "say which revision")
	case given != now:
		return s.fail(409, "it has changed")
	}
	return nil
}

func (s *Service) remove(c *call) *answer {
	if a := s.stale(c); a != nil {
		return a
	}
	if s.states() {
		c.item.Gone = true
		c.item.Revision++
	} else {
		i := slices.Index(s.items, c.item)
		s.items = slices.Delete(s.items, i, i+1)
	}
	s.buried[c.id] = true
	if s.Has("unique kind, taken for good") {
		s.taken[fmt.Sprint(c.item.Members["kind"])] = true
	}
	switch s.option("delete") {
	case "200 with the item":
		return s.show(c, 200, c.item)
	case "200 without body":
		return say(200, nil)
	case "200 with a word":
		return say(200, map[string]any{"removed": true})
	case "202":
		return say(202, nil)
	case "205":
		return say(205, nil)
	}
	return say(204, nil)
}

// where is the path of an item.
func (s *Service) where(id string) string {
	prefix, suffix := s.under()
	return prefix + url.PathEscape(id) + suffix
}

func (s *Service) location(a *answer, r *http.Request, id string) {
	at := s.where(id)
	switch s.option("location") {
	case "none":
		return
	case "absolute":
		at = "http://" + r.Host + at
	case "with a suffix":
		at += ".json"
	case "relative":
		if !s.Has("path items elsewhere") {
			at = path.Base(s.root()) + strings.TrimPrefix(at, s.root())
		}
	}
	a.header.Set("Location", at)
}

func readAll(r *http.Request) []byte {
	body, _ := io.ReadAll(io.LimitReader(r.Body, 8<<20)) // what could not be read is not JSON
	return body
}
