package custody

import (
	"fmt"
	"net/url"
	"path"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"usualpath/internal/core/expect"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// ledger is what a run has made and not removed, as far as answers name it.
type ledger struct {
	mu   sync.Mutex
	made []made
	// removed are items that an answer said were gone, by host and path.
	removed map[string]made
	// seen are the bodies that items were last read as, before they were removed.
	seen map[string]string
	// away are items that a list was seen to lose when they were deleted: what still reads as
	// before may be kept for good.
	away map[string]bool
	// free are places where nothing was when they were last read.
	free map[string]bool
	// put are the names that derived checks have PUT something to.
	put map[string]bool
	// kept are the lists that were told to stay as they are.
	kept map[string]bool
	// begun tells that anything was made at all.
	begun atomic.Bool
}

// idle tells that answers say nothing to a ledger that is empty: that of a read
// neither makes nor removes.
func (l *ledger) idle(answers []*expect.Reply) bool {
	return !l.begun.Load() && !slices.ContainsFunc(answers, func(r *expect.Reply) bool {
		return r == nil || !syntax.SafeMethod(r.Request.Method) || r.Answer != nil && absent(r.Answer.Status)
	})
}

// noted is a set with one more in it; one that has grown too large begins anew.
func noted(set map[string]bool, one string) map[string]bool {
	if set == nil || len(set) >= mostRemoved {
		set = map[string]bool{}
	}
	set[one] = true
	return set
}

// made is one item: where it is, and how it is told.
type made struct{ host, path, told string }

// enter notes what the answers to a step say was made or removed. A create that
// names nothing cannot be told.
func (t *turn) enter(answers []*expect.Reply) {
	l := &t.run.ledger
	if l.idle(answers) {
		return
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, r := range answers {
		if r == nil {
			continue
		}
		where := ExactPath(r.Request.URL)
		if r.Request.Method == "PUT" && t.strict() && (r.Answer == nil || r.Answer.Status/100 == 2) {
			l.put = noted(l.put, path.Base(where))
		}
		if u, err := url.Parse(r.Request.URL); err == nil && r.Answer != nil {
			t.entered(l, r, u, where)
		}
	}
}

// entered notes what one answer says; the lock of the ledger is held.
func (t *turn) entered(l *ledger, r *expect.Reply, u *url.URL, where string) {
	method, status := r.Request.Method, r.Answer.Status
	taken := status/100 == 2
	if (method == "PUT" || method == "PATCH") && taken {
		// How it read before says nothing any more.
		delete(l.seen, u.Host+where)
		delete(l.seen, u.Host+" "+path.Base(where))
	}
	switch {
	case (method == "POST" || !known(method) && !syntax.SafeMethod(method)) && (status == 201 || taken && (t.how.Check || t.strict())):
		if name, id := t.named(r); name != "" {
			l.add(u.Host, name, fmt.Sprintf("%s %s %s", method, u.EscapedPath(), id))
			if len(r.Answer.Body) > 0 {
				l.see(u.Host, name, string(r.Answer.Body))
			}
		}
	case method == "PUT" && (status == 201 || taken && l.free[u.Host+where]):
		// Some answer 200 for what was not there before.
		l.add(u.Host, where, method+" "+u.EscapedPath())
	case method == "DELETE" && taken && status != 202:
		l.drop(u.Host, where, true)
	case method == "GET" && status == 200:
		l.restore(u.Host, where, string(r.Answer.Body))
	case syntax.SafeMethod(method) && method != "OPTIONS" && absent(status):
		l.drop(u.Host, where, false)
		if method == "GET" {
			// Some answer 404 to HEAD for what they do not serve.
			l.free = noted(l.free, u.Host+where)
		}
		return
	}
	delete(l.free, u.Host+where)
}

// named is the path of what a create has made, and its name there: by Location
// (RFC 9110 §10.2.2), by what a step keeps of the body where the list is
// guarded, or by the member id. Elsewhere what is kept may be anything, a token too.
func (t *turn) named(r *expect.Reply) (where, id string) {
	list := ExactPath(r.Request.URL)
	if to := r.Answer.Header.Get("Location"); to != "" {
		base, err := url.Parse(r.Request.URL)
		if u, bad := url.Parse(to); err == nil && bad == nil {
			if full := base.ResolveReference(u); full.Host == base.Host && ExactPath(full.String()) != list {
				return ExactPath(full.String()), path.Base(full.Path)
			}
		}
	}
	below := func(v *value.Value) (string, string) { return path.Join(list, v.Plain()), v.Plain() }
	if t.guarded(PlainPath(r.Request.URL)) {
		for _, k := range t.Kept(r) {
			if k.Path {
				return below(k.Value)
			}
		}
	}
	if body, err := r.JSON(); err == nil {
		if v, _ := body.Get("id"); CanName(v) {
			return below(v)
		}
	}
	return "", ""
}

// CanName tells whether a value may be the name of an item.
func CanName(v *value.Value) bool {
	return v != nil && (v.Kind == value.String || v.Kind == value.Number)
}

// guarded tells whether a path is that of a guarded list.
func (t *turn) guarded(at string) bool {
	if !t.how.Guarded {
		return false
	}
	lists, err := t.Lists()
	return err == nil && slices.ContainsFunc(lists, func(l List) bool { return l.Path == at })
}

func (l *ledger) add(host, where, told string) {
	if !slices.ContainsFunc(l.made, func(m made) bool { return m.host == host && m.path == where }) {
		l.made = append(l.made, made{host, where, told})
		l.begun.Store(true)
	}
}

// drop notes that something is gone; what is below it goes with it. An item may
// have a path of its own: then its name is enough.
func (l *ledger) drop(host, where string, loose bool) {
	before := len(l.made)
	l.made = slices.DeleteFunc(l.made, func(m made) bool {
		gone := m.host == host && (m.path == where || strings.HasPrefix(m.path, where+"/"))
		if gone && m.path == where {
			l.goes(m)
		} else if gone {
			delete(l.seen, host+m.path)
			delete(l.seen, host+" "+path.Base(m.path))
		}
		return gone
	})
	if len(l.made) < before || !loose {
		return
	}
	name := path.Base(where)
	l.made = slices.DeleteFunc(l.made, func(m made) bool {
		id := path.Base(m.path)
		gone := m.host == host && (id == name || id == strings.TrimSuffix(name, path.Ext(name)))
		if gone {
			l.goes(m)
		}
		return gone
	})
}

// mostRemoved bounds how many items are remembered that are gone.
const mostRemoved = 5_000

// goes notes that an item is gone. Of very many, some are forgotten.
func (l *ledger) goes(m made) {
	if l.removed == nil {
		l.removed = map[string]made{}
	}
	for key, old := range l.removed {
		if len(l.removed) < mostRemoved {
			break
		}
		delete(l.removed, key)
		delete(l.seen, old.host+old.path)
		delete(l.seen, old.host+" "+path.Base(old.path))
	}
	l.removed[m.host+m.path] = m
}

// read notes what an item reads as.
func (l *ledger) read(host, where string, body []byte) {
	l.mu.Lock()
	defer l.mu.Unlock()
	// An item may have a path of its own: then its name is enough.
	if slices.ContainsFunc(l.made, func(m made) bool { return m.host == host && path.Base(m.path) == path.Base(where) }) {
		l.see(host, where, string(body))
	}
}

// see is read, with the lock held.
func (l *ledger) see(host, where, text string) {
	if l.seen == nil {
		l.seen = map[string]string{}
	}
	l.seen[host+where], l.seen[host+" "+path.Base(where)] = text, text
}

// asRead is what an item last read as, "" where that is not known.
func (l *ledger) asRead(m made) string {
	if body, known := l.seen[m.host+m.path]; known {
		return body
	}
	return l.seen[m.host+" "+path.Base(m.path)]
}

// restore notes that something is there although it was said to be gone, and
// reads as it did before: else it may be kept in a state that says so.
func (l *ledger) restore(host, where, body string) {
	if was, known := l.seen[host+where]; l.away[host+where] || known && was != body {
		return
	}
	if m, known := l.removed[host+where]; known {
		delete(l.removed, host+where)
		l.add(m.host, m.path, m.told)
	}
}

// lost notes what a delete took out of the lists that were observed around it.
func (s *Scenario) lost(answers []*expect.Reply, before, after map[string]*Sight) {
	r := answers[0]
	if r == nil || r.Answer == nil || r.Request.Method != "DELETE" || r.Answer.Status/100 != 2 {
		return
	}
	u, err := url.Parse(r.Request.URL)
	if err != nil {
		return
	}
	where := ExactPath(r.Request.URL)
	for name, b := range before {
		a := after[name]
		if a == nil || b.Problem+a.Problem != "" || b.View.By == nil {
			continue
		}
		for _, m := range state.Between(b.S, a.S).Lost {
			if slices.ContainsFunc(b.identities(m), func(id string) bool { return sameName(id, strings.ToLower(path.Base(where))) }) {
				l := &s.run.ledger
				l.mu.Lock()
				l.away = noted(l.away, u.Host+where)
				l.mu.Unlock()
			}
		}
	}
}

// left are the items that are still there, as a book knows them.
func (l *ledger) left(b *Book) []string {
	l.mu.Lock()
	defer l.mu.Unlock()
	var out []string
	for _, m := range l.made {
		told := m.told
		if b != nil && !b.Certain(path.Base(m.path)) {
			told += " (it may have been there before)"
		}
		out = append(out, told)
	}
	return out
}

// stays tells once of each list how many items it held before the run wrote; "" when it has told.
func (l *ledger) stays(list string, n int) string {
	l.mu.Lock()
	said := l.kept[list]
	if l.kept == nil {
		l.kept = map[string]bool{}
	}
	l.kept[list] = true
	l.mu.Unlock()
	switch {
	case said || n == 0:
		return ""
	case n == 1:
		return list + ": the item that is there stays as it is"
	}
	return fmt.Sprintf("%s: the %d items that are there stay as they are", list, n)
}

// Left is how many items were made and not seen to go.
func (r *Run) Left() int { return len(r.ledger.left(nil)) }

// TellLeft says what the run leaves behind, "" for nothing.
func (r *Run) TellLeft() string {
	const most = 10
	left := r.ledger.left(&r.book)
	if len(left) == 0 {
		return ""
	}
	text := strings.Join(left[:min(len(left), most)], ", ")
	if n := len(left) - most; n > 0 {
		text += fmt.Sprintf(" and %d more", n)
	}
	return "left on the service: " + text
}
