package engine

import (
	"errors"
	"iter"
	"net/url"
	"path"
	"strings"

	"usualpath/internal/core/custody"
	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/project"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// notOurs begins the reason of a step that a guard refuses.
const notOurs = "not applicable: this may touch what is not ours: "

// guard is a list whose members are not written to when they were there before
// the scenario wrote anything.
type guard struct {
	o *syntax.Observe
	// paths are the collection's path by base and names, with what was listed
	// there before the first write; nil where that could not be read.
	paths map[string]map[string]bool
	// snaps are the lists as they were then.
	snaps map[string]*snapshot
}

// plainPath is a URL's path as a lenient server might read it: decoded, dots
// and double slashes resolved, without an end slash, in lower case.
func plainPath(raw string) string {
	u, err := url.Parse(raw)
	if err != nil {
		return raw
	}
	p := u.Path
	if again, err := url.PathUnescape(p); err == nil {
		p = again
	}
	return strings.ToLower(path.Clean("/" + strings.TrimSpace(p)))
}

// exactPath is a URL's path as it was meant, decoded and without an end slash:
// names that differ in case are two.
func exactPath(raw string) string {
	u, err := url.Parse(raw)
	if err != nil {
		return raw
	}
	return path.Clean("/" + u.Path)
}

// hold looks at the lists that a request may touch, before it is sent, and
// tells why it must not be sent, or "".
func (t *step) hold(r *exchange.Request) (string, error) {
	if len(t.in.guards) == 0 || syntax.SafeMethod(r.Method) {
		return "", nil
	}
	what := notOurs + r.Method + " " + r.URL
	at := plainPath(r.URL)
	if u, err := url.Parse(r.URL); err == nil {
		if base, err := url.Parse(t.base); err == nil && !strings.EqualFold(u.Host, base.Host) {
			return what + " leads to another service", nil
		}
	}
	if why, err := t.again(r, what); why != "" || err != nil {
		return why, err
	}
	// An item of one list may be where another list begins.
	var above, item bool
	var places []place
	for _, g := range t.in.guards {
		list, err := t.collection(g)
		if err != nil {
			return "", err
		}
		if list == "" {
			continue
		}
		places = append(places, place{g, list})
		if why := t.env.watch.harmed(listKey(t.base, list)); why != "" && t.strict() && t.in.closely == nil {
			return what + ": " + why, nil
		}
		there, err := t.listed(g, list)
		if err != nil {
			return "", err
		}
		if t.strict() && t.in.closely == nil {
			if t.in.patient && t.env.watch.unseen(listKey(t.base, list)) {
				if _, err := t.look("what was there before", g.o); err != nil {
					return "", err
				}
				t.env.tellGone()
			}
			t.env.pause(t.in.ctx)
			if why := t.env.watch.harmed(listKey(t.base, list)); why != "" {
				return what + ": " + why, nil
			}
		}
		rest, below := strings.CutPrefix(at, strings.TrimSuffix(list, "/")+"/")
		switch {
		case at == list:
			if r.Method != "POST" && known(r.Method) {
				return what + " is the collection itself", nil
			}
			return t.upserts(r, readable(places[len(places)-1], places), what), nil
		case below:
			id, deeper, _ := strings.Cut(rest, "/")
			if there[id] && deeper == "" {
				return what + " was there before", nil
			}
			item = item || deeper == ""
		case strings.HasPrefix(list, strings.TrimSuffix(at, "/")+"/"):
			above = true
		default:
			// An item with a path of its own.
			if there[path.Base(at)] {
				return what + " was there before", nil
			}
		}
	}
	if above && !item && known(r.Method) {
		return what + " is above the collection", nil
	}
	if t.strict() && !(above && !item) {
		if why := t.foreign(r, at, places); why != "" {
			return what + why, nil
		}
		_, p := member(at, places)
		return t.upserts(r, readable(p, places), what), nil
	}
	return "", nil
}

// again looks at what this scenario has removed before it is written to once
// more: a server that finds something else under its name must not change that.
func (t *step) again(r *exchange.Request, what string) (string, error) {
	if !t.in.removed[exactPath(r.URL)] {
		return "", nil
	}
	if t.e.Afterwards {
		return "nothing to do: it has been removed", nil
	}
	x := t.patiently(&exchange.Request{Method: "GET", URL: r.URL, Header: r.Header, Timeout: r.Timeout}).Exchange
	t.env.note(x)
	t.e.Sent = append(t.e.Sent, event.Sent{Role: event.Observation, Name: "whether it is gone", Exchange: x})
	if x.Answer == nil || x.Answer.Status != 404 && x.Answer.Status != 410 {
		return what + " was removed, and reading it does not say that it is gone", nil
	}
	return "", nil
}

// remember notes what a scenario has removed, and what it has made again.
func (t *step) remember(replies []*expect.Reply) {
	if len(t.in.guards) == 0 {
		return
	}
	for _, r := range replies {
		if r != nil && r.Answer != nil && r.Answer.Status/100 == 2 && known(r.Request.Method) {
			t.in.removed[exactPath(r.Request.URL)] = r.Request.Method == "DELETE" && r.Answer.Status != 202
		}
	}
}

// known tells whether a server may have a meaning for a method.
func known(method string) bool {
	switch method {
	case "POST", "PUT", "PATCH", "DELETE":
		return true
	}
	return false
}

// collection is the path of a guarded list; "" while its names have no values.
func (t *step) collection(g *guard) (string, error) {
	target, err := t.in.names.Target(g.o.At)
	var unbound *scope.Unbound
	if errors.As(err, &unbound) {
		return "", nil
	}
	if err != nil {
		return "", err
	}
	r, err := (&builder{method: "GET", target: target}).request(t.base)
	if err != nil {
		return "", err
	}
	return plainPath(r.URL), nil
}

// listed is what a guarded list held before the scenario's first write.
func (t *step) listed(g *guard, list string) (map[string]bool, error) {
	if there, done := g.paths[list]; done {
		return there, nil
	}
	if g.o.By == nil {
		g.paths[list] = nil
		return nil, nil
	}
	s, err := t.look("what was there before", g.o)
	if err != nil {
		return nil, err
	}
	if s.problem == "" {
		t.env.watch.begin(t, g, list, s)
		there := map[string]bool{}
		for _, id := range s.view.Identities(s.s) {
			there[strings.ToLower(id)] = true
		}
		g.paths[list], g.snaps[list] = there, s
		t.stays(list, len(there))
		return there, nil
	}
	g.paths[list] = nil
	return nil, nil
}

// upserts tells why a write may be one to what was there before: a fixed member of its body
// stands in the list already.
func (t *step) upserts(r *exchange.Request, p place, what string) string {
	if !t.strict() || p.g == nil || len(r.Body) == 0 {
		return ""
	}
	keys := t.env.watch.keys(listKey(t.base, p.list))
	body, err := sentJSON(r)
	if keys == nil || err != nil {
		return ""
	}
	name, text := keys.Standing(body, t.in.world.Drawn.In)
	if name == "" {
		return ""
	}
	return what + " may write to an item that was there before: its " + name + " " + text + " stands in the list already; write `{turn}` in it, or `disposable` where all may be lost"
}

// claimed tells of an answer to a create that names, as what it has made, an
// item that was there before (RFC 9110 §15.3.2).
func (t *step) claimed(at *attempt) bool {
	for _, guard := range t.in.guards {
		list, err := t.collection(guard)
		if err != nil {
			continue
		}
		for i, r := range at.replies {
			if r == nil || r.Answer == nil || r.Answer.Status/100 != 2 || r.Request.Method != "POST" || plainPath(r.Request.URL) != list {
				continue
			}
			for st, v := range t.keeps(r, at) {
				id := strings.ToLower(v.Plain())
				if st.Body.(*syntax.Keep).From == "header" {
					id = path.Base(plainPath(v.Plain()))
				}
				// What is named as made may be removed again, whatever was there before it.
				for name := range t.in.removed {
					if strings.ToLower(path.Base(name)) == id {
						delete(t.in.removed, name)
					}
				}
				if r.Answer.Status == 201 && guard.paths[list][id] {
					t.miss(event.Finding{Verdict: event.Failed, Line: t.lineOf(st), Expected: "201 names an item that was made now",
						Observed: []string{"it names " + v.Plain() + ", which was listed before the request was sent; that item is left as it is"},
						Because:  "201 says that something new was made (RFC 9110 §15.3.2)", Sent: at.sent + i})
					t.in.halted = "the answer to a create names an item that was there before"
					return true
				}
			}
		}
	}
	return false
}

// keeps are the lines that keep something of an answer, with what it is, where
// that is a text or a number: what may name an item.
func (t *step) keeps(r *expect.Reply, at *attempt) iter.Seq2[*syntax.Statement, *value.Value] {
	return func(yield func(*syntax.Statement, *value.Value) bool) {
		for _, st := range at.round.claims {
			k, ok := st.Body.(*syntax.Keep)
			if !ok {
				continue
			}
			if v, err := t.context(r, at).Keep(k); err == nil && canName(v) && !yield(st, v) {
				return
			}
		}
	}
}

// canName tells whether a value may be the name of an item.
func canName(v *value.Value) bool {
	return v != nil && (v.Kind == value.String || v.Kind == value.Number)
}

// guardsOf are the guards of a scenario's head.
func guardsOf(s *project.Scenario) []*guard {
	var out []*guard
	for _, st := range s.Head {
		if g, ok := st.Body.(*syntax.Guard); ok {
			out = append(out, &guard{o: g.Of, paths: map[string]map[string]bool{}, snaps: map[string]*snapshot{}})
		}
	}
	return out
}

// withheld blocks a step whose request might reach more than it should.
func (t *step) withheld(r *exchange.Request, why string) {
	t.found(event.Finding{Verdict: event.Blocked, Line: t.e.Line, Expected: "a request that changes state names what it changes",
		Observed: []string{why + ": " + r.Method + " " + r.URL + " was not sent"}, Sent: -1})
	if t.in.job.s.Check != nil && !t.e.Afterwards {
		// What comes after it would be judged by a request that was not sent.
		t.in.halted = why
	}
	if t.in.lacked == "" {
		t.in.lacked = "step \"" + t.e.Title + "\" was not sent: " + why
	}
}

// refuse leaves a step out that a guard refuses, and what comes after it.
func (t *step) refuse(why string) {
	if c := t.in.job.s.Check; c != nil && c.ID == Probe && t.env.watch.wroteIn(t.in.job) && strings.HasPrefix(why, notOurs) && !strings.Contains(why, custody.Advice) {
		// What the create answers does not lead to what it made: so would all others.
		t.found(event.Finding{Verdict: event.Blocked, Line: t.e.Line, Expected: "the answer to a create leads to the item that was made",
			Observed: []string{strings.TrimPrefix(why, notOurs) + "; what was made is still there"}, Sent: -1})
		t.in.halted = strings.TrimPrefix(why, notOurs)
		return
	}
	t.e.Verdict, t.e.Why = event.Skipped, why
	if t.e.Afterwards {
		return
	}
	t.in.refused = why
	t.in.halted = why
}
