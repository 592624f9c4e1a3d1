package draft

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"

	"usualpath/internal/core/scope"
	"usualpath/internal/core/shape"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// takesOf is what a body may hold, as a shape, by the schema of a request: "" where
// that has no limits. examples are bodies that must fit; a member of which one does
// not is said by no more than that it may be there.
func takesOf(ref *openapi3.SchemaRef, turn string, examples ...*value.Value) string {
	s := flat(ref)
	if len(s.Properties) == 0 || len(s.Properties) > mostTaken {
		return ""
	}
	required := map[string]bool{}
	for _, n := range s.Required {
		required[n] = true
	}
	var parts []string
	limits := false
	for _, n := range present(slices.Sorted(maps.Keys(s.Properties)), s) {
		text := limitsOf(s.Properties[n], 0)
		for _, e := range examples {
			if e == nil {
				continue
			}
			if v, ok := e.Get(n); ok && !fitsShape(text, v, n == turn) {
				text = "any"
			}
		}
		if required[n] && examples[0] != nil {
			if _, ok := examples[0].Get(n); !ok {
				// The draft could not fill it in.
				required[n] = false
			}
		}
		mark := "?"
		if required[n] {
			mark = ""
		}
		limits = limits || strings.ContainsAny(text, "0123456789/") || strings.Contains(text, " or ") || shapeWords[text]
		parts = append(parts, syntax.Quoted(n)+mark+": "+text)
	}
	if !limits {
		return ""
	}
	// What a document does not say is no promise that more is taken.
	if a := s.AdditionalProperties; a.Has != nil && *a.Has || a.Schema != nil {
		parts = append(parts, "...")
	}
	return "{ " + strings.Join(parts, ", ") + " }"
}

// mostTaken bounds the members of a body that are described: larger ones are no
// page that a person opens.
const mostTaken = 40

// shapeWords are types of text with a form.
var shapeWords = map[string]bool{"uuid": true, "date": true, "datetime": true, "time": true, "email": true, "uri": true, "boolean": true}

// fitsShape tells whether a value has a shape, also with the number behind it that
// makes each item another.
func fitsShape(text string, v *value.Value, turns bool) bool {
	tree, diags := syntax.Parse(source.NewFile("takes", "resource r\n  takes { \"m\": "+text+" }\n"))
	if diags.Errors() > 0 {
		return false
	}
	node := tree.Statements[0].Children[0].Body.(*syntax.Takes).Shape.Fields[0].Value
	if turns && v.Kind == value.String && !dateForm().MatchString(v.Text) {
		v = value.NewString(v.Text + " 123456")
	}
	r, err := shape.Match(node, v, scope.New(&scope.World{}))
	return err == nil && r.Held()
}

// limitsOf is a schema as a shape with all its limits.
func limitsOf(ref *openapi3.SchemaRef, deep int) string {
	s := flat(ref)
	if ref == nil || ref.Value == nil || deep >= deepest {
		return "any"
	}
	null := s.Nullable || s.Type.Includes("null")
	or := func(text string) string {
		if null && text != "any" && !strings.HasSuffix(text, "null") {
			return text + " or null"
		}
		return text
	}
	if v := fromAny(s.Const); v != nil {
		return or(literal(v))
	}
	if len(s.Enum) > 0 {
		var parts []string
		for _, x := range s.Enum {
			v := fromAny(x)
			if v == nil || v.Kind == value.Null {
				null = true
				continue
			}
			parts = append(parts, literal(v))
		}
		return or(strings.Join(parts, " or "))
	}
	if len(ref.Value.OneOf)+len(ref.Value.AnyOf) > 1 {
		// One of several: which one, the shape of the first would not say.
		return "any"
	}
	switch t := typeName(s); t {
	case "string":
		if word := map[string]string{"uuid": "uuid", "date-time": "datetime", "date": "date", "email": "email", "uri": "uri"}[s.Format]; word != "" {
			return or(word)
		}
		text := "string"
		if s.MinLength > 0 || s.MaxLength != nil {
			text += fmt.Sprintf(" length %d..", s.MinLength)
			if s.MaxLength != nil {
				text += fmt.Sprint(*s.MaxLength)
			}
		}
		if p := patternText(s.Pattern); p != "" {
			text += " " + p
		}
		return or(text)
	case "integer", "number":
		return or(t + rangeOf(s))
	case "boolean":
		return or("boolean")
	case "array":
		text := "array"
		if s.MinItems > 0 || s.MaxItems != nil {
			text += fmt.Sprintf(" count %d..", s.MinItems)
			if s.MaxItems != nil {
				text += fmt.Sprint(*s.MaxItems)
			}
		}
		if inner := limitsOf(s.Items, deep+1); s.Items != nil && inner != "any" && !strings.Contains(inner, " or ") {
			text += " of " + inner
		}
		return or(text)
	case "object":
		return or("object")
	}
	return "any"
}

func rangeOf(s *openapi3.Schema) string {
	number := func(f float64) string { return strconv.FormatFloat(f, 'f', -1, 64) }
	out := ""
	switch lo := s.ExclusiveMin; {
	case lo.Value != nil:
		out += " > " + number(*lo.Value)
	case s.Min != nil && lo.Bool != nil && *lo.Bool:
		out += " > " + number(*s.Min)
	case s.Min != nil:
		out += " >= " + number(*s.Min)
	}
	switch hi := s.ExclusiveMax; {
	case hi.Value != nil:
		out += " < " + number(*hi.Value)
	case s.Max != nil && hi.Bool != nil && *hi.Bool:
		out += " < " + number(*s.Max)
	case s.Max != nil:
		out += " <= " + number(*s.Max)
	}
	return out
}
