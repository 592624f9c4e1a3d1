package custody

import (
	"fmt"
	"path"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"usualpath/internal/core/expect"
	"usualpath/internal/core/syntax"
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
	// ever are the paths, in lower case, of all that was made.
	ever sync.Map
	// put are the names that derived checks have PUT something to.
	put map[string]bool
	// kept are the lists that were told to stay as they are.
	kept map[string]bool
	// begun tells that anything was made at all, clock counts what came and went.
	begun atomic.Bool
	clock int
}

// idle tells that answers say nothing to a ledger that is empty: that of a read
// neither makes nor removes.
func (l *ledger) idle(answers []*expect.Reply) bool {
	return !l.begun.Load() && !slices.ContainsFunc(answers, func(r *expect.Reply) bool {
		return r == nil || !syntax.SafeMethod(r.Request.Method) || r.Answer != nil && (absent(r.Answer.Status) || r.Answer.Status == 403)
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

// made is one item: where it is, and how it is told; going tells that its delete was taken with 202,
// unheard that one was not answered; kept marks one that was removed and is listed as before, check
// one that a derived check has made; at is when it came or went. Of one that is going asks asks
// whether it is there, nil where that cannot be.
type made struct {
	host, path, told string
	going, unheard   bool
	kept, check      bool
	at               int
	asks             func() int
}

func (l *ledger) add(host, where, told string) {
	if !slices.ContainsFunc(l.made, func(m made) bool { return m.host == host && m.path == where }) {
		l.clock++
		l.ever.Store(strings.ToLower(where), true)
		l.made = append(l.made, made{host: host, path: where, told: told, at: l.clock})
		l.begun.Store(true)
	}
}

// derived notes whether a derived check has made something: what it leaves is of no use to anybody.
func (l *ledger) derived(host, where string, check bool) {
	for i, m := range l.made {
		if m.host == host && m.path == where {
			l.made[i].check = check
		}
	}
}

// forget takes an item out: it is known to be gone.
func (l *ledger) forget(m made) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.made = slices.DeleteFunc(l.made, func(other made) bool { return other.host == m.host && other.path == m.path })
}

// has tells whether what is at a path was made, and has not gone.
func (l *ledger) has(where string) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	return slices.ContainsFunc(l.made, func(m made) bool { return m.path == where })
}

// drop notes that something is gone; what is below it goes with it. An item may
// have a path of its own: then its name is enough. A read that was sent before it came says nothing.
func (l *ledger) drop(host, where string, loose bool, sent int) {
	before := len(l.made)
	l.made = slices.DeleteFunc(l.made, func(m made) bool {
		gone := m.host == host && m.at <= sent && (m.path == where || strings.HasPrefix(m.path, where+"/"))
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
		gone := m.host == host && (id == name || id == strings.TrimSuffix(name, path.Ext(name)) || name == strings.TrimSuffix(id, path.Ext(id)))
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
	l.clock++
	m.at = l.clock
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
// reads as it did before: else it may be kept in a state that says so. Of what was never read that
// cannot be told: then its list tells it at the end, where there is one; nor does a read say anything
// that was sent before it went.
func (l *ledger) restore(host, where, body string, listed bool, sent int) {
	if was, known := l.seen[host+where]; l.away[host+where] || known && was != body || !known && listed {
		return
	}
	if m, known := l.removed[host+where]; known && m.at <= sent {
		delete(l.removed, host+where)
		l.add(m.host, m.path, m.told)
	}
}

// left are the items that are still there, as a book knows them.
func (l *ledger) left(b *book) []string {
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
