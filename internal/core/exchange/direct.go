package exchange

import (
	"bufio"
	"context"
	"errors"
	"io"
	"math"
	"net"
	"net/http"
	"strings"
	"sync"
	"time"

	"golang.org/x/net/http/httpguts"
)

// direct speaks HTTP/1.1 (RFC 9112) over plain connections. Requests are written and
// answers read by net/http's own code, but by whoever asks: a goroutine for each direction,
// which serves many requests at once on one connection, would cost more than all the rest
// of a step.
type direct struct {
	dial func(ctx context.Context, network, address string) (net.Conn, error)
	// most is how many idle connections are kept for an address.
	most int
	// late is told of bytes that come behind an answer without a body.
	late func(of *Exchange, bytes []byte)

	mu   sync.Mutex
	idle map[string][]*line
	// closing are addresses that have closed a connection after an answer without saying so
	// (RFC 9112 §9.6).
	closing map[string]bool
}

// restsFor is how long a connection may be idle: short, so that a service which closes
// such connections is seldom met in the middle of that.
const restsFor = time.Second

// maxHead bounds the header section of an answer, in bytes.
const maxHead = 1 << 20

// bigBody is the size in bytes above which it is asked first whether a body will be read.
const bigBody = 64 << 10

var (
	errLongHead = errors.New("server response headers exceeded 1 MiB")
	errIdle     = errors.New("server closed idle connection")
	// errBetween is the end of a connection on which something had been answered, with a request
	// under way of which it is not known whether it was taken.
	errBetween = errors.New("closed between requests")
	longAgo    = time.Unix(1, 0)
)

// line is one connection.
type line struct {
	net.Conn
	address string
	in      *bufio.Reader
	out     *bufio.Writer
	// room is how much more may be read.
	room int64
	// reused tells that an answer has come on it; rested, when it was put away.
	reused  bool
	rested  time.Time
	written int64
	// over tells that nothing may be sent on it any more.
	over bool
	// watched is the context whose end breaks off what is under way, unwatch what ends
	// that.
	watched context.Context
	unwatch func() bool
	// bare is the last exchange on it, if its answer had no body.
	bare *Exchange
}

func (l *line) Read(p []byte) (int, error) {
	if l.room <= 0 {
		return 0, errLongHead
	}
	n, err := l.Conn.Read(p[:min(int64(len(p)), l.room)])
	l.room -= int64(n)
	return n, err
}

func (l *line) Write(p []byte) (int, error) {
	n, err := l.Conn.Write(p)
	l.written += int64(n)
	return n, err
}

// speaks tells whether a request can be sent this way; what cannot is the
// transport's: TLS, other protocols, a body that is big or waits for leave, what is not valid.
func speaks(r *http.Request) bool {
	if r.URL.Scheme != "http" || r.ContentLength > bigBody || !httpguts.ValidHeaderFieldName(r.Method) || !httpguts.ValidHostHeader(r.Host) {
		return false
	}
	for name, values := range r.Header {
		if name == "Expect" || name == "Upgrade" || !httpguts.ValidHeaderFieldName(name) {
			return false
		}
		for _, v := range values {
			if !httpguts.ValidHeaderFieldValue(v) {
				return false
			}
		}
	}
	for i := range len(r.URL.Host) {
		if r.URL.Host[i] >= 0x80 {
			return false
		}
	}
	return true
}

// passage is what is known of how a request went.
type passage struct {
	start time.Time
	// connected and first are how long after the start a connection was there, and
	// the first byte of an answer; 0 for not.
	connected, first time.Duration
	fresh            bool
	line             *line
	// cancel ends what the transport has been given to know the deadline.
	cancel context.CancelFunc
}

func (p *passage) since() time.Duration { return time.Since(p.start) + 1 }

// send sends a request until the deadline (the zero time for none) and reads the
// header section of its answer. The body is read from the answer, and then the passage's
// line must be ended.
func (d *direct) send(ctx context.Context, deadline time.Time, r *http.Request, p *passage) (*http.Response, error) {
	address := r.URL.Host
	if r.URL.Port() == "" {
		address = net.JoinHostPort(r.URL.Hostname(), "80")
	}
	for again := false; ; again = true {
		l, err := d.connect(ctx, deadline, address, r.Close || again || !replayable(r) && d.closes(address))
		if err != nil {
			return nil, err
		}
		p.line, p.fresh, p.connected, p.first = l, !l.reused, p.since(), 0
		resp, err := l.ask(ctx, deadline, r, p)
		if err == nil {
			l.bare = nil
			return resp, nil
		}
		nothing, reused, bare := l.written == 0, l.reused, l.bare
		d.end(l, false)
		// What comes where an answer was expected, behind one without a body, is that one's.
		late := reused && bare != nil && p.first > 0 && strings.Contains(err.Error(), "malformed HTTP")
		if late && d.late != nil {
			_, text, _ := strings.Cut(err.Error(), "malformed HTTP ")
			d.late(bare, []byte(text))
		}
		switch {
		case ctx.Err() != nil:
			return nil, ctx.Err()
		case !deadline.IsZero() && !time.Now().Before(deadline):
			return nil, context.DeadlineExceeded
		case !reused || p.first > 0 && !late:
			return nil, err
		}
		// The service had closed the connection after an answer: what is safe is sent once more,
		// and what was not sent at all.
		d.noteClosing(address)
		if !nothing && !replayable(r) || again {
			return nil, errBetween
		}
		if r.GetBody != nil {
			r.Body, _ = r.GetBody()
		} else if r.Body != nil && r.Body != http.NoBody {
			return nil, err
		}
	}
}

// closes tells whether an address has closed connections without saying so.
func (d *direct) closes(address string) bool {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.closing[address]
}

func (d *direct) noteClosing(address string) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.closing == nil {
		d.closing = map[string]bool{}
	}
	d.closing[address] = true
}

// replayable tells whether a request may be sent once more when a connection ended
// before its answer (RFC 9110 §9.2.2, for methods that are safe).
func replayable(r *http.Request) bool {
	switch r.Method {
	case http.MethodGet, http.MethodHead, http.MethodOptions, http.MethodTrace:
		return true
	}
	return false
}

// connect gives an idle connection, or a new one.
func (d *direct) connect(ctx context.Context, deadline time.Time, address string, alone bool) (*line, error) {
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	for !alone {
		l := d.take(address)
		if l == nil {
			break
		}
		still, came := quiet(l.Conn)
		if len(came) > 0 && l.bare != nil && d.late != nil {
			d.late(l.bare, came)
		}
		if still && time.Since(l.rested) < restsFor && l.in.Buffered() == 0 {
			return l, nil
		}
		l.close()
	}
	if !deadline.IsZero() {
		var cancel context.CancelFunc
		ctx, cancel = context.WithDeadline(ctx, deadline)
		defer cancel()
	}
	conn, err := d.dial(ctx, "tcp", address)
	if err != nil {
		return nil, err
	}
	l := &line{Conn: conn, address: address}
	l.in, l.out = bufio.NewReader(l), bufio.NewWriter(l)
	return l, nil
}

func (d *direct) take(address string) *line {
	d.mu.Lock()
	defer d.mu.Unlock()
	list := d.idle[address]
	if len(list) == 0 {
		return nil
	}
	l := list[len(list)-1]
	d.idle[address] = list[:len(list)-1]
	return l
}

// end puts a connection away for the next request, or closes it.
func (d *direct) end(l *line, again bool) {
	if l.watched != nil && l.watched.Err() != nil {
		again = false
	}
	if !again || l.over || l.in.Buffered() > 0 {
		l.close()
		return
	}
	l.reused, l.rested = true, time.Now()
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.idle == nil {
		d.idle = map[string][]*line{}
	}
	if list := d.idle[l.address]; len(list) < d.most {
		d.idle[l.address] = append(list, l)
		return
	}
	l.close()
}

// forget closes all idle connections.
func (d *direct) forget() {
	d.mu.Lock()
	defer d.mu.Unlock()
	for _, list := range d.idle {
		for _, l := range list {
			l.close()
		}
	}
	d.idle = nil
}

// ask writes a request and reads the header section of its answer.
func (l *line) ask(ctx context.Context, deadline time.Time, r *http.Request, p *passage) (*http.Response, error) {
	l.written, l.room = 0, maxHead
	_ = l.SetDeadline(deadline)
	l.watch(ctx)
	// It may have ended just before the deadline was set.
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	var failed error
	if failed = l.write(r); failed != nil {
		if l.written == 0 {
			return nil, failed
		}
		// What was said meanwhile is still waited for, but not for long.
		_ = l.SetReadDeadline(sooner(deadline))
	}
	resp, err := l.answer(r, p)
	if err == nil {
		l.over = resp.Close || resp.StatusCode == http.StatusSwitchingProtocols || r.Close
		return resp, nil
	}
	if failed != nil {
		l.over = true
		return nil, failed
	}
	return nil, err
}

// watch breaks off what is under way when a context ends. It goes on while the
// connection is idle, as the next request comes with the same context most times.
func (l *line) watch(ctx context.Context) {
	if l.watched == ctx {
		return
	}
	if l.unwatch != nil {
		l.unwatch()
	}
	l.watched = ctx
	l.unwatch = context.AfterFunc(ctx, func() { _ = l.SetDeadline(longAgo) })
}

// close ends a connection.
func (l *line) close() {
	if l.unwatch != nil {
		l.unwatch()
	}
	_ = l.Conn.Close()
}

// sooner is a moment to which an answer is waited for when the request could not be
// written.
func sooner(deadline time.Time) time.Time {
	soon := time.Now().Add(50 * time.Millisecond)
	if !deadline.IsZero() && deadline.Before(soon) {
		return deadline
	}
	return soon
}

func (l *line) write(r *http.Request) error {
	if err := r.Write(l.out); err != nil {
		l.out.Reset(l)
		return err
	}
	return l.out.Flush()
}

// answer reads a header section, and those of interim answers before it (RFC 9110
// §15.2).
func (l *line) answer(r *http.Request, p *passage) (*http.Response, error) {
	if _, err := l.in.Peek(1); err != nil {
		if errors.Is(err, io.EOF) && l.reused {
			return nil, errIdle
		}
		return nil, err
	}
	p.first = p.since()
	for {
		resp, err := http.ReadResponse(l.in, r)
		if err != nil {
			if l.room <= 0 {
				return nil, errLongHead
			}
			return nil, err
		}
		if resp.StatusCode/100 == 1 && resp.StatusCode != http.StatusSwitchingProtocols {
			continue
		}
		l.room = math.MaxInt64
		return resp, nil
	}
}

// stray are bytes that have come behind an answer without a body.
func (l *line) stray() []byte {
	rest, _ := l.in.Peek(l.in.Buffered())
	return []byte(strings.Clone(string(rest)))
}
