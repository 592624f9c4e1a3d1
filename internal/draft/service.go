package draft

import (
	"fmt"
	"net/url"
	"slices"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/value"
)

// Send sends one request to the service.
type Send func(method, url string, body []byte, media string) *exchange.Exchange

// FromService looks at a live collection and drafts its resource: by reading
// only, or with writes by making one item and removing it.
func FromService(at string, writes bool, send Send) (*Resource, string, error) {
	u, err := url.Parse(at)
	if err != nil || u.Host == "" {
		return nil, "", fmt.Errorf("%s is not a URL", at)
	}
	base := u.Scheme + "://" + u.Host
	r := &Resource{Collection: strings.TrimSuffix(u.EscapedPath(), "/"), Members: "$[*]", Content: "$", Identity: "$.id"}
	parts := strings.Split(strings.Trim(r.Collection, "/"), "/")
	r.Name = Name(parts[len(parts)-1], "items")
	list, err := get(send, base+r.Collection)
	if err != nil {
		return nil, "", err
	}
	members, path := listIn(list, "$", 0)
	if members == nil {
		return nil, "", fmt.Errorf("%s answers no list, neither bare nor inside an object", at)
	}
	if path != "$" {
		r.Members = path + "[*]"
	}
	r.Supports = []string{"list"}
	if len(members.Items) == 0 {
		r.Notes = append(r.Notes, "The list is empty, so there was no item to look at: write `make`, `assigned` and `required` yourself.")
		return r, base, nil
	}
	one, other := members.Items[0], members.Items[len(members.Items)-1]
	id := Identity(one)
	if id == "" {
		id = leads(send, base+r.Collection, one)
	}
	if id == "" {
		r.Notes = append(r.Notes, "No member of an item looks like an identity: write `identity` yourself.")
		return r, base, nil
	}
	if id != "id" {
		r.Identity = "$." + id
	}
	idv, _ := one.Get(id)
	item := base + r.Collection + "/" + url.PathEscape(idv.Plain())
	r.look(send, base, item, one, other, id)
	if r.Make != nil && writes {
		r.tryOut(send, base, id, identities(members, id))
	} else if r.Make != nil {
		r.Notes = append(r.Notes, "`make` was guessed from an item that is there and not tried; --writes makes one and removes it.")
	}
	return r, base, nil
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
		if v, err := get(send, at+"/"+url.PathEscape(text)); err == nil && contentIn(v, n, it) != nil {
			return n
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

// listIn finds the list in an answer: bare, or an array of objects inside.
func listIn(v *value.Value, at string, deep int) (*value.Value, string) {
	if v.Kind == value.Array {
		return v, at
	}
	if v.Kind != value.Object || deep > 2 {
		return nil, ""
	}
	for pass := range 2 {
		for i, n := range v.Names {
			it := v.Items[i]
			if pass == 0 && it.Kind == value.Array && (len(it.Items) == 0 || it.Items[0].Kind == value.Object) {
				return it, at + "." + n
			}
			if pass == 1 && it.Kind == value.Object {
				if list, path := listIn(it, at+"."+n, deep+1); list != nil {
					return list, path
				}
			}
		}
	}
	return nil, ""
}

// look reads one item, and asks what can be done.
func (r *Resource) look(send Send, base, item string, one, other *value.Value, id string) {
	idv, _ := one.Get(id)
	if v, err := get(send, item); err == nil {
		r.Supports = append(r.Supports, "read")
		content := contentIn(v, id, idv)
		if content == nil {
			r.Notes = append(r.Notes, "The item by itself does not show its identity: write `content` and `identity` yourself.")
		} else {
			r.Content = content.path
			one = content.v
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
			return &contentAt{"$." + n, v.Items[i]}
		}
	}
	return nil
}

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
	r.Turn = turnIn(make)
	if r.Turn == "" {
		r.Notes = append(r.Notes, "No member of `make` differs from item to item: put {turn} into one if items must differ.")
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
		if v.Kind == value.String && (name != turn || dateForm.MatchString(v.Text)) {
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

// triedTurn tells what is made to try `make` from what was there.
const triedTurn = "731902"

// tryOut makes one item with the drafted example, and removes it again. there
// are the items that were listed before; they are not touched.
func (r *Resource) tryOut(send Send, base, id string, there map[string]bool) {
	text := strings.ReplaceAll(r.example(r.Make), "{turn}", triedTurn)
	text = strings.ReplaceAll(text, `\{`, "{")
	x := send("POST", base+r.Collection, []byte(text), "application/json")
	if x.Answer == nil || x.Answer.Status/100 != 2 {
		says := "no answer"
		if x.Answer != nil {
			says = x.Answer.StatusText() + " " + value.Cut(strings.Join(strings.Fields(string(x.Answer.Body)), " "), 120)
		}
		r.Notes = append(r.Notes, "`make` was tried and refused ("+says+"): mend it.")
		return
	}
	name := r.nameIn(x.Answer, base, id)
	switch {
	case name == "":
		r.Notes = append(r.Notes, "`make` was tried and accepted, but nothing told which item it made: it is still there.")
		return
	case there[strings.ToLower(name)]:
		r.Notes = append(r.Notes, "`make` was tried, and the answer names an item that was there before ("+name+"): that item was left as it is, and what was made, if anything, is still there.")
		return
	}
	at := base + r.Collection + "/" + url.PathEscape(name)
	if r.Turn != "" && slices.Contains(r.Supports, "read") {
		if x := send("GET", at, nil, ""); x.Answer == nil || !strings.Contains(string(x.Answer.Body), triedTurn) {
			r.Notes = append(r.Notes, "`make` was tried, and the item that the answer names ("+name+") does not show what was sent: it was left as it is.")
			return
		}
	}
	gone := send("DELETE", at, nil, "")
	if gone.Answer == nil || gone.Answer.Status/100 != 2 {
		r.Notes = append(r.Notes, "The item that was made to try `make` could not be removed: "+at)
		r.Supports = slices.DeleteFunc(r.Supports, func(s string) bool { return s == "delete" })
	}
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
