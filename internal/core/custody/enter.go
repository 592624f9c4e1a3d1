package custody

import (
	"fmt"
	"net/url"
	"path"
	"slices"
	"strings"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// enter notes what the answers to a step say was made or removed. A create that
// names nothing cannot be told.
func (t *turn) enter(answers []*expect.Reply) {
	l := &t.run.ledger
	if l.idle(answers) {
		return
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, r := range answers {
		if r == nil {
			continue
		}
		where := t.exact(r.Request.URL)
		if r.Request.Method == "PUT" && t.strict() && (r.Answer == nil || r.Answer.Status/100 == 2) {
			l.put = noted(l.put, path.Base(where))
		}
		u, err := url.Parse(r.Request.URL)
		switch {
		case err != nil:
		case r.Answer != nil:
			t.entered(l, r, u, where)
		case r.Request.Method == "POST" && t.how.Check && !t.how.Guarded:
			// No list tells of it.
			l.add(u.Host, where+" unanswered", "what POST "+u.EscapedPath()+" may have made: it was not answered")
		case r.Request.Method == "DELETE":
			for i, m := range l.made {
				l.made[i].unheard = m.unheard || m.host == u.Host && m.path == where
			}
		}
	}
}

// took tells whether an answer says that the request was done: a success, or for a POST a redirect
// to what it made (RFC 9110 §15.4.4).
func took(r *expect.Reply) bool {
	return r != nil && r.Answer != nil && (r.Answer.Status/100 == 2 || r.Answer.Status == 303 && r.Request.Method == "POST")
}

// entered notes what one answer says; the lock of the ledger is held.
func (t *turn) entered(l *ledger, r *expect.Reply, u *url.URL, where string) {
	method, status := r.Request.Method, r.Answer.Status
	taken := took(r)
	if (method == "PUT" || method == "PATCH") && taken {
		// How it read before says nothing any more.
		delete(l.seen, u.Host+where)
		delete(l.seen, u.Host+" "+path.Base(where))
	}
	switch {
	case (method == "POST" || !known(method) && !syntax.SafeMethod(method)) && (status == 201 || taken && (t.how.Check || t.strict())):
		if name, id := t.named(r); name != "" && !t.was(PlainPath(r.Request.URL), id) {
			l.add(u.Host, name, fmt.Sprintf("%s %s %s", method, u.EscapedPath(), id))
			l.derived(u.Host, name, t.how.Check)
			if len(r.Answer.Body) > 0 {
				l.see(u.Host, name, string(r.Answer.Body))
			}
		}
	case method == "PUT" && (status == 201 || taken && l.free[u.Host+where]):
		// Some answer 200 for what was not there before.
		l.add(u.Host, where, method+" "+u.EscapedPath())
		l.derived(u.Host, where, t.how.Check)
	case method == "DELETE" && status == 202:
		for i := range l.made {
			if m := &l.made[i]; m.host == u.Host && m.path == where {
				m.going, m.asks = true, t.asksLater(r.Request)
			}
		}
	case method == "DELETE" && taken:
		l.drop(u.Host, where, true, l.clock)
	case method == "GET" && status == 200:
		l.restore(u.Host, where, string(r.Answer.Body), t.keyed(), t.asked)
	case syntax.SafeMethod(method) && method != "OPTIONS" && t.absent(where, status):
		l.drop(u.Host, where, false, t.asked)
		if method == "GET" {
			// Some answer 404 to HEAD for what they do not serve.
			l.free = noted(l.free, u.Host+where)
		}
		return
	}
	delete(l.free, u.Host+where)
}

// asksLater asks for what a request is about when its step is long over, and gives the status; nil where
// that cannot be.
func (t *turn) asksLater(r *exchange.Request) func() int {
	if t.Step == nil {
		return nil
	}
	step := t.Step.Apart()
	return func() int {
		return status(step.Ask(reading(r, "", ""), "whether it is gone"))
	}
}

// keyed tells whether some guarded list tells its items apart.
func (t *turn) keyed() bool {
	lists, err := t.Lists()
	return err == nil && slices.ContainsFunc(lists, func(l List) bool { return l.Keyed })
}

// named is the path of what a create has made, and its name there: by Location
// (RFC 9110 §10.2.2), by what a step keeps of the body where the list is
// guarded, or by the member id. Elsewhere what is kept may be anything, a token too.
func (t *turn) named(r *expect.Reply) (where, id string) {
	list := exactPath(r.Request.URL)
	if to := r.Answer.Header.Get("Location"); to != "" {
		base, err := url.Parse(r.Request.URL)
		if u, bad := url.Parse(to); err == nil && bad == nil {
			if full := base.ResolveReference(u); full.Host == base.Host && exactPath(full.String()) != list {
				at := t.exact(full.String())
				id = path.Base(at)
				// A path of its own in another form, as /boats/7.json, is that of the item that the
				// body names.
				if bare := strings.TrimSuffix(id, path.Ext(id)); bare != id && shows(r, bare) {
					return path.Join(path.Dir(at), bare), bare
				}
				return at, id
			}
		}
	}
	below := func(v *value.Value) (string, string) { return t.asListed(path.Join(list, v.Plain())), v.Plain() }
	if t.guarded(PlainPath(r.Request.URL)) {
		for _, k := range t.Kept(r) {
			if k.Path {
				return below(k.Value)
			}
			if k.Header {
				name := path.Base(exactPath(k.Value.Plain()))
				return t.asListed(path.Join(list, name)), name
			}
		}
	}
	if body, err := r.JSON(); err == nil {
		// One that names what the request was sent to has made nothing.
		if v, _ := body.Get("id"); CanName(v) && v.Plain() != path.Base(list) {
			return below(v)
		}
	}
	return "", ""
}

// shows tells whether a member of an answer's body is a name.
func shows(r *expect.Reply, name string) bool {
	body, err := r.JSON()
	return err == nil && !each(body, func(_ string, v *value.Value) bool { return v.Plain() != name })
}

// CanName tells whether a value may be the name of an item.
func CanName(v *value.Value) bool {
	return v != nil && (v.Kind == value.String || v.Kind == value.Number)
}

// guarded tells whether a path is that of a guarded list.
func (t *turn) guarded(at string) bool {
	if !t.how.Guarded {
		return false
	}
	lists, err := t.Lists()
	return err == nil && slices.ContainsFunc(lists, func(l List) bool { return l.Path == at })
}

// lost notes what a delete took out of the lists that were observed around it.
func (s *Scenario) lost(answers []*expect.Reply, before, after map[string]*Sight) {
	r := answers[0]
	if r == nil || r.Answer == nil || r.Request.Method != "DELETE" || r.Answer.Status/100 != 2 {
		return
	}
	u, err := url.Parse(r.Request.URL)
	if err != nil {
		return
	}
	where := exactPath(r.Request.URL)
	for name, b := range before {
		a := after[name]
		if a == nil || b.Problem+a.Problem != "" || b.View.By == nil {
			continue
		}
		for _, m := range state.Between(b.S, a.S).Lost {
			if slices.ContainsFunc(b.identities(m), func(id string) bool { return sameName(id, strings.ToLower(path.Base(where))) }) {
				l := &s.run.ledger
				l.mu.Lock()
				l.away = noted(l.away, u.Host+where)
				l.mu.Unlock()
			}
		}
	}
}

// learn notes what an answer tells of what is ours.
func (t *turn) learn(r *expect.Reply) {
	if r == nil || r.Answer == nil {
		return
	}
	if !t.strict() && !t.run.ledger.begun.Load() {
		return
	}
	at := t.exact(r.Request.URL)
	if u, err := url.Parse(r.Request.URL); err == nil && r.Request.Method == "GET" && r.Answer.Status == 200 {
		t.run.ledger.read(u.Host, at, r.Answer.Body)
	}
	if !t.strict() {
		return
	}
	o := &t.own
	switch status := r.Answer.Status; {
	case syntax.SafeMethod(r.Request.Method):
		switch {
		case t.absent(at, status):
			o.gone[at] = true
			delete(o.shown, at)
			delete(o.proven, at)
		case status == 200 && r.Request.Method == "GET":
			delete(o.gone, at)
			if t.drawn.In(string(r.Answer.Body)) {
				o.shown[at] = true
			}
		}
	case status/100 != 2 || r.Request.Method == "POST":
	case r.Request.Method == "DELETE":
		delete(o.shown, at)
		delete(o.proven, at)
	case o.gone[at]:
		// Made under a name that nothing had.
		delete(o.gone, at)
		o.proven[at] = true
		o.made[path.Dir(strings.ToLower(at))]++
		clear(o.seen)
	}
}

// claim notes what the answer to a create says it has made, unless that was there before.
func (t *turn) claim(r *expect.Reply) {
	if !t.strict() || !took(r) || syntax.SafeMethod(r.Request.Method) || r.Request.Method == "DELETE" {
		return
	}
	o, list := &t.own, PlainPath(r.Request.URL)
	c := creation{list, r.Answer.Status, t.drawn.In(string(r.Request.Body))}
	where, id := t.named(r)
	_, again := o.paths[strings.ToLower(where)]
	again = again && !t.removed[where]
	if r.Request.Method == "POST" {
		clear(o.seen)
		if !again {
			o.made[list]++
		}
	}
	if again && c.status != 201 {
		// One that was sent again, with its key, or has updated what was made, has made nothing more:
		// what is known of the first holds.
		return
	}
	enter := func(id string) {
		if id != "" && !t.was(list, id) {
			o.names[strings.ToLower(id)] = c
		}
	}
	for _, k := range t.Kept(r) {
		if !k.Header {
			enter(k.Value.Plain())
		}
	}
	enter(id)
	if where != "" && !t.was(list, id) {
		o.paths[strings.ToLower(where)] = c
		// The name of one that was removed may be given anew.
		at := t.asListed(where)
		delete(t.removed, at)
		o.proven[at] = o.proven[at] || o.gone[at]
		delete(o.gone, at)
	}
}

// remember notes what a scenario has removed, and what it has made again.
func (t *turn) remember(answers []*expect.Reply) {
	if !t.how.Guarded {
		return
	}
	for _, r := range answers {
		if took(r) && known(r.Request.Method) {
			at, removes := t.exact(r.Request.URL), r.Request.Method == "DELETE"
			t.removed[at] = removes && r.Answer.Status != 202
			t.going[at] = removes && r.Answer.Status == 202 && (t.going[at] || t.own.proven[at])
		}
	}
}

// claimed tells of an answer to a create that names, as what it has made, an item that was there
// before (RFC 9110 §15.3.2).
func (t *turn) claimed(answers []*expect.Reply) *False {
	if !t.how.Guarded {
		return nil
	}
	lists, err := t.Lists()
	if err != nil {
		return nil
	}
	for _, l := range lists {
		for i, r := range answers {
			if !took(r) || r.Request.Method != "POST" || PlainPath(r.Request.URL) != l.Path {
				continue
			}
			for _, k := range t.Kept(r) {
				id := strings.ToLower(k.Value.Plain())
				if k.Header {
					id = path.Base(PlainPath(k.Value.Plain()))
				}
				// What is named as made may be removed again, whatever was there before it.
				for name := range t.removed {
					if strings.ToLower(path.Base(name)) == id {
						delete(t.removed, name)
					}
				}
				if h := t.before[l]; r.Answer.Status == 201 && h != nil && h.ids[id] && !t.run.ours(l, id) {
					return &False{Line: k.Line, Answer: i, Name: k.Value.Plain()}
				}
			}
		}
	}
	return nil
}
