package engine

import (
	"bytes"
	"net/url"
	"strconv"
	"strings"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// Bounds of walking a paged list.
const (
	maxPages  = 10_000
	pageLimit = "100"
)

// reading is what an observation read last: most requests change nothing, and
// what came as the same bytes need not be decoded again.
type reading struct {
	pages [][]byte
	snap  *state.Snapshot
}

// walk reads one observation, page by page.
type walk struct {
	of   *step
	name string
	o    *syntax.Observe
	view state.View
	url  string
	// pages are the bodies so far.
	pages [][]byte
	urls  map[string]bool
}

func (w *walk) all(r *exchange.Request) *snapshot {
	w.urls = map[string]bool{}
	offset := 0
	paged := len(w.o.Paging) == 2
	for len(w.pages) < maxPages {
		if paged {
			limit, at := pageLimit, strconv.Itoa(offset)
			r.URL = addQuery(w.url, [][2]*string{{&w.o.Paging[0], &limit}, {&w.o.Paging[1], &at}})
		}
		if w.urls[r.URL] {
			break
		}
		w.urls[r.URL] = true
		once := *r
		w.of.cookies(&once)
		reply := expect.NewReply(w.of.env.client.Do(w.of.in.ctx, &once))
		w.of.env.note(reply.Exchange)
		w.of.learn(reply)
		w.of.e.Sent = append(w.of.e.Sent, event.Sent{Role: event.Observation, Name: w.name, Exchange: reply.Exchange})
		if reply.Failure != nil {
			return &snapshot{problem: reply.Failure.Error()}
		}
		switch status := reply.Answer.Status; {
		case status == 404 || status == 410:
			return w.whole()
		case status != 200:
			return &snapshot{problem: "GET " + r.URL + " answered " + reply.Answer.StatusText()}
		}
		w.pages = append(w.pages, reply.Answer.Body)
		if w.view.By == nil {
			return w.whole()
		}
		if paged {
			members, problem := w.members(reply.Answer.Body)
			if problem != "" {
				return &snapshot{problem: problem}
			}
			if len(members) == 0 {
				return w.whole()
			}
			offset += len(members)
			continue
		}
		next := nextPage(once.URL, reply.Answer)
		if next == "" {
			return w.whole()
		}
		r.URL = next
	}
	return &snapshot{problem: "its pages do not end: " + r.URL + " comes again"}
}

func (w *walk) members(body []byte) ([]*value.Value, string) {
	v, err := value.Decode(string(body), value.Limits{Bytes: 1 << 31, Lenient: true})
	if err != nil {
		return nil, "GET " + w.url + " did not answer with JSON: " + err.Error()
	}
	members, err := w.view.Members(v)
	if err != nil {
		return nil, err.Error()
	}
	return members, ""
}

// whole is the snapshot of all pages; that of the last reading, if the same
// bytes came again.
func (w *walk) whole() (s *snapshot) {
	key := ""
	defer func() { w.of.env.watch.saw(w.of, w.o, w.url, s.s) }()
	if w.view.Without == nil {
		key = w.url + "\x00" + syntax.ObserveText(w.o)
		w.of.env.mu.Lock()
		last := w.of.env.readings[key]
		w.of.env.mu.Unlock()
		if last != nil && samePages(last.pages, w.pages) {
			return &snapshot{s: last.snap}
		}
	}
	snap := w.view.Absent()
	for _, body := range w.pages {
		members, problem := w.members(body)
		if problem == "" {
			if err := w.view.Add(snap, members); err != nil {
				problem = err.Error()
			}
		}
		if problem != "" {
			return &snapshot{problem: problem}
		}
	}
	if key != "" {
		w.of.env.mu.Lock()
		w.of.env.readings[key] = &reading{w.pages, snap}
		w.of.env.mu.Unlock()
	}
	return &snapshot{s: snap}
}

func samePages(a, b [][]byte) bool {
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if !bytes.Equal(a[i], b[i]) {
			return false
		}
	}
	return true
}

// nextPage is where Link: rel="next" leads (RFC 8288), on the same host only.
func nextPage(from string, a *exchange.Answer) string {
	for _, l := range exchange.Links(a.Header.Values("Link")) {
		if !l.Has("next") {
			continue
		}
		base, err := url.Parse(from)
		if err != nil {
			return ""
		}
		next, err := base.Parse(l.Target)
		if err != nil || !strings.EqualFold(next.Host, base.Host) {
			return ""
		}
		return next.String()
	}
	return ""
}
