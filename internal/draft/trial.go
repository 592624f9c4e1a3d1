package draft

import (
	"fmt"
	"maps"
	"net/url"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/value"
)

// trial makes items of a resource that is being drafted, to see what the service
// takes and what it makes of it. It writes to nothing but what it has made, and
// takes that away again.
type trial struct {
	r    *Resource
	send Send
	base string
	// sample is an item that is there; id its identity in the list.
	sample *value.Value
	id     string
	there  map[string]bool
	// body is what is tried, n the number that tells one try from the next, counted
	// from first.
	body     *value.Value
	first, n int
	// turns are the forms of the text that tells items apart, still to be tried.
	turns []string
	// dropped are the members that were left out, added those that were put in.
	dropped, added map[string]bool
	// made is the path of the item that is there now, "" for none.
	made, revision string
	left           []string
}

// turnForms are ways to make a text another one each time: names of hosts,
// words in lower case, and texts that take no blank.
var turnForms = []string{"%s {turn}", "t{turn}.%s", "%s-{turn}", "%s{turn}", "{turn}%s"}

// mostTries bounds how often a create is varied.
const mostTries = 24

// quotedWord finds what a refusal names.
var quotedWord = regexp.MustCompile("[\"'`]([A-Za-z_][A-Za-z0-9_-]{1,40})[\"'`]")

func (t *trial) turn() string { return strconv.Itoa(t.first + 7*t.n) }

func (t *trial) text(v *value.Value) []byte {
	text := strings.ReplaceAll(t.r.example(v), "{turn}", t.turn())
	return []byte(strings.ReplaceAll(text, `\{`, "{"))
}

// run tries all of it.
func (t *trial) run() {
	t.dropped, t.added, t.turns = map[string]bool{}, map[string]bool{}, slices.Clone(turnForms[1:])
	for _, m := range t.listed() {
		if idv, ok := m.Get(t.id); ok {
			t.there[strings.ToLower(idv.Plain())] = true
		}
	}
	t.open("list", t.base+t.r.Collection)
	t.body = t.r.Make
	x := t.create()
	if x == nil {
		t.sweep()
		return
	}
	if t.r.Make = t.body; !t.identify(x) {
		return
	}
	t.compare()
	t.writes()
	gone := t.remove()
	if gone {
		t.required()
		t.r.Supports = append(slices.DeleteFunc(t.r.Supports, func(s string) bool { return s == "delete" }), "delete")
	}
	t.sweep()
}

// sweep takes away what carries a number of this trial and is still listed: some
// services make what they refuse. What cannot be removed is told.
func (t *trial) sweep() {
	told := map[string]bool{}
	for _, m := range t.listed() {
		idv, ok := m.Get(t.id)
		if !ok || oneName(idv) == "" || t.there[strings.ToLower(idv.Plain())] || !t.carries(m) {
			continue
		}
		t.made = t.base + strings.ReplaceAll(t.r.itemPath(), "{id}", url.PathEscape(idv.Plain()))
		if x := t.send("DELETE", t.made+t.carried("DELETE"), nil, ""); x.Answer == nil || x.Answer.Status/100 != 2 {
			told[t.made] = true
		}
	}
	for _, at := range t.left {
		told[at] = true
	}
	for _, at := range slices.Sorted(maps.Keys(told)) {
		t.r.Notes = append(t.r.Notes, "An item that was made to try things could not be removed: "+at)
	}
}

// carries tells whether an item shows a number of this trial.
func (t *trial) carries(m *value.Value) bool {
	text := m.String()
	for n := range t.n + 1 {
		if strings.Contains(text, strconv.Itoa(t.first+7*n)) {
			return true
		}
	}
	return false
}

// named tries whether items are made by PUT under a name of the client's.
func (t *trial) named() {
	t.dropped, t.added = map[string]bool{}, map[string]bool{}
	// The name itself is in the path, and no member of the body.
	t.body = t.r.candidate
	if _, has := t.body.Get(t.id); has {
		t.drop(t.id)
	}
	t.r.Turn = turnIn(t.body)
	t.byName()
	t.sweep()
}

// create varies the body until it is taken; nil when it never is.
func (t *trial) create() *exchange.Exchange {
	var x *exchange.Exchange
	for range mostTries {
		t.n++
		x = t.send("POST", t.base+t.r.Collection, t.text(t.body), "application/json")
		if x.Answer == nil || x.Answer.Status/100 == 2 || !t.adapt(x.Answer) {
			break
		}
	}
	switch {
	case x.Answer == nil:
		t.r.Notes = append(t.r.Notes, "`make` was tried, and nothing was answered: "+x.Failure.Error())
	case x.Answer.Status/100 == 2:
		return x
	case slices.Contains([]int{404, 405, 501}, x.Answer.Status) && t.byName():
		return nil
	default:
		t.r.Notes = append(t.r.Notes, "`make` was tried in "+strconv.Itoa(t.n)+" forms and refused ("+x.Answer.StatusText()+" "+
			value.Cut(strings.Join(strings.Fields(string(x.Answer.Body)), " "), 120)+"): mend it.")
	}
	t.r.Supports = slices.DeleteFunc(t.r.Supports, func(s string) bool { return s == "delete" })
	return nil
}

// adapt changes the body by what a refusal names; false when there is nothing
// more to change.
func (t *trial) adapt(a *exchange.Answer) bool {
	if a.Status/100 != 4 || slices.Contains([]int{401, 403, 404, 405, 429}, a.Status) {
		return false
	}
	says := strings.ToLower(string(a.Body))
	if strings.Contains(says, t.turn()) && len(t.turns) > 0 {
		t.nextTurn()
		return true
	}
	named := t.mentioned(says)
	for _, n := range named {
		switch _, has := t.body.Get(n); {
		case n == t.r.Turn && len(t.turns) > 0:
			t.nextTurn()
			return true
		case has && !t.dropped[n]:
			t.drop(n)
			return true
		case !has && !t.added[n]:
			t.added[n] = true
			if v, ok := t.sample.Get(n); ok {
				t.put(n, later(n, v))
			} else if strings.Contains(says, "array") || strings.Contains(says, "list") {
				t.put(n, value.NewArray())
			} else {
				t.put(n, value.NewString("text"))
			}
			return true
		}
	}
	// Nothing is named: what is most likely the service's goes first.
	for pass := range 2 {
		for i := len(t.body.Names) - 1; i >= 0; i-- {
			n := t.body.Names[i]
			if n != t.r.Turn && !t.added[n] && !t.dropped[n] && (pass == 1 || t.body.Items[i].Kind >= value.Array) {
				t.drop(n)
				return true
			}
		}
	}
	return false
}

// mentioned are the members that a refusal names: those of the item, then any that
// stand in quotes.
func (t *trial) mentioned(says string) []string {
	var out []string
	names := slices.Concat(t.body.Names, t.sample.Names)
	slices.SortStableFunc(names, func(a, b string) int { return len(b) - len(a) })
	for _, n := range names {
		word := regexp.MustCompile(`(^|[^a-z0-9_])` + regexp.QuoteMeta(strings.ToLower(n)) + `($|[^a-z0-9_])`)
		if !slices.Contains(out, n) && len(n) > 1 && word.MatchString(says) {
			out = append(out, n)
		}
	}
	for _, m := range quotedWord.FindAllStringSubmatch(says, -1) {
		known := slices.ContainsFunc(names, func(n string) bool { return strings.EqualFold(n, m[1]) })
		if !known && !slices.Contains(out, m[1]) && !slices.Contains([]string{"error", "message", "code", "detail", "status", "title", "type"}, m[1]) {
			out = append(out, m[1])
		}
	}
	return out
}

func (t *trial) nextTurn() { t.r.TurnForm, t.turns = t.turns[0], t.turns[1:] }

func (t *trial) drop(name string) {
	t.dropped[name] = true
	t.body = without(t.body, name)
}

func (t *trial) put(name string, v *value.Value) {
	out := value.NewObject()
	for i, n := range t.body.Names {
		out.Add(n, t.body.Items[i])
	}
	t.body = out.Add(name, v)
}

// endName finds members that say when something is over.
var endName = regexp.MustCompile(`(?i)(end|until|expire|due|to$)`)

// later is a time of an item that is there as one that is still to come; what
// ends comes after what begins.
func later(name string, v *value.Value) *value.Value {
	if v.Kind != value.String || !timeForm.MatchString(v.Text) {
		return v
	}
	if at, err := time.Parse(time.RFC3339Nano, v.Text); err == nil && at.Before(time.Now().AddDate(1, 0, 0)) {
		day := 1
		if endName.MatchString(name) {
			day = 2
		}
		return value.NewString(fmt.Sprintf("%d-06-%02dT12:00:00Z", time.Now().Year()+3, day))
	}
	return v
}

// mostPages bounds how far a list is walked.
const mostPages = 100

// listed are the members of the list now, as far as its pages can be walked.
func (t *trial) listed() []*value.Value {
	at := t.base + t.r.Collection
	if t.r.List != "" {
		at = t.base + t.r.List
	}
	var out []*value.Value
	way := strings.Fields(strings.ReplaceAll(t.r.Paging, ",", ""))
	for page, next := 1, at; next != "" && page <= mostPages; page++ {
		x := t.send("GET", next, nil, "")
		if x.Answer == nil || x.Answer.Status != 200 {
			break
		}
		v, err := value.Decode(string(x.Answer.Body), value.Limits{Lenient: true})
		if err != nil {
			break
		}
		members, _ := listIn(v, "$", 0)
		if members == nil || len(members.Items) == 0 {
			break
		}
		out = append(out, members.Items...)
		next = ""
		switch {
		case len(way) < 2:
		case way[1] == "link":
			next = linked(at, x.Answer)
		case way[1] == "offset":
			next = fmt.Sprintf("%s?%s=%d", at, way[3], len(out))
		case way[1] == "page":
			next = fmt.Sprintf("%s?%s=%d", at, way[3], page+1)
		}
	}
	return out
}

// linked is where Link: rel="next" leads (RFC 8288), on the same host.
func linked(from string, a *exchange.Answer) string {
	base, err := url.Parse(from)
	if err != nil {
		return ""
	}
	for _, l := range exchange.Links(a.Header.Values("Link")) {
		if to, err := base.Parse(l.Target); err == nil && l.Has("next") && to.Host == base.Host {
			return to.String()
		}
	}
	return ""
}

// gained is the identity of the one item that the list has gained.
func (t *trial) gained() string {
	var fresh, telling []string
	for _, m := range t.listed() {
		idv, ok := m.Get(t.id)
		if !ok || t.there[strings.ToLower(idv.Plain())] || oneName(idv) == "" {
			continue
		}
		fresh = append(fresh, idv.Plain())
		if strings.Contains(m.String(), t.turn()) {
			telling = append(telling, idv.Plain())
		}
	}
	if len(telling) == 1 {
		return telling[0]
	}
	if len(fresh) == 1 {
		return fresh[0]
	}
	return ""
}

// identify finds the item that a create has made, and where the answer shows it.
func (t *trial) identify(x *exchange.Exchange) bool {
	r := t.r
	name := t.gained()
	if name == "" && strings.Contains(strings.Trim(r.Collection, "/"), "/") && r.List == "" {
		// The list may have a path of its own, below where items are made.
		r.List, r.Collection = r.Collection, path.Dir(r.Collection)
		t.n++
		if x = t.send("POST", t.base+r.Collection, t.text(t.body), "application/json"); x.Answer != nil && x.Answer.Status/100 == 2 {
			name = t.gained()
		}
		if name == "" {
			r.Collection, r.List = r.List, ""
		}
	}
	if name == "" {
		if x.Answer != nil {
			name = r.nameIn(x.Answer, t.base, t.id)
		}
		switch {
		case name == "":
			r.Notes = append(r.Notes, "`make` was tried and accepted, but nothing told which item it made: it is still there.")
			return false
		case t.there[strings.ToLower(name)]:
			r.Notes = append(r.Notes, "`make` was tried, and the answer names an item that was there before ("+name+"): that item was left as it is, and what was made, if anything, is still there.")
			return false
		}
	}
	if body, err := value.Decode(string(x.Answer.Body), value.Limits{Lenient: true}); err == nil {
		if at := pathOf(body, name, "$", 0); at != "" && at != r.itemsOwn() {
			r.InCreate = at
		} else if at == "" {
			r.InCreate = t.locates(x.Answer, name)
		}
	} else {
		r.InCreate = t.locates(x.Answer, name)
	}
	item := ""
	for _, at := range t.places(name, x.Answer) {
		if v, err := get(t.send, t.base+strings.ReplaceAll(at, "{id}", url.PathEscape(name))); err == nil && strings.Contains(v.String(), t.turn()) {
			item = at
			break
		}
	}
	if item == "" {
		r.Notes = append(r.Notes, "`make` was tried and made "+name+", which could not be read anywhere likely, or does not show what was sent: write `item` yourself. It was left as it is.")
		return false
	}
	if item != r.Collection+"/{id}" {
		r.Item = item
	}
	if !slices.Contains(r.Supports, "read") {
		r.Supports = append(r.Supports, "read")
	}
	t.made = t.base + strings.ReplaceAll(item, "{id}", url.PathEscape(name))
	t.open("read", t.made)
	r.Notes = slices.DeleteFunc(r.Notes, func(n string) bool {
		return strings.Contains(n, "write `item` yourself") && !strings.Contains(n, "was tried") || strings.HasPrefix(n, "OPTIONS does not say")
	})
	return true
}

// pathOf is where a value stands in an answer, "" for nowhere.
func pathOf(v *value.Value, text, at string, deep int) string {
	if v.Kind != value.Object || deep > 2 {
		return ""
	}
	for i, n := range v.Names {
		if it := v.Items[i]; (it.Kind == value.String || it.Kind == value.Number) && it.Plain() == text {
			return at + "." + n
		}
	}
	for i, n := range v.Names {
		if found := pathOf(v.Items[i], text, at+"."+n, deep+1); found != "" {
			return found
		}
	}
	return ""
}

// locates is the header that leads to a new item, when one does.
func (t *trial) locates(a *exchange.Answer, name string) string {
	u, err := url.Parse(a.Header.Get("Location"))
	if err == nil && path.Base(strings.TrimSuffix(u.Path, "/")) == name {
		return "header Location"
	}
	return ""
}

// open notes an operation that needs no credentials, where some were given.
func (t *trial) open(operation, at string) {
	if t.r.bare == nil {
		return
	}
	if x := t.r.bare("GET", at, nil, ""); x.Answer != nil && x.Answer.Status == 200 {
		t.r.Public = append(t.r.Public, operation)
	}
}

// places are the paths at which an item may be.
func (t *trial) places(name string, a *exchange.Answer) []string {
	r := t.r
	out := itemPaths(r.Collection)
	if r.Item != "" {
		out = append([]string{r.Item}, out...)
	}
	if u, err := url.Parse(a.Header.Get("Location")); err == nil && strings.HasSuffix(strings.TrimSuffix(u.Path, "/"), "/"+name) {
		out = append(out, strings.TrimSuffix(strings.TrimSuffix(u.Path, "/"), name)+"{id}")
	}
	return out
}

// itemPaths are the paths at which the items of a collection may be.
func itemPaths(collection string) []string {
	out := []string{collection + "/{id}"}
	if one := singular(path.Base(collection)); one != path.Base(collection) {
		out = append(out, path.Dir(collection)+"/"+one+"/{id}")
	}
	if up := path.Dir(collection); up != "/" && up != "." {
		out = append(out, up+"/{id}")
	}
	return out
}

// shown is the item as it reads now, nil when it cannot be read.
func (t *trial) shown() (*value.Value, *exchange.Answer) {
	x := t.send("GET", t.made, nil, "")
	if x.Answer == nil || x.Answer.Status != 200 {
		return nil, x.Answer
	}
	v, err := value.Decode(string(x.Answer.Body), value.Limits{Lenient: true})
	if err != nil {
		return nil, x.Answer
	}
	if in := inside(v, t.r.Content); in != nil {
		v = in
	}
	return v, x.Answer
}

// compare sorts the members by what became of them: assigned, hidden, volatile.
func (t *trial) compare() {
	r := t.r
	v, _ := t.shown()
	again, _ := t.shown()
	if v == nil || v.Kind != value.Object || again == nil {
		return
	}
	t.inList(v)
	r.Assigned = nil
	sent, err := value.Decode(string(t.text(t.body)), value.Limits{})
	if err != nil {
		return
	}
	for i, n := range v.Names {
		if now, ok := again.Get(n); ok && !value.Equal(now, v.Items[i]) {
			r.Volatile = append(r.Volatile, memberAt(n))
		}
		was, ok := sent.Get(n)
		switch {
		case !ok:
			r.Assigned = append(r.Assigned, n)
		case !value.Equal(was, v.Items[i]) && n != r.Turn && !t.added[n]:
			// The service has its own.
			t.drop(n)
			r.Assigned = append(r.Assigned, n)
		}
	}
	for _, n := range sent.Names {
		if _, ok := v.Get(n); ok {
			continue
		}
		if _, other := t.sample.Get(n); other {
			// Others show it: it is not what a client sends.
			t.drop(n)
			continue
		}
		r.Hidden = append(r.Hidden, n)
	}
	r.Make = t.body
	r.Remake = varied(t.body, t.body, r.Turn, elsewise(r.Turn))
	r.Amend = nil
	if one := one(r.Remake, t.body, r.Turn); one != nil {
		r.Amend = one
	}
}

// inList tells the identity in the item from that in the list.
func (t *trial) inList(item *value.Value) {
	r := t.r
	name := path.Base(t.made)
	if plain, err := url.PathUnescape(name); err == nil {
		name = plain
	}
	if at := pathOf(item, name, "$", 1); at != "" && at != "$."+t.id {
		r.Identity, r.InList = at, memberAt(t.id)
	}
}

func memberAt(name string) string {
	if regexp.MustCompile(`^[A-Za-z_]\w*$`).MatchString(name) {
		return "$." + name
	}
	return "$[" + value.QuoteName(name) + "]"
}

// writes tries a replace and an amend.
func (t *trial) writes() {
	r := t.r
	supports := func(word string, yes bool) {
		r.Supports = slices.DeleteFunc(r.Supports, func(s string) bool { return s == word })
		if yes {
			r.Supports = append(r.Supports, word)
		}
	}
	ok := r.Remake != nil && t.write("PUT", t.text(r.Remake), "application/json")
	if supports("replace", ok); !ok {
		r.Remake = nil
	}
	ok = false
	if r.Amend != nil {
		body := []byte(Body(r.Amend))
		ok = t.write("PATCH", body, "application/merge-patch+json") || t.write("PATCH", body, "application/json")
	}
	if supports("amend", ok); !ok {
		r.Amend = nil
	}
}

// write sends a write, with what it must carry once that is known.
func (t *trial) write(method string, body []byte, media string) bool {
	x := t.send(method, t.made+t.carried(method), t.carrying(body), media)
	if x.Answer == nil {
		return false
	}
	if x.Answer.Status/100 == 2 {
		return true
	}
	if t.r.Revision != "" || !slices.Contains([]int{400, 409, 412, 428}, x.Answer.Status) {
		return false
	}
	// It may want the revision of the item, in a member of its own.
	v, _ := t.shown()
	if v == nil {
		return false
	}
	for _, n := range v.Names {
		if lower := strings.Trim(strings.ToLower(n), "_"); !slices.Contains([]string{"rev", "revision", "version", "etag"}, lower) {
			continue
		}
		t.revision = n
		x = t.send(method, t.made+t.carried(method), t.carrying(body), media)
		if x.Answer != nil && x.Answer.Status/100 == 2 {
			at := memberAt(n)
			t.r.Revision = at + " as " + at
			t.r.Volatile = append(t.r.Volatile, at)
			t.r.Assigned = slices.DeleteFunc(t.r.Assigned, func(s string) bool { return s == n })
			return true
		}
		t.revision = ""
	}
	return false
}

// carrying is a body with the revision that is current.
func (t *trial) carrying(body []byte) []byte {
	if t.revision == "" || body == nil {
		return body
	}
	v, err := value.Decode(string(body), value.Limits{})
	now, _ := t.shown()
	if err != nil || now == nil {
		return body
	}
	if rev, ok := now.Get(t.revision); ok {
		v.Add(t.revision, rev)
	}
	return []byte(v.JSON())
}

// carried is the query with which a delete carries the revision.
func (t *trial) carried(method string) string {
	if t.revision == "" || method != "DELETE" {
		return ""
	}
	now, _ := t.shown()
	if now == nil {
		return ""
	}
	if rev, ok := now.Get(t.revision); ok {
		return "?" + strings.Trim(t.revision, "_") + "=" + url.QueryEscape(rev.Plain())
	}
	return ""
}

// remove takes the item away, and looks that it is gone.
func (t *trial) remove() bool {
	before, _ := t.shown()
	query := t.carried("DELETE")
	x := t.send("DELETE", t.made+query, nil, "")
	if x.Answer == nil || x.Answer.Status/100 != 2 {
		t.left = append(t.left, t.made)
		t.r.Supports = slices.DeleteFunc(t.r.Supports, func(s string) bool { return s == "delete" })
		return false
	}
	if query != "" {
		t.r.Revision += " on delete as query " + strings.Trim(t.revision, "_")
	}
	after, a := t.shown()
	if after == nil || a == nil || before == nil {
		return true
	}
	// Still there: in another state, or as if nothing had been said.
	if changed := difference(before, after); changed != "" {
		t.r.Gone = changed
		return true
	}
	t.left = append(t.left, t.made)
	return false
}

// difference is the shape of what has changed in an item, "" for nothing.
func difference(before, after *value.Value) string {
	for i, n := range after.Names {
		was, ok := before.Get(n)
		it := after.Items[i]
		switch {
		case ok && value.Equal(was, it) || varies(n, it):
		case it.Kind == value.Object && ok && was.Kind == value.Object:
			if inner := difference(was, it); inner != "" {
				return "{ " + value.Quoted(n) + ": " + inner + ", ... }"
			}
		case it.Kind < value.Array:
			return "{ " + value.Quoted(n) + ": " + Body(it) + ", ... }"
		}
	}
	return ""
}

// required leaves out each member in turn: what is refused then must be there.
// Of the others a number or a truth is changed: what the service shows otherwise
// is its own.
func (t *trial) required() {
	const most = 20
	r, whole := t.r, t.body
	r.Required = nil
	own := map[string]bool{}
	for i, n := range whole.Names {
		if i == most {
			break
		}
		t.body = whole
		t.drop(n)
		status, _ := t.once(n == r.Turn)
		switch {
		case status/100 == 4:
			r.Required = append(r.Required, n)
			continue
		case status/100 != 2 || n == r.Turn:
			continue
		}
		other := elsewise(r.Turn)(n, whole.Items[i])
		if other == nil && whole.Items[i].Kind == value.String {
			other = value.NewString(whole.Items[i].Text + "x")
		}
		if other == nil {
			continue
		}
		t.body = changed(whole, n, other)
		if status, v := t.once(false); status/100 == 2 && v != nil {
			if shown, ok := v.Get(n); ok && !value.Equal(shown, other) {
				own[n] = true
			}
		}
	}
	t.body = whole
	for n := range own {
		t.drop(n)
		r.Assigned = append(r.Assigned, n)
	}
	slices.Sort(r.Assigned)
	r.Make = t.body
	if r.Remake != nil {
		r.Remake = varied(t.body, t.body, r.Turn, elsewise(r.Turn))
	}
	if r.Amend != nil {
		if one := one(varied(t.body, t.body, r.Turn, elsewise(r.Turn)), t.body, r.Turn); one != nil {
			r.Amend = one
		}
	}
	r.Notes = slices.DeleteFunc(r.Notes, func(s string) bool { return strings.HasPrefix(s, "`required` cannot be seen") })
	t.onCreate()
}

// onCreate replaces an item without each member that must be there when it is
// made: what may be left out then is required on create only.
func (t *trial) onCreate() {
	r := t.r
	if r.Remake == nil || len(r.Required) == 0 {
		return
	}
	t.n++
	x := t.send("POST", t.base+r.Collection, t.text(t.body), "application/json")
	if x.Answer == nil || x.Answer.Status/100 != 2 {
		return
	}
	name := t.gained()
	if name == "" {
		t.left = append(t.left, "one of "+r.Collection)
		return
	}
	t.made = t.base + strings.ReplaceAll(r.itemPath(), "{id}", url.PathEscape(name))
	if v, _ := t.shown(); v == nil || !strings.Contains(v.String(), t.turn()) {
		t.left = append(t.left, t.made)
		return
	}
	var always []string
	for _, n := range r.Required {
		if t.write("PUT", t.text(without(r.Remake, n)), "application/json") {
			r.OnCreate = append(r.OnCreate, n)
		} else {
			always = append(always, n)
		}
	}
	r.Required = always
	// A name that a replace does not take is none of its.
	for _, n := range r.OnCreate {
		if v, _ := t.shown(); n == r.Turn && v != nil {
			if now, ok := v.Get(n); ok && strings.Contains(now.Plain(), t.turn()) && len(r.Remake.Names) > 1 {
				r.Remake = without(r.Remake, n)
			}
		}
	}
	t.discard()
}

// without is an object less one member.
func without(v *value.Value, name string) *value.Value {
	out := value.NewObject()
	for i, n := range v.Names {
		if n != name {
			out.Add(n, v.Items[i])
		}
	}
	return out
}

// changed is an object with another value for a member.
func changed(v *value.Value, name string, other *value.Value) *value.Value {
	out := value.NewObject()
	for i, n := range v.Names {
		it := v.Items[i]
		if n == name {
			it = other
		}
		out.Add(n, it)
	}
	return out
}

// once makes an item, reads it, and takes it away again. Where nothing of the
// body tells it from others, what the list has gained is enough.
func (t *trial) once(plain bool) (status int, shown *value.Value) {
	t.n++
	x := t.send("POST", t.base+t.r.Collection, t.text(t.body), "application/json")
	if x.Answer == nil || x.Answer.Status/100 != 2 {
		if x.Answer == nil {
			return 0, nil
		}
		return x.Answer.Status, nil
	}
	name := t.gained()
	if name == "" {
		t.left = append(t.left, "one of "+t.r.Collection)
		return x.Answer.Status, nil
	}
	t.made = t.base + strings.ReplaceAll(t.r.itemPath(), "{id}", url.PathEscape(name))
	v, _ := t.shown()
	if v == nil || !plain && !strings.Contains(v.String(), t.turn()) {
		t.left = append(t.left, t.made)
		return x.Answer.Status, nil
	}
	t.discard()
	return x.Answer.Status, v
}

// discard takes one more item away.
func (t *trial) discard() {
	if x := t.send("DELETE", t.made+t.carried("DELETE"), nil, ""); x.Answer == nil || x.Answer.Status/100 != 2 {
		t.left = append(t.left, t.made)
	}
}

// byName tries whether PUT makes an item under a name of the client's.
func (t *trial) byName() bool {
	r := t.r
	name := "t" + t.turn()
	t.made = t.base + r.Collection + "/" + name
	if x := t.send("GET", t.made, nil, ""); x.Answer == nil || x.Answer.Status != 404 && x.Answer.Status != 410 {
		return false
	}
	t.turns = slices.Clone(turnForms[1:])
	for range mostTries {
		x := t.send("PUT", t.made, t.text(t.body), "application/json")
		if x.Answer == nil {
			return false
		}
		if x.Answer.Status/100 == 2 {
			break
		}
		if !t.adapt(x.Answer) {
			return false
		}
	}
	v, _ := t.shown()
	if v == nil {
		t.left = append(t.left, t.made)
		return true
	}
	r.Chosen, r.Make = "t{turn}", t.body
	t.compare()
	r.Supports = []string{"list", "read", "replace"}
	if r.Amend != nil && t.write("PATCH", []byte(Body(r.Amend)), "application/json") {
		r.Supports = append(r.Supports, "amend")
	} else {
		r.Amend = nil
	}
	if t.remove() {
		r.Supports = append(r.Supports, "delete")
	}
	r.Notes = slices.DeleteFunc(r.Notes, func(s string) bool { return strings.HasPrefix(s, "Items are made by PUT") })
	return true
}
