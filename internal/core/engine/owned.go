package engine

import (
	"fmt"
	"net/url"
	"path"
	"slices"
	"strings"
	"time"

	"usualpath/internal/core/custody"
	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// owned is what a scenario has made, as far as it is certain: what it asked for, what was not
// listed before, and what custody is sure of.
type owned struct {
	// paths and names are of what a create of this scenario says it has made.
	paths, names map[string]creation
	// Exact paths: gone were read as not there, shown show a drawn value, proven are certainly
	// of this scenario; names that differ in case may be two.
	gone, shown, proven map[string]bool
	// seen are guarded lists as they were last observed, since the last create; made counts the
	// creates that were taken, by list.
	seen map[string]*state.Snapshot
	made map[string]int
}

// creation is a create that named an item: in which list, and how it was answered.
type creation struct {
	list   string
	status int
	drawn  bool
}

func newOwned() owned {
	return owned{map[string]creation{}, map[string]creation{}, map[string]bool{}, map[string]bool{}, map[string]bool{}, map[string]*state.Snapshot{}, map[string]int{}}
}

// of is the create that names what is at a path.
func (o *owned) of(at string) (creation, bool) {
	if c, named := o.paths[at]; named {
		return c, true
	}
	id := path.Base(at)
	for _, n := range []string{id, strings.TrimSuffix(id, path.Ext(id))} {
		if c, named := o.names[n]; named {
			return c, true
		}
	}
	return creation{}, false
}

// strict tells whether this step may write to nothing but what its scenario
// has made: where something is guarded. Steps that run around each scenario are
// not meant.
func (t *step) strict() bool { return len(t.in.guards) > 0 && !t.in.around }

// learn notes what an answer tells of what is ours.
func (t *step) learn(r *expect.Reply) {
	if r == nil || r.Answer == nil {
		return
	}
	if !t.strict() && !t.env.ledger.begun.Load() {
		return
	}
	at := exactPath(r.Request.URL)
	if u, err := url.Parse(r.Request.URL); err == nil && r.Request.Method == "GET" && r.Answer.Status == 200 {
		t.env.ledger.read(u.Host, at, r.Answer.Body)
	}
	if !t.strict() {
		return
	}
	o := &t.in.own
	switch status := r.Answer.Status; {
	case syntax.SafeMethod(r.Request.Method):
		switch {
		case absent(status):
			o.gone[at] = true
			delete(o.shown, at)
			delete(o.proven, at)
		case status == 200 && r.Request.Method == "GET":
			delete(o.gone, at)
			if t.in.world.Drawn.In(string(r.Answer.Body)) {
				o.shown[at] = true
			}
		}
	case status/100 != 2 || r.Request.Method == "POST":
	case r.Request.Method == "DELETE":
		delete(o.shown, at)
		delete(o.proven, at)
	case o.gone[at]:
		// Made under a name that nothing had.
		delete(o.gone, at)
		o.proven[at] = true
		o.made[path.Dir(strings.ToLower(at))]++
		clear(o.seen)
	}
}

// claim notes what the answer to a create says it has made, unless that was
// there before.
func (t *step) claim(r *expect.Reply, at *attempt) {
	if !t.strict() || r == nil || r.Answer == nil || r.Answer.Status/100 != 2 || syntax.SafeMethod(r.Request.Method) || r.Request.Method == "DELETE" {
		return
	}
	o, list := &t.in.own, plainPath(r.Request.URL)
	c := creation{list, r.Answer.Status, t.in.world.Drawn.In(string(r.Request.Body))}
	if r.Request.Method == "POST" {
		o.made[list]++
		clear(o.seen)
	}
	was := func(id string) bool {
		return slices.ContainsFunc(t.in.guards, func(g *guard) bool { return g.paths[list][strings.ToLower(id)] })
	}
	enter := func(id string) {
		if id != "" && !was(id) {
			o.names[strings.ToLower(id)] = c
		}
	}
	for st, v := range t.keeps(r, at) {
		if st.Body.(*syntax.Keep).From != "header" {
			enter(v.Plain())
		}
	}
	where, id := t.named(r, at)
	enter(id)
	if where != "" && !was(id) {
		o.paths[strings.ToLower(where)] = c
	}
}

// place is a guarded list, where it is.
type place struct {
	g    *guard
	list string
}

// places are the guarded lists whose names have values.
func (t *step) places() []place {
	var out []place
	for _, g := range t.in.guards {
		if list, err := t.collection(g); err == nil && list != "" {
			out = append(out, place{g, list})
		}
	}
	return out
}

// wroteBelow notes a write to an item of a guarded list, or to the list.
func (t *step) wroteBelow(sent event.Sent) {
	r := sent.Exchange.Request
	if !t.strict() || syntax.SafeMethod(r.Method) {
		return
	}
	places := t.places()
	_, p := member(plainPath(r.URL)+"/", places)
	if p.g == nil && len(places) > 0 {
		p = places[len(places)-1]
	}
	if p = readable(p, places); p.g != nil {
		t.env.watch.wroteBelow(listKey(t.base, p.list), sent)
	}
}

// key tells what kind of list this is: those below all parents are one.
func (p place) key(base string) string { return listKey(base, p.g.o.At.Raw) }

// member is the path of the item that a path is of, with the innermost guarded list that it is
// in: the path itself where it is in none.
func member(at string, places []place) (string, place) {
	out, in := at, place{}
	for _, p := range places {
		rest, below := strings.CutPrefix(at, strings.TrimSuffix(p.list, "/")+"/")
		if below && len(p.list) > len(in.list) {
			id, _, _ := strings.Cut(rest, "/")
			out, in = path.Join(p.list, id), p
		}
	}
	return out, in
}

// readable is the place where what is at one is listed: where items are made at another path
// than they are listed at, that of the line before.
func readable(p place, places []place) place {
	i := slices.Index(places, p)
	if p.g == nil || p.g.o.By != nil || i < 1 || places[i-1].g.o.By == nil || strings.HasPrefix(p.list, places[i-1].list+"/") {
		return p
	}
	return places[i-1]
}

// foreign tells why a path may hold what this scenario has not made, or "".
// Where that is not known yet the list is read, and the item where that does not tell.
func (t *step) foreign(r *exchange.Request, at string, places []place) string {
	o := &t.in.own
	item, p := member(at, places)
	c, named := o.of(item)
	if named {
		if i := slices.IndexFunc(places, func(p place) bool { return p.list == c.list }); i >= 0 {
			p = places[i]
		}
	}
	switch p = readable(p, places); {
	case p.g == nil && len(places) > 0:
		p = places[len(places)-1]
	case p.g == nil:
		// The names of its list have no values.
		p = place{t.in.guards[0], "?"}
	}
	kind := p.key(t.base)
	read := t.reading(r, at, item)
	exact := exactPath(read.URL)
	// What was taken with 202 may come to be there yet.
	free := (o.gone[exact] || o.gone[exactPath(r.URL)]) && !(named && c.status == 202 && !t.in.removed[exact])
	known := o.proven[exact]
	if !free && !known && (t.in.removed[exactPath(r.URL)] || !named && !o.shown[exact]) {
		t.reads(read)
		free = o.gone[exact]
	}
	switch {
	case free && t.env.book.Listing(kind) == custody.Partial && custody.Few(path.Base(exact)) && !t.in.world.Drawn.In(path.Base(exact)):
		return " has one of a few names, and the list leaves out some of what is there; with `disposable` it would be sent"
	case free:
		return ""
	case known && (p.g.o.By == nil || t.env.book.Listing(kind) != custody.Unknown):
		return ""
	}
	e := custody.Evidence{Named: named, Status: c.status}
	inList, made := false, 0
	for list, n := range o.made {
		if list == p.list || list == c.list || list == path.Dir(item) {
			made += n
		}
	}
	for _, patient := range []bool{false, true} {
		if e.Now, inList = t.relisted(p, kind, item, made, patient); e.Now != custody.Missing || !named && !known || patient || c.status != 202 && !t.env.book.Waits(kind) {
			break
		}
		// A list may take a moment to show what was made, if it is there.
		if known {
			continue
		}
		if t.reads(read); o.gone[exact] && c.status != 202 {
			return ""
		}
	}
	judge := func() (bool, string) {
		e.List, e.Usual, e.Drawn = t.env.book.Listing(kind), t.env.book.Usual(kind, c.status), o.shown[exact] || inList
		return e.Ours()
	}
	sure, why := judge()
	if !sure && e.Now != custody.Missing && named && !known {
		if x := t.reads(read); x.Answer == nil {
			return " cannot be read: " + x.Failure.Error()
		}
		if o.gone[exact] {
			return ""
		}
		sure, why = judge()
	}
	if sure || known {
		o.proven[exact] = true
		t.env.book.Proven(kind, path.Base(exact))
		if c.drawn {
			t.env.book.Made(kind, c.status)
		}
		return ""
	}
	if e.Now == custody.Missing {
		t.env.book.Waited(kind)
	}
	if named {
		t.env.book.Unproven(kind, path.Base(exact))
	}
	return " " + why
}

// unproven bounds what is made that cannot be shown to be of this run. It tells why a create is
// not sent, or gives what takes its answers in.
func (t *step) unproven(requests []*exchange.Request) (done func(at *attempt), why string) {
	r := requests[0]
	done = func(*attempt) {}
	if !t.strict() || r.Method != "POST" {
		return done, ""
	}
	places := t.places()
	i := slices.IndexFunc(places, func(p place) bool { return p.list == plainPath(r.URL) })
	if i < 0 {
		return done, ""
	}
	made, ok := t.env.book.Take(readable(places[i], places).key(t.base), len(requests), t.in.world.Drawn.In(string(r.Body)))
	if !ok {
		return nil, fmt.Sprintf("%s%s %s: %d items that cannot be shown to be of this run have been made there; it goes on with a `{turn}` in a member of `make` that the list or the item shows, or with `disposable`", notOurs, r.Method, r.URL, custody.MostUnproven)
	}
	return func(at *attempt) {
		var names []string
		for n, reply := range at.replies {
			if reply == nil || reply.Answer == nil || reply.Answer.Status/100 != 2 {
				continue
			}
			_, id := t.named(reply, at)
			if id == "" {
				id = fmt.Sprint(t.in.job.id, t.e.Index, at.n, n)
			}
			names = append(names, id)
		}
		made(names)
	}, ""
}

// reads reads an item, to know whose it is.
func (t *step) reads(r *exchange.Request) *exchange.Exchange {
	reply := t.patiently(r)
	t.env.note(reply.Exchange)
	t.e.Sent = append(t.e.Sent, event.Sent{Role: event.Observation, Name: "whether it is ours", Exchange: reply.Exchange})
	t.learn(reply)
	return reply.Exchange
}

// mostRelisted bounds how many items a list may hold that is read after each create.
const mostRelisted = 1000

// relisted tells whether a list shows an item now, or within a second, and a drawn value in it.
// What a list is that is read for the first time after creates is learnt from that; made is how
// many there were.
func (t *step) relisted(p place, kind, item string, made int, patient bool) (now custody.Shown, drawn bool) {
	before := p.g.snaps[p.list]
	known := t.env.book.Listing(kind)
	unknown := known == custody.Unknown
	if p.g.o.By == nil || before == nil || known == custody.Partial || len(before.s.Keys) > mostRelisted && !unknown {
		return custody.NotRead, false
	}
	for above, gone := range t.in.removed {
		if gone && strings.HasPrefix(p.list, strings.ToLower(above)+"/") {
			// Its list is gone with what it was below.
			return custody.NotRead, false
		}
	}
	for wait := 50 * time.Millisecond; ; wait *= 3 {
		if patient {
			delete(t.in.own.seen, p.list)
			t.sleep(wait)
		}
		s := t.in.own.seen[p.list]
		if s == nil {
			found, err := t.look("whether it is ours", p.g.o)
			if err != nil || found.problem != "" {
				return custody.NotRead, false
			}
			s = found.s
		}
		now = custody.Missing
		for _, key := range s.Keys {
			if slices.ContainsFunc(before.view.Identities(s.Only([]string{key})), func(is string) bool { return sameName(is, path.Base(item)) }) {
				now, drawn = custody.There, t.in.world.Drawn.In(s.Members[key].String())
				break
			}
		}
		if now == custody.There || !patient || wait > time.Second || t.in.ctx.Err() != nil {
			if unknown && (now == custody.There || patient) {
				d := t.unexplained(state.Between(before.s, s), before, before)
				t.env.book.Set(kind, custody.Learn(len(d.Gained), len(d.Lost), made, now == custody.There, !t.crowded()))
			}
			return now, drawn
		}
	}
}

// sameName tells whether an identity, which may be a URL, is the name of an item in a path.
func sameName(identity, name string) bool {
	identity = strings.ToLower(identity)
	return identity == name || strings.Contains(identity, "/") && path.Base(plainPath(identity)) == name
}

// reading is a GET of an item that a request is about.
func (t *step) reading(r *exchange.Request, at, item string) *exchange.Request {
	where := r.URL
	if u, err := url.Parse(r.URL); err == nil {
		u.RawQuery, u.Fragment = "", ""
		// What is below an item is read by the item's own path.
		if up := strings.Count(at, "/") - strings.Count(item, "/"); up > 0 {
			parts := strings.Split(strings.TrimSuffix(u.EscapedPath(), "/"), "/")
			if cut := len(parts) - up; cut > 0 && plainPath("http://h"+strings.Join(parts[:cut], "/")) == item {
				u.RawPath = strings.Join(parts[:cut], "/")
				u.Path, _ = url.PathUnescape(u.RawPath)
			}
		}
		where = u.String()
	}
	out := &exchange.Request{Method: "GET", URL: where, Timeout: r.Timeout}
	for _, h := range r.Header {
		switch strings.ToLower(h.Name) {
		case "content-type", "if-match", "if-none-match", "if-modified-since", "if-unmodified-since", "idempotency-key":
		default:
			out.Header = append(out.Header, h)
		}
	}
	return out
}

// sentJSON is what a request sends, as JSON.
func sentJSON(r *exchange.Request) (*value.Value, error) {
	return expect.NewReply(&exchange.Exchange{Request: r, Answer: &exchange.Answer{Status: 200, Body: r.Body}}).JSON()
}
