package resource

import (
	"strings"

	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// formats are those of JSON Schema that shapes know.
var formats = map[string]string{"uuid": "uuid", "date-time": "datetime", "date": "date", "time": "time", "email": "email", "uri": "uri"}

// shapeOfSchema is what a JSON Schema of an object says, as a shape: members, types,
// limits, alternatives, patterns and formats; what a shape cannot say is left out.
// Members that are only read are not part of a body. The second result says why
// there is none.
func shapeOfSchema(data []byte) (string, string) {
	root, err := value.Decode(string(data), value.Limits{})
	if err != nil {
		return "", "it is not JSON: " + err.Error()
	}
	c := &schemaReader{root: root}
	s := c.deref(root)
	if _, ok := s.Get("properties"); !ok {
		return "", "it describes no object with `properties`"
	}
	return c.object(s, 0), ""
}

type schemaReader struct{ root *value.Value }

// deepest bounds schemas inside of each other, and references.
const deepest = 12

// deref follows references inside of the document.
func (c *schemaReader) deref(s *value.Value) *value.Value {
	for range deepest {
		ref, ok := s.Get("$ref")
		if !ok {
			return s
		}
		rest, here := strings.CutPrefix(ref.Plain(), "#")
		if !here {
			return value.NewObject()
		}
		at := c.root
		for part := range strings.SplitSeq(strings.TrimPrefix(rest, "/"), "/") {
			if part == "" {
				continue
			}
			next, ok := at.Get(strings.NewReplacer("~1", "/", "~0", "~").Replace(part))
			if !ok {
				return value.NewObject()
			}
			at = next
		}
		s = at
	}
	return value.NewObject()
}

func (c *schemaReader) object(s *value.Value, deep int) string {
	properties, ok := s.Get("properties")
	if !ok || properties.Kind != value.Object {
		return "object"
	}
	required := map[string]bool{}
	if list, ok := s.Get("required"); ok {
		for _, n := range list.Items {
			required[n.Plain()] = true
		}
	}
	var parts []string
	for i, name := range properties.Names {
		one := c.deref(properties.Items[i])
		if ro, ok := one.Get("readOnly"); ok && ro.Plain() == "true" {
			continue
		}
		mark := "?"
		if required[name] {
			mark = ""
		}
		parts = append(parts, syntax.Quoted(name)+mark+": "+c.shape(one, deep+1))
	}
	// What a schema does not say is no promise that more is taken.
	if more, ok := s.Get("additionalProperties"); ok && (more.Kind != value.Bool || more.Plain() != "false") {
		parts = append(parts, "...")
	}
	return "{ " + strings.Join(parts, ", ") + " }"
}

func (c *schemaReader) shape(s *value.Value, deep int) string {
	if s = c.deref(s); s.Kind != value.Object || deep > deepest {
		return "any"
	}
	if v, ok := s.Get("const"); ok {
		return v.String()
	}
	if list, ok := s.Get("enum"); ok && len(list.Items) > 0 {
		var parts []string
		for _, v := range list.Items {
			parts = append(parts, v.String())
		}
		return strings.Join(parts, " or ")
	}
	for _, word := range []string{"oneOf", "anyOf"} {
		if list, ok := s.Get(word); ok && len(list.Items) > 0 {
			var parts []string
			for _, one := range list.Items {
				parts = append(parts, c.shape(one, deep+1))
			}
			return strings.Join(parts, " or ")
		}
	}
	var types []string
	if t, ok := s.Get("type"); ok && t.Kind == value.Array {
		for _, one := range t.Items {
			types = append(types, one.Plain())
		}
	} else if ok {
		types = append(types, t.Plain())
	}
	if n, ok := s.Get("nullable"); ok && n.Plain() == "true" {
		types = append(types, "null")
	}
	if len(types) == 0 {
		return "any"
	}
	var parts []string
	for _, t := range types {
		parts = append(parts, c.typed(t, s, deep))
	}
	return strings.Join(parts, " or ")
}

func (c *schemaReader) typed(t string, s *value.Value, deep int) string {
	number := func(word string) string {
		if v, ok := s.Get(word); ok && v.Kind == value.Number {
			return v.Text
		}
		return ""
	}
	between := func(low, high string) string {
		switch lo, hi := number(low), number(high); {
		case lo != "" || hi != "":
			return lo + ".." + hi
		}
		return ""
	}
	switch t {
	case "string":
		if f, ok := s.Get("format"); ok && formats[f.Plain()] != "" {
			return formats[f.Plain()]
		}
		out := "string"
		if r := between("minLength", "maxLength"); r != "" {
			out += " length " + r
		}
		if p, ok := s.Get("pattern"); ok {
			text := "/" + strings.ReplaceAll(strings.ReplaceAll(p.Plain(), `\/`, "/"), "/", `\/`) + "/"
			if syntax.IsPattern(text) {
				out += " " + text
			}
		}
		return out
	case "integer", "number":
		out := t
		for _, end := range [][3]string{{"minimum", "exclusiveMinimum", ">"}, {"maximum", "exclusiveMaximum", "<"}} {
			if v := number(end[1]); v != "" {
				out += " " + end[2] + " " + v
			} else if v := number(end[0]); v != "" {
				out += " " + end[2] + "= " + v
			}
		}
		return out
	case "boolean", "null":
		return t
	case "array":
		out := "array"
		if r := between("minItems", "maxItems"); r != "" {
			out += " count " + r
		}
		if items, ok := s.Get("items"); ok && items.Kind == value.Object {
			inner := c.shape(items, deep+1)
			if !strings.Contains(inner, " or ") {
				out += " of " + inner
			}
		}
		return out
	case "object":
		return c.object(s, deep)
	}
	return "any"
}
