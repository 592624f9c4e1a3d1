package draft

import (
	"cmp"
	"net/url"
	"slices"
	"strings"
	"unicode"

	"github.com/getkin/kin-openapi/openapi3"

	"usualpath/internal/contract"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// valueOf is a value for a parameter, nil where nothing describes one; certain tells that
// the document gives it.
func (s *Suite) valueOf(op *contract.Operation, p *openapi3.Parameter) (v *value.Value, certain bool) {
	v = fromAny(p.Example)
	for _, n := range sortedKeys(p.Examples) {
		if e := p.Examples[n]; v == nil && e != nil && e.Value != nil {
			v = fromAny(e.Value.Value)
		}
	}
	if v != nil {
		return v, true
	}
	schema := p.Schema
	for _, n := range mediaTypes(p.Content) {
		if m := p.Content[n]; schema == nil && m != nil {
			schema = m.Schema
		}
	}
	if schema == nil {
		return value.NewString("a " + strings.ReplaceAll(singular("/"+p.Name), "_", " ")), false
	}
	return sample(schema, p.Name, 0, s.guesses(op)), written(flat(schema)) != nil
}

func sortedKeys[V any](m map[string]V) []string {
	var out []string
	for n := range m {
		out = append(out, n)
	}
	slices.Sort(out)
	return out
}

// pairs are a parameter as names and values, by its style (OpenAPI 3.1 §4.8.12.6).
func pairs(p *openapi3.Parameter, v *value.Value) [][2]string {
	style := cmp.Or(p.Style, map[string]string{"query": "form", "cookie": "form"}[p.In], "simple")
	explode := style == "form"
	if p.Explode != nil {
		explode = *p.Explode
	}
	if len(p.Content) > 0 {
		return [][2]string{{p.Name, v.String()}}
	}
	sep := map[string]string{"spaceDelimited": " ", "pipeDelimited": "|"}[style]
	switch v.Kind {
	case value.Array:
		var all []string
		for _, it := range v.Items {
			all = append(all, scalar(it))
		}
		if explode && (style == "form" || sep != "") {
			var out [][2]string
			for _, text := range all {
				out = append(out, [2]string{p.Name, text})
			}
			return out
		}
		return [][2]string{{p.Name, strings.Join(all, cmp.Or(sep, ","))}}
	case value.Object:
		var out [][2]string
		var flat []string
		for i, n := range v.Names {
			text := scalar(v.Items[i])
			switch {
			case style == "deepObject":
				out = append(out, [2]string{p.Name + "[" + n + "]", text})
			case explode && style == "form":
				out = append(out, [2]string{n, text})
			case explode:
				flat = append(flat, n+"="+text)
			default:
				flat = append(flat, n, text)
			}
		}
		if out != nil {
			return out
		}
		return [][2]string{{p.Name, strings.Join(flat, cmp.Or(sep, ","))}}
	}
	return [][2]string{{p.Name, v.Plain()}}
}

// scalar is a value inside a list or an object of a parameter, as text.
func scalar(v *value.Value) string {
	if v.Kind == value.Object || v.Kind == value.Array {
		return v.String()
	}
	return v.Plain()
}

// inPath is a path parameter as it stands in the path, by its style.
func inPath(p *openapi3.Parameter, v *value.Value) string {
	text := pairs(&openapi3.Parameter{Name: p.Name, In: "path", Explode: p.Explode, Content: p.Content}, v)[0][1]
	parts := strings.Split(text, ",")
	for i, one := range parts {
		parts[i] = url.PathEscape(one)
	}
	joined := strings.Join(parts, ",")
	explode := p.Explode != nil && *p.Explode
	switch p.Style {
	case "label":
		if explode {
			joined = strings.Join(parts, ".")
		}
		return "." + joined
	case "matrix":
		if explode && v.Kind == value.Array {
			return ";" + p.Name + "=" + strings.Join(parts, ";"+p.Name+"=")
		}
		if explode && v.Kind == value.Object {
			return ";" + strings.Join(parts, ";")
		}
		return ";" + p.Name + "=" + joined
	}
	return joined
}

// detail are the lines of a parameter that is not in the path; false where it cannot be
// written.
func (s *Suite) detail(op *contract.Operation, p *openapi3.Parameter) ([]string, bool) {
	if p.In == "header" && slices.ContainsFunc([]string{"Accept", "Content-Type", "Authorization"}, func(n string) bool { return strings.EqualFold(n, p.Name) }) {
		// These say nothing here (OpenAPI 3.1 §4.8.12).
		return nil, false
	}
	v, _ := s.valueOf(op, p)
	if v == nil {
		return nil, false
	}
	var lines []string
	for _, pair := range pairs(p, v) {
		name, text := pair[0], pair[1]
		switch p.In {
		case "query":
			if name == "" || strings.ContainsFunc(name, odd) {
				s.left(missing, "its query parameter cannot be written as one", op.Title()+" ("+inLine(name)+")")
				return nil, false
			}
			lines = append(lines, "  query "+fieldName(name)+" = "+fieldText(text))
		case "header", "cookie":
			n, line := name, strings.NewReplacer("{", `\{`, "#", `\#`, `\`, `\\`).Replace(strings.TrimSpace(inLine(text)))
			if p.In == "cookie" {
				n, line = "Cookie", name+"="+url.PathEscape(text)
			}
			if !syntax.IsMethod(name) || strings.TrimSpace(inLine(text)) == "" {
				s.left(missing, "its "+p.In+" parameter cannot be written as one", op.Title()+" ("+inLine(name)+")")
				return nil, false
			}
			lines = append(lines, "  header "+n+": "+line)
		}
	}
	return lines, true
}

// fieldName is the name of a query parameter or a field, in quotes where it must be.
func fieldName(n string) string {
	if syntax.IsName(n) {
		return n
	}
	return syntax.Quoted(n)
}

// fieldText is the value of a query parameter, in quotes where it must be.
func fieldText(v string) string {
	if v == "" || inLine(v) != v || strings.TrimSpace(v) != v || strings.HasPrefix(v, `"`) || strings.ContainsAny(v, "\\{#") {
		return syntax.Quoted(v)
	}
	return v
}

// odd tells of a character that a name in a line does not have.
func odd(r rune) bool {
	return unicode.IsControl(r) || !unicode.IsPrint(r) || strings.ContainsRune("\"\\{}#=", r)
}
