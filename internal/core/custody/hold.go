package custody

import (
	"path"
	"strings"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/syntax"
)

// hold looks at the lists that a request may touch, before it is sent, and tells why it must not
// be sent, or "".
func (t *turn) hold(r *exchange.Request) (string, error) {
	if !t.how.Guarded || syntax.SafeMethod(r.Method) {
		return "", nil
	}
	what := NotOurs + r.Method + " " + r.URL
	if HostOf(r.URL) != HostOf(t.About().Base) {
		return what + " leads to another service", nil
	}
	if why := t.again(r, what); why != "" {
		return why, nil
	}
	lists, err := t.Lists()
	if err != nil {
		return "", err
	}
	at := t.plain(r.URL)
	// An item of one list may be where another list begins.
	var above, item bool
	for _, l := range lists {
		there, why, err := t.stood(l)
		if why != "" || err != nil {
			return join(what, why), err
		}
		rest, is := below(at, l.Path)
		switch {
		case at == l.Path:
			if r.Method != "POST" && known(r.Method) {
				return what + " is the collection itself", nil
			}
			return t.upserts(r, readable(l, lists), what), nil
		case is:
			id, deeper, _ := strings.Cut(rest, "/")
			if there[id] && deeper == "" && !t.run.ours(l, id) {
				return what + " was there before", nil
			}
			item = item || deeper == ""
		case strings.HasPrefix(l.Path, strings.TrimSuffix(at, "/")+"/"):
			above = true
		default:
			// An item with a path of its own.
			if name := path.Base(at); there[name] && !t.run.ours(l, name) {
				return what + " was there before", nil
			}
		}
	}
	if above && !item && known(r.Method) {
		return what + " is above the collection", nil
	}
	if t.strict() && !(above && !item) {
		if why := t.foreign(r, at, lists); why != "" {
			return what + why, nil
		}
		_, l := member(at, lists)
		return t.upserts(r, readable(l, lists), what), nil
	}
	return "", nil
}

func join(what, why string) string {
	if why == "" {
		return ""
	}
	return what + ": " + why
}

// stood are the identities in a list before the scenario's first write, and why nothing more is
// written there, or "".
func (t *turn) stood(l List) (there map[string]bool, why string, err error) {
	alone := !t.strict() || t.how.Closely != nil
	if why = t.run.harmed(l.key()); why != "" && !alone {
		return nil, why, nil
	}
	if there, err = t.listed(l); err != nil || alone {
		return there, "", err
	}
	if t.how.Patient && t.run.unseen(l.key()) {
		if _, err := t.Look(l, "what was there before", false); err != nil {
			return nil, "", err
		}
		t.run.tellGone()
	}
	t.run.Pause(t.ctx)
	return there, t.run.harmed(l.key()), nil
}

// again looks at what this scenario has removed before it is written to once more: a server that
// finds something else under its name must not change that.
func (t *turn) again(r *exchange.Request, what string) string {
	at := t.exact(r.URL)
	if t.going[at] {
		// Its delete was taken with 202: it is there for a while yet, or is gone.
		if x := t.reads(reading(r, "", "")); x.Answer != nil && absent(x.Answer.Status) {
			t.removed[at] = true
			delete(t.going, at)
		}
	}
	if !t.removed[at] {
		return ""
	}
	if t.About().Afterwards {
		return "nothing to do: it has been removed"
	}
	x := t.Ask(reading(r, "", ""), "whether it is gone")
	if x.Answer == nil || !t.absent(at, x.Answer.Status) {
		return what + " was removed, and reading it does not say that it is gone"
	}
	return ""
}

// listed is what a guarded list held before the scenario's first write.
func (t *turn) listed(l List) (map[string]bool, error) {
	if h, done := t.before[l]; done {
		return h.ids, nil
	}
	if !l.Keyed {
		t.before[l] = &held{}
		return nil, nil
	}
	seen, err := t.Look(l, "what was there before", false)
	if err != nil {
		return nil, err
	}
	h := &held{}
	t.before[l] = h
	if seen.Problem != "" {
		return nil, nil
	}
	t.begin(l, seen)
	h.sight, h.ids = seen, map[string]bool{}
	for _, id := range seen.View.Identities(seen.S) {
		h.ids[strings.ToLower(id)] = true
	}
	if text := t.run.ledger.stays(l.Path, len(h.ids)); text != "" {
		t.tell(text)
	}
	return h.ids, nil
}

// upserts tells why a write may be one to what was there before: a fixed member of its body
// stands in the list already.
func (t *turn) upserts(r *exchange.Request, l List, what string) string {
	if !t.strict() || !l.real() || len(r.Body) == 0 {
		return ""
	}
	keys := t.run.keys(l.key())
	body, err := sentJSON(r)
	if keys == nil || err != nil {
		return ""
	}
	name, text := keys.Standing(body, t.drawn.In)
	if name == "" {
		return ""
	}
	return what + " may write to an item that was there before: its " + name + " " + text + " stands in the list already; write `{turn}` in it, or `disposable` where all may be lost"
}
