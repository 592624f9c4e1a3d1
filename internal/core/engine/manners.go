package engine

import (
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"usualpath/internal/core/custody"
	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/syntax"
)

// mostPatience bounds how long a service is waited for that says when to come
// again.
const mostPatience = 5 * time.Second

// patiently sends a request, and once more when a service that is too busy says
// how soon (RFC 9110 §10.2.3, RFC 6585 §4): that is no answer to what a derived
// check asks.
func (t *step) patiently(r *exchange.Request) *expect.Reply {
	return t.waiting(r, func(name string, x *exchange.Exchange) {
		t.e.Sent = append(t.e.Sent, event.Sent{Role: event.Observation, Name: name, Exchange: x})
	})
}

// waiting is patiently, telling of what came to nothing.
func (t *step) waiting(r *exchange.Request, tell func(name string, x *exchange.Exchange)) *expect.Reply {
	anew := false
	for tries := 0; ; tries++ {
		reply := expect.NewReply(t.env.client.Do(t.in.ctx, r))
		reply.Reading = t.in.reading
		switch refused := reply.Answer != nil && reply.Answer.Status == http.StatusUnauthorized; {
		case anew && refused && t.own:
			t.shut = "credentials that worked are refused now, new ones too"
		case !anew:
			if next := t.renewed(r, reply); next != nil {
				tell("credentials refused", reply.Exchange)
				anew, r = true, next
				continue
			}
		}
		// Steps of the user's own around a check are sent as they are.
		if t.in.job.s.Check == nil && !t.in.patient || t.in.around || tries == 3 {
			return reply
		}
		if f := reply.Failure; f != nil {
			// What is not safe may have been taken: it is not sent again (RFC 9110 §9.2.2).
			if f.Kind == exchange.SlowAnswer && (tries > 0 || !syntax.SafeMethod(r.Method)) {
				t.silent(r)
			}
			if f.Kind != exchange.SlowAnswer || tries > 0 || !syntax.SafeMethod(r.Method) {
				return reply
			}
			tell("no answer", reply.Exchange)
			continue
		}
		wait, ok := comesAgain(reply.Answer)
		if !ok {
			return reply
		}
		tell("too busy", reply.Exchange)
		t.sleep(wait)
	}
}

// silent notes a method that a path does not answer. Where it was waited for twice no other
// check waits for it. What is not answered beside others, or as one of several at once, may only be
// late: from then on checks run one at a time.
func (t *step) silent(r *exchange.Request) {
	if t.many || t.in.job.beside && !t.in.job.alone {
		t.env.crowded.Store(true)
		return
	}
	key := t.template(r)
	t.env.mu.Lock()
	t.env.mute[key] = append(t.env.mute[key], t.in.job.id)
	if syntax.SafeMethod(r.Method) {
		t.env.mute[key] = append(t.env.mute[key], t.in.job.id)
	}
	t.env.mu.Unlock()
}

// muted tells that a request of this kind gets no answer, or "".
func (t *step) muted(r *exchange.Request) string {
	if t.in.job.s.Check == nil || t.in.around {
		return ""
	}
	key := t.template(r)
	t.env.mu.Lock()
	defer t.env.mu.Unlock()
	// One that is run once more asks for itself.
	if by := t.env.mute[key]; len(by) > 1 && !slices.Contains(by, t.in.job.id) {
		return key + " gets no answer"
	}
	return ""
}

// template is a method and a path as a check writes it, with {id} for the item of
// a guarded list: the same for all items, and for those of all parents.
func (t *step) template(r *exchange.Request) string {
	at := custody.PlainPath(r.URL)
	out, length := at, 0
	lists, err := t.lists()
	if err != nil {
		return r.Method + " on " + at
	}
	for _, l := range lists {
		if len(l.Path) < length {
			continue
		}
		rest, below := strings.CutPrefix(at+"/", strings.TrimSuffix(l.Path, "/")+"/")
		if !below {
			continue
		}
		out, length = l.Written, len(l.Path)
		if _, deeper, item := strings.Cut(rest, "/"); item {
			out = strings.TrimSuffix(out, "/") + "/{id}" + strings.TrimSuffix("/"+deeper, "/")
		}
	}
	return r.Method + " on " + out
}

// comesAgain is how long a service asks to wait, where that is not too long.
func comesAgain(a *exchange.Answer) (time.Duration, bool) {
	if a.Status != http.StatusTooManyRequests && a.Status != http.StatusServiceUnavailable {
		return 0, false
	}
	after := a.Header.Get("Retry-After")
	if at, err := http.ParseTime(after); err == nil {
		// A date is held against that of the answer, where it has one.
		now, err := http.ParseTime(a.Header.Get("Date"))
		if err != nil {
			now = time.Now()
		}
		wait := max(0, at.Sub(now))
		return wait, wait <= mostPatience
	}
	seconds, err := strconv.Atoi(after)
	wait := time.Duration(seconds) * time.Second
	return wait, err == nil && seconds >= 0 && wait <= mostPatience
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
