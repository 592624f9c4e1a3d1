package draft

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"

	"usualpath/internal/contract"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// Suite is a project drafted from a document.
type Suite struct {
	// Files are the texts by name.
	Files map[string]string
	// Names are the files, and what each holds, in order.
	Names []string
	// Left is what could not be drafted, or had to be guessed.
	Left []string
	// Resources counts what was drafted.
	Resources, Scenarios int
}

func (s *Suite) left(form string, args ...any) {
	if text := fmt.Sprintf(form, args...); !slices.Contains(s.Left, text) {
		s.Left = append(s.Left, text)
	}
}

// collection is a collection of a document with the operations that belong to it.
type collection struct {
	*Resource
	parent *collection
	ops    map[string]*contract.Operation
	told   map[string]Told
	// param is the name of the item's parameter.
	param string
	// path and item are as in the document, without a server's path.
	path, item string
}

// words are the operations of a resource by method, for the collection and for
// an item.
var words = map[bool]map[string]string{
	false: {"GET": "list", "POST": "create"},
	true:  {"GET": "read", "PUT": "replace", "PATCH": "amend", "DELETE": "delete"},
}

// FromOpenAPI drafts resources and scenarios for every operation of a document.
// Paths get the prefix, the path of the document's first server.
func FromOpenAPI(d *contract.Document, prefix string) *Suite {
	s := &Suite{Files: map[string]string{}}
	groups := collections(d)
	names := map[string]bool{}
	for _, g := range groups {
		s.describe(g, prefix, names)
	}
	taken := map[*contract.Operation]bool{}
	texts := map[string]*strings.Builder{}
	file := func(name string) *strings.Builder {
		name += ".upath"
		if texts[name] == nil {
			texts[name] = &strings.Builder{}
			s.Names = append(s.Names, name)
		}
		return texts[name]
	}
	for _, g := range groups {
		b := file(g.root().Name)
		pre, ends, ok := s.parents(g)
		if ok {
			life := g.scene().Life(pre, g.told)
			b.WriteString(life)
			if ends != "" && !strings.Contains(life, "\nafterwards\n") {
				b.WriteString("\nafterwards\n")
			}
			b.WriteString(ends + "\n")
			s.Scenarios++
		}
		b.WriteString(g.Text() + "\n")
		s.Resources++
		for _, op := range g.ops {
			taken[op] = true
		}
	}
	for _, op := range d.Operations {
		if !taken[op] {
			g := nearest(groups, op.Path)
			name := "operations"
			if g != nil {
				name = g.root().Name
			}
			s.lone(file(name), op, g, prefix)
		}
	}
	if len(d.Security) > 0 || d.Components != nil && len(d.Components.SecuritySchemes) > 0 {
		s.left("the document wants credentials: write `auth` and a `secret` into project.upath")
	}
	for name, b := range texts {
		s.Files[name] = Canonical(b.String())
	}
	return s
}

// collections finds the paths that are one: with an item below them, or with a
// list and a create.
func collections(d *contract.Document) []*collection {
	var out []*collection
	at := map[string]*collection{}
	byPath := map[string]map[string]*contract.Operation{}
	for _, op := range d.Operations {
		if byPath[op.Path] == nil {
			byPath[op.Path] = map[string]*contract.Operation{}
		}
		byPath[op.Path][op.Method] = op
	}
	var paths []string
	for p := range byPath {
		paths = append(paths, p)
	}
	slices.SortFunc(paths, func(a, b string) int {
		return cmp.Or(strings.Count(a, "/")-strings.Count(b, "/"), strings.Compare(a, b))
	})
	for _, item := range paths {
		path, last, _ := cutLast(item)
		if path == "" || !strings.HasPrefix(last, "{") || !strings.HasSuffix(last, "}") || byPath[path] == nil {
			continue
		}
		if byPath[path]["GET"] == nil && byPath[path]["POST"] == nil {
			continue
		}
		g := &collection{Resource: &Resource{Content: "$", Members: "$[*]", Identity: "$.id"}, ops: map[string]*contract.Operation{}, told: map[string]Told{}, param: strings.Trim(last, "{}"), path: path, item: item}
		for is, ops := range map[bool]map[string]*contract.Operation{false: byPath[path], true: byPath[item]} {
			for m, op := range ops {
				if w := words[is][m]; w != "" {
					g.ops[w] = op
				}
			}
		}
		if up, _, ok := cutLast(path); ok && strings.Contains(path, "{") {
			g.parent = at[unnamed(up)]
			if g.parent == nil {
				continue
			}
		}
		at[unnamed(item)] = g
		out = append(out, g)
	}
	return out
}

// unnamed is a path with its parameters alike: one path may call a parameter id
// and another one boat.
func unnamed(path string) string {
	parts := strings.Split(path, "/")
	for i, p := range parts {
		if strings.Contains(p, "{") {
			parts[i] = "{}"
		}
	}
	return strings.Join(parts, "/")
}

func cutLast(path string) (before, last string, ok bool) {
	i := strings.LastIndexByte(strings.TrimSuffix(path, "/"), '/')
	if i < 0 {
		return "", "", false
	}
	return path[:i], strings.Trim(path[i:], "/"), true
}

func (g *collection) root() *collection {
	for g.parent != nil {
		g = g.parent
	}
	return g
}

// scene is the resource as scenarios name it: the id of what it is under is a
// name that a step kept.
func (g *collection) scene() *Resource {
	out := *g.Resource
	if g.parent != nil {
		_, last, _ := cutLast(g.path)
		up := g.parent.scene()
		out.Collection = strings.ReplaceAll(up.itemPath(), "{id}", "{"+singular(up.Name)+"_id}") + "/" + last
	}
	return &out
}

func nearest(groups []*collection, path string) *collection {
	var best *collection
	for _, g := range groups {
		if strings.HasPrefix(unnamed(path)+"/", unnamed(g.path)+"/") && (best == nil || len(g.path) > len(best.path)) {
			best = g
		}
	}
	return best
}

// describe fills in the resource from its operations.
func (s *Suite) describe(g *collection, prefix string, names map[string]bool) {
	_, last, _ := cutLast(g.path)
	g.Name = Name(last, "items")
	if g.parent != nil && names[g.Name] {
		g.Name = g.parent.Name + "_" + g.Name
	}
	for base, n := g.Name, 2; names[g.Name]; n++ {
		g.Name = fmt.Sprintf("%s_%d", base, n)
	}
	names[g.Name] = true
	g.Collection = prefix + g.path
	if g.parent != nil {
		g.Under = g.parent.Name
		g.Collection = g.parent.itemPath()
		g.Collection = strings.ReplaceAll(g.Collection, "{id}", "{"+g.parent.Name+".id}") + "/" + last
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
			if m := jsonOf(response.Content); m != nil && m.Schema != nil {
				t.Shape = shapeOf(m.Schema, 0)
			}
			for h := range response.Headers {
				t.Location = t.Location || strings.EqualFold(h, "Location")
			}
		}
		g.told[w] = t
		for _, p := range op.Params {
			if p.Value != nil && p.Value.Required && p.Value.In != "path" {
				s.left("%s needs the %s parameter %s: its resource statement cannot say so, write it into `defaults`, or skip what it spoils", op.Title(), p.Value.In, p.Value.Name)
			}
		}
	}
	item := g.answers(s)
	g.bodies(s, item)
	if g.ops["create"] == nil && g.ops["replace"] != nil {
		s.left("%s: whoever sends it chooses the name of what it makes, it seems: write `identity chosen \"…{turn}\" by PATH`, `make` and `supports … replace` into %s", g.ops["replace"].Title(), g.Name)
	}
	if g.Make == nil {
		// Only what was made is written to.
		g.Remake, g.Amend = nil, nil
		g.Supports = slices.DeleteFunc(g.Supports, func(w string) bool { return w != "list" && w != "read" })
	}
	if g.Make == nil && g.ops["create"] != nil {
		s.left("%s: no JSON body is described, so nothing is made", g.ops["create"].Title())
	}
}

// answers finds members, content and identity in the answers, and gives the
// schema of an item.
func (g *collection) answers(s *Suite) *openapi3.Schema {
	item := &openapi3.Schema{}
	for _, w := range []string{"create", "read"} {
		if op := g.ops[w]; op != nil {
			_, r := success(op)
			if r == nil {
				continue
			}
			if m := jsonOf(r.Content); m != nil && m.Schema != nil {
				item = flat(m.Schema)
				if at, in := g.itemIn(item); in != nil {
					g.Content, item = at, in
				}
			}
		}
	}
	if op := g.ops["list"]; op != nil {
		if _, r := success(op); r != nil {
			if m := jsonOf(r.Content); m != nil && m.Schema != nil {
				list := flat(m.Schema)
				for _, n := range members(list) {
					if p := flat(list.Properties[n]); typeName(p) == "array" && typeName(list) == "object" {
						g.Members, list = "$."+n+"[*]", p
						break
					}
				}
				if len(item.Properties) == 0 && list.Items != nil {
					item = flat(list.Items)
				}
			}
		}
	}
	for _, n := range []string{"id", g.param, singular(g.Name) + "_id", singular(g.Name) + "Id", "_id", "uuid"} {
		if item.Properties[n] != nil && syntax.IsName(n) {
			g.Identity = "$." + n
			return item
		}
	}
	if !syntax.IsName(g.param) {
		s.left("%s: no described answer shows which member is the identity: write `identity` into the resource", g.item)
		return item
	}
	g.Identity = "$." + g.param
	s.left("%s: no described answer shows which member is the identity, so %s was taken, by the path's parameter", g.item, g.Identity)
	return item
}

// itemIn is the one object inside an answer that holds the item.
func (g *collection) itemIn(s *openapi3.Schema) (string, *openapi3.Schema) {
	if s.Properties["id"] != nil || s.Properties[g.param] != nil {
		return "", nil
	}
	for _, n := range members(s) {
		if in := flat(s.Properties[n]); in.Properties["id"] != nil || in.Properties[g.param] != nil {
			return "$." + n, in
		}
	}
	return "", nil
}

// bodies drafts the examples, and what is assigned and required.
func (g *collection) bodies(s *Suite, item *openapi3.Schema) {
	request := func(w string) (*value.Value, *openapi3.Schema, string) {
		op := g.ops[w]
		if op == nil || op.Spec.RequestBody == nil || op.Spec.RequestBody.Value == nil {
			return nil, nil, ""
		}
		media, name := bodyOf(op.Spec.RequestBody.Value.Content)
		if media == nil {
			return nil, nil, ""
		}
		guess := func(what string) { s.left("%s: %s; a plain text was put there", op.Title(), what) }
		v := mediaExample(media, g.Name, guess)
		if v == nil || v.Kind != value.Object || len(v.Names) == 0 {
			return nil, nil, ""
		}
		return v, flat(media.Schema), name
	}
	v, schema, _ := request("create")
	g.Make = v
	if v != nil {
		g.Turn = turnable(v, schema)
		g.Required = present(schema.Required, schema)
		for _, n := range v.Names {
			if p := schema.Properties[n]; p != nil && p.Value != nil && p.Value.WriteOnly {
				g.Hidden = append(g.Hidden, n)
			}
		}
		for _, n := range members(item) {
			if p := item.Properties[n]; schema.Properties[n] == nil || p.Value != nil && p.Value.ReadOnly {
				g.Assigned = append(g.Assigned, n)
			}
		}
	}
	remake, replaced, _ := request("replace")
	g.Remake = varied(remake, g.Make, g.Turn, allowed(replaced))
	amend, amended, as := request("amend")
	if amend != nil {
		// One member is enough, and better one that does not tell items apart.
		g.Amend = one(varied(amend, g.Make, g.Turn, allowed(amended)), g.Make, g.Turn)
		if as != "application/json" {
			g.AmendAs = as
		}
	}
	if op := g.ops["create"]; op != nil && g.Make != nil {
		media, _ := bodyOf(op.Spec.RequestBody.Value.Content)
		g.Takes = takesOf(media.Schema, g.Turn, g.Make, g.Remake, g.Amend)
	}
	for w, v := range map[string]*value.Value{"replace": g.Remake, "amend": g.Amend} {
		if g.ops[w] != nil && v == nil {
			s.left("%s: no JSON body is described", g.ops[w].Title())
			g.Supports = slices.DeleteFunc(g.Supports, func(x string) bool { return x == w })
		}
	}
}

// turnable is the member of a body that may differ from item to item: a text
// with no form and with room for a few letters more.
func turnable(v *value.Value, s *openapi3.Schema) string {
	n := turnIn(v)
	if n == "" {
		for i, m := range v.Names {
			if p := flat(s.Properties[m]); v.Items[i].Kind == value.String && p.Format == "" && p.Pattern == "" && len(p.Enum) == 0 {
				n = m
				break
			}
		}
	}
	if n == "" {
		for i, m := range v.Names {
			if dateForm.MatchString(v.Items[i].Text) && len(v.Items[i].Text) == 10 {
				return m
			}
		}
	}
	p := flat(s.Properties[n])
	if at, _ := v.Get(n); at != nil && p.MaxLength != nil && uint64(len(at.Text)+7) > *p.MaxLength || p.Pattern != "" || len(p.Enum) > 0 {
		return ""
	}
	return n
}

func present(list []string, s *openapi3.Schema) []string {
	var out []string
	for _, n := range list {
		if p := s.Properties[n]; p != nil && p.Value != nil && !p.Value.ReadOnly && !slices.Contains(out, n) {
			out = append(out, n)
		}
	}
	return out
}

// success are the statuses of success, and the answer of the first.
func success(op *contract.Operation) (string, *openapi3.Response) {
	if op.Spec.Responses == nil {
		return "", nil
	}
	var keys []string
	for k := range op.Spec.Responses.Map() {
		if strings.HasPrefix(k, "2") {
			keys = append(keys, k)
		}
	}
	slices.Sort(keys)
	if len(keys) == 0 {
		return "", nil
	}
	first := op.Spec.Responses.Value(keys[0]).Value
	for i, k := range keys {
		keys[i] = strings.ReplaceAll(k, "X", "x")
	}
	return strings.Join(keys, " or "), first
}

func jsonOf(c openapi3.Content) *openapi3.MediaType {
	m, _ := bodyOf(c)
	return m
}

// bodyOf is the JSON among media types, the plain one first.
func bodyOf(c openapi3.Content) (*openapi3.MediaType, string) {
	if m := c["application/json"]; m != nil {
		return m, "application/json"
	}
	var names []string
	for n := range c {
		names = append(names, n)
	}
	slices.Sort(names)
	for _, n := range names {
		if base, _, _ := strings.Cut(n, ";"); strings.HasSuffix(strings.TrimSpace(base), "json") {
			return c[n], n
		}
	}
	return nil, ""
}

// mediaExample is a body: an example of the document, or a sample of the schema.
func mediaExample(m *openapi3.MediaType, name string, guessed func(string)) *value.Value {
	s := flat(m.Schema)
	if v := fromAny(m.Example); v != nil {
		return trimmed(v, s)
	}
	var names []string
	for n := range m.Examples {
		names = append(names, n)
	}
	slices.Sort(names)
	for _, n := range names {
		if e := m.Examples[n]; e.Value != nil {
			if v := fromAny(e.Value.Value); v != nil {
				return trimmed(v, s)
			}
		}
	}
	if m.Schema == nil {
		return nil
	}
	return sample(m.Schema, name, 0, guessed)
}
