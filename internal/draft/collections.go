package draft

import (
	"cmp"
	"slices"
	"strings"

	"usualpath/internal/contract"
	"usualpath/internal/core/syntax"
)

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
	// free are the names of parameters of the path that no collection stands for, by their
	// place in it; orphan is set where one cannot be a name.
	free   map[int]string
	orphan bool
}

// words are the operations of a resource by method, for the collection and for
// an item.
var words = map[bool]map[string]string{
	false: {"GET": "list", "POST": "create"},
	true:  {"GET": "read", "PUT": "replace", "PATCH": "amend", "DELETE": "delete"},
}

// collections finds the paths that are one: with an item below them, and with a
// list or a create.
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
		if path == "" || !strings.HasPrefix(last, "{") || strings.IndexByte(last, '}') != len(last)-1 {
			continue
		}
		if byPath[path] == nil {
			// One boat may be at /boat/{id}, and all of them at /boats.
			if path = plural(path, func(p string) bool { return byPath[p] != nil }); path == "" {
				continue
			}
		}
		if byPath[path]["GET"] == nil && byPath[path]["POST"] == nil || at[unnamed(item)] != nil {
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
				g.free, ok = freeIn(path)
			}
			g.orphan = !ok || g.parent != nil && g.parent.orphan
		}
		at[unnamed(item)] = g
		out = append(out, g)
	}
	return out
}

// freeIn gives names to the parameters of a path; false where one is only a part of a
// segment. One that says too little by itself is named by what stands before it.
func freeIn(path string) (map[int]string, bool) {
	out := map[int]string{}
	parts := strings.Split(path, "/")
	for i, p := range parts {
		if !strings.ContainsAny(p, "{}") {
			continue
		}
		param := strings.TrimSuffix(strings.TrimPrefix(p, "{"), "}")
		if len(param) != len(p)-2 || strings.ContainsAny(param, "{}") {
			return nil, false
		}
		name := Name(param, "name")
		if i > 0 && slices.Contains([]string{"id", "uid", "uuid", "key", "name", "slug"}, name) {
			name = singular("/"+strings.Trim(parts[i-1], "{}")) + "_" + name
		}
		if syntax.Reserved(name) {
			name = "the_" + name
		}
		out[i] = name
	}
	return out, true
}

// named is a path of the collection with names in place of what nothing stands for.
func (g *collection) named(path string) string {
	parts := strings.Split(path, "/")
	for i := range parts {
		if name := g.free[i]; name != "" {
			parts[i] = "{" + name + "}"
		} else {
			parts[i] = plain(parts[i])
		}
	}
	return strings.Join(parts, "/")
}

// plural is the path of a collection whose items have one in the singular, "" for none.
func plural(path string, known func(string) bool) string {
	for _, p := range []string{path + "s", path + "es", strings.TrimSuffix(path, "y") + "ies"} {
		if known(p) {
			return p
		}
	}
	return ""
}

// stands tells whether a collection can be a resource: whatever it is under can be made.
func (g *collection) stands() bool {
	if g.orphan || len(g.Supports) == 0 {
		return false
	}
	for up := g.parent; up != nil; up = up.parent {
		if up.Make == nil {
			return false
		}
	}
	return true
}

// first is the operation that a collection is filed by.
func (g *collection) first() *contract.Operation {
	for _, w := range []string{"create", "list", "read", "replace", "amend", "delete"} {
		if op := g.ops[w]; op != nil {
			return op
		}
	}
	return nil
}

// drafted are the operations that the resource and its scenario send.
func (g *collection) drafted() []*contract.Operation {
	var out []*contract.Operation
	for _, w := range g.Supports {
		if op := g.ops[w]; op != nil {
			out = append(out, op)
		}
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

// chain are the collections from the outermost to this one.
func (g *collection) chain() []*collection {
	if g == nil {
		return nil
	}
	return append(g.parent.chain(), g)
}

// kept is the name under which scenarios keep the identity of an item.
func (g *collection) kept() string { return singular(g.Name) + "_id" }

// scene is the resource as scenarios name it: the id of what it is under is a
// name that a step kept.
func (g *collection) scene() *Resource {
	out := *g.Resource
	if g.parent != nil {
		_, last, _ := cutLast(g.path)
		up := g.parent.scene()
		out.Collection = strings.ReplaceAll(up.itemPath(), "{id}", "{"+g.parent.kept()+"}") + "/" + last
		out.Item = ""
	}
	return &out
}

// nearest is the innermost collection of whose items a path is.
func nearest(groups []*collection, path string) *collection {
	var best *collection
	for _, g := range groups {
		if strings.HasPrefix(unnamed(path)+"/", unnamed(g.item)+"/") && (best == nil || len(g.item) > len(best.item)) {
			best = g
		}
	}
	return best
}

// parents are the steps that make the items below which something stands, from the
// outermost to g, and what takes them away again. It tells whether there is a way.
func (s *Suite) parents(g *collection) (before, after string, ok bool) {
	for _, up := range g.chain() {
		if up.Make == nil || up.orphan || !slices.Contains(up.Supports, "delete") {
			return "", "", false
		}
		w := &steps{}
		t := up.told["create"]
		lines := append([]string{"send POST " + up.scene().Collection}, t.Lines...)
		w.step("make one of "+up.Name+" first", append(lines, "  "+up.sends("{random_text(6)}"), "expect status "+t.status("2xx"), needsMade, "keep "+up.kept()+" from "+t.keeps(up.Resource))...)
		before += w.b.String()
		d := &steps{}
		d.step("take away the one of "+up.Name, append([]string{"send DELETE " + strings.ReplaceAll(up.scene().itemPath(), "{id}", "{"+up.kept()+"}")}, up.told["delete"].Lines...)...)
		after = d.b.String() + after
	}
	return before, after, true
}
