package engine

import (
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/project"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// sessions are the credentials that `before all` keeps. One may end while a run goes on, or be
// forgotten when the service starts anew: then it is asked for once more.
type sessions struct {
	// renewing is held while a prelude runs again.
	renewing sync.Mutex
	mu       sync.Mutex
	// served are the kinds of requests that were not answered 401 with what a prelude keeps, renewed
	// counts how often it has run again.
	served  map[session]bool
	renewed map[*project.Prelude]int
}

// session is what a prelude keeps, in requests of a kind.
type session struct {
	of   *project.Prelude
	kind string
}

const (
	// mostRenewals bounds how often one prelude runs again.
	mostRenewals = 500
	// shortestCredential is the length in bytes below which a text in a header may be anything.
	shortestCredential = 6
)

// kept is the text of a name that a prelude keeps; "" for none that can be told in a header.
func (t *step) kept(name string) string {
	v, err := t.in.names.Lookup(name)
	if err != nil || v.Kind != value.String || len(v.Text) < shortestCredential {
		return ""
	}
	return v.Text
}

// signedBy is the prelude whose credentials a request carries in its header; nil for none.
func (t *step) signedBy(r *exchange.Request) *project.Prelude {
	all := t.env.p.Preludes(t.in.job.s.File)
	i := slices.IndexFunc(all, func(one *project.Prelude) bool {
		return slices.ContainsFunc(one.Keeps, func(n string) bool {
			text := t.kept(n)
			return text != "" && slices.ContainsFunc(r.Header, func(f exchange.Field) bool { return strings.Contains(f.Value, text) })
		})
	})
	if i < 0 {
		return nil
	}
	return all[i]
}

// renewed is the request with new credentials, where those that it carries are answered 401 and
// such a request was served before; nil where nothing is to be sent again.
func (t *step) renewed(r *exchange.Request, reply *expect.Reply) *exchange.Request {
	if reply.Answer == nil || t.in.job.s.Once || t.many {
		return nil
	}
	one := t.signedBy(r)
	if one == nil {
		return nil
	}
	s, kind := &t.env.sessions, session{one, t.template(r)}
	s.mu.Lock()
	if reply.Answer.Status != http.StatusUnauthorized {
		s.served[kind] = true
		s.mu.Unlock()
		return nil
	}
	served := s.served[kind]
	s.mu.Unlock()
	if !served || t.asksWhoIsThere() {
		return nil
	}
	old := map[string]string{}
	for _, n := range one.Keeps {
		if text := t.kept(n); text != "" {
			old[n] = text
		}
	}
	have := t.anew(one, old)
	if have == nil {
		return nil
	}
	out := *r
	out.Header = slices.Clone(r.Header)
	for _, n := range one.Keeps {
		v := have.values[n]
		if v == nil {
			continue
		}
		t.in.kept.Bind(n, v)
		for i := range out.Header {
			if text := old[n]; text != "" {
				out.Header[i].Value = strings.ReplaceAll(out.Header[i].Value, text, v.Plain())
			}
		}
	}
	return &out
}

// anew runs a prelude again, unless that has been done since its values were taken; nil where it
// gives no values.
func (t *step) anew(one *project.Prelude, old map[string]string) *prelude {
	s := &t.env.sessions
	s.renewing.Lock()
	defer s.renewing.Unlock()
	have := t.env.once.of(one)
	if have == nil || slices.ContainsFunc(one.Keeps, func(n string) bool {
		return have.values[n] != nil && old[n] != "" && have.values[n].Plain() != old[n]
	}) {
		return have
	}
	s.mu.Lock()
	s.renewed[one]++
	n := s.renewed[one]
	s.mu.Unlock()
	if n > mostRenewals || len(t.env.given(one)) > 0 {
		return nil
	}
	fresh := &prelude{at: t.env.o.Now(), values: map[string]*value.Value{}}
	t.env.runPrelude(t.in.ctx, one, fresh, func(e event.Event) {
		if st, ok := e.(*event.StepFinished); ok {
			for _, sent := range st.Sent {
				t.e.Sent = append(t.e.Sent, event.Sent{Role: event.Observation, Name: fmt.Sprintf("before all %q, again", one.Raw()), Exchange: sent.Exchange})
			}
		}
	})
	if fresh.failed != "" {
		return nil
	}
	t.env.once.set(one, fresh)
	return fresh
}

// asksWhoIsThere tells whether what is sent is a step's own request, and its claims are about
// credentials.
func (t *step) asksWhoIsThere() bool {
	return t.own && slices.ContainsFunc(t.now.round.claims, func(st *syntax.Statement) bool {
		claim, ok := st.Body.(syntax.Claiming)
		if !ok {
			return false
		}
		b := claim.Claimed()
		return strings.EqualFold(b.Subject.Name, "WWW-Authenticate") || slices.ContainsFunc(b.Predicate.Status, func(s syntax.StatusClass) bool {
			return s.Code == http.StatusUnauthorized || s.Code == http.StatusForbidden
		})
	})
}
