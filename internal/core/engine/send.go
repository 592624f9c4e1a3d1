package engine

import (
	"fmt"
	"net/http"
	"net/url"
	"path"
	"slices"
	"strings"
	"sync"

	"usualpath/internal/core/custody"
	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/syntax"
)

// sendOnce sends one request, or several copies at once, with what is observed
// around it, and judges the answers.
func (t *step) sendOnce(copies []*builder, at *attempt) {
	at.of, t.now = t, at
	need := t.observations(at.round)
	var err error
	if at.before, err = t.beforehand(need); err != nil {
		t.lacking(err)
		return
	}
	t.readType(copies)
	requests, ok := t.requests(copies)
	if !ok {
		return
	}
	t.exchange(requests, copies, at)
	wrong := t.in.care.Answered(asking{t}, at.replies, t.e.Sent[at.sent:], at.sent)
	if f := at.replies[0].Failure; f != nil && f.Kind == exchange.HopRefused {
		t.refuse(f.Detail)
		return
	}
	t.answered(at)
	if t.shut != "" {
		t.found(event.Finding{Verdict: event.Blocked, Line: t.e.Line, Expected: "credentials that worked", Observed: []string{t.shut}, Sent: at.sent})
		t.in.halted = t.shut
		return
	}
	if at.after, err = t.observe(need); err != nil {
		t.lacking(err)
		return
	}
	t.seen(at)
	if wrong != nil {
		t.wrong(wrong, at)
		return
	}
	t.judge(at.round.claims, at)
}

// exchange sends requests, and enters what comes back.
func (t *step) exchange(requests []*exchange.Request, copies []*builder, at *attempt) {
	if t.env.o.Sending != nil {
		t.env.o.Sending(t.env.mask.text(requests[0].Method + " " + requests[0].URL))
	}
	if t.in.sentOnly {
		for _, r := range requests {
			t.in.sent.sends(r)
		}
	}
	t.in.care.Sent(asking{t}, requests)
	at.replies = make([]*expect.Reply, len(copies))
	t.own = true
	defer func() { t.own = false }()
	if len(copies) == 1 {
		r := t.patiently(requests[0])
		if f := r.Failure; f != nil && f.Kind == exchange.Between && t.e.Afterwards && r.Request.Method == "DELETE" {
			// What the connection was closed before is sent on a new one (RFC 9110 §9.2.2).
			t.unanswered(r)
			r = t.patiently(requests[0])
		}
		at.replies[0] = t.otherType(copies[0], r)
	} else {
		t.together(requests, at.replies)
	}
	at.sent = len(t.e.Sent)
	for i, r := range at.replies {
		number := at.n
		if at.role == event.Copy {
			number = i + 1
		}
		t.env.note(r.Exchange)
		t.e.Sent = append(t.e.Sent, event.Sent{Role: at.role, N: number, Exchange: r.Exchange})
		t.showsInside(t.e.Sent[len(t.e.Sent)-1])
		t.takeCookies(r)
		t.unanswered(r)
	}
}

// answered makes answers those that later steps may look at.
func (t *step) answered(at *attempt) {
	title := syntax.StepTitle(t.st)
	t.e.Requests += len(at.replies)
	t.in.last = at.replies[0]
	t.in.replies[title] = at.replies[0]
	if at.role == event.Repeat {
		t.in.repeatedBy(title, at.replies[0])
	}
}

// wrong tells of an answer whose claim to have made something cannot be true.
func (t *step) wrong(w *custody.False, at *attempt) {
	t.miss(event.Finding{Verdict: event.Failed, Line: w.Line, Expected: "201 names an item that was made now",
		Observed: []string{"it names " + w.Name + ", which was listed before the request was sent; that item is left as it is"},
		Because:  "201 says that something new was made (RFC 9110 §15.3.2)", Sent: at.sent + w.Answer})
	t.in.halted = "the answer to a create names an item that was there before"
}

// readOnly are the methods of a run that is read-only: those whose meaning is to
// change nothing (RFC 9110 §9.2.1), without TRACE.
var readOnly = []string{"GET", "HEAD", "OPTIONS"}

// requests are the copies as they will be sent; false when one of them cannot
// be, or must not.
func (t *step) requests(copies []*builder) ([]*exchange.Request, bool) {
	out := make([]*exchange.Request, len(copies))
	for i, c := range copies {
		r, err := c.request(t.base)
		if err != nil {
			t.lacking(err)
			return nil, false
		}
		if c.unsafe != "" {
			t.withheld(r, c.unsafe)
			return nil, false
		}
		if t.env.o.ReadOnly && t.in.job.s.Once && !slices.Contains(readOnly, r.Method) {
			t.writesOnce(r.Method)
		} else if t.env.o.ReadOnly && !slices.Contains(readOnly, r.Method) {
			t.refuse("not applicable: the run sends GET, HEAD and OPTIONS only")
			return nil, false
		}
		if mute := t.muted(r); mute != "" {
			t.found(event.Finding{Verdict: event.Blocked, Line: t.e.Line, Expected: "an answer to a request of this kind", Observed: []string{mute + ": it was not sent again"}, Sent: -1})
			if !t.e.Afterwards {
				t.in.halted = mute
			}
			return nil, false
		}
		out[i] = r
	}
	switch why, err := t.in.care.May(asking{t}, out...); {
	case err != nil:
		t.lacking(err)
		return nil, false
	case why != "":
		t.refuse(why)
		return nil, false
	}
	for _, r := range out {
		t.cookies(r)
		if r.Follow > 0 {
			r.Hop, r.Private = t.hop, t.env.mask.private
			if len(copies) > 1 {
				r.Hop = func(next *exchange.Request) string {
					if syntax.SafeMethod(next.Method) {
						return ""
					}
					return custody.NotOurs + next.Method + " " + next.URL + " is where several requests at once are led"
				}
			}
		}
	}
	return out, true
}

// unanswered notes a request that may have been carried out although nothing was answered.
func (t *step) unanswered(r *expect.Reply) {
	f := r.Failure
	if f == nil || syntax.SafeMethod(r.Request.Method) {
		return
	}
	switch f.Kind {
	case exchange.Refused, exchange.SlowConnect, exchange.HostRefused, exchange.UnknownHost, exchange.TLS, exchange.BadRequest, exchange.Unsent, exchange.HopRefused, exchange.TooManyHops:
		return
	}
	t.in.unknown = r.Request.Method + " " + r.Request.URL
	if f.Kind != exchange.Between {
		return
	}
	t.in.between = true
	t.env.mu.Lock()
	told := t.env.closing
	t.env.closing = true
	t.env.mu.Unlock()
	if !told {
		t.env.care.AtEnd(event.Notice{Text: "the service closes connections after its answers without saying so (RFC 9112 §9.6): from now on each request that is not safe has a connection of its own"})
	}
}

// hop tells why a redirect must not be followed: it is held to all that a request of the step
// itself is held to.
func (t *step) hop(next *exchange.Request) string {
	if syntax.SafeMethod(next.Method) {
		return ""
	}
	if u, err := url.Parse(next.URL); err == nil {
		if base, err := url.Parse(t.base); err == nil && (base.Scheme != u.Scheme || base.Host != u.Host) && t.env.mask.Holds(string(next.Body)) {
			return custody.NotOurs + next.Method + " " + next.URL + " is another origin, and the body holds a secret"
		}
		for _, segment := range strings.Split(strings.Trim(u.EscapedPath(), "/"), "/") {
			if text, err := url.PathUnescape(segment); err != nil || scope.Segment(text) != "" {
				return custody.NotOurs + next.Method + " " + next.URL + " has a segment that names nothing, or more than one thing"
			}
		}
	}
	why, err := t.in.care.May(asking{t}, next)
	if err != nil {
		return err.Error()
	}
	return why
}

// together sends all requests at the same moment.
func (t *step) together(requests []*exchange.Request, replies []*expect.Reply) {
	t.many = true
	defer func() { t.many = false }()
	gate := make(chan struct{})
	var all sync.WaitGroup
	for i, r := range requests {
		all.Add(1)
		go func() {
			defer all.Done()
			<-gate
			replies[i] = t.waiting(r, func(string, *exchange.Exchange) {})
		}()
	}
	close(gate)
	all.Wait()
	if t.in.job.s.Check != nil && slices.ContainsFunc(replies, func(r *expect.Reply) bool { return r.Failure != nil && r.Failure.Kind == exchange.SlowAnswer }) {
		// What is still under way there would be in the way of what comes next.
		t.sleep(t.env.o.Timeout)
	}
}

func (t *step) takeCookies(r *expect.Reply) {
	if t.in.jar == nil || r.Answer == nil {
		return
	}
	u, err := url.Parse(r.Request.URL)
	if err != nil {
		return
	}
	t.in.jar.SetCookies(u, (&http.Response{Header: r.Answer.Header}).Cookies())
}

// readType takes the media type that is known to be read.
func (t *step) readType(copies []*builder) {
	for _, d := range copies {
		if d.other == "" {
			continue
		}
		t.env.mu.Lock()
		known := t.env.types[typeKey(d)]
		t.env.mu.Unlock()
		if known {
			d.media, d.other = d.other, ""
		}
	}
}

// otherType sends a body as the other type where the first was refused, and
// remembers it when that one is read.
func (t *step) otherType(d *builder, first *expect.Reply) *expect.Reply {
	if d.other == "" || first.Answer == nil {
		return first
	}
	key := typeKey(d)
	if first.Answer.Status/100 == 2 {
		// This type is read: what it is refused for later is something else.
		t.env.mu.Lock()
		t.env.types[key] = false
		t.env.mu.Unlock()
		return first
	}
	t.env.mu.Lock()
	other, known := t.env.types[key]
	t.env.mu.Unlock()
	if known && !other || !slices.Contains(refusals, first.Answer.Status) {
		return first
	}
	again := d.copy()
	again.media, again.other = d.other, ""
	requests, ok := t.requests([]*builder{again})
	if !ok {
		return first
	}
	reply := t.patiently(requests[0])
	if reply.Answer == nil || reply.Answer.Status/100 != 2 {
		return first
	}
	t.e.Sent = append(t.e.Sent, event.Sent{Role: event.Observation, Name: "as " + d.media, Exchange: first.Exchange})
	t.env.mu.Lock()
	told := t.env.types[key]
	t.env.types[key] = true
	t.env.mu.Unlock()
	if !told {
		t.in.late = append(t.in.late, &event.Notice{Text: t.env.mask.text(fmt.Sprintf("%s below %s takes %s, and not %s", d.method, path.Dir(custody.PlainPath(d.target)), d.other, d.media))})
	}
	return reply
}

// typeKey tells where a media type is known to be refused.
func typeKey(d *builder) string {
	return d.method + " " + path.Dir(custody.PlainPath(d.target)) + " " + d.media
}

// refusals are the statuses with which services refuse a media type. 415 is the
// one for it (RFC 5789 §2.2); others are met.
var refusals = []int{400, 405, 406, 415, 422, 501}
