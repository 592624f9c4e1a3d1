package engine

import (
	"net/http"
	"strings"
	"sync"
	"sync/atomic"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/mask"
	"usualpath/internal/core/project"
	"usualpath/internal/core/syntax"
)

// masker hides secrets and credentials in all events of a run: every event
// passes it on its way out, and nothing else leaves the engine.
type masker struct {
	*mask.Mask
	// fields are headers of the service's own that hold credentials, in lower case.
	fields map[string]bool
	// named tells of header names whether they hold secrets; kept counts secrets that exchanges
	// showed and that are hidden everywhere.
	named sync.Map
	kept  atomic.Int64
	// bare keeps the exchanges as they were, beside what is masked.
	bare bool
	// declared hides only what was declared to be a secret, and headers.
	declared bool
}

func newMasker(p *project.Project, bare, declared bool) *masker {
	m := &masker{Mask: mask.New(), fields: map[string]bool{}, bare: bare, declared: declared}
	for _, name := range p.CredentialHeaders() {
		m.fields[strings.ToLower(name)] = true
	}
	return m
}

func (m *masker) text(s string) string { return m.Text(s) }

// event hides what an event must not show. The event may be changed; exchanges
// are copied, since later steps still need them as they are.
func (m *masker) event(e event.Event) {
	switch e := e.(type) {
	case *event.RunStarted:
		e.Base = m.text(e.Base)
	case *event.ScenarioStarted:
		e.Title, e.About = m.text(e.Title), m.text(e.About)
		if f := e.Found; f != nil {
			f.Text = m.text(f.Text)
			for i := range f.Moments {
				f.Moments[i].Text = m.text(f.Moments[i].Text)
			}
		}
	case *event.Roamed:
		for i := range e.Unwalked {
			e.Unwalked[i].Why = m.text(e.Unwalked[i].Why)
		}
	case *event.ScenarioFinished:
		e.Why = m.text(e.Why)
	case *event.Notice:
		e.Text = m.text(e.Text)
	case *event.StepFinished:
		m.step(e)
	}
}

func (m *masker) step(e *event.StepFinished) {
	if !m.Idle() {
		e.Title, e.Why = m.text(e.Title), m.text(e.Why)
		for i := range e.Findings {
			f := &e.Findings[i]
			f.Expected, f.Because, f.Look = m.text(f.Expected), m.text(f.Because), m.text(f.Look)
			for j := range f.Observed {
				f.Observed[j] = m.text(f.Observed[j])
			}
		}
	}
	for i := range e.Sent {
		s := &e.Sent[i]
		if m.bare {
			s.Bare = s.Exchange
		}
		s.Exchange = m.exchange(s.Exchange)
	}
}

// private tells whether a header holds what stays with its origin: credentials, and secrets.
func (m *masker) private(f exchange.Field) bool {
	return m.fields[strings.ToLower(f.Name)] || mask.HeaderNamed(f.Name) || m.Holds(f.Value)
}

// mostKept bounds how many secrets that exchanges showed are hidden everywhere.
const mostKept = 200

// secretsOf are the secrets that an exchange shows, by the places and forms that such have.
func (m *masker) secretsOf(x *exchange.Exchange) []mask.Found {
	var out []mask.Found
	if !m.declared {
		out = append(mask.InURL(x.Request.URL), mask.InBody(x.Request.Body)...)
	}
	header := func(name, text string) {
		known, ok := m.named.Load(name)
		if !ok {
			known = mask.HeaderNamed(name) || m.fields[strings.ToLower(name)]
			m.named.Store(name, known)
		}
		if known.(bool) || strings.Contains(text, "?") || strings.HasPrefix(text, "eyJ") {
			out = append(out, mask.InHeader(name, text)...)
		}
	}
	for _, f := range x.Request.Header {
		header(f.Name, f.Value)
	}
	if x.Answer == nil {
		return out
	}
	for n, values := range x.Answer.Header {
		for _, v := range values {
			header(n, v)
		}
	}
	if m.declared {
		return out
	}
	return append(out, mask.InBody(x.Answer.Body)...)
}

// exchange is an exchange as it may be shown: without secrets, and without what stands where
// secrets do. Long ones of these are hidden everywhere from then on.
func (m *masker) exchange(x *exchange.Exchange) *exchange.Exchange {
	found := m.secretsOf(x)
	if len(found) == 0 && m.Idle() {
		return x
	}
	own := mask.New()
	for _, f := range found {
		if own.Add(f.Value) && len(f.Value) >= 2*mask.Free && m.kept.Load() < mostKept && !m.Holds(f.Value) {
			m.kept.Add(1)
			m.Add(f.Value)
		}
	}
	text := func(s string) string { return m.text(own.Text(s)) }
	bytes := func(b []byte) []byte {
		if len(b) == 0 {
			return b
		}
		return []byte(text(string(b)))
	}
	field := func(n, v string) string { return text(mask.Credential(n, v, m.fields)) }
	out := *x
	req := *x.Request
	req.Method, req.URL, req.Body = text(req.Method), text(req.URL), bytes(req.Body)
	req.Header = make([]exchange.Field, len(x.Request.Header))
	for i, f := range x.Request.Header {
		req.Header[i] = exchange.Field{Name: text(f.Name), Value: field(f.Name, f.Value)}
	}
	out.Request = &req
	if x.Failure != nil {
		f := *x.Failure
		f.Detail = text(f.Detail)
		out.Failure = &f
	}
	if x.Answer != nil {
		a := *x.Answer
		a.Body, a.From, a.Reason = bytes(a.Body), text(a.From), text(a.Reason)
		a.Header = http.Header{}
		for n, values := range x.Answer.Header {
			for _, v := range values {
				a.Header[text(n)] = append(a.Header[text(n)], field(n, v))
			}
		}
		out.Answer = &a
	}
	return &out
}

// credentials hides, in lines about a header or cookie of an answer that holds
// credentials, what it holds.
func (m *masker) credentials(s *syntax.Subject, replies []*expect.Reply, lines []string) []string {
	own := mask.New()
	for _, r := range replies {
		if r == nil || r.Answer == nil {
			continue
		}
		if s.Kind == "cookie" {
			if v, ok := r.Cookie(s.Name); ok {
				own.Add(v)
			}
		}
		for _, v := range r.Answer.Header.Values(s.Name) {
			if s.Kind == "header" && mask.Credential(s.Name, v, m.fields) != v {
				own.Add(v)
				_, value, _ := strings.Cut(v, "=")
				value, _, _ = strings.Cut(value, ";")
				own.Add(value)
			}
		}
	}
	if m.bare || own.Idle() {
		return lines
	}
	out := make([]string, len(lines))
	for i, l := range lines {
		out[i] = own.Text(l)
	}
	return out
}
