package draft

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"net/url"
	"path"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/late"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/value"
)

// Send sends one request to the service.
type Send func(method, url string, body []byte, media string) *exchange.Exchange

// FromService looks at a live collection and drafts its resource: by reading
// only, or with writes by making one item and removing it.
// bare sends without the credentials that were given, nil where none were.
func FromService(at string, writes bool, send, bare Send) (*Resource, string, error) {
	u, err := url.Parse(at)
	if err != nil || u.Host == "" {
		return nil, "", fmt.Errorf("%s is not a URL", at)
	}
	base := u.Scheme + "://" + u.Host
	r := &Resource{Collection: strings.TrimSuffix(u.EscapedPath(), "/"), Members: "$[*]", Content: "$", Identity: "$.id", bare: bare}
	parts := strings.Split(strings.Trim(r.Collection, "/"), "/")
	r.Name = Name(parts[len(parts)-1], "items")
	list, err := get(send, base+r.Collection)
	if err != nil {
		return nil, "", err
	}
	members, path, key := listIn(list, "$", 0)
	if members == nil {
		return nil, "", fmt.Errorf("%s answers no list, neither bare nor inside an object", at)
	}
	r.Members = path
	r.Supports = []string{"list"}
	r.pages(send, base+r.Collection, list, members)
	if len(members.Items) == 0 {
		r.Notes = append(r.Notes, "The list is empty, so there was no item to look at: write `make`, `assigned` and `required` yourself.")
		return r, base, nil
	}
	one, other := members.Items[0], members.Items[len(members.Items)-1]
	id := cmp.Or(key, Identity(one))
	if id == "" {
		id = leads(send, base+r.Collection, one)
	}
	if id == "" {
		r.Notes = append(r.Notes, "No member of an item looks like an identity: write `identity` yourself.")
		return r, base, nil
	}
	if id != "id" {
		r.Identity = resource.MemberPath(id)
	}
	r.sample = one
	idv, _ := one.Get(id)
	item := base + r.Collection + "/" + url.PathEscape(idv.Plain())
	r.look(send, base, item, one, other, id)
	t := &trial{r: r, send: send, base: base, sample: r.sample, id: id, there: identities(members, id), first: 100_000 + rand.IntN(700_000)}
	switch {
	case r.candidate != nil && writes:
		t.named()
		r.Harm = t.watch.harm
	case r.Make != nil && writes:
		t.run()
		r.Harm = t.watch.harm
	case r.Make != nil:
		r.Notes = append(r.Notes, "`make` was guessed from an item that is there and not tried; --writes makes one and removes it.")
	}
	return r, base, nil
}

// totalName finds members that count all items.
var totalName = late.Regexp(`(?i)^(total|total_?(count|items|rows|results)|count)$`)

// pages finds how a list pages: by Link, by a cursor, or by numbers that it
// answers to.
func (r *Resource) pages(send Send, at string, list, members *value.Value) {
	all := -1
	if list.Kind == value.Object {
		for i, n := range list.Names {
			if total, ok := list.Items[i].Int(); ok && list.Items[i].Kind == value.Number && totalName().MatchString(n) && total >= len(members.Items) {
				r.Total, all = resource.MemberPath(n), total
				break
			}
		}
	}
	if x := send("GET", at, nil, ""); x.Answer != nil {
		for _, l := range exchange.Links(x.Answer.Header.Values("Link")) {
			if l.Has("next") {
				r.Paging = "by link"
				return
			}
		}
	}
	if len(members.Items) == 0 || r.cursor(send, at, list, members) || all <= len(members.Items) {
		return
	}
	// There is more than is shown: which question shows it?
	first := members.Items[0].String()
	other := func(query string) bool {
		v, err := get(send, at+"?"+query)
		if err != nil {
			return false
		}
		page, _, _ := listIn(v, "$", 0)
		return page != nil && len(page.Items) > 0 && page.Items[0].String() != first
	}
	for _, one := range [][2]string{{"limit", "offset"}, {"limit", "skip"}, {"limit", "start"}} {
		if other(fmt.Sprintf("%s=%d", one[1], len(members.Items))) {
			r.Paging = "by offset " + one[0] + ", " + one[1]
			return
		}
	}
	for _, one := range [][2]string{{"per_page", "page"}, {"perPage", "page"}, {"page_size", "page"}, {"size", "page"}} {
		if other("page=2") && other(one[0]+"=1&page=2") {
			r.Paging = "by page " + one[0] + ", " + one[1] + " from 1"
			return
		}
	}
	r.Notes = append(r.Notes, "The list shows a part of its items: write `paging` yourself.")
}

// cursorName finds members that say where a list goes on.
var cursorName = late.Regexp(`(?i)^(next|next_?(cursor|token|page)|cursor|continue|continuation)$`)

// cursor finds the parameter that takes what a list says of its next page.
func (r *Resource) cursor(send Send, at string, list, members *value.Value) bool {
	for i, n := range list.Names {
		it := list.Items[i]
		if list.Kind != value.Object || !cursorName().MatchString(n) || it.Kind != value.String && it.Kind != value.Number || it.Plain() == "" {
			continue
		}
		for _, name := range []string{"cursor", "after", n, "page_token", "token", "start", "marker"} {
			v, err := get(send, at+"?"+name+"="+url.QueryEscape(it.Plain()))
			if err != nil {
				continue
			}
			if page, _, _ := listIn(v, "$", 0); page != nil && len(page.Items) > 0 && !value.Equal(page.Items[0], members.Items[0]) {
				r.Paging = "by cursor " + name + " from " + resource.MemberPath(n)
				return true
			}
		}
	}
	return false
}

// leads is the member whose value is the name of the item's own path, found by
// asking for it.
func leads(send Send, at string, one *value.Value) string {
	asked := 0
	for i, n := range one.Names {
		it := one.Items[i]
		text := it.Plain()
		if it.Kind != value.String && it.Kind != value.Number || text == "" || strings.ContainsAny(text, " .") || asked == 5 {
			continue
		}
		asked++
		u, err := url.Parse(at)
		if err != nil {
			return ""
		}
		for _, place := range itemPaths(u.EscapedPath()) {
			where := u.Scheme + "://" + u.Host + strings.ReplaceAll(place, "{id}", url.PathEscape(text))
			if v, err := get(send, where); err == nil && contentIn(v, n, it) != nil {
				return n
			}
		}
	}
	return ""
}

func get(send Send, at string) (*value.Value, error) {
	x := send("GET", at, nil, "")
	switch {
	case x.Failure != nil:
		return nil, fmt.Errorf("GET %s: %w", at, x.Failure)
	case x.Answer.Status != 200:
		return nil, fmt.Errorf("GET %s answers %s", at, x.Answer.StatusText())
	}
	v, err := value.Decode(string(x.Answer.Body), value.Limits{Lenient: true})
	if err != nil {
		return nil, fmt.Errorf("GET %s does not answer with JSON: %w", at, err)
	}
	return v, nil
}

// ListIn is the list that an answer holds, and the path of its members; nil for none.
func ListIn(v *value.Value) (list *value.Value, members string) {
	list, members, _ = listIn(v, "$", 0)
	return list, members
}

// listIn finds the list in an answer, and the path of its members: bare, or an array of
// objects inside, or an object that has each item under the name that its member key shows.
func listIn(v *value.Value, at string, deep int) (list *value.Value, members, key string) {
	if v.Kind == value.Array {
		return v, at + "[*]", ""
	}
	if v.Kind != value.Object || deep > 2 {
		return nil, "", ""
	}
	below := func(n string) string { return at + strings.TrimPrefix(resource.MemberPath(n), "$") }
	for i, n := range v.Names {
		if it := v.Items[i]; it.Kind == value.Array && (len(it.Items) == 0 || it.Items[0].Kind == value.Object) {
			return it, below(n) + "[*]", ""
		}
	}
	if key = keyOf(v); key != "" {
		return value.NewArray(v.Items...), at + ".*", key
	}
	for i, n := range v.Names {
		if it := v.Items[i]; it.Kind == value.Object {
			if list, members, key = listIn(it, below(n), deep+1); list != nil {
				return list, members, key
			}
		}
	}
	return nil, "", ""
}

// keyOf is the member that each item of an object shows its own name by; "" where some
// do not.
func keyOf(v *value.Value) string {
	if len(v.Items) == 0 || v.Items[0].Kind != value.Object {
		return ""
	}
	for _, n := range v.Items[0].Names {
		shown := func(i int) bool {
			it, there := v.Items[i].Get(n)
			return there && (it.Kind == value.String || it.Kind == value.Number) && it.Plain() == v.Names[i]
		}
		all := true
		for i := range v.Items {
			all = all && shown(i)
		}
		if all {
			return n
		}
	}
	return ""
}

// look reads one item, and asks what can be done.
func (r *Resource) look(send Send, base, item string, one, other *value.Value, id string) {
	idv, _ := one.Get(id)
	v, err := get(send, item)
	for _, at := range itemPaths(r.Collection)[1:] {
		if err == nil {
			break
		}
		elsewhere := base + strings.ReplaceAll(at, "{id}", url.PathEscape(idv.Plain()))
		if v, err = get(send, elsewhere); err != nil {
			continue
		}
		if item = elsewhere; path.Dir(at) == path.Dir(r.Collection) {
			// The list has a path of its own, beside the items.
			r.List, r.Collection = r.Collection, path.Dir(r.Collection)
		} else {
			r.Item = at
		}
	}
	if err == nil {
		r.Supports = append(r.Supports, "read")
		content := contentIn(v, id, idv)
		if other, ok := memberOf(v, idv); content == nil && ok {
			// The item has another word for it than the list.
			r.Identity, r.InList, content = resource.MemberPath(other), resource.MemberPath(id), &contentAt{"$", v}
		}
		if content == nil {
			r.Notes = append(r.Notes, "The item by itself does not show its identity: write `content` and `identity` yourself.")
		} else {
			r.Content = content.path
			one = content.v
			r.sample = one
		}
	} else {
		r.Notes = append(r.Notes, "An item cannot be read at the collection's path and its identity: write `item` yourself.")
	}
	allow := map[string]bool{}
	told := false
	for _, at := range []string{base + r.Collection, item} {
		if x := send("OPTIONS", at, nil, ""); x.Answer != nil && x.Answer.Status/100 == 2 {
			for _, m := range exchange.SplitList(x.Answer.Header.Values("Allow")...) {
				told = true
				allow[fmt.Sprint(at == item)+m] = true
			}
		}
	}
	if !told {
		r.Notes = append(r.Notes, "OPTIONS does not say which methods there are, so all are assumed: remove from `supports` what is not there.")
	}
	can := func(item bool, method string) bool { return !told || allow[fmt.Sprint(item)+method] }
	notes := r.Notes
	r.examplesFrom(one, other, id)
	if !can(false, "POST") {
		r.candidate = r.Make
		r.Make, r.Notes = nil, notes
		if can(true, "PUT") {
			r.Notes = append(r.Notes, "Items are made by PUT under a name of the client's, it seems: write `identity chosen \"…{turn}\" by "+r.Identity+"`, `make` and `supports … replace` yourself.")
		}
	}
	if r.Make == nil || !can(true, "PUT") {
		r.Remake = nil
	}
	if r.Make == nil || !can(true, "PATCH") {
		r.Amend = nil
	}
	if r.Make == nil {
		r.Required = nil
	}
	for _, s := range []struct {
		word string
		yes  bool
	}{{"create", r.Make != nil}, {"replace", r.Remake != nil}, {"amend", r.Amend != nil}, {"delete", r.Make != nil && can(true, "DELETE")}} {
		if s.yes {
			r.Supports = append(r.Supports, s.word)
		}
	}
}

// memberOf is the member that holds a value.
func memberOf(v, want *value.Value) (string, bool) {
	if v.Kind != value.Object {
		return "", false
	}
	for i, n := range v.Names {
		if value.Equal(v.Items[i], want) {
			return n, true
		}
	}
	return "", false
}

type contentAt struct {
	path string
	v    *value.Value
}

// contentIn is where an item's own answer shows it.
func contentIn(v *value.Value, id string, want *value.Value) *contentAt {
	if got, ok := v.Get(id); ok && value.Equal(got, want) {
		return &contentAt{"$", v}
	}
	if v.Kind != value.Object {
		return nil
	}
	for i, n := range v.Names {
		if got, ok := v.Items[i].Get(id); ok && value.Equal(got, want) {
			return &contentAt{resource.MemberPath(n), v.Items[i]}
		}
	}
	return nil
}

const sameForAll = "No member of `make` differs from item to item: put {turn} into one if items must differ."

// examplesFrom makes the examples of items that are there: without what looks like
// it was set by the service.
func (r *Resource) examplesFrom(one, other *value.Value, id string) {
	make, remake := value.NewObject(), value.NewObject()
	for i, n := range one.Names {
		it := one.Items[i]
		if n == id || varies(n, it) {
			r.Assigned = append(r.Assigned, n)
			continue
		}
		if it.Kind == value.Null {
			continue
		}
		make.Add(n, it)
		if is, ok := other.Get(n); ok && is.Kind == it.Kind {
			it = is
		}
		remake.Add(n, it)
	}
	if len(make.Names) == 0 {
		return
	}
	r.Make = make
	r.Turn = TurnIn(make)
	if r.Turn == "" {
		r.Notes = append(r.Notes, sameForAll)
	}
	r.Remake = varied(remake, make, r.Turn, elsewise(r.Turn))
	// One that another item has otherwise, else a number or a truth, else a text.
	for pass := range 3 {
		for i, n := range remake.Names {
			it := remake.Items[i]
			same := value.Equal(make.Items[i], it)
			fits := []bool{!same && it.Kind < value.Array, it.Kind == value.Bool || it.Kind == value.Number, it.Kind == value.String}[pass]
			if r.Amend == nil && n != r.Turn && it.Kind != value.Null && fits {
				r.Amend = value.NewObject()
				if other := elsewise(r.Turn)(n, it); same && other != nil {
					// An amend that changes nothing proves nothing.
					it = other
				}
				r.Amend.Add(n, it)
			}
		}
	}
	r.Notes = append(r.Notes, "`required` cannot be seen from outside: list the members that must be there.")
}

// elsewise is another value for a member of which nothing is known but what it
// is: a number or a truth, or the text that tells items apart. Another text
// might be one of a few that are allowed.
func elsewise(turn string) func(name string, v *value.Value) *value.Value {
	return func(name string, v *value.Value) *value.Value {
		if v.Kind == value.String && (name != turn || dateForm().MatchString(v.Text)) {
			return nil
		}
		return otherwise(v, &openapi3.Schema{})
	}
}

// identities are those of the items in a list, as they would be in a path,
// without regard to case.
func identities(list *value.Value, id string) map[string]bool {
	out := map[string]bool{}
	for _, one := range list.Items {
		if v, ok := one.Get(id); ok {
			out[strings.ToLower(v.Plain())] = true
		}
	}
	return out
}

// nameIn is the name of the item that an answer to a create shows, or that its
// Location leads to; "" where nothing names exactly one item of the collection.
func (r *Resource) nameIn(a *exchange.Answer, base, id string) string {
	if v, err := value.Decode(string(a.Body), value.Limits{Lenient: true}); err == nil {
		for _, where := range []*value.Value{v, inside(v, r.Content)} {
			if where == nil {
				continue
			}
			if idv, ok := where.Get(id); ok {
				return oneName(idv)
			}
		}
	}
	at, err := url.Parse(a.Header.Get("Location"))
	if err != nil {
		return ""
	}
	from, err := url.Parse(base + r.Collection)
	if err != nil {
		return ""
	}
	to := from.ResolveReference(at)
	last, ok := strings.CutPrefix(to.EscapedPath(), from.EscapedPath()+"/")
	if !ok || to.Host != from.Host {
		return ""
	}
	last, err = url.PathUnescape(strings.TrimSuffix(last, "/"))
	if err != nil || strings.Contains(last, "/") {
		return ""
	}
	return oneName(value.NewString(last))
}

// oneName is a value that can be the last segment of one item's path, else "".
func oneName(v *value.Value) string {
	name := v.Plain()
	if v.Kind != value.String && v.Kind != value.Number || scope.Segment(name) != "" {
		return ""
	}
	return name
}

func inside(v *value.Value, path string) *value.Value {
	name, ok := strings.CutPrefix(path, "$.")
	if !ok {
		return nil
	}
	in, _ := v.Get(name)
	return in
}
