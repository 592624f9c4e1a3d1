package engine

import (
	"bytes"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"usualpath/internal/core/custody"
	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/late"
	"usualpath/internal/core/markup"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// maxPages bounds the walk of a paged list.
const maxPages = 10_000

// walk reads one observation, page by page.
type walk struct {
	of   *step
	name string
	o    *syntax.Observe
	view state.View
	url  string
	// pages are the bodies so far.
	pages []page
	// last is the last reading of the same, nil for none, and key what it is kept by.
	last *reading
	key  string
	urls map[string]bool
	// seen counts the members so far.
	seen int
}

func (w *walk) all(r *exchange.Request) *custody.Sight {
	w.urls = map[string]bool{}
	w.remember()
	keys := map[string]bool{}
	for len(w.pages) < maxPages {
		if w.urls[r.URL] {
			break
		}
		w.urls[r.URL] = true
		once := *r
		w.of.cookies(&once)
		reply := w.of.patiently(&once)
		w.of.env.note(reply.Exchange)
		w.of.in.care.Learn(reply)
		w.of.e.Sent = append(w.of.e.Sent, event.Sent{Role: event.Observation, Name: w.name, Exchange: reply.Exchange})
		if reply.Failure != nil {
			return &custody.Sight{Problem: reply.Failure.Error()}
		}
		switch status := reply.Answer.Status; {
		case status == 404 || status == 410:
			return w.whole()
		case status != 200 && status != 206:
			return &custody.Sight{Problem: "GET " + r.URL + " answered " + reply.Answer.StatusText()}
		}
		if n := len(w.pages); w.last != nil && n < len(w.last.pages) && bytes.Equal(reply.Answer.Body, w.last.pages[n].body) {
			// The same bytes are kept once.
			reply.Answer.Body = w.last.pages[n].body
		}
		one := page{body: reply.Answer.Body, media: reply.Answer.Header.Get("Content-Type")}
		if w.view.By == nil {
			w.pages = append(w.pages, one)
			return w.whole()
		}
		next, more, problem := w.next(once.URL, reply, &one, keys)
		if problem != "" {
			return &custody.Sight{Problem: problem}
		}
		if more {
			w.pages = append(w.pages, one)
		}
		if next == "" {
			return w.whole()
		}
		r.URL = next
	}
	return &custody.Sight{Problem: "its pages do not end: " + r.URL + " comes again"}
}

// next is where the next page is, "" for none, by the way that the list pages;
// more tells whether this page showed what no page before it did.
func (w *walk) next(from string, reply *expect.Reply, one *page, keys map[string]bool) (next string, more bool, problem string) {
	p := &w.o.Paging
	if p.By == "link" {
		return nextPage(from, reply.Answer), true, ""
	}
	if problem = w.read(one, len(w.pages)); problem != "" {
		return "", false, problem
	}
	members := one.members
	if p.By == "" {
		if next = nextPage(from, reply.Answer); next == "" && len(w.pages) == 0 {
			problem = partly(reply, len(members))
		}
		return next, true, problem
	}
	before := len(keys)
	for _, m := range members {
		if m.Key != "" {
			keys[m.Key] = true
		}
	}
	// A service may answer beyond its last page with that page.
	more = len(keys) > before || len(w.pages) == 0
	if len(members) == 0 || !more {
		return "", more, ""
	}
	w.seen += len(members)
	var query [2]*string
	switch p.By {
	case "offset":
		at := strconv.Itoa(w.seen)
		query = [2]*string{&p.Names[1], &at}
	case "page":
		at := strconv.Itoa(p.From + len(w.pages) + 1)
		query = [2]*string{&p.Names[len(p.Names)-1], &at}
	case "cursor":
		q, err := w.of.in.names.Path(p.Next)
		if err != nil {
			return "", more, err.Error()
		}
		body, err := reply.JSON()
		if err != nil {
			return "", more, "GET " + from + " did not answer with JSON: " + err.Error()
		}
		nodes, err := q.Select(body)
		if err != nil {
			return "", more, err.Error()
		}
		if len(nodes) != 1 || nodes[0].Value.Kind != value.String && nodes[0].Value.Kind != value.Number || nodes[0].Value.Plain() == "" {
			return "", more, ""
		}
		at := nodes[0].Value.Plain()
		if strings.HasPrefix(at, "/") || strings.HasPrefix(at, "http://") || strings.HasPrefix(at, "https://") {
			return onHost(from, at), more, ""
		}
		query = [2]*string{&p.Names[0], &at}
	}
	return addQuery(w.url, [][2]*string{query}), more, ""
}

// read finds the members of the nth page; the same bytes as last time are not decoded again.
func (w *walk) read(one *page, n int) (problem string) {
	if one.members != nil {
		return ""
	}
	var before page
	if w.last != nil && n < len(w.last.pages) {
		before = w.last.pages[n]
	}
	if before.members != nil && bytes.Equal(one.body, before.body) {
		*one = before
		return ""
	}
	members, elements, problem := w.selected(one, before.elements)
	if problem != "" {
		return problem
	}
	var had func(i int) (state.Entry, bool)
	if w.view.By != nil && elements.Are(members) {
		one.elements = elements
		had = func(i int) (state.Entry, bool) {
			at, ok := elements.Was(i)
			if !ok {
				return state.Entry{}, false
			}
			return before.members[at], true
		}
	}
	list, err := w.view.Entries(members, had)
	if err != nil {
		return err.Error()
	}
	one.members = list
	return ""
}

// selected are the members in a page, and the elements of its body, which may be much like one
// before it.
func (w *walk) selected(one *page, before *value.Elements) (members []*value.Value, elements *value.Elements, problem string) {
	var err error
	if w.view.XML != nil {
		if members, err = markup.Select(w.of.in.ctx, one.body, w.view.XML); err != nil {
			return nil, nil, "GET " + w.url + ": " + err.Error()
		}
		return members, nil, ""
	}
	v, elements, err := w.of.in.reading.Again(&exchange.Answer{Header: http.Header{"Content-Type": {one.media}}, Body: one.body}, before)
	if err != nil {
		return nil, nil, "GET " + w.url + " did not answer with JSON: " + err.Error()
	}
	if members, err = w.view.Members(v); err != nil {
		return nil, nil, err.Error()
	}
	return members, elements, ""
}

// totalName and moreName find members of a list's answer that tell of more.
var (
	totalName = late.Regexp(`(?i)^(total|total_?(count|items|rows|results|size)|count)$`)
	moreName  = late.Regexp(`(?i)^(has_?(more|next)|more|next|next_?(page|cursor|token)|cursor)$`)
)

// partly says why a list that is not said to page shows a part of what is there:
// what is not on its first page is neither gone nor missing.
func partly(reply *expect.Reply, members int) string {
	if n, err := strconv.Atoi(reply.Answer.Header.Get("X-Total-Count")); err == nil && n > members {
		return fmt.Sprintf("it shows %d of %d items by X-Total-Count; write how it pages: `paging by offset limit, offset`, or another way", members, n)
	}
	if text := bytes.TrimLeft(reply.Answer.Body, " \t\r\n"); len(text) == 0 || text[0] != '{' {
		return ""
	}
	body, err := reply.Lenient()
	if err != nil || body.Kind != value.Object {
		return ""
	}
	for i, n := range body.Names {
		switch v := body.Items[i]; {
		case totalName().MatchString(n) && v.Kind == value.Number:
			if total, ok := v.Int(); ok && total > members && members > 0 {
				return fmt.Sprintf("it shows %d of %d items by $.%s; write how it pages: `paging by offset limit, offset`, or another way", members, total, n)
			}
		case moreName().MatchString(n) && members > 0 && (v.Kind == value.Bool && v.Bool || v.Kind == value.String && v.Text != ""):
			return fmt.Sprintf("$.%s says that there is more than its first %d items; write how it pages: `paging by cursor NAME from $.%s`, or another way", n, members, n)
		}
	}
	return ""
}

// whole is the snapshot of all pages; that of the last reading, if the same
// bytes came again.
func (w *walk) whole() *custody.Sight {
	if w.last != nil && samePages(w.last.pages, w.pages) {
		return &custody.Sight{S: w.last.snap}
	}
	snap := w.view.Absent()
	for i := range w.pages {
		if problem := w.read(&w.pages[i], i); problem != "" {
			return &custody.Sight{Problem: problem}
		}
		snap.Put(w.pages[i].members)
	}
	if w.key != "" {
		w.of.env.mu.Lock()
		if len(w.of.env.readings) > mostReadings {
			clear(w.of.env.readings)
		}
		w.of.env.readings[w.key] = &reading{w.pages, snap}
		w.of.env.mu.Unlock()
	}
	return &custody.Sight{S: snap}
}

// remember takes up the last reading of the same.
func (w *walk) remember() {
	if w.view.Without != nil {
		return
	}
	w.key = fmt.Sprint(w.url, "\x00", syntax.ObserveText(w.o), w.of.in.reading)
	w.of.env.mu.Lock()
	w.last = w.of.env.readings[w.key]
	w.of.env.mu.Unlock()
}

// nextPage is where Link: rel="next" leads (RFC 8288), on the same host only.
func nextPage(from string, a *exchange.Answer) string {
	for _, l := range exchange.Links(a.Header.Values("Link")) {
		if !l.Has("next") {
			continue
		}
		return onHost(from, l.Target)
	}
	return ""
}

// onHost is where a reference leads, "" when that is another host.
func onHost(from, to string) string {
	base, err := url.Parse(from)
	if err != nil {
		return ""
	}
	next, err := base.Parse(to)
	if err != nil || !strings.EqualFold(next.Host, base.Host) {
		return ""
	}
	return next.String()
}
