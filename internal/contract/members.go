package contract

import (
	"maps"
	"slices"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"
)

// Member is a member of a body that the document describes.
type Member struct {
	Name string
	// Type is that of the schema, "" where it names none; Says is the first line of its
	// description.
	Type, Says string
}

// Members are those that the answer of a status to a request may have, the first success
// for status 0. below leads there from the body: names of members, and "[]" for any entry of
// an array. target is a path, which may have names in braces.
func (d *Document) Members(method, target string, status int, below []string) []Member {
	target, _, _ = strings.Cut(target, "?")
	o, _ := d.Find(method, strings.NewReplacer("{", "", "}", "").Replace(target))
	if o == nil || d.bare {
		return nil
	}
	r := d.response(o, status)
	if status == 0 {
		for _, code := range []int{200, 201, 202} {
			if r = d.response(o, code); r != nil {
				break
			}
		}
	}
	if r == nil {
		return nil
	}
	for _, name := range sorted(r.Content) {
		if m := r.Content[name]; strings.Contains(name, "json") && m != nil {
			return members(m.Schema, below)
		}
	}
	return nil
}

// deepest bounds how far schemas refer to each other.
const deepest = 40

func members(s *openapi3.SchemaRef, below []string) []Member {
	for i, step := range below {
		if i == deepest || s == nil || s.Value == nil {
			return nil
		}
		if step == "[]" {
			s = s.Value.Items
			continue
		}
		s = properties(s)[step]
	}
	found := properties(s)
	var out []Member
	for _, name := range slices.Sorted(maps.Keys(found)) {
		m := Member{Name: name}
		if v := found[name]; v != nil && v.Value != nil {
			if v.Value.Type != nil {
				m.Type = strings.Join(v.Value.Type.Slice(), " or ")
			}
			m.Says, _, _ = strings.Cut(v.Value.Description, "\n")
		}
		out = append(out, m)
	}
	return out
}
