package contract

import (
	"encoding/base64"
	"net/netip"
	"slices"
	"strconv"

	"github.com/getkin/kin-openapi/openapi3"

	"usualpath/internal/core/late"
	"usualpath/internal/core/shape"
	"usualpath/internal/core/value"
)

// numerals finds number literals in a document.
var numerals = late.Regexp(`-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?`)

// literals are the numbers of a document as they are written, by the float64
// that its reader makes of them; "" where two of them become the same.
func literals(text string) map[float64]string {
	out := map[float64]string{}
	for _, n := range numerals().FindAllString(text, -1) {
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

// precise says where a body does not keep to its schema in what the library does not look
// at: numbers beyond limits, digit by digit where it compares float64, formats, and what is
// writeOnly. What is
// in an alternative may fit another one, and is left to the library.
func (d *Document) precise(s *openapi3.SchemaRef, v *value.Value, at string, deep int, asRequest bool) []string {
	if s == nil || s.Value == nil || deep > 100 {
		return nil
	}
	schema := s.Value
	var out []string
	add := func(list []string) {
		for _, one := range list {
			if !slices.Contains(out, one) {
				out = append(out, one)
			}
		}
	}
	for _, part := range schema.AllOf {
		add(d.precise(part, v, at, deep+1, asRequest))
	}
	switch v.Kind {
	case value.Number:
		add(d.number(schema, v.Text, at))
	case value.String:
		if !ofFormat(schema.Format, v.Text) {
			add([]string{"body at " + at + ": " + value.Cut(v.String(), 60) + " is not of the format " + schema.Format})
		}
	case value.Array:
		for _, it := range v.Items {
			add(d.precise(schema.Items, it, at+"[*]", deep+1, asRequest))
		}
	case value.Object:
		for i, n := range v.Names {
			if p := schema.Properties[n]; p != nil && p.Value != nil && p.Value.WriteOnly && !asRequest {
				add([]string{"body at " + at + "." + n + ": it is writeOnly, and shown"})
			}
			add(d.precise(schema.Properties[n], v.Items[i], at+"."+n, deep+1, asRequest))
		}
	}
	return out
}

// ofFormat tells whether a text is of a format (JSON Schema 2020-12 §7.3, OpenAPI 3.1
// §4.4); one that is not known fits.
func ofFormat(format, s string) bool {
	switch format {
	case "uuid", "date", "email", "uri":
		return shape.IsText(format, s)
	case "date-time":
		return shape.IsText("datetime", s)
	case "time":
		return shape.IsText("time", s)
	case "ipv4":
		a, err := netip.ParseAddr(s)
		return err == nil && a.Is4()
	case "ipv6":
		a, err := netip.ParseAddr(s)
		return err == nil && a.Is6() && a.Zone() == ""
	case "byte":
		_, err := base64.StdEncoding.DecodeString(s)
		return err == nil
	case "hostname":
		return len(s) <= 253 && hostName().MatchString(s)
	}
	return true
}

// hostName is a name of RFC 1123 §2.1.
var hostName = late.Regexp(`^([A-Za-z0-9]([A-Za-z0-9-]{0,61}[A-Za-z0-9])?)(\.[A-Za-z0-9]([A-Za-z0-9-]{0,61}[A-Za-z0-9])?)*\.?$`)

func (d *Document) number(s *openapi3.Schema, have, at string) []string {
	var out []string
	if bits := map[string]string{"int32": "2147483647", "int64": "9223372036854775807"}[s.Format]; bits != "" {
		if value.CompareNumbers(have, bits) > 0 || value.CompareNumbers(have, "-"+bits) < 0 && have != "-2147483648" && have != "-9223372036854775808" {
			out = append(out, "body at "+at+": the number is not of the format "+s.Format)
		}
	}
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
