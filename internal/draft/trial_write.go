package draft

import (
	"net/url"
	"slices"
	"strings"

	"usualpath/internal/core/resource"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// named tries whether items are made by PUT under a name of the client's.
func (t *trial) named() {
	t.dropped, t.added = map[string]bool{}, map[string]bool{}
	t.begin()
	// The name itself is in the path, and no member of the body.
	t.body = t.r.candidate
	if _, has := t.body.Get(t.id); has {
		t.drop(t.id)
	}
	t.r.Turn = TurnIn(t.body)
	t.byName()
	t.sweep()
}

// compare sorts the members by what became of them: assigned, hidden, volatile.
func (t *trial) compare() {
	r := t.r
	v, _ := t.shown()
	again, _ := t.shown()
	if v == nil || v.Kind != value.Object || again == nil {
		return
	}
	t.inList(v)
	r.Assigned = nil
	sent, err := value.Decode(string(t.text(t.body)), value.Limits{})
	if err != nil {
		return
	}
	for i, n := range v.Names {
		if now, ok := again.Get(n); ok && !value.Equal(now, v.Items[i]) {
			r.Volatile = append(r.Volatile, resource.MemberPath(n))
		}
		was, ok := sent.Get(n)
		switch {
		case !ok:
			r.Assigned = append(r.Assigned, n)
		case !value.Equal(was, v.Items[i]) && n != r.Turn && r.Keys[n] == "" && !t.added[n]:
			// The service has its own.
			t.drop(n)
			r.Assigned = append(r.Assigned, n)
		}
	}
	for _, n := range sent.Names {
		if _, ok := v.Get(n); ok {
			continue
		}
		if _, other := t.sample.Get(n); other {
			// Others show it: it is not what a client sends.
			t.drop(n)
			continue
		}
		r.Hidden = append(r.Hidden, n)
	}
	r.Make = t.body
	r.Remake = varied(t.body, t.body, r.Turn, elsewise(r.Turn))
	r.Amend = nil
	if one := one(r.Remake, t.body, r.Turn); one != nil {
		r.Amend = one
	}
}

// writes tries a replace and an amend.
func (t *trial) writes() {
	r := t.r
	supports := func(word string, yes bool) {
		r.Supports = slices.DeleteFunc(r.Supports, func(s string) bool { return s == word })
		if yes {
			r.Supports = append(r.Supports, word)
		}
	}
	ok := r.Remake != nil && t.write("PUT", t.text(r.Remake), "application/json")
	if supports("replace", ok); !ok {
		r.Remake = nil
	}
	ok = false
	if r.Amend != nil {
		body := []byte(Body(r.Amend))
		ok = t.write("PATCH", body, "application/merge-patch+json") || t.write("PATCH", body, "application/json")
	}
	if supports("amend", ok); !ok {
		r.Amend = nil
	}
}

// write sends a write, with what it must carry once that is known.
func (t *trial) write(method string, body []byte, media string) bool {
	x := t.send(method, t.made+t.carried(method), t.carrying(body), media)
	if x.Answer == nil {
		return false
	}
	if x.Answer.Status/100 == 2 {
		return true
	}
	if t.r.Revision != "" || !slices.Contains([]int{400, 409, 412, 428}, x.Answer.Status) {
		return false
	}
	// It may want the revision of the item, in a member of its own.
	v, _ := t.shown()
	if v == nil {
		return false
	}
	for _, n := range v.Names {
		if lower := strings.Trim(strings.ToLower(n), "_"); !slices.Contains([]string{"rev", "revision", "version", "etag"}, lower) {
			continue
		}
		t.revision = n
		x = t.send(method, t.made+t.carried(method), t.carrying(body), media)
		if x.Answer != nil && x.Answer.Status/100 == 2 {
			at := resource.MemberPath(n)
			t.r.Revision = at + " as " + at
			t.r.Volatile = append(t.r.Volatile, at)
			t.r.Assigned = slices.DeleteFunc(t.r.Assigned, func(s string) bool { return s == n })
			return true
		}
		t.revision = ""
	}
	return false
}

// carrying is a body with the revision that is current.
func (t *trial) carrying(body []byte) []byte {
	if t.revision == "" || body == nil {
		return body
	}
	v, err := value.Decode(string(body), value.Limits{})
	now, _ := t.shown()
	if err != nil || now == nil {
		return body
	}
	if rev, ok := now.Get(t.revision); ok {
		v.Add(t.revision, rev)
	}
	return []byte(v.JSON())
}

// carried is the query with which a delete carries the revision.
func (t *trial) carried(method string) string {
	if t.revision == "" || method != "DELETE" {
		return ""
	}
	now, _ := t.shown()
	if now == nil {
		return ""
	}
	if rev, ok := now.Get(t.revision); ok {
		return "?" + strings.Trim(t.revision, "_") + "=" + url.QueryEscape(rev.Plain())
	}
	return ""
}

// remove takes the item away, and looks that it is gone.
func (t *trial) remove() bool {
	before, _ := t.shown()
	query := t.carried("DELETE")
	x := t.send("DELETE", t.made+query, nil, "")
	if x.Answer == nil || x.Answer.Status/100 != 2 {
		t.left = append(t.left, t.made)
		t.r.Supports = slices.DeleteFunc(t.r.Supports, func(s string) bool { return s == "delete" })
		return false
	}
	if query != "" {
		t.r.Revision += " on delete as query " + strings.Trim(t.revision, "_")
	}
	after, a := t.shown()
	if after == nil || a == nil || before == nil {
		return true
	}
	// Still there: in another state, or as if nothing had been said.
	if changed := difference(before, after); changed != "" {
		t.r.Gone = changed
		return true
	}
	t.left = append(t.left, t.made)
	return false
}

// difference is the shape of what has changed in an item, "" for nothing.
func difference(before, after *value.Value) string {
	for i, n := range after.Names {
		was, ok := before.Get(n)
		it := after.Items[i]
		switch {
		case ok && value.Equal(was, it) || varies(n, it):
		case it.Kind == value.Object && ok && was.Kind == value.Object:
			if inner := difference(was, it); inner != "" {
				return "{ " + syntax.Quoted(n) + ": " + inner + ", ... }"
			}
		case it.Kind < value.Array:
			return "{ " + syntax.Quoted(n) + ": " + Body(it) + ", ... }"
		}
	}
	return ""
}

// discard takes one more item away.
func (t *trial) discard() {
	if x := t.send("DELETE", t.made+t.carried("DELETE"), nil, ""); x.Answer == nil || x.Answer.Status/100 != 2 {
		t.left = append(t.left, t.made)
	}
}

// byName tries whether PUT makes an item under a name of the client's.
func (t *trial) byName() bool {
	r := t.r
	if !t.free() {
		return false
	}
	t.turns = slices.Clone(turnForms[1:])
	taken := false
	for range mostTries {
		x := t.send("PUT", t.made, t.text(t.body), "application/json")
		if taken = statusOf(x)/100 == 2; taken || x.Answer == nil || !t.adapt(x.Answer) {
			break
		}
	}
	if !taken {
		return false
	}
	v, _ := t.shown()
	if v == nil {
		t.left = append(t.left, t.made)
		return true
	}
	r.Chosen, r.Make = "t{turn}", t.body
	t.compare()
	r.Supports = []string{"list", "read", "replace"}
	if r.Amend != nil && t.write("PATCH", []byte(Body(r.Amend)), "application/json") {
		r.Supports = append(r.Supports, "amend")
	} else {
		r.Amend = nil
	}
	if t.remove() {
		r.Supports = append(r.Supports, "delete")
		t.required()
	}
	r.Notes = slices.DeleteFunc(r.Notes, func(s string) bool { return strings.HasPrefix(s, "Items are made by PUT") })
	return true
}
