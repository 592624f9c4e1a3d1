package draft

import (
	"net/url"
	"slices"
	"strings"

	"usualpath/internal/core/custody"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// keeper holds what was there before trial writes against what is there after each of them.
type keeper struct {
	before *state.Snapshot
	keys   *custody.Index
	// told are members of the body of which the service takes nothing but what is there: those
	// are no keys.
	told map[string]bool
	harm string
}

// mostKept bounds how many items are looked at after each trial write.
const mostKept = 500

// begin reads the list before the first write, makes another one of each member that may be a
// key, and looks after what is there from then on.
func (t *trial) begin() {
	k := &keeper{before: t.kept(), told: map[string]bool{}}
	k.keys = custody.NewIndex(k.before)
	// What moves by itself proves nothing.
	for _, c := range state.Between(k.before, t.kept()).Changed {
		delete(k.before.Members, c.Key)
		k.before.Keys = slices.DeleteFunc(k.before.Keys, func(key string) bool { return key == c.Key })
	}
	for key := range k.before.Members {
		t.there[key] = true
	}
	t.watch = k
	if body := t.r.Make; body != nil {
		t.vary(body)
	}
	if t.r.candidate != nil {
		t.vary(t.r.candidate)
	}
	send := t.send
	t.send = func(method, at string, body []byte, media string) *exchange.Exchange {
		if syntax.SafeMethod(method) {
			return send(method, at, body, media)
		}
		why := k.harm
		if method != "DELETE" && why == "" {
			why = t.standing(body)
		}
		if why != "" {
			return &exchange.Exchange{Request: &exchange.Request{Method: method, URL: at}, Failure: &exchange.Failure{Kind: exchange.Unsent, Detail: why}}
		}
		x := send(method, at, body, media)
		t.compareTo(k, method, at)
		return x
	}
}

// kept are the items of the list now, by their identity in lower case.
func (t *trial) kept() *state.Snapshot {
	s := &state.Snapshot{Members: map[string]*value.Value{}}
	for i, m := range t.listed() {
		idv, ok := m.Get(t.id)
		if !ok || i == mostKept {
			break
		}
		key := strings.ToLower(idv.Plain())
		if s.Members[key] == nil {
			s.Keys = append(s.Keys, key)
		}
		s.Members[key] = m
	}
	return s
}

// vary makes another one of each text and number that may be a key, for each item.
func (t *trial) vary(body *value.Value) {
	for i, n := range body.Names {
		if name, _ := t.watch.keys.Standing(value.NewObject().Add(n, body.Items[i]), func(string) bool { return false }); name != n || n == t.r.Turn || n == t.id {
			continue
		}
		if t.r.Keys == nil {
			t.r.Keys = map[string]string{}
		}
		t.r.Keys[n] = turnForms[0]
		if body.Items[i].Kind == value.Number {
			t.r.Keys[n] = "{turn}"
		}
	}
}

// nextForm takes another form for a member that may be a key, where the service refused it;
// false when there is none. What is refused in each form is one of a few values, and no key.
func (t *trial) nextForm(name string) bool {
	form := t.r.Keys[name]
	v, has := t.body.Get(name)
	if form == "" || !has {
		return false
	}
	next := ""
	if i := slices.Index(turnForms, form); i >= 0 && i+1 < len(turnForms) {
		next = turnForms[i+1]
	} else if i >= 0 {
		next = "like"
	}
	switch {
	case next == "like":
		// The same form, with other letters and digits.
		world := &scope.World{Rand: scope.Seeded(uint64(t.first), name)}
		if other, err := scope.Another(world.Rand, v); err == nil {
			t.body = changed(t.body, name, other)
			if t.r.Remake != nil {
				t.r.Remake = changed(t.r.Remake, name, other)
			}
		}
		t.r.Keys[name] = ""
	case next != "":
		t.r.Keys[name] = next
	default:
		delete(t.r.Keys, name)
		t.watch.told[name] = true
	}
	return true
}

// standing tells why a body may be written to an item that was there, or "".
func (t *trial) standing(body []byte) string {
	v, err := value.Decode(string(body), value.Limits{Lenient: true})
	if err != nil {
		return ""
	}
	for n := range t.watch.told {
		v = Without(v, n)
	}
	name, text := t.watch.keys.Standing(v, func(text string) bool { return strings.Contains(text, t.turn()) })
	if name == "" {
		return ""
	}
	return name + " " + text + " stands in the list already, and the service may take this for a write to that item"
}

// compareTo notes what a write has changed that was there before. What is not listed any more is
// asked for by itself.
func (t *trial) compareTo(k *keeper, method, at string) {
	d := state.Between(k.before, t.kept().Only(k.before.Keys))
	d.Lost = slices.DeleteFunc(d.Lost, func(m *value.Value) bool {
		idv, _ := m.Get(t.id)
		x := t.send("GET", t.base+strings.ReplaceAll(t.r.itemPath(), "{id}", url.PathEscape(idv.Plain())), nil, "")
		return x.Answer == nil || x.Answer.Status != 404 && x.Answer.Status != 410
	})
	if len(d.Lost)+len(d.Changed) == 0 {
		return
	}
	for _, c := range d.Changed {
		d.Lost = append(d.Lost, c.Before)
	}
	var was []string
	for _, m := range d.Lost {
		was = append(was, m.String())
	}
	k.harm = "what was there before is not left alone: " + method + " " + at + " changed what it does not name. Before it, there was " + strings.Join(was, " and ") + "; nothing more was sent"
}
