package draft

import (
	"maps"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/value"
)

// sweep takes away what carries a number of this trial and is still listed: some
// services make what they refuse. What cannot be removed is told.
func (t *trial) sweep() {
	told := map[string]bool{}
	for _, m := range t.listed() {
		idv, ok := m.Get(t.id)
		if !ok || oneName(idv) == "" || t.there[strings.ToLower(idv.Plain())] || !t.carries(m) {
			continue
		}
		t.made = t.base + strings.ReplaceAll(t.r.itemPath(), "{id}", url.PathEscape(idv.Plain()))
		if x := t.send("DELETE", t.made+t.carried("DELETE"), nil, ""); x.Answer == nil || x.Answer.Status/100 != 2 {
			told[t.made] = true
		}
	}
	for _, at := range t.left {
		told[at] = true
	}
	for _, at := range slices.Sorted(maps.Keys(told)) {
		t.r.Notes = append(t.r.Notes, "left on the service: an item that was made to try things could not be removed: "+at)
	}
}

// carries tells whether an item shows a number of this trial.
func (t *trial) carries(m *value.Value) bool {
	text := m.String()
	for n := range t.n + 1 {
		if strings.Contains(text, strconv.Itoa(t.first+7*n)) {
			return true
		}
	}
	return false
}

// required leaves out each member in turn: what is refused then must be there.
// Of the others each is sent with another value: what the service shows otherwise
// is its own.
func (t *trial) required() {
	const most = 20
	r, whole := t.r, t.body
	r.Required = nil
	own := map[string]bool{}
	for i, n := range whole.Names {
		if i == most {
			break
		}
		t.body = whole
		t.drop(n)
		status, _ := t.once(n == r.Turn)
		switch {
		case status/100 == 4:
			r.Required = append(r.Required, n)
			continue
		case status/100 != 2 || n == r.Turn || r.Keys[n] != "":
			continue
		}
		other := altered(whole.Items[i])
		if other == nil {
			continue
		}
		t.body = changed(whole, n, other)
		if status, v := t.once(false); status/100 == 2 && v != nil {
			if shown, ok := v.Get(n); ok && !value.Equal(shown, other) {
				own[n] = true
			}
		}
	}
	t.body = whole
	for n := range own {
		t.drop(n)
		r.Assigned = append(r.Assigned, n)
	}
	slices.Sort(r.Assigned)
	r.Make = t.body
	if r.Remake != nil {
		r.Remake = varied(t.body, t.body, r.Turn, elsewise(r.Turn))
	}
	if r.Amend != nil {
		if one := one(varied(t.body, t.body, r.Turn, elsewise(r.Turn)), t.body, r.Turn); one != nil {
			r.Amend = one
		}
	}
	r.Notes = slices.DeleteFunc(r.Notes, func(s string) bool { return strings.HasPrefix(s, "`required` cannot be seen") })
	t.onCreate()
}

// onCreate replaces an item without each member that must be there when it is
// made: what may be left out then is required on create only.
func (t *trial) onCreate() {
	r := t.r
	if r.Remake == nil || len(r.Required) == 0 || r.Chosen != "" {
		return
	}
	t.n++
	x := t.send("POST", t.base+r.Collection, t.text(t.body), "application/json")
	if x.Answer == nil || x.Answer.Status/100 != 2 {
		return
	}
	name := t.gained()
	if name == "" {
		t.left = append(t.left, "one of "+r.Collection)
		return
	}
	t.made = t.base + strings.ReplaceAll(r.itemPath(), "{id}", url.PathEscape(name))
	if v, _ := t.shown(); v == nil || !strings.Contains(v.String(), t.turn()) {
		t.left = append(t.left, t.made)
		return
	}
	var always []string
	for _, n := range r.Required {
		if t.write("PUT", t.text(Without(r.Remake, n)), "application/json") {
			r.OnCreate = append(r.OnCreate, n)
		} else {
			always = append(always, n)
		}
	}
	r.Required = always
	// A name that a replace does not take is none of its.
	for _, n := range r.OnCreate {
		if v, _ := t.shown(); n == r.Turn && v != nil {
			if now, ok := v.Get(n); ok && strings.Contains(now.Plain(), t.turn()) && len(r.Remake.Names) > 1 {
				r.Remake = Without(r.Remake, n)
			}
		}
	}
	t.discard()
}

// Without is an object less one member.
func Without(v *value.Value, name string) *value.Value {
	out := value.NewObject()
	for i, n := range v.Names {
		if n != name {
			out.Add(n, v.Items[i])
		}
	}
	return out
}

// altered is another value of the same form, nil where there is none: of an object
// or array the first part that has one.
func altered(v *value.Value) *value.Value {
	switch v.Kind {
	case value.String:
		return value.NewString(v.Text + "x")
	case value.Object, value.Array:
		for i, it := range v.Items {
			if other := altered(it); other != nil {
				out := *v
				out.Items = slices.Clone(v.Items)
				out.Items[i] = other
				return &out
			}
		}
		return nil
	}
	return elsewise("")("", v)
}

// changed is an object with another value for a member.
func changed(v *value.Value, name string, other *value.Value) *value.Value {
	out := value.NewObject()
	for i, n := range v.Names {
		it := v.Items[i]
		if n == name {
			it = other
		}
		out.Add(n, it)
	}
	return out
}

// once makes an item, reads it, and takes it away again. Where nothing of the
// body tells it from others, what the list has gained is enough; under a name of
// the client's, that nothing had the name.
func (t *trial) once(plain bool) (status int, shown *value.Value) {
	t.n++
	if t.r.Chosen != "" {
		if !t.free() {
			return 0, nil
		}
		x := t.send("PUT", t.made, t.text(t.body), "application/json")
		if x.Answer == nil || x.Answer.Status/100 != 2 {
			return statusOf(x), nil
		}
		v, _ := t.shown()
		t.discard()
		return statusOf(x), v
	}
	x := t.send("POST", t.base+t.r.Collection, t.text(t.body), "application/json")
	if x.Answer == nil || x.Answer.Status/100 != 2 {
		return statusOf(x), nil
	}
	name := t.gained()
	if said := t.r.nameIn(x.Answer, t.base, t.id); name == "" || said != "" && !strings.EqualFold(said, name) || plain && x.Answer.Status != 201 && x.Answer.Status != t.status {
		// It may be one that was there, and not listed.
		t.left = append(t.left, "one of "+t.r.Collection)
		return x.Answer.Status, nil
	}
	t.made = t.base + strings.ReplaceAll(t.r.itemPath(), "{id}", url.PathEscape(name))
	v, _ := t.shown()
	if v == nil || !plain && !strings.Contains(v.String(), t.turn()) {
		t.left = append(t.left, t.made)
		return x.Answer.Status, nil
	}
	t.discard()
	return x.Answer.Status, v
}

// free takes a fresh name of the client's, and looks that nothing has it.
func (t *trial) free() bool {
	t.made = t.base + t.r.Collection + "/t" + t.turn()
	status := statusOf(t.send("GET", t.made, nil, ""))
	return status == 404 || status == 410
}

// statusOf is the status of an answer, 0 for none.
func statusOf(x *exchange.Exchange) int {
	if x.Answer == nil {
		return 0
	}
	return x.Answer.Status
}
