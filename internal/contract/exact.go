package contract

import (
	"regexp"
	"strconv"

	"github.com/getkin/kin-openapi/openapi3"

	"usualpath/internal/core/value"
)

// numerals finds number literals in a document.
var numerals = regexp.MustCompile(`-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?`)

// literals are the numbers of a document as they are written, by the float64
// that its reader makes of them; "" where two of them become the same.
func literals(text string) map[float64]string {
	out := map[float64]string{}
	for _, n := range numerals.FindAllString(text, -1) {
		f, err := strconv.ParseFloat(n, 64)
		if err != nil {
			continue
		}
		if was, twice := out[f]; twice && (was == "" || value.CompareNumbers(was, n) != 0) {
			out[f] = ""
			continue
		}
		out[f] = n
	}
	return out
}

// limits says where numbers of a body lie outside the limits of its schema,
// digit by digit: the library compares them as float64.
func (d *Document) limits(s *openapi3.SchemaRef, v *value.Value, at string, deep int) []string {
	if s == nil || s.Value == nil || deep > 100 {
		return nil
	}
	schema := s.Value
	var out []string
	for _, part := range schema.AllOf {
		out = append(out, d.limits(part, v, at, deep+1)...)
	}
	switch v.Kind {
	case value.Number:
		out = append(out, d.number(schema, v.Text, at)...)
	case value.Array:
		for _, it := range v.Items {
			out = append(out, d.limits(schema.Items, it, at+"[*]", deep+1)...)
		}
	case value.Object:
		for i, n := range v.Names {
			out = append(out, d.limits(schema.Properties[n], v.Items[i], at+"."+n, deep+1)...)
		}
	}
	return out
}

func (d *Document) number(s *openapi3.Schema, have, at string) []string {
	var out []string
	for _, l := range []struct {
		limit     *float64
		exclusive openapi3.ExclusiveBound
		sign      int
		says      string
	}{{s.Max, s.ExclusiveMax, 1, "at most "}, {s.Min, s.ExclusiveMin, -1, "at least "}} {
		if text := d.literal(l.limit); text != "" && value.CompareNumbers(have, text) == l.sign {
			out = append(out, "body at "+at+": number must be "+l.says+text)
		}
		if text := d.literal(l.exclusive.Value); text != "" && value.CompareNumbers(have, text)*l.sign >= 0 {
			out = append(out, "body at "+at+": number must not be beyond "+text+", nor equal to it")
		}
	}
	return out
}

// literal is a limit as it is written, "" where that cannot be told.
func (d *Document) literal(f *float64) string {
	if f == nil {
		return ""
	}
	return d.written[*f]
}
