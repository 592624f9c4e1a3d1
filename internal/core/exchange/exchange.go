// Package exchange sends one request and gives one answer, or one failure
// with a name. It speaks to loopback addresses only, unless a host is allowed,
// and bounds everything a service can make it hold: size, time, redirects,
// expansion.
package exchange

import (
	"net/http"
	"slices"
	"time"
)

// Field is one header line as it is sent.
type Field struct{ Name, Value string }

// Request is what is to be sent.
type Request struct {
	Method string
	// URL is absolute.
	URL    string
	Header []Field
	Body   []byte
	// Length is that of the whole body where Body is only its beginning, as in
	// a record; else 0.
	Length int
	// Timeout bounds the whole exchange, redirects included; 0 for none.
	Timeout time.Duration
	// Follow is how many redirects are followed.
	Follow int
	// Hop is asked before a redirect is followed, with the request that would be sent then; what
	// it says keeps that from being sent. It may be nil.
	Hop func(next *Request) string
	// Private tells of headers, beside the usual ones, that hold credentials and stay with the
	// origin of URL; it may be nil.
	Private func(Field) bool
	// NoBody sends no body at all, not even an empty one.
	NoBody bool
}

// Answer is what came back.
type Answer struct {
	// Proto is HTTP/1.1, HTTP/1.0 or HTTP/2.0.
	Proto  string
	Status int
	// Reason is the phrase the service sent.
	Reason string
	Header http.Header
	// Body is decoded from gzip or deflate when the answer was coded so.
	Body []byte
	// Length is that of the whole body where Body is only its beginning, as in
	// a record; else 0.
	Length int
	// Wire is the length of the body as it travelled, in bytes.
	Wire int
	// Stray counts bytes that came behind the header section of an answer that
	// has no body by its status or method (RFC 9112 §6.3).
	Stray int
	// StrayText is how they begin; not kept in a record.
	StrayText string
	// From is the URL that answered, when redirects were followed.
	From string
}

// Exchange is one request with its answer or failure.
type Exchange struct {
	Request *Request
	// Answer is nil when there is a Failure.
	Answer  *Answer
	Failure *Failure
	Start   time.Time
	Timing  Timing
}

// Timing is where the time of an exchange went.
type Timing struct {
	// Connect is 0 when a connection was used again.
	Connect, Wait, Read, Total time.Duration
}

// Names are the header names of an answer, sorted.
func (a *Answer) Names() []string {
	out := make([]string, 0, len(a.Header))
	for n := range a.Header {
		out = append(out, n)
	}
	slices.Sort(out)
	return out
}

// Phrase is the standard phrase of a status (RFC 9110 §15), or "".
func Phrase(status int) string { return http.StatusText(status) }

// StatusText is a status with its standard phrase.
func (a *Answer) StatusText() string { return StatusText(a.Status) }
