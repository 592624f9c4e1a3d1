package draft

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"

	"usualpath/internal/contract"
	"usualpath/internal/core/late"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/syntax"
)

// describe fills in the resource from its operations.
func (s *Suite) describe(g *collection) {
	_, last, _ := cutLast(g.path)
	g.Name = Name(last, "items")
	if syntax.Reserved(g.Name) {
		g.Name += "_items"
	}
	if g.parent != nil && s.names[g.Name] {
		g.Name = g.parent.Name + "_" + g.Name
	}
	for base, n := g.Name, 2; s.names[g.Name]; n++ {
		g.Name = fmt.Sprintf("%s_%d", base, n)
	}
	if !s.mute {
		s.names[g.Name] = true
	}
	g.Collection = g.first().Base().Path + g.named(g.path)
	if up, _, _ := cutLast(g.item); up != g.path && g.parent == nil {
		g.Item = g.first().Base().Path + g.named(up) + "/{id}"
	}
	if g.parent != nil {
		g.Under = g.parent.Name
		g.Collection = strings.ReplaceAll(g.parent.itemPath(), "{id}", "{"+g.parent.Name+".id}") + "/" + last
	}
	if g.orphan {
		return
	}
	for _, w := range []string{"list", "create", "read", "replace", "amend", "delete"} {
		op := g.ops[w]
		if op == nil {
			continue
		}
		g.Supports = append(g.Supports, w)
		t := Told{}
		status, response := success(op)
		t.Status = status
		if response != nil {
			if m, name := bodyOf(response.Content); m != nil && m.Schema != nil {
				t.Shape = shapeOf(m.Schema)
				t.Accept = accepts(name)
			}
			t.Headers, t.described = promised(response), slices.Collect(maps.Keys(response.Headers))
		}
		for _, p := range op.Params {
			if p.Value == nil || !p.Value.Required || p.Value.In == "path" {
				continue
			}
			lines, ok := s.detail(op, p.Value)
			if !ok {
				continue
			}
			t.Lines = append(t.Lines, lines...)
			if p.Value.In != "header" {
				s.left(missing, "a resource statement cannot say that a "+p.Value.In+" parameter is needed: skip what that spoils", op.Title()+" ("+p.Value.Name+")")
				continue
			}
			for _, l := range lines {
				if l = strings.TrimSpace(l); !slices.Contains(g.Headers, l) {
					g.Headers = append(g.Headers, l)
				}
			}
		}
		g.told[w] = t
	}
	item := g.answers(s)
	g.bodies(s, item)
	g.pages(item)
	g.statuses()
	s.public(g)
	if g.Make == nil {
		if op := g.ops["replace"]; g.ops["create"] == nil && op != nil {
			s.left(hint, "whoever sends it seems to choose the name of what it makes: write `identity chosen \"…{turn}\" by PATH`, `make` and `supports … replace` into the resource", op.Title())
		}
		if op := g.ops["create"]; op != nil {
			s.left(missing, "no body is described that a resource could be made with", op.Title())
		}
		// Only what was made is written to.
		g.Remake, g.Amend = nil, nil
		g.Supports = slices.DeleteFunc(g.Supports, func(w string) bool { return w != "list" && w != "read" })
	}
	if !slices.Contains(g.Supports, "list") && g.Make == nil {
		// An item alone says nothing of a collection.
		g.Supports = nil
	}
}

// answers finds members, content and identity in the answers, and gives the
// schema of an item.
func (g *collection) answers(s *Suite) *openapi3.Schema {
	answer := func(w string) *openapi3.Schema {
		if op := g.ops[w]; op != nil {
			if _, r := success(op); r != nil {
				if m, _ := bodyOf(r.Content); m != nil && m.Schema != nil {
					return flat(m.Schema)
				}
			}
		}
		return nil
	}
	item := &openapi3.Schema{}
	made, read := answer("create"), answer("read")
	for _, one := range []*openapi3.Schema{made, read} {
		if one != nil {
			item = one
			g.Content = "$"
			if at, in := g.itemIn(one); in != nil {
				g.Content, item = at, in
			}
		}
	}
	if list := answer("list"); list != nil {
		at, entries := g.listIn(list)
		if entries != nil {
			g.Members = at + "[*]"
			if len(item.Properties) == 0 && entries.Items != nil {
				item = flat(entries.Items)
			}
		}
	}
	id := g.idIn(item)
	if id == "" {
		// A parameter with a name of its own is likely that of the member.
		id = "$.id"
		if lean := strings.ToLower(g.param); !strings.HasSuffix(lean, "id") && syntax.IsName(g.param) {
			id = "$." + g.param
		}
		s.left(guessed, "no described answer shows which member is the identity, so "+id+" was taken", g.item)
	}
	g.Identity = id
	if g.ops["create"] == nil {
		return item
	}
	// Where the answer to a create names what it has made.
	t := g.told["create"]
	located := slices.ContainsFunc(t.described, func(n string) bool { return strings.EqualFold(n, "Location") })
	at := ""
	if made != nil {
		if content, in := g.itemIn(made); in != nil {
			at = content + strings.TrimPrefix(g.idIn(in), "$")
		} else if own := g.idIn(made); own != "" {
			at = own
		}
	}
	switch {
	case at != "":
		t.Keep = at
		if at != g.itemsOwn() {
			g.InCreate = at
		}
	case located:
		t.Keep, g.InCreate = "header Location last segment", "header Location"
	default:
		t.Keep = g.itemsOwn() + " or header Location last segment"
		s.left(guessed, "the answer to the create does not describe the identity of what was made: it is taken from the body, or from Location", g.ops["create"].Title())
	}
	g.told["create"] = t
	return item
}

// keyNames are members that may hold an identity by themselves, where the parameter ends
// in them.
var keyNames = []string{"id", "gid", "uid", "uuid", "guid", "key", "code", "slug", "number", "login", "handle", "name", "ref"}

// idIn is the member of an item that its path names, "" for none that is plain.
func (g *collection) idIn(item *openapi3.Schema) string {
	if item == nil {
		return ""
	}
	lean := func(n string) string { return strings.NewReplacer("_", "", "-", "").Replace(strings.ToLower(n)) }
	param, one := lean(g.param), lean(singular(g.Name))
	var best string
	score := 0
	for n, p := range item.Properties {
		is := flat(p)
		if t := typeName(is); t == "object" || t == "array" || t == "boolean" {
			continue
		}
		at := 0
		switch have := lean(n); {
		case n == g.param && n != "name":
			at = 9
		case n == "id":
			at = 8
		case have == param:
			at = 7
		case have == one+"id" || have == one+"uuid" || have == one+"key":
			at = 6
		case n == "_id" || have == "uuid" || have == "guid":
			at = 5
		case len(have) > 1 && strings.HasSuffix(param, have) && slices.Contains(keyNames, have):
			at = 4
		}
		if at > score || at == score && at > 0 && n < best {
			best, score = n, at
		}
	}
	if best != "" {
		return resource.MemberPath(best)
	}
	for _, n := range []string{"metadata", "meta", "attributes"} {
		if in := flat(item.Properties[n]); in.Properties[g.param] != nil && syntax.IsName(n) {
			return "$." + n + strings.TrimPrefix(resource.MemberPath(g.param), "$")
		}
	}
	return ""
}

// itemIn is the one object inside an answer that holds the item.
func (g *collection) itemIn(s *openapi3.Schema) (string, *openapi3.Schema) {
	if g.idIn(s) != "" {
		return "", nil
	}
	list := members(s)
	// The usual names first.
	for i, n := range []string{"data", "item", "result", singular(g.Name)} {
		if at := slices.Index(list, n); at > i {
			list = slices.Insert(slices.Delete(list, at, at+1), 0, n)
		}
	}
	for _, n := range list {
		if in := flat(s.Properties[n]); typeName(in) == "object" && g.idIn(in) != "" {
			return resource.MemberPath(n), in
		}
	}
	return "", nil
}

// listNames are members that hold the list of a wrapped answer, the likeliest first.
var listNames = []string{"data", "items", "results", "values", "entries", "records", "rows", "content", "list"}

// listIn is where an answer holds the list of items, and its schema; nil for nowhere.
func (g *collection) listIn(s *openapi3.Schema) (string, *openapi3.Schema) {
	if typeName(s) == "array" {
		return "$", s
	}
	var best *openapi3.Schema
	at, score := "", -1
	look := func(path string, in *openapi3.Schema) {
		for _, n := range members(in) {
			p := flat(in.Properties[n])
			if typeName(p) != "array" {
				continue
			}
			this := 1
			switch i := slices.Index(listNames, n); {
			case n == g.Name:
				this = 20
			case i >= 0:
				this = 15 - i
			case p.Items != nil && typeName(flat(p.Items)) == "object":
				this = 2
			}
			if this > score {
				best, at, score = p, path+strings.TrimPrefix(resource.MemberPath(n), "$"), this
			}
		}
	}
	look("$", s)
	if best == nil {
		for _, n := range members(s) {
			if in := flat(s.Properties[n]); typeName(in) == "object" {
				look(resource.MemberPath(n), in)
			}
		}
	}
	return at, best
}

// pages finds how the list is walked, its total, and a filter.
func (g *collection) pages(item *openapi3.Schema) {
	op := g.ops["list"]
	if op == nil {
		return
	}
	has := func(names ...string) string {
		for _, n := range names {
			if slices.ContainsFunc(op.Params, func(p *openapi3.ParameterRef) bool {
				return p.Value != nil && p.Value.In == "query" && p.Value.Name == n
			}) {
				return n
			}
		}
		return ""
	}
	size := has("limit", "per_page", "perPage", "page_size", "pageSize", "size", "page[size]", "page[limit]", "count", "top", "$top", "take", "maxResults", "max_results")
	switch offset, page := has("offset", "skip", "$skip", "start", "startAt", "page[offset]"), has("page", "page_number", "pageNumber", "page[number]"); {
	case size != "" && offset != "":
		g.Paging = "by offset " + fieldName(size) + ", " + fieldName(offset)
	case page != "":
		from := 1
		for _, p := range op.Params {
			if p.Value != nil && p.Value.Name == page {
				if is := flat(p.Value.Schema); fmt.Sprint(is.Default) == "0" || is.Min != nil && *is.Min == 0 {
					from = 0
				}
			}
		}
		if size != "" {
			page = fieldName(size) + ", " + fieldName(page)
		} else {
			page = fieldName(page)
		}
		g.Paging = fmt.Sprintf("by page %s from %d", page, from)
	}
	_, r := success(op)
	if r == nil {
		return
	}
	m, _ := bodyOf(r.Content)
	if m == nil || m.Schema == nil {
		return
	}
	answer := flat(m.Schema)
	for _, n := range []string{"total", "total_count", "totalCount", "totalItems", "total_items"} {
		if p := answer.Properties[n]; p != nil && g.Members != "$[*]" && typeName(flat(p)) == "integer" {
			g.Total = resource.MemberPath(n)
			break
		}
	}
	if cursor := has("cursor", "after", "page_token", "pageToken", "next_token", "starting_after", "continue", "marker"); g.Paging == "" && cursor != "" {
		for _, n := range []string{"next_cursor", "nextCursor", "next_page_token", "nextPageToken", "next_token", "cursor", "next"} {
			if p := answer.Properties[n]; p != nil && typeName(flat(p)) == "string" {
				g.Paging = "by cursor " + fieldName(cursor) + " from " + resource.MemberPath(n)
				break
			}
		}
	}
	if _, linked := r.Headers["Link"]; linked && g.Paging == "" {
		g.Paging = "by link"
	}
	for _, p := range op.Params {
		if p.Value == nil || p.Value.In != "query" || g.Make == nil || g.Filter != "" {
			continue
		}
		// A text may be searched for; one of few values is compared.
		is := flat(item.Properties[p.Value.Name])
		v, sent := g.Make.Get(p.Value.Name)
		if sent && (len(is.Enum) > 0 || typeName(is) == "boolean") && v.Plain() != "" && inLine(v.Plain()) == v.Plain() && !strings.ContainsAny(v.Plain(), "{\"#\\") {
			g.Filter = fieldName(p.Value.Name) + " = " + v.Plain()
		}
	}
}

// usually are the statuses of success that are accepted anyway.
var usually = map[string][]string{"list": {"200"}, "create": {"201"}, "replace": {"200", "202", "204"}, "amend": {"200", "202", "204"}, "delete": {"200", "202", "204"}}

// statuses says which answers are described where others would be expected: of the
// operations, of what is missing, and of what is refused.
func (g *collection) statuses() {
	var out []string
	for _, w := range []string{"list", "create", "replace", "amend", "delete"} {
		op := g.ops[w]
		if op == nil || !slices.Contains(g.Supports, w) {
			continue
		}
		status, _ := success(op)
		list := strings.Split(status, " or ")
		// A class, or a default, says nothing narrower.
		if status != "" && !strings.Contains(status, "x") && slices.ContainsFunc(list, func(s string) bool { return !slices.Contains(usually[w], s) }) {
			out = append(out, w+" "+status)
		}
	}
	only := func(what string, op *contract.Operation, of ...string) {
		if op == nil || op.Spec.Responses == nil || describes(op, "4XX", "4xx", "default") {
			return
		}
		var said []string
		for _, s := range of {
			if describes(op, s) {
				said = append(said, s)
			}
		}
		if len(said) > 0 && len(said) < len(of) && !(what == "missing" && said[0] == "404") {
			out = append(out, what+" "+strings.Join(said, " or "))
		}
	}
	only("missing", g.ops["read"], "404", "410")
	only("invalid", g.ops["create"], "400", "409", "422")
	g.Answers = strings.Join(out, ", ")
}

// promised are the headers that an answer must have.
func promised(r *openapi3.Response) []string {
	var out []string
	for h, v := range r.Headers {
		if v.Value != nil && v.Value.Required && syntax.IsMethod(h) {
			out = append(out, h)
		}
	}
	slices.Sort(out)
	return out
}

// statusKey is how a document says a status, or a class of them.
var statusKey = late.Regexp(`^[1-5]([0-9][0-9]|XX|xx)$`)

// success are the statuses of success, and the answer of the first.
func success(op *contract.Operation) (string, *openapi3.Response) {
	if op.Spec.Responses == nil {
		return "", nil
	}
	var keys []string
	for k := range op.Spec.Responses.Map() {
		if strings.HasPrefix(k, "2") && statusKey().MatchString(k) {
			keys = append(keys, k)
		}
	}
	slices.Sort(keys)
	if len(keys) == 0 {
		return "", nil
	}
	var first *openapi3.Response
	if r := op.Spec.Responses.Value(keys[0]); r != nil {
		first = r.Value
	}
	for i, k := range keys {
		keys[i] = strings.ReplaceAll(k, "X", "x")
	}
	return strings.Join(keys, " or "), first
}

// plain is a path of a document with nothing in it that a path of the language does not
// have.
func plain(path string) string { return strings.NewReplacer("{", `\{`).Replace(path) }
