package custody

import (
	"net/url"
	"path"
	"slices"
	"strings"
	"time"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/state"
)

// foreign tells why a path may hold what this scenario has not made, or "". Where that is not
// known yet the list is read, and the item where that does not tell.
func (t *turn) foreign(r *exchange.Request, at string, lists []List) string {
	o, book := &t.own, &t.run.book
	item, l := member(at, lists)
	c, named := o.of(item)
	if named {
		if i := slices.IndexFunc(lists, func(l List) bool { return l.Path == c.list }); i >= 0 {
			l = lists[i]
		}
	}
	switch l = readable(l, lists); {
	case !l.real() && len(lists) > 0:
		l = lists[len(lists)-1]
	case !l.real():
		// The names of its list have no values.
		l = List{Path: "?", Written: "?"}
	}
	kind := l.kind()
	read := reading(r, at, item)
	exact := t.exact(read.URL)
	// What was taken with 202 may come to be there yet.
	free := (o.gone[exact] || o.gone[t.exact(r.URL)]) && !(named && c.status == 202 && !t.removed[exact])
	sure := o.proven[exact]
	if r.Method == "DELETE" && t.going[t.exact(r.URL)] {
		// It was ours, and is there for a while yet, or is not.
		return ""
	}
	if !free && !sure && (t.removed[t.exact(r.URL)] || !named && !o.shown[exact]) {
		t.reads(read)
		free = o.gone[exact]
	}
	switch {
	case free && book.Listing(kind) == partial && few(path.Base(exact)) && !t.drawn.In(path.Base(exact)):
		return " has one of a few names, and the list leaves out some of what is there; with `disposable` it would be sent"
	case free:
		return ""
	case sure && (!l.Keyed || book.Listing(kind) != unknown):
		return ""
	}
	e, inList, gone := t.looked(l, read, item, c, named, sure)
	if gone {
		return ""
	}
	judge := func() (bool, string) {
		e.List, e.Usual, e.Drawn = book.Listing(kind), book.Usual(kind, c.status), o.shown[exact] || inList
		return e.Ours()
	}
	ours, why := judge()
	if !ours && e.Now != missing && named && !sure {
		if x := t.reads(read); x.Answer == nil {
			return " cannot be read: " + x.Failure.Error()
		}
		if o.gone[exact] {
			return ""
		}
		ours, why = judge()
	}
	if ours || sure {
		o.proven[exact] = true
		book.Proven(kind, path.Base(exact))
		if c.drawn {
			book.Made(kind, c.status)
		}
		return ""
	}
	if e.Now == missing {
		book.Waited(kind)
	}
	if named {
		book.Unproven(kind, path.Base(exact))
	}
	return " " + why
}

// looked looks for an item in its list, twice where the list may take a moment to show what was
// made; gone tells that reading it says that it is not there.
func (t *turn) looked(l List, read *exchange.Request, item string, c creation, named, sure bool) (e evidence, drawn, gone bool) {
	e = evidence{Named: named, Status: c.status}
	made := 0
	for list, n := range t.own.made {
		if list == l.Path || list == c.list || list == path.Dir(item) {
			made += n
		}
	}
	for _, patient := range []bool{false, true} {
		if e.Now, drawn = t.relisted(l, item, made, patient); e.Now != missing || !named && !sure || patient || c.status != 202 && !t.run.book.Waits(l.kind()) {
			break
		}
		if sure {
			continue
		}
		if t.reads(read); t.own.gone[t.exact(read.URL)] && c.status != 202 {
			return e, drawn, true
		}
	}
	return e, drawn, false
}

// reads reads an item, to know whose it is.
func (t *turn) reads(r *exchange.Request) *exchange.Exchange {
	x := t.Ask(r, "whether it is ours")
	t.learn(expect.NewReply(x))
	return x
}

// mostRelisted bounds how many items a list may hold that is read after each create.
const mostRelisted = 1000

// relisted tells whether a list shows an item now, or within a second, and a drawn value in it.
// What a list is that is read for the first time after creates is learnt from that; made is how
// many there were.
func (t *turn) relisted(l List, item string, made int, patient bool) (now shown, drawn bool) {
	h, known := t.before[l], t.run.book.Listing(l.kind())
	unknown := known == unknown
	if !l.Keyed || h == nil || h.sight == nil || known == partial || len(h.sight.S.Keys) > mostRelisted && !unknown {
		return notRead, false
	}
	for above, gone := range t.removed {
		if gone && strings.HasPrefix(l.Path, strings.ToLower(above)+"/") {
			// Its list is gone with what it was below.
			return notRead, false
		}
	}
	// An item may have a path with a suffix: then it is the one that its create has named.
	names := []string{path.Base(item)}
	if plain := strings.TrimSuffix(names[0], path.Ext(item)); plain != names[0] {
		if _, named := t.own.names[plain]; named {
			names = append(names, plain)
		}
	}
	before := h.sight
	for wait := 50 * time.Millisecond; ; wait *= 3 {
		if patient {
			delete(t.own.seen, l.Path)
			t.Wait(wait)
		}
		s := t.own.seen[l.Path]
		if s == nil {
			found, err := t.Look(l, "whether it is ours", false)
			if err != nil || found.Problem != "" {
				return notRead, false
			}
			s = found.S
		}
		now = missing
		for _, key := range s.Keys {
			if slices.ContainsFunc(before.View.Identities(s.Only([]string{key})), func(is string) bool {
				return slices.ContainsFunc(names, func(n string) bool { return sameName(is, n) })
			}) {
				now, drawn = there, t.drawn.In(s.Members[key].String())
				break
			}
		}
		if now == there || !patient || wait > time.Second || t.ctx.Err() != nil {
			if unknown && (now == there || patient) {
				d := t.unexplained(state.Between(before.S, s), before, before)
				t.run.book.Set(l.kind(), learn(len(d.Gained), len(d.Lost), made, now == there, !t.Crowded()))
			}
			return now, drawn
		}
	}
}

// reading is a GET of an item that a request is about.
func reading(r *exchange.Request, at, item string) *exchange.Request {
	where := r.URL
	if u, err := url.Parse(r.URL); err == nil {
		u.RawQuery, u.Fragment = "", ""
		// What is below an item is read by the item's own path.
		if up := strings.Count(at, "/") - strings.Count(item, "/"); up > 0 {
			parts := strings.Split(strings.TrimSuffix(u.EscapedPath(), "/"), "/")
			if cut := len(parts) - up; cut > 0 && PlainPath("http://h"+strings.Join(parts[:cut], "/")) == item {
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
