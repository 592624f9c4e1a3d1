// Package expect holds answers against expectations: it decides whether a
// claim holds, and says in a tester's words what was found instead.
package expect

import (
	"net/http"
	"strings"
	"sync"

	"github.com/antchfx/xmlquery"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/value"
)

// Reply is an exchange whose body is decoded once, when it is first needed.
type Reply struct {
	*exchange.Exchange
	// Reading says which bodies are read as if they were JSON.
	Reading Reading
	once    sync.Once
	value   *value.Value
	err     error
}

// NewReply wraps an exchange.
func NewReply(x *exchange.Exchange) *Reply { return &Reply{Exchange: x} }

// JSON is the body as exact JSON, or why it is none.
func (r *Reply) JSON() (*value.Value, error) {
	r.once.Do(func() {
		if !r.Reading.takes(r.Answer) {
			r.value, r.err = value.Decode(string(r.Answer.Body), value.Limits{Bytes: 1 << 31})
			return
		}
		r.value, r.err = r.Reading.Value(r.Answer)
	})
	return r.value, r.err
}

// Lenient is the body as JSON where strict reading is not the point: what many
// services send and RFC 8259 advises against is taken too.
func (r *Reply) Lenient() (*value.Value, error) {
	if v, err := r.JSON(); err == nil || r.Reading.takes(r.Answer) {
		return v, err
	}
	return value.Decode(string(r.Answer.Body), value.Limits{Bytes: 1 << 31, Lenient: true})
}

// Text is the body as characters.
func (r *Reply) Text() string {
	text, _ := r.Answer.Text()
	return text
}

// Cookie is the value of a cookie that the answer sets (RFC 6265 §4.1).
func (r *Reply) Cookie(name string) (string, bool) {
	for _, line := range r.Answer.Header["Set-Cookie"] {
		if c, err := http.ParseSetCookie(line); err == nil && c.Name == name {
			return c.Value, true
		}
	}
	return "", false
}

// Header is the value of a field, its lines joined as RFC 9110 §5.3 allows.
func (r *Reply) Header(name string) (string, bool) {
	lines, ok := r.Answer.Header[http.CanonicalHeaderKey(name)]
	return strings.Join(lines, ", "), ok
}

func (r *Reply) xml() (*xmlquery.Node, error) {
	return xmlquery.Parse(strings.NewReader(string(r.Answer.Body)))
}
