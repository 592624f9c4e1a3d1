package traffic

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
)

// Choice is which calls of a recording are taken.
type Choice struct {
	// Base is the origin of the service, with a path that calls are below; "" for the
	// origin that most calls went to.
	Base string
	// Paths are beginnings of paths; none for all.
	Paths []string
}

// kinds that are not calls of a program: what makes up a page, and what the browser sends by
// itself.
var pageKinds = []string{"document", "stylesheet", "script", "image", "font", "media", "manifest", "texttrack", "ping", "preflight", "websocket", "eventsource", "csp_report", "beacon"}

// asset tells of what makes up a page: by what the browser says, else by its type.
func (c *Call) asset() bool {
	if slices.Contains(pageKinds, c.Kind) {
		return true
	}
	if c.Kind == "xhr" || c.Kind == "fetch" || c.Method() != http.MethodGet && c.Method() != http.MethodHead {
		return false
	}
	a := c.Exchange.Answer
	if a == nil {
		return false
	}
	media := exchange.MediaType(a.Header.Get("Content-Type"))
	kind, _, _ := strings.Cut(media, "/")
	return slices.Contains([]string{"image", "font", "audio", "video"}, kind) || slices.Contains([]string{"text/html", "text/css", "application/wasm", "application/manifest+json"}, media) || strings.HasSuffix(media, "javascript")
}

// preflight tells of a request that a browser sends to ask whether another may be sent.
func (c *Call) preflight() bool {
	return c.Method() == http.MethodOptions && c.header("Access-Control-Request-Method") != ""
}

// origin is scheme and host of a URL.
func origin(raw string) string {
	u, err := url.Parse(raw)
	if err != nil {
		return ""
	}
	return u.Scheme + "://" + u.Host
}

// target is the path and the query of a URL below a base.
func target(raw, base string) string {
	rest := strings.TrimPrefix(raw, strings.TrimSuffix(base, "/"))
	if !strings.HasPrefix(rest, "/") {
		return "/" + rest
	}
	return rest
}

// mostCalls bounds how many calls become one scenario.
const mostCalls = 1_000

// Choose gives the base URL of the service and the calls of it, in order; what is left out is
// counted in notes. It is an error when nothing is left.
func (r *Recording) Choose(o Choice) (base string, calls []*Call, notes []string, err error) {
	notes = slices.Clone(r.Notes)
	left := map[string]int{}
	var some []*Call
	counts := map[string]int{}
	for _, c := range r.Calls {
		switch {
		case c.preflight():
			left["preflight request"]++
		case c.asset():
			left["part of a page"]++
		case c.Status() == 0:
			left["request without an answer"]++
		case c.Status() == http.StatusSwitchingProtocols:
			left["connection of another protocol"]++
		default:
			some = append(some, c)
			counts[origin(c.URL())]++
		}
	}
	base = strings.TrimSuffix(o.Base, "/")
	if base == "" {
		for _, c := range some {
			if at := origin(c.URL()); counts[at] > counts[base] {
				base = at
			}
		}
	}
	within := func(raw, below string) bool {
		rest, is := strings.CutPrefix(raw, below)
		return is && (rest == "" || strings.ContainsRune("/?", rune(rest[0])) || strings.HasSuffix(below, "/"))
	}
	for _, c := range some {
		if len(calls) > mostCalls {
			return "", nil, nil, fmt.Errorf("it has more than %d requests of %s, and a scenario is for people to read: choose some with --path", mostCalls, base)
		}
		path := target(c.URL(), base)
		switch {
		case !within(c.URL(), base):
			left["request to another host"]++
		case len(o.Paths) > 0 && !slices.ContainsFunc(o.Paths, func(p string) bool { return within(path, p) }):
			left["request to another path"]++
		case repeated(calls, c):
			left["repeat that was answered the same"]++
		case len(calls) > 0 && asksAgain(calls[len(calls)-1], c):
			// It was waited for: what came in the end is what was meant.
			before := calls[len(calls)-1]
			c.Polled = before.Polled + max(c.At.Sub(before.At), time.Millisecond)
			calls[len(calls)-1] = c
			left["answer that was not waited for any longer"]++
		default:
			calls = append(calls, c)
		}
	}
	for _, what := range reasons {
		switch n := left[what[0]]; {
		case n == 1:
			notes = append(notes, "Left out: 1 "+what[0]+".")
		case n > 1:
			notes = append(notes, fmt.Sprintf("Left out: %d %s.", n, what[1]))
		}
	}
	if len(calls) == 0 {
		if len(r.Calls) == 0 {
			return "", nil, notes, fmt.Errorf("there are no requests in it that can be read")
		}
		return "", nil, notes, fmt.Errorf("of %s none is a call of a service", event.Count(len(r.Calls), "request"))
	}
	return base, calls, notes, nil
}

// reasons are why calls are left out, of one and of several.
var reasons = [][2]string{{"part of a page", "parts of pages"}, {"preflight request", "preflight requests"}, {"request to another host", "requests to other hosts"}, {"request to another path", "requests to other paths"},
	{"repeat that was answered the same", "repeats that were answered the same"},
	{"answer that was not waited for any longer", "answers that came before the one that was waited for"}, {"request without an answer", "requests without an answer"}, {"connection of another protocol", "connections of other protocols"}}

// asksAgain tells whether a call asks what the one right before it did.
func asksAgain(before, c *Call) bool {
	return c.Method() == http.MethodGet && before.Method() == c.Method() && before.URL() == c.URL() && c.Status() != http.StatusNotModified
}

// repeated tells whether a call asks what was asked before, with the same answer, and nothing
// was sent meanwhile that may change it.
func repeated(before []*Call, c *Call) bool {
	if c.Method() != http.MethodGet && c.Method() != http.MethodHead {
		return false
	}
	for _, b := range slices.Backward(before) {
		if b.Method() != http.MethodGet && b.Method() != http.MethodHead && b.Method() != http.MethodOptions {
			return false
		}
		if b.Method() == c.Method() && b.URL() == c.URL() {
			return b.Status() == c.Status() && string(b.Exchange.Answer.Body) == string(c.Exchange.Answer.Body) || c.Status() == http.StatusNotModified
		}
	}
	return false
}
