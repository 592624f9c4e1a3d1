package draft

import (
	"fmt"
	"net/url"
	"path"
	"slices"
	"strings"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/value"
)

// mostPages bounds how far a list is walked.
const mostPages = 100

// listed are the members of the list now, as far as its pages can be walked.
func (t *trial) listed() []*value.Value {
	at := t.base + t.r.Collection
	if t.r.List != "" {
		at = t.base + t.r.List
	}
	var out []*value.Value
	way := strings.Fields(strings.ReplaceAll(t.r.Paging, ",", ""))
	for page, next := 1, at; next != "" && page <= mostPages; page++ {
		x := t.send("GET", next, nil, "")
		if x.Answer == nil || x.Answer.Status != 200 {
			break
		}
		v, err := value.Decode(string(x.Answer.Body), value.Limits{Lenient: true})
		if err != nil {
			break
		}
		members, _, _ := listIn(v, "$", 0)
		if members == nil || len(members.Items) == 0 {
			break
		}
		out = append(out, members.Items...)
		next = ""
		switch {
		case len(way) < 2:
		case way[1] == "cursor":
			if further, ok := v.Get(strings.TrimPrefix(way[4], "$.")); ok && further.Kind != value.Null && further.Plain() != "" {
				next = at + "?" + way[2] + "=" + url.QueryEscape(further.Plain())
			}
		case way[1] == "link":
			next = linked(at, x.Answer)
		case way[1] == "offset":
			next = fmt.Sprintf("%s?%s=%d", at, way[3], len(out))
		case way[1] == "page":
			next = fmt.Sprintf("%s?%s=%d", at, way[3], page+1)
		}
	}
	return out
}

// linked is where Link: rel="next" leads (RFC 8288), on the same host.
func linked(from string, a *exchange.Answer) string {
	base, err := url.Parse(from)
	if err != nil {
		return ""
	}
	for _, l := range exchange.Links(a.Header.Values("Link")) {
		if to, err := base.Parse(l.Target); err == nil && l.Has("next") && to.Host == base.Host {
			return to.String()
		}
	}
	return ""
}

// gained is the identity of the one item that the list has gained.
func (t *trial) gained() string {
	var fresh, telling []string
	for _, m := range t.listed() {
		idv, ok := m.Get(t.id)
		if !ok || t.there[strings.ToLower(idv.Plain())] || oneName(idv) == "" {
			continue
		}
		fresh = append(fresh, idv.Plain())
		if strings.Contains(m.String(), t.turn()) {
			telling = append(telling, idv.Plain())
		}
	}
	if len(telling) == 1 {
		return telling[0]
	}
	if len(fresh) == 1 {
		return fresh[0]
	}
	return ""
}

// identify finds the item that a create has made, and where the answer shows it.
func (t *trial) identify(x *exchange.Exchange) bool {
	r := t.r
	name := t.gained()
	if name == "" && strings.Contains(strings.Trim(r.Collection, "/"), "/") && r.List == "" {
		// The list may have a path of its own, below where items are made.
		r.List, r.Collection = r.Collection, path.Dir(r.Collection)
		t.n++
		if x = t.send("POST", t.base+r.Collection, t.text(t.body), "application/json"); x.Answer != nil && x.Answer.Status/100 == 2 {
			name = t.gained()
		}
		if name == "" {
			r.Collection, r.List = r.List, ""
		}
	}
	if name == "" {
		if x.Answer != nil {
			name = r.nameIn(x.Answer, t.base, t.id)
		}
		switch {
		case name == "":
			r.Notes = append(r.Notes, "`make` was tried and accepted, but nothing told which item it made: it is still there.")
			return false
		case t.there[strings.ToLower(name)]:
			r.Notes = append(r.Notes, "`make` was tried, and the answer names an item that was there before ("+name+"): that item was left as it is, and what was made, if anything, is still there.")
			return false
		}
	}
	if body, err := value.Decode(string(x.Answer.Body), value.Limits{Lenient: true}); err == nil {
		if at := pathOf(body, name, "$", 0); at != "" && at != r.itemsOwn() {
			r.InCreate = at
		} else if at == "" {
			r.InCreate = t.locates(x.Answer, name)
		}
	} else {
		r.InCreate = t.locates(x.Answer, name)
	}
	item := ""
	for _, at := range t.places(name, x.Answer) {
		if v, err := get(t.send, t.base+strings.ReplaceAll(at, "{id}", url.PathEscape(name))); err == nil && strings.Contains(v.String(), t.turn()) {
			item = at
			break
		}
	}
	if item == "" {
		r.Notes = append(r.Notes, "`make` was tried and made "+name+", which could not be read anywhere likely, or does not show what was sent: write `item` yourself.")
		return false
	}
	if item != r.Collection+"/{id}" {
		r.Item = item
	}
	if !slices.Contains(r.Supports, "read") {
		r.Supports = append(r.Supports, "read")
	}
	t.made = t.base + strings.ReplaceAll(item, "{id}", url.PathEscape(name))
	t.open("read", t.made)
	r.Notes = slices.DeleteFunc(r.Notes, func(n string) bool {
		return strings.Contains(n, "write `item` yourself") && !strings.Contains(n, "was tried") || strings.HasPrefix(n, "OPTIONS does not say")
	})
	return true
}

// pathOf is where a value stands in an answer, "" for nowhere.
func pathOf(v *value.Value, text, at string, deep int) string {
	if v.Kind != value.Object || deep > 2 {
		return ""
	}
	for i, n := range v.Names {
		if it := v.Items[i]; (it.Kind == value.String || it.Kind == value.Number) && it.Plain() == text {
			return at + strings.TrimPrefix(resource.MemberPath(n), "$")
		}
	}
	for i, n := range v.Names {
		if found := pathOf(v.Items[i], text, at+strings.TrimPrefix(resource.MemberPath(n), "$"), deep+1); found != "" {
			return found
		}
	}
	return ""
}

// locates is the header that leads to a new item, when one does.
func (t *trial) locates(a *exchange.Answer, name string) string {
	u, err := url.Parse(a.Header.Get("Location"))
	if err == nil && path.Base(strings.TrimSuffix(u.Path, "/")) == name {
		return "header Location"
	}
	return ""
}

// open notes an operation that needs no credentials, where some were given.
func (t *trial) open(operation, at string) {
	if t.r.bare == nil {
		return
	}
	if x := t.r.bare("GET", at, nil, ""); x.Answer != nil && x.Answer.Status == 200 {
		t.r.Public = append(t.r.Public, operation)
	}
}

// places are the paths at which an item may be.
func (t *trial) places(name string, a *exchange.Answer) []string {
	r := t.r
	out := itemPaths(r.Collection)
	if r.Item != "" {
		out = append([]string{r.Item}, out...)
	}
	if u, err := url.Parse(a.Header.Get("Location")); err == nil && strings.HasSuffix(strings.TrimSuffix(u.Path, "/"), "/"+name) {
		out = append(out, strings.TrimSuffix(strings.TrimSuffix(u.Path, "/"), name)+"{id}")
	}
	return out
}

// itemPaths are the paths at which the items of a collection may be.
func itemPaths(collection string) []string {
	out := []string{collection + "/{id}"}
	if one := singular(path.Base(collection)); one != path.Base(collection) {
		out = append(out, path.Dir(collection)+"/"+one+"/{id}")
	}
	if up := path.Dir(collection); up != "/" && up != "." {
		out = append(out, up+"/{id}")
	}
	return out
}

// shown is the item as it reads now, nil when it cannot be read.
func (t *trial) shown() (*value.Value, *exchange.Answer) {
	x := t.send("GET", t.made, nil, "")
	if x.Answer == nil || x.Answer.Status != 200 {
		return nil, x.Answer
	}
	v, err := value.Decode(string(x.Answer.Body), value.Limits{Lenient: true})
	if err != nil {
		return nil, x.Answer
	}
	if in := inside(v, t.r.Content); in != nil {
		v = in
	}
	return v, x.Answer
}

// inList tells the identity in the item from that in the list.
func (t *trial) inList(item *value.Value) {
	r := t.r
	name := path.Base(t.made)
	if plain, err := url.PathUnescape(name); err == nil {
		name = plain
	}
	if at := pathOf(item, name, "$", 1); at != "" && at != resource.MemberPath(t.id) {
		r.Identity, r.InList = at, resource.MemberPath(t.id)
	}
}
