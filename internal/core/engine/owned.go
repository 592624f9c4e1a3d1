package engine

import (
	"net/url"
	"path"
	"slices"
	"strings"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// owned is what a scenario has made, as far as it is certain: what it asked
// for, what was not listed before, and what shows, when it is read, a value that
// this scenario has drawn.
type owned struct {
	// paths and names are of what a create of this scenario says it has made;
	// true where its body held nothing that tells it from others.
	paths, names map[string]bool
	// gone are exact paths that were read as not there, shown those that were read
	// and are of this scenario: names that differ in case may be two.
	gone, shown map[string]bool
}

func newOwned() owned {
	return owned{map[string]bool{}, map[string]bool{}, map[string]bool{}, map[string]bool{}}
}

// named tells whether a create names what is at a path, and whether nothing
// tells that from others.
func (o *owned) named(at string) (named, plain bool) {
	if plain, named = o.paths[at]; named {
		return named, plain
	}
	id := path.Base(at)
	for _, n := range []string{id, strings.TrimSuffix(id, path.Ext(id))} {
		if plain, named = o.names[n]; named {
			return named, plain
		}
	}
	return false, false
}

// strict tells whether this step may write to nothing but what its scenario
// has made: where something is guarded. Steps that run around each scenario are
// not meant.
func (t *step) strict() bool { return len(t.in.guards) > 0 && !t.in.around }

// learn notes what an answer tells of what is ours.
func (t *step) learn(r *expect.Reply) {
	if r == nil || r.Answer == nil {
		return
	}
	if !t.strict() && !t.env.ledger.begun.Load() {
		return
	}
	at := exactPath(r.Request.URL)
	if u, err := url.Parse(r.Request.URL); err == nil && r.Request.Method == "GET" && r.Answer.Status == 200 {
		t.env.ledger.read(u.Host, at, r.Answer.Body)
	}
	if !t.strict() {
		return
	}
	o := &t.in.own
	switch status := r.Answer.Status; {
	case syntax.SafeMethod(r.Request.Method):
		switch {
		case status == 404 || status == 410:
			o.gone[at] = true
			delete(o.shown, at)
		case status == 200 && r.Request.Method == "GET" && t.in.world.Drawn.In(string(r.Answer.Body)):
			delete(o.gone, at)
			o.shown[at] = true
		}
	case status/100 != 2 || r.Request.Method == "POST":
	case r.Request.Method == "DELETE":
		delete(o.shown, at)
	case o.gone[at]:
		// Made under a name that nothing had.
		delete(o.gone, at)
		o.shown[at] = true
	}
}

// claim notes what the answer to a create says it has made, unless that was
// there before.
func (t *step) claim(r *expect.Reply, at *attempt) {
	if !t.strict() || r == nil || r.Answer == nil || r.Answer.Status/100 != 2 || syntax.SafeMethod(r.Request.Method) || r.Request.Method == "DELETE" {
		return
	}
	list := plainPath(r.Request.URL)
	plain := !t.in.world.Drawn.In(string(r.Request.Body))
	enter := func(id string) {
		id = strings.ToLower(id)
		if id == "" || slices.ContainsFunc(t.in.guards, func(g *guard) bool { return g.paths[list][id] }) {
			return
		}
		t.in.own.names[id] = plain
	}
	for st, v := range t.keeps(r, at) {
		if st.Body.(*syntax.Keep).From != "header" {
			enter(v.Plain())
		}
	}
	where, id := t.named(r, at)
	enter(id)
	if where != "" && !slices.ContainsFunc(t.in.guards, func(g *guard) bool { return g.paths[list][strings.ToLower(id)] }) {
		t.in.own.paths[strings.ToLower(where)] = plain
	}
}

// member is the path of the item that a path is of: that of the innermost
// guarded list, or the path itself.
func (t *step) member(at string, lists []string) string {
	out, length := at, 0
	for _, list := range lists {
		rest, below := strings.CutPrefix(at, strings.TrimSuffix(list, "/")+"/")
		if below && len(list) > length {
			id, _, _ := strings.Cut(rest, "/")
			out, length = path.Join(list, id), len(list)
		}
	}
	return out
}

// foreign tells why a path may hold what this scenario has not made, or "".
// Where that is not known yet the item is read.
func (t *step) foreign(r *exchange.Request, at, item string) string {
	o := &t.in.own
	named, plain := o.named(item)
	read := t.reading(r, at, item)
	exact := exactPath(read.URL)
	if o.shown[exact] || o.gone[exact] || o.gone[exactPath(r.URL)] || named && plain {
		return ""
	}
	reply := t.patiently(read)
	x := reply.Exchange
	t.env.note(x)
	t.e.Sent = append(t.e.Sent, event.Sent{Role: event.Observation, Name: "whether it is ours", Exchange: x})
	t.learn(reply)
	switch {
	case o.shown[exact] || o.gone[exact]:
		return ""
	case x.Answer == nil:
		return " cannot be read: " + x.Failure.Error()
	case x.Answer.Status == 200 && named && t.showsNothing(reply):
		// It is said to be ours, and no member that could show it is there.
		return ""
	case x.Answer.Status == 200:
		return " leads to an item that shows nothing of what was sent here"
	case named:
		return ""
	}
	return " was not made here, and reading it answers " + x.Answer.StatusText()
}

// showsNothing tells whether an answer has none of the members that carry a
// drawn value in a body that this scenario has sent.
func (t *step) showsNothing(r *expect.Reply) bool {
	body := string(r.Answer.Body)
	return !slices.ContainsFunc(t.in.telling, func(name string) bool { return strings.Contains(body, `"`+name+`"`) })
}

// tells notes which members of a body carry a drawn value.
func (t *step) tells(r *exchange.Request) {
	if !t.strict() || syntax.SafeMethod(r.Method) {
		return
	}
	v, err := sentJSON(r)
	if err != nil {
		return
	}
	for i, name := range v.Names {
		if !slices.Contains(t.in.telling, name) && t.in.world.Drawn.In(v.Items[i].String()) {
			t.in.telling = append(t.in.telling, name)
		}
	}
}

// reading is a GET of an item that a request is about.
func (t *step) reading(r *exchange.Request, at, item string) *exchange.Request {
	where := r.URL
	if u, err := url.Parse(r.URL); err == nil {
		u.RawQuery, u.Fragment = "", ""
		// What is below an item is read by the item's own path.
		if up := strings.Count(at, "/") - strings.Count(item, "/"); up > 0 {
			parts := strings.Split(strings.TrimSuffix(u.EscapedPath(), "/"), "/")
			if cut := len(parts) - up; cut > 0 && plainPath("http://h"+strings.Join(parts[:cut], "/")) == item {
				u.RawPath = strings.Join(parts[:cut], "/")
				u.Path, _ = url.PathUnescape(u.RawPath)
			}
		}
		where = u.String()
	}
	out := &exchange.Request{Method: "GET", URL: where, Timeout: r.Timeout}
	for _, h := range r.Header {
		switch strings.ToLower(h.Name) {
		case "content-type", "if-match", "if-none-match", "if-modified-since", "if-unmodified-since", "idempotency-key":
		default:
			out.Header = append(out.Header, h)
		}
	}
	return out
}

// sentJSON is what a request sends, as JSON.
func sentJSON(r *exchange.Request) (*value.Value, error) {
	return expect.NewReply(&exchange.Exchange{Request: r, Answer: &exchange.Answer{Status: 200, Body: r.Body}}).JSON()
}
