package exchange

import (
	"bytes"
	"compress/flate"
	"compress/gzip"
	"compress/zlib"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptrace"
	"net/url"
	"slices"
	"strings"
	"sync/atomic"
	"syscall"
	"time"

	"usualpath/internal/core/mask"
)

// defaultMaxBody is the longest body taken, in bytes, unless set otherwise.
const defaultMaxBody = 16 << 20

// Options set up a Client.
type Options struct {
	// Allow are host names and addresses that may be spoken to beside loopback,
	// with or without a port.
	Allow []string
	// MaxBody bounds a body in bytes, before and after decoding; 0 means
	// DefaultMaxBody.
	MaxBody int64
	// Agent is the User-Agent that is sent when a request names none.
	Agent string
	// Unsent keeps every request from being sent; each ends in a failure that says
	// so.
	Unsent bool
	// Connections is how many idle connections are kept for a host; default 16.
	Connections int
	// Late is told of bytes that came behind an answer without a body once the connection was
	// idle, with that exchange (RFC 9112 §6.3); nil for nobody.
	Late func(of *Exchange, bytes []byte)
}

// Client sends requests. It is safe for several at once.
type Client struct {
	direct    *direct
	transport *http.Transport
	options   Options
}

// NewClient makes a client with connections of its own.
func NewClient(o Options) *Client {
	if o.MaxBody == 0 {
		o.MaxBody = defaultMaxBody
	}
	if o.Connections == 0 {
		o.Connections = 16
	}
	c := &Client{options: o}
	c.transport = &http.Transport{
		// No proxy: what is tested is the service itself.
		Proxy:                  nil,
		DialContext:            c.dial,
		DisableCompression:     true,
		MaxIdleConnsPerHost:    o.Connections,
		IdleConnTimeout:        restsFor,
		MaxResponseHeaderBytes: maxHead,
		TLSClientConfig:        &tls.Config{MinVersion: tls.VersionTLS12},
		ForceAttemptHTTP2:      true,
		ExpectContinueTimeout:  time.Second,
	}
	c.direct = &direct{dial: c.dial, most: o.Connections, late: o.Late}
	return c
}

// Close ends the idle connections.
func (c *Client) Close() { c.Forget() }

// Forget drops idle connections, after a service was restarted.
func (c *Client) Forget() {
	c.direct.forget()
	c.transport.CloseIdleConnections()
}

func (c *Client) allowed(host, port string) bool {
	for _, a := range c.options.Allow {
		if a == host || a == net.JoinHostPort(host, port) {
			return true
		}
	}
	return false
}

// Loopback tells whether a host names this machine itself.
func Loopback(host string) bool {
	host = plainHost(host)
	if host == "localhost" || strings.HasSuffix(host, ".localhost") {
		return true
	}
	ip := net.ParseIP(strings.Trim(host, "[]"))
	return ip != nil && ip.IsLoopback()
}

// plainHost is a host name in lower case and without the dot of a full name.
func plainHost(host string) string { return strings.TrimSuffix(strings.ToLower(host), ".") }

func (c *Client) dial(ctx context.Context, network, address string) (net.Conn, error) {
	host, port, err := net.SplitHostPort(address)
	if err != nil {
		return nil, err
	}
	if Loopback(host) {
		host = plainHost(host)
		address = net.JoinHostPort(host, port)
	}
	d, err := c.dialer(host, port)
	if err != nil {
		return nil, err
	}
	if d.Control != nil && strings.HasSuffix(host, ".localhost") {
		address = net.JoinHostPort("localhost", port)
	}
	return d.DialContext(ctx, network, address)
}

// dialer is what opens connections to a host: to one that was not allowed only if it is this
// machine, by its name and again by what that is resolved to.
func (c *Client) dialer(host, port string) (*net.Dialer, error) {
	switch {
	case c.allowed(host, port):
		return &net.Dialer{}, nil
	case !Loopback(host):
		return nil, &hostError{host}
	}
	return &net.Dialer{Control: func(_, resolved string, _ syscall.RawConn) error {
		h, _, _ := net.SplitHostPort(resolved)
		if ip := net.ParseIP(h); ip == nil || !ip.IsLoopback() {
			return &hostError{h}
		}
		return nil
	}}, nil
}

// Do sends a request and reads the whole answer. It always gives an Exchange
// with either Answer or Failure.
func (c *Client) Do(ctx context.Context, r *Request) *Exchange {
	e := &Exchange{Request: r, Start: time.Now()}
	if c.options.Unsent {
		if _, e.Failure = c.build(r); e.Failure == nil {
			e.Failure = &Failure{Unsent, ""}
		}
		return e
	}
	var deadline time.Time
	if r.Timeout > 0 {
		deadline = e.Start.Add(r.Timeout)
	}
	at := *r
	for hop := 0; ; hop++ {
		e.Answer, e.Failure = c.once(ctx, deadline, &at, e)
		if e.Failure != nil || r.Follow == 0 || !redirects(e.Answer.Status) {
			break
		}
		location := e.Answer.Header.Get("Location")
		if location == "" {
			break
		}
		if hop == r.Follow {
			e.Failure = &Failure{TooManyHops, fmt.Sprintf("more than %d, the last to %s", r.Follow, location)}
			e.Answer = nil
			break
		}
		if !at.redirect(location, e.Answer.Status) {
			break
		}
		if r.Hop != nil {
			if why := r.Hop(&at); why != "" {
				e.Failure, e.Answer = &Failure{HopRefused, why}, nil
				break
			}
		}
	}
	if e.Answer != nil && at.URL != r.URL {
		e.Answer.From = at.URL
	}
	e.Timing.Total = time.Since(e.Start)
	return e
}

func redirects(status int) bool {
	switch status {
	case 301, 302, 303, 307, 308:
		return true
	}
	return false
}

// redirect turns a request into the one that follows (RFC 9110 §15.4).
func (r *Request) redirect(location string, status int) bool {
	base, err := url.Parse(r.URL)
	if err != nil {
		return false
	}
	next, err := base.Parse(location)
	if err != nil {
		return false
	}
	if origin(next) != origin(base) {
		// Credentials stay with the origin they were meant for (RFC 9110 §4.3.1).
		r.Header = slices.DeleteFunc(slices.Clone(r.Header), func(f Field) bool {
			return strings.EqualFold(f.Name, "Host") || mask.Credential(f.Name, f.Value, nil) != f.Value || r.Private != nil && r.Private(f)
		})
	}
	r.URL = next.String()
	if status == 303 && r.Method != "HEAD" || (status == 301 || status == 302) && r.Method == "POST" {
		r.Method, r.Body, r.NoBody = "GET", nil, true
		var kept []Field
		for _, f := range r.Header {
			if !strings.HasPrefix(strings.ToLower(f.Name), "content-") {
				kept = append(kept, f)
			}
		}
		r.Header = kept
	}
	return true
}

// origin is the scheme, host and port of a URL (RFC 9110 §4.3.1).
func origin(u *url.URL) string {
	port := u.Port()
	if port == "" {
		port = map[string]string{"http": "80", "https": "443"}[strings.ToLower(u.Scheme)]
	}
	return strings.ToLower(u.Scheme) + "://" + net.JoinHostPort(plainHost(u.Hostname()), port)
}

func (c *Client) once(ctx context.Context, deadline time.Time, r *Request, e *Exchange) (*Answer, *Failure) {
	req, failure := c.build(r)
	if failure != nil {
		return nil, failure
	}
	p := passage{start: time.Now(), cancel: func() {}}
	defer func() { p.cancel() }()
	var resp *http.Response
	var err error
	// A service that refuses a big body early may break off while it is sent, and its answer is
	// lost: asked first, it can say no (RFC 9110 §10.1.1).
	asks := len(r.Body) > bigBody && req.Header.Get("Expect") == ""
	if asks {
		req.Header.Set("Expect", "100-continue")
	}
	if speaks(req) {
		// Services that send a body after HEAD all the same would spoil what comes next
		// on the connection.
		req.Close = req.Close || r.Method == http.MethodHead
		resp, err = c.direct.send(ctx, deadline, req, &p)
	} else {
		resp, err = c.travel(ctx, deadline, req, &p)
	}
	if asks && err == nil && resp.StatusCode == http.StatusExpectationFailed {
		// It does not know the expectation: without it, once more (RFC 9110 §15.5.18).
		_ = resp.Body.Close()
		p.cancel()
		if req, failure = c.build(r); failure != nil {
			return nil, failure
		}
		resp, err = c.travel(ctx, deadline, req, &p)
	}
	if err != nil {
		at := connecting
		if p.connected > 0 {
			at = waiting
		}
		return nil, classify(err, at)
	}
	if p.fresh {
		e.Timing.Connect += p.connected
	}
	e.Timing.Wait += max(0, p.first-p.connected)
	a := &Answer{Proto: resp.Proto, Status: resp.StatusCode, Header: resp.Header}
	_, a.Reason, _ = strings.Cut(resp.Status, " ")
	body, failure := c.read(resp)
	e.Timing.Read += max(0, p.since()-p.first)
	if p.line != nil {
		if noBody(r.Method, a.Status) {
			extra := p.line.stray()
			a.Stray, a.StrayText = len(extra), string(extra[:min(len(extra), 60)])
			p.line.bare = e
		}
		c.direct.end(p.line, failure == nil && !unread(r, a.Status))
	} else if unread(r, a.Status) {
		c.transport.CloseIdleConnections()
	}
	if failure != nil {
		if ctx.Err() != nil {
			failure = classify(ctx.Err(), reading)
		}
		return nil, failure
	}
	a.Wire = len(body)
	a.Body, failure = c.decode(resp.Header.Get("Content-Encoding"), body)
	if failure != nil {
		return nil, failure
	}
	return a, nil
}

// unread tells of a refusal that a service may give before it has read the body: it
// would take the rest of it for the next request (RFC 9112 §9.3), which is not the
// next one's fault. 409 and 422 speak of what the body says, so it was read.
func unread(r *Request, status int) bool {
	return status >= 400 && status != 409 && status != 422 && len(r.Body) > 0
}

// travel sends a request with the transport, for what is not spoken directly.
func (c *Client) travel(ctx context.Context, deadline time.Time, r *http.Request, p *passage) (*http.Response, error) {
	if !deadline.IsZero() {
		ctx, p.cancel = context.WithDeadline(ctx, deadline)
	}
	// They are written by the transport's goroutines.
	var connected, first atomic.Int64
	var fresh atomic.Bool
	resp, err := c.transport.RoundTrip(r.WithContext(httptrace.WithClientTrace(ctx, &httptrace.ClientTrace{
		GotConn: func(i httptrace.GotConnInfo) {
			fresh.Store(!i.Reused)
			connected.Store(int64(p.since()))
		},
		GotFirstResponseByte: func() { first.Store(int64(p.since())) },
	})))
	p.connected, p.first, p.fresh = time.Duration(connected.Load()), time.Duration(first.Load()), fresh.Load()
	return resp, err
}

func (c *Client) build(r *Request) (*http.Request, *Failure) {
	u, err := url.Parse(r.URL)
	var escape url.EscapeError
	if errors.As(err, &escape) && (r.Method == http.MethodGet || r.Method == http.MethodHead) {
		// What a read asks for may be no valid path: that is for the service to refuse.
		u, err = asWritten(r.URL)
	}
	if err != nil {
		return nil, &Failure{BadRequest, "the URL is not valid: " + lastPart(err.Error())}
	}
	if u.Scheme != "http" && u.Scheme != "https" || u.Host == "" {
		return nil, &Failure{BadRequest, "the URL needs http:// or https:// and a host: " + r.URL}
	}
	if u.User != nil {
		return nil, &Failure{BadRequest, "a user and password in the URL are not sent: write `auth basic USER PASSWORD`, with a secret from the environment"}
	}
	if r.Method == "CONNECT" {
		return nil, &Failure{BadRequest, "CONNECT asks a proxy for a tunnel and has no answer to check"}
	}
	if r.Method == "OPTIONS" && u.Path == "/*" {
		// The service as a whole (RFC 9110 §9.3.7).
		u.Path, u.RawPath = "*", ""
	}
	req := &http.Request{Method: r.Method, URL: u, Host: u.Host, Proto: "HTTP/1.1", ProtoMajor: 1, ProtoMinor: 1,
		Header: make(http.Header, len(r.Header)+1)}
	replayable := true
	for _, f := range r.Header {
		switch key := http.CanonicalHeaderKey(f.Name); key {
		case "Host":
			req.Host = f.Value
		case "Idempotency-Key", "X-Idempotency-Key":
			// The transport would take this header for leave to send twice.
			replayable = false
			req.Header[key] = append(req.Header[key], f.Value)
		case "Connection":
			req.Close = strings.EqualFold(f.Value, "close")
		default:
			req.Header[key] = append(req.Header[key], f.Value)
		}
	}
	if req.Header["User-Agent"] == nil {
		req.Header["User-Agent"] = []string{c.options.Agent}
	}
	if !r.NoBody && (len(r.Body) > 0 || r.Body != nil) {
		body := r.Body
		req.Body = io.NopCloser(bytes.NewReader(body))
		req.ContentLength = int64(len(body))
		if replayable {
			req.GetBody = func() (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(body)), nil }
		}
		if len(body) == 0 {
			req.Body = http.NoBody
		}
	}
	return req, nil
}

// asWritten is a URL whose path is sent as it is written.
func asWritten(text string) (*url.URL, error) {
	scheme, rest, _ := strings.Cut(text, "://")
	host, path, _ := strings.Cut(rest, "/")
	u, err := url.Parse(scheme + "://" + host)
	if err == nil {
		u.Opaque = "/" + path
	}
	return u, err
}

func (c *Client) read(resp *http.Response) ([]byte, *Failure) {
	defer resp.Body.Close()
	if resp.StatusCode == http.StatusSwitchingProtocols {
		// Its body is the connection itself, which nobody has asked for.
		return nil, nil
	}
	limit := c.options.MaxBody
	if resp.ContentLength > limit {
		return nil, &Failure{TooLarge, fmt.Sprintf("Content-Length is %d bytes, the limit %d", resp.ContentLength, limit)}
	}
	if n := resp.ContentLength; n > 0 && n <= limit && resp.Body != http.NoBody {
		body := make([]byte, n)
		if got, err := io.ReadFull(resp.Body, body); err != nil {
			return nil, cutShort(err, got, n)
		}
		return body, nil
	}
	body, err := io.ReadAll(io.LimitReader(resp.Body, limit+1))
	if err != nil {
		return nil, cutShort(err, len(body), resp.ContentLength)
	}
	if int64(len(body)) > limit {
		return nil, &Failure{TooLarge, fmt.Sprintf("the body is longer than the limit of %d bytes", limit)}
	}
	return body, nil
}

// cutShort tells why only some bytes of a body came; promised is -1 where
// Content-Length said nothing.
func cutShort(err error, got int, promised int64) *Failure {
	if promised >= 0 && strings.Contains(err.Error(), "unexpected EOF") {
		return &Failure{ClosedEarly, fmt.Sprintf("after %d of the %d bytes that Content-Length promised", got, promised)}
	}
	return classify(err, reading)
}

// mostCodings bounds how many codings of a body are undone, one after the other.
const mostCodings = 3

// decode undoes the codings of RFC 9110 §8.4.1 that we know.
func (c *Client) decode(coding string, body []byte) ([]byte, *Failure) {
	if coding == "" || len(body) == 0 {
		return body, nil
	}
	codings := strings.Split(coding, ",")
	if len(codings) > mostCodings {
		return nil, &Failure{BadEncoding, fmt.Sprintf("Content-Encoding names %d codings, and at most %d are undone", len(codings), mostCodings)}
	}
	for i := len(codings) - 1; i >= 0; i-- {
		var r io.Reader
		var err error
		switch name := strings.ToLower(strings.TrimSpace(codings[i])); name {
		case "identity", "":
			continue
		case "gzip", "x-gzip":
			r, err = gzip.NewReader(bytes.NewReader(body))
		case "deflate":
			// RFC 9110 means the zlib format; some services send bare deflate.
			if r, err = zlib.NewReader(bytes.NewReader(body)); err != nil {
				r, err = flate.NewReader(bytes.NewReader(body)), nil
			}
		default:
			return nil, &Failure{BadEncoding, "Content-Encoding " + name + " cannot be decoded; ask for another with Accept-Encoding"}
		}
		if err == nil {
			body, err = io.ReadAll(io.LimitReader(r, c.options.MaxBody+1))
		}
		if err != nil {
			return nil, &Failure{BadEncoding, lastPart(err.Error())}
		}
		if int64(len(body)) > c.options.MaxBody {
			return nil, &Failure{TooLarge, fmt.Sprintf("the body is longer than the limit of %d bytes once it is decoded", c.options.MaxBody)}
		}
	}
	return body, nil
}
