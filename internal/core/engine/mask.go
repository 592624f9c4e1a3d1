package engine

import (
	"cmp"
	"encoding/base64"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/value"
)

// Hidden stands for a secret wherever it would be shown.
const Hidden = "•••"

// shortest is the shortest text that is hidden: one or two characters would
// tear holes into everything.
const shortest = 3

// masker replaces secrets in all that leaves the engine, in plain and in the
// encodings in which they travel.
type masker struct {
	mu       sync.RWMutex
	secrets  map[string]bool
	replacer *strings.Replacer
}

func newMasker() *masker { return &masker{secrets: map[string]bool{}} }

// add makes a text a secret.
func (m *masker) add(secret string) {
	if len(secret) < shortest {
		return
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.secrets[secret] {
		return
	}
	m.secrets[secret] = true
	forms := map[string]bool{}
	for s := range m.secrets {
		for _, f := range encodings(s) {
			forms[f] = true
		}
	}
	var list []string
	for f := range forms {
		list = append(list, f)
	}
	// Longer ones first, so that no part of one stays behind.
	slices.SortFunc(list, func(a, b string) int { return cmp.Or(len(b)-len(a), strings.Compare(a, b)) })
	var pairs []string
	for _, f := range list {
		pairs = append(pairs, f, Hidden)
	}
	m.replacer = strings.NewReplacer(pairs...)
}

// encodings are the forms in which a secret may be met.
func encodings(s string) []string {
	out := []string{s, url.QueryEscape(s), url.PathEscape(s), strings.ReplaceAll(url.QueryEscape(s), "+", "%20"),
		strings.Trim(value.Quoted(s), `"`), strings.ReplaceAll(strings.Trim(value.Quoted(s), `"`), "/", `\/`)}
	for _, enc := range []*base64.Encoding{base64.RawStdEncoding, base64.RawURLEncoding} {
		// Inside a longer text a secret starts at one of three places of a group.
		for offset := range 3 {
			coded := enc.EncodeToString([]byte(strings.Repeat("\x00", offset) + s))
			from := []int{0, 2, 3}[offset]
			to := len(coded)
			if (offset+len(s))%3 != 0 {
				to--
			}
			if to-from >= 6 {
				out = append(out, coded[from:to])
			}
		}
	}
	return out
}

func (m *masker) text(s string) string {
	m.mu.RLock()
	defer m.mu.RUnlock()
	if m.replacer == nil || s == "" {
		return s
	}
	return m.replacer.Replace(s)
}

func (m *masker) idle() bool {
	m.mu.RLock()
	defer m.mu.RUnlock()
	return m.replacer == nil
}

// step hides secrets in a step's event. The exchanges are copied, since later
// steps still need them as they are.
func (m *masker) step(e *event.StepFinished) {
	if m.idle() {
		return
	}
	e.Title, e.Why = m.text(e.Title), m.text(e.Why)
	for i := range e.Findings {
		f := &e.Findings[i]
		f.Expected, f.Because, f.Look = m.text(f.Expected), m.text(f.Because), m.text(f.Look)
		for j := range f.Observed {
			f.Observed[j] = m.text(f.Observed[j])
		}
	}
	for i := range e.Sent {
		e.Sent[i].Exchange = m.exchange(e.Sent[i].Exchange)
	}
}

func (m *masker) exchange(x *exchange.Exchange) *exchange.Exchange {
	out := *x
	req := *x.Request
	req.URL = m.text(req.URL)
	req.Body = m.bytes(req.Body)
	req.Header = make([]exchange.Field, len(x.Request.Header))
	for i, f := range x.Request.Header {
		req.Header[i] = exchange.Field{Name: f.Name, Value: m.text(f.Value)}
	}
	out.Request = &req
	if x.Failure != nil {
		f := *x.Failure
		f.Detail = m.text(f.Detail)
		out.Failure = &f
	}
	if x.Answer != nil {
		a := *x.Answer
		a.Body, a.From, a.Reason = m.bytes(a.Body), m.text(a.From), m.text(a.Reason)
		a.Header = http.Header{}
		for n, values := range x.Answer.Header {
			for _, v := range values {
				a.Header[n] = append(a.Header[n], m.text(v))
			}
		}
		out.Answer = &a
	}
	return &out
}

func (m *masker) bytes(b []byte) []byte {
	if len(b) == 0 {
		return b
	}
	return []byte(m.text(string(b)))
}
