package exchange

import (
	"compress/flate"
	"compress/gzip"
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"io"
	"net"
	"slices"
	"strings"
)

// Kind names why an exchange failed; the set is fixed.
type Kind string

// The kinds of failure.
const (
	Refused      Kind = "connection refused"
	Reset        Kind = "connection reset"
	ClosedEarly  Kind = "closed early"
	Between      Kind = "closed between requests"
	SlowConnect  Kind = "timed out connecting"
	SlowAnswer   Kind = "timed out waiting"
	SlowBody     Kind = "timed out reading"
	NotHTTP      Kind = "not HTTP"
	TooLarge     Kind = "too large"
	BadLength    Kind = "bad length"
	BadChunk     Kind = "bad chunk"
	BadEncoding  Kind = "bad encoding"
	TooManyHops  Kind = "too many redirects"
	HopRefused   Kind = "redirect not followed"
	HostRefused  Kind = "host not allowed"
	UnknownHost  Kind = "unknown host"
	TLS          Kind = "TLS"
	BadRequest   Kind = "cannot be sent"
	Unsent       Kind = "not sent"
	Interrupted  Kind = "interrupted"
	OtherFailure Kind = "failed"
)

// Failure is why there is no answer.
type Failure struct {
	Kind Kind
	// Detail says more, in one line; may be empty.
	Detail string
}

func (f *Failure) Error() string {
	if f.Detail == "" {
		return string(f.Kind)
	}
	return string(f.Kind) + ": " + f.Detail
}

// Look says where to look first.
func (f *Failure) Look() string {
	switch f.Kind {
	case Refused:
		return "nothing listens there: is the service running, and is this its port?"
	case Reset:
		return "the service broke the connection: look at its log for a crash or a limit"
	case ClosedEarly:
		return "the service closed the connection before its answer was whole: a handler that panics or exits does this"
	case Between:
		return "the service closed a connection that it had answered on, without saying so (RFC 9112 §9.6); whether it did this is not known"
	case SlowConnect:
		return "the address accepts no connections: wrong port, or the service has stopped accepting"
	case SlowAnswer:
		return "the service took the request and never answered: a handler that never returns, or a lock; `timeout` or --timeout allows more time"
	case SlowBody:
		return "the answer began and stopped in the middle; `timeout` or --timeout allows more time"
	case NotHTTP:
		return "something other than an HTTP service listens there, or it speaks TLS: try https://"
	case TooLarge:
		if strings.Contains(f.Detail, "header section") {
			return "no header section should be that long: look for one that is set again and again"
		}
		return "the answer is longer than the limit; --max-body raises it"
	case BadLength:
		return "Content-Length and the body disagree (RFC 9112 §6.3)"
	case BadChunk:
		return "the chunked coding of the body is broken (RFC 9112 §7.1)"
	case BadEncoding:
		return "the body is not what Content-Encoding says (RFC 9110 §8.4)"
	case TooManyHops:
		return "the service redirects further than `follow` allows, or in a circle"
	case HopRefused:
		return "a redirect of a write is followed only to where the write itself might be sent"
	case HostRefused:
		return "only loopback addresses are allowed; --allow-host HOST, or `allow` in an environment, permits another"
	case UnknownHost:
		return "no address is known for this name: is it spelled right?"
	case TLS:
		switch {
		case strings.Contains(f.Detail, "unknown authority"):
			return "this machine does not know the authority that signed the certificate; set SSL_CERT_FILE to a file with that authority's own certificate"
		case strings.Contains(f.Detail, "plain HTTP"):
			return "write http:// in place of https://"
		}
		return "the certificate or the handshake was refused: does the service speak TLS there, with a certificate for this name?"
	}
	return ""
}

// phase is how far an exchange had come.
type phase int

const (
	connecting phase = iota
	waiting
	reading
)

func classify(err error, at phase) *Failure {
	var dns *net.DNSError
	var host *hostError
	var unknown x509.UnknownAuthorityError
	var hostname x509.HostnameError
	var invalid x509.CertificateInvalidError
	var record tls.RecordHeaderError
	var verification *tls.CertificateVerificationError
	var corrupt flate.CorruptInputError
	text := err.Error()
	switch {
	case errors.As(err, &host):
		return &Failure{HostRefused, host.host + " is not a loopback address"}
	case errors.Is(err, errBetween):
		return &Failure{Between, ""}
	case errors.Is(err, context.Canceled):
		return &Failure{Interrupted, ""}
	case errors.Is(err, context.DeadlineExceeded), isTimeout(err):
		return &Failure{[]Kind{SlowConnect, SlowAnswer, SlowBody}[at], ""}
	case errors.As(err, &dns):
		return &Failure{UnknownHost, dns.Name}
	case isOne(err, connRefused):
		return &Failure{Refused, address(err)}
	case errors.As(err, &unknown), errors.As(err, &hostname), errors.As(err, &invalid), errors.As(err, &verification):
		return &Failure{TLS, lastPart(text)}
	case errors.As(err, &record), strings.Contains(text, "server gave HTTP response to HTTPS client"):
		return &Failure{TLS, "the service speaks plain HTTP there"}
	case strings.HasPrefix(text, "tls:"), strings.Contains(text, "remote error: tls"):
		return &Failure{TLS, lastPart(text)}
	case errors.Is(err, gzip.ErrHeader), errors.Is(err, gzip.ErrChecksum), errors.As(err, &corrupt), errors.Is(err, errEncoding):
		return &Failure{BadEncoding, lastPart(text)}
	case strings.Contains(text, "malformed chunked encoding"), strings.Contains(text, "invalid byte in chunk length"),
		strings.Contains(text, "chunk"):
		return &Failure{BadChunk, lastPart(text)}
	case strings.Contains(text, "Content-Length"), strings.Contains(text, "transfer encoding"):
		return &Failure{BadLength, lastPart(text)}
	case strings.Contains(text, "malformed"), strings.Contains(text, "unsupported protocol"):
		return &Failure{NotHTTP, lastPart(text)}
	case strings.Contains(text, "server response headers exceeded"):
		return &Failure{TooLarge, "the header section is longer than 1 MiB"}
	case isOne(err, connReset):
		return &Failure{Reset, ""}
	case errors.Is(err, io.ErrUnexpectedEOF) && at == reading:
		return &Failure{ClosedEarly, "in the middle of the body"}
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF), strings.Contains(text, "server closed idle connection"):
		return &Failure{ClosedEarly, "before an answer"}
	case strings.Contains(text, "invalid header field"), strings.Contains(text, "invalid method"), strings.Contains(text, "net/http: invalid"):
		return &Failure{BadRequest, lastPart(text)}
	}
	return &Failure{OtherFailure, lastPart(text)}
}

func isTimeout(err error) bool {
	var t net.Error
	return errors.As(err, &t) && t.Timeout()
}

func address(err error) string {
	var op *net.OpError
	if errors.As(err, &op) && op.Addr != nil {
		return op.Addr.String()
	}
	return ""
}

// lastPart drops the wrappers in front of an error's own text.
func lastPart(text string) string {
	for _, prefix := range []string{"net/http: ", "http: ", "HTTP/1.x transport connection broken: "} {
		if i := strings.LastIndex(text, prefix); i >= 0 {
			text = text[i+len(prefix):]
		}
	}
	return text
}

type hostError struct{ host string }

func (h *hostError) Error() string { return fmt.Sprintf("host %s is not allowed", h.host) }

var errEncoding = errors.New("unknown coding")

func isOne(err error, list []error) bool {
	return slices.ContainsFunc(list, func(one error) bool { return errors.Is(err, one) })
}
