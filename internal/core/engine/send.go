package engine

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"usualpath/internal/core/custody"
	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/syntax"
)

// attempt is a request sent once, or several copies of it at once, and what
// came of it.
type attempt struct {
	of    *step
	round *round
	role  event.Role
	// n numbers repeats and tries from 1; which says in words which one it is.
	n     int
	which string
	// replies are the answers of the copies; sent is the index of the first among
	// what the step has sent, -1 when nothing was sent for them.
	replies []*expect.Reply
	sent    int
	// before and after are the snapshots around it.
	before, after map[string]*custody.Sight
}

func (t *step) send(d *builder, copies []*builder, g *round) {
	if d.retry != nil {
		t.retry(d, g)
		return
	}
	role := event.Main
	if len(copies) > 1 {
		role = event.Copy
	}
	t.sendOnce(copies, &attempt{round: g, role: role})
}

// retry sends until all that is expected holds, or the time is over.
func (t *step) retry(d *builder, g *round) {
	every := d.retry.Every.D
	if every == 0 {
		every = 100 * time.Millisecond
	}
	deadline := time.Now().Add(d.retry.For.D)
	kept, halted := *t.e, t.in.halted
	for n := 1; ; n++ {
		// What an earlier try missed does not count.
		*t.e, t.in.halted = kept, halted
		t.e.Sent = append([]event.Sent(nil), t.e.Sent...)
		t.sendOnce([]*builder{d}, &attempt{round: g, role: event.Retry, n: n})
		kept.Sent, kept.Requests = t.e.Sent, t.e.Requests
		if t.e.Verdict == event.Held || t.e.Verdict == event.Warned || t.e.Verdict == event.Skipped || d.unsafe != "" || time.Now().Add(every).After(deadline) || t.in.ctx.Err() != nil || t.env.stopped() {
			if t.e.Verdict == event.Failed {
				t.e.Why = fmt.Sprintf("tried %d times in %s", n, d.retry.For.Raw)
			}
			return
		}
		// Only the first and the last try are told.
		if len(kept.Sent) > 1 {
			kept.Sent = kept.Sent[:1]
		}
		t.sleep(every)
	}
}

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
	if len(copies) == 1 {
		at.replies[0] = t.otherType(copies[0], t.patiently(requests[0]))
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

// withheld blocks a step whose request might reach more than it should.
func (t *step) withheld(r *exchange.Request, why string) {
	t.found(event.Finding{Verdict: event.Blocked, Line: t.e.Line, Expected: "a request that changes state names what it changes",
		Observed: []string{why + ": " + r.Method + " " + r.URL + " was not sent"}, Sent: -1})
	if t.in.job.s.Check != nil && !t.e.Afterwards {
		// What comes after it would be judged by a request that was not sent.
		t.in.halted = why
	}
	if t.in.lacked == "" {
		t.in.lacked = "step \"" + t.e.Title + "\" was not sent: " + why
	}
}

// refuse leaves a step out that a guard refuses, and what comes after it.
func (t *step) refuse(why string) {
	if c := t.in.job.s.Check; c != nil && c.ID == Probe && t.in.care.Wrote() && strings.HasPrefix(why, custody.NotOurs) && !strings.Contains(why, custody.Advice) {
		// What the create answers does not lead to what it made: so would all others.
		t.found(event.Finding{Verdict: event.Blocked, Line: t.e.Line, Expected: "the answer to a create leads to the item that was made",
			Observed: []string{strings.TrimPrefix(why, custody.NotOurs) + "; what was made is still there"}, Sent: -1})
		t.in.halted = strings.TrimPrefix(why, custody.NotOurs)
		return
	}
	t.e.Verdict, t.e.Why = event.Skipped, why
	if t.e.Afterwards {
		return
	}
	t.in.refused = why
	t.in.halted = why
}

// repeatedBy keeps an answer after `again` where a claim of the scenario asks for
// such a one: of the others there may be many.
func (f *flow) repeatedBy(title string, r *expect.Reply) {
	if f.repeated == nil {
		f.repeated, f.repeats = map[string]bool{}, map[string][]*expect.Reply{}
		for _, st := range f.job.s.Steps {
			for _, c := range st.Children {
				if b, ok := c.Body.(syntax.Claiming); ok {
					if s := b.Claimed().Predicate.Source; s != nil && s.Repeat != nil {
						f.repeated[syntax.TitleText(s.Title)] = true
					}
				}
			}
		}
	}
	if f.repeated[title] {
		f.repeats[title] = append(f.repeats[title], r)
	}
}

// answer is the last answer of a step, or one of those after `again`.
func (f *flow) answer(title string, repeat int) *expect.Reply {
	switch list := f.repeats[title]; {
	case repeat == 0:
		return f.replies[title]
	case repeat <= len(list):
		return list[repeat-1]
	}
	return nil
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
}

func (t *step) cookies(r *exchange.Request) {
	if t.in.jar == nil {
		return
	}
	u, err := url.Parse(r.URL)
	if err != nil || hasHeader(r.Header, "cookie") {
		return
	}
	var pairs []string
	for _, c := range t.in.jar.Cookies(u) {
		pairs = append(pairs, c.Name+"="+c.Value)
	}
	if len(pairs) > 0 {
		r.Header = append(append([]exchange.Field(nil), r.Header...), exchange.Field{Name: "Cookie", Value: strings.Join(pairs, "; ")})
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

// note counts what tells a run that reached nobody from one that failed.
func (r *environment) note(x *exchange.Exchange) {
	r.mu.Lock()
	defer r.mu.Unlock()
	switch {
	case x.Answer != nil:
		r.answered = true
	case x.Failure.Kind == exchange.Refused || x.Failure.Kind == exchange.UnknownHost || x.Failure.Kind == exchange.SlowConnect:
		r.unreached++
	case x.Failure.Kind != exchange.HostRefused && x.Failure.Kind != exchange.BadRequest:
		r.answered = true
	}
}
