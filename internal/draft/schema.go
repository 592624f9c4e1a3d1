package draft

import (
	"encoding/json"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/getkin/kin-openapi/openapi3"

	"usualpath/internal/core/late"
	"usualpath/internal/core/pattern"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// deepest is how far a schema is followed: deeper ones are recursive, or too
// much for a first draft.
const deepest = 4

// fromAny is a value of an example in a document; nil when it is none.
func fromAny(x any) *value.Value {
	if x == nil {
		return nil
	}
	data, err := json.Marshal(x)
	if err != nil {
		return nil
	}
	v, err := value.Decode(string(data), value.Limits{})
	if err != nil {
		return nil
	}
	return v
}

// flat is a schema with what allOf adds to it, and the first of alternatives.
func flat(ref *openapi3.SchemaRef) *openapi3.Schema { return flatten(ref, 0) }

func flatten(ref *openapi3.SchemaRef, deep int) *openapi3.Schema {
	if ref == nil || ref.Value == nil || deep > 2*deepest {
		return &openapi3.Schema{}
	}
	s := ref.Value
	more := s.AllOf
	for _, alternatives := range []openapi3.SchemaRefs{s.OneOf, s.AnyOf} {
		if len(s.Properties) > 0 {
			break
		}
		for _, one := range alternatives {
			if one.Value != nil && !one.Value.Type.Is("null") {
				more = append(slices.Clone(more), one)
				break
			}
		}
	}
	if len(more) == 0 {
		return s
	}
	out := *s
	out.AllOf, out.OneOf, out.AnyOf = nil, nil, nil
	out.Properties = openapi3.Schemas{}
	for n, p := range s.Properties {
		out.Properties[n] = p
	}
	for _, m := range more {
		f := flatten(m, deep+1)
		for n, p := range f.Properties {
			out.Properties[n] = p
		}
		out.Required = append(slices.Clone(out.Required), f.Required...)
		if out.Type == nil {
			out.Type, out.Format, out.Enum, out.Items = f.Type, f.Format, f.Enum, f.Items
			out.Min, out.Max, out.MinLength, out.MaxLength, out.Pattern = f.Min, f.Max, f.MinLength, f.MaxLength, f.Pattern
		}
		if out.Example == nil {
			out.Example = f.Example
		}
	}
	return &out
}

// typeName is the type of a schema; of several the first that is not null.
func typeName(s *openapi3.Schema) string {
	for _, t := range s.Type.Slice() {
		if t != "null" {
			return t
		}
	}
	switch {
	case len(s.Properties) > 0:
		return "object"
	case s.Items != nil:
		return "array"
	}
	return ""
}

// written is a value that the document itself gives.
func written(s *openapi3.Schema) *value.Value {
	for _, x := range append([]any{s.Const, s.Example}, s.Examples...) {
		if v := fromAny(x); v != nil {
			return v
		}
	}
	if v := fromAny(s.Default); v != nil && v.Kind != value.Null {
		return v
	}
	if len(s.Enum) > 0 {
		return fromAny(s.Enum[0])
	}
	return nil
}

// sample is a value that fits a schema: one that the document gives, or a plain
// one of its type. In a request what is readOnly is left out. guessed hears of
// what no plain value is known for.
func sample(ref *openapi3.SchemaRef, name string, deep int, guessed func(string)) *value.Value {
	if v := oneOf(ref, name, deep, guessed); v != nil {
		return v
	}
	s := flat(ref)
	if v := written(s); v != nil {
		return trimmed(v, s)
	}
	switch typeName(s) {
	case "object":
		out := value.NewObject()
		for _, n := range members(s) {
			p := s.Properties[n]
			if p.Value != nil && p.Value.ReadOnly || !slices.Contains(s.Required, n) && (len(out.Names) >= mostSent[min(deep, len(mostSent)-1)] || deep > 0 && nests(p)) {
				continue
			}
			if deep > deepest+2 {
				guessed(n + " nests too deeply")
				continue
			}
			out.Add(n, sample(p, n, deep+1, guessed))
		}
		if more := s.AdditionalProperties.Schema; len(s.Properties) == 0 && more != nil && deep < deepest {
			out.Add("name", sample(more, "name", deep+1, guessed))
		}
		return out
	case "array":
		if s.MinItems == 0 && deep > 1 {
			return value.NewArray()
		}
		var items []*value.Value
		for range max(1, min(int(s.MinItems), 8)) {
			items = append(items, sample(s.Items, singular(name), deep+1, guessed))
		}
		return value.NewArray(items...)
	case "integer", "number":
		return value.NewNumber(number(s))
	case "boolean":
		return value.NewBool(true)
	}
	return value.NewString(text(s, name, guessed))
}

// mostSent bounds the members of a body by depth, those that must be there apart: more are
// no body that a person reads.
var mostSent = []int{12, 4, 2, 0}

// nests tells whether a schema is of values with members or elements.
func nests(ref *openapi3.SchemaRef) bool {
	t := typeName(flat(ref))
	return t == "object" || t == "array"
}

// oneOf is a sample of the first alternative of a schema with a discriminator, which names
// it (OpenAPI 3.1 §4.8.25); nil for a schema without one.
func oneOf(ref *openapi3.SchemaRef, name string, deep int, guessed func(string)) *value.Value {
	if ref == nil || ref.Value == nil || ref.Value.Discriminator == nil || deep > deepest || written(ref.Value) != nil {
		return nil
	}
	d := ref.Value.Discriminator
	for _, one := range append(slices.Clone(ref.Value.OneOf), ref.Value.AnyOf...) {
		if one.Value == nil || one.Ref == "" {
			continue
		}
		v := sample(one, name, deep+1, guessed)
		if v == nil || v.Kind != value.Object {
			continue
		}
		says := one.Ref[strings.LastIndexByte(one.Ref, '/')+1:]
		for _, key := range sortedKeys(d.Mapping) {
			if to := d.Mapping[key].Ref; to == one.Ref || to == says {
				says = key
				break
			}
		}
		out := value.NewObject().Add(d.PropertyName, value.NewString(says))
		for i, n := range v.Names {
			if n != d.PropertyName {
				out.Add(n, v.Items[i])
			}
		}
		return out
	}
	return nil
}

// trimmed is an example without what the service sets.
func trimmed(v *value.Value, s *openapi3.Schema) *value.Value {
	if v.Kind != value.Object {
		return v
	}
	out := value.NewObject()
	for i, n := range v.Names {
		if p := s.Properties[n]; p == nil || p.Value == nil || !p.Value.ReadOnly {
			out.Add(n, v.Items[i])
		}
	}
	return out
}

// members are the names of the properties: the required first, as written.
func members(s *openapi3.Schema) []string {
	var out, rest []string
	for _, n := range s.Required {
		if s.Properties[n] != nil && !slices.Contains(out, n) {
			out = append(out, n)
		}
	}
	for n := range s.Properties {
		if !slices.Contains(out, n) {
			rest = append(rest, n)
		}
	}
	slices.Sort(rest)
	return append(out, rest...)
}

// bounds are the limits of a number, with those that are excluded taken in by a
// step.
func bounds(s *openapi3.Schema) (low, high *float64) {
	low, high = s.Min, s.Max
	step := 1.0
	if typeName(s) == "number" {
		step = 0.5
	}
	shift := func(at *float64, by float64) *float64 {
		if at == nil {
			return nil
		}
		x := *at + by
		return &x
	}
	if b := s.ExclusiveMin; b.Value != nil {
		low = shift(b.Value, step)
	} else if b.IsTrue() {
		low = shift(low, step)
	}
	if b := s.ExclusiveMax; b.Value != nil {
		high = shift(b.Value, -step)
	} else if b.IsTrue() {
		high = shift(high, -step)
	}
	return low, high
}

func number(s *openapi3.Schema) string {
	low, high := bounds(s)
	x := 1.0
	switch {
	case low != nil && *low > x:
		x = *low
	case high != nil && *high < x:
		x = *high
	}
	if m := s.MultipleOf; m != nil && *m > 0 {
		x = math.Ceil(x / *m) * *m
	}
	if typeName(s) == "integer" {
		x = math.Ceil(x)
	}
	return strconv.FormatFloat(x, 'f', -1, 64)
}

// ends finds names of times that come after others.
var ends = late.Regexp(`(?i)(^|_)(end|to|until|till|expir|due|valid_?to|finish)|(End|Until|To)(s|Date|At|Time)?$`)

// text is a plain text of a format and a length.
func text(s *openapi3.Schema, name string, guessed func(string)) string {
	switch s.Format {
	case "date":
		if ends().MatchString(name) {
			return "2031-05-24"
		}
		return "2031-05-17"
	case "date-time":
		if ends().MatchString(name) {
			return "2031-05-24T17:30:00Z"
		}
		return "2031-05-17T08:30:00Z"
	case "time":
		return "08:30:00Z"
	case "email", "idn-email":
		return "plover@gull-point.example"
	case "uri", "url":
		return "https://gull-point.example/plover"
	case "uuid":
		return "3f2b8a1e-6c4d-4a5b-9e7f-1d2c3b4a5960"
	case "ipv4":
		return "127.0.0.1"
	case "ipv6":
		return "::1"
	case "hostname", "idn-hostname":
		return "gull-point.example"
	case "duration":
		return "PT1H"
	case "byte":
		return "cGxvdmVy"
	case "uri-reference", "iri-reference":
		return "/plover"
	case "json-pointer":
		return "/plover"
	case "regex":
		return "^[a-z]+$"
	case "int32", "int64":
		return "1"
	case "decimal":
		return "1.5"
	}
	if s.Pattern != "" {
		if re, err := regexp.Compile(s.Pattern); err == nil {
			if fits := fitting(re, s); fits != "" {
				return fits
			}
		}
		guessed(fmt.Sprintf("%s has the pattern %s", name, s.Pattern))
	}
	out := "a " + strings.ReplaceAll(singular("/"+name), "_", " ")
	if n := s.MinLength; n > uint64(len(out)) {
		if n > longestDrafted {
			guessed(fmt.Sprintf("%s has at least %d characters", name, n))
			n = longestDrafted
		}
		out += strings.Repeat(" more", (int(n)-len(out)+4)/5)
	}
	if s.MaxLength != nil && uint64(len(out)) > *s.MaxLength {
		out = out[:*s.MaxLength]
	}
	return out
}

// longestDrafted is how long a text may have to be for a draft to have one.
const longestDrafted = 10_000

// fitting is a text that an expression matches and that has a length which is allowed, ""
// for none.
func fitting(re *regexp.Regexp, s *openapi3.Schema) string {
	short, long, ok := pattern.Fit(re)
	if !ok {
		return ""
	}
	for _, text := range []string{long, short} {
		if n := uint64(utf8.RuneCountInString(text)); n >= s.MinLength && (s.MaxLength == nil || n <= *s.MaxLength) && inLine(text) == text {
			return text
		}
	}
	return ""
}

// shallow is how far a shape follows a schema: what a tester reads is at the top, and the
// rest is held against the document itself.
const shallow = 2

// mostShown bounds the members of a shape.
const mostShown = 12

// shapeOf is the shape of an answer that a schema describes.
func shapeOf(ref *openapi3.SchemaRef) string { return shapeAt(ref, 0) }

func shapeAt(ref *openapi3.SchemaRef, deep int) string {
	if ref == nil || ref.Value == nil || ref.Value.Not != nil || deep > 2*deepest {
		return "any"
	}
	if v := ref.Value; len(v.OneOf)+len(v.AnyOf) > 0 && len(v.Properties) == 0 {
		return alternatives(append(slices.Clone(v.OneOf), v.AnyOf...), deep+1)
	}
	s := flat(ref)
	out := plainShape(s, deep)
	if out != "any" && (s.Nullable || s.Type.IncludesNull()) && !slices.Contains(strings.Split(out, " or "), "null") {
		out += " or null"
	}
	return out
}

func alternatives(refs openapi3.SchemaRefs, deep int) string {
	var out []string
	for _, r := range refs {
		text := shapeAt(r, max(deep, shallow))
		if text == "any" {
			return "any"
		}
		if !slices.Contains(out, text) {
			out = append(out, text)
		}
	}
	return strings.Join(out, " or ")
}

func plainShape(s *openapi3.Schema, deep int) string {
	if v := fromAny(s.Const); v != nil {
		return Body(v)
	}
	if len(s.Enum) > 0 {
		return enumShape(s)
	}
	switch typeName(s) {
	case "object":
		if deep >= shallow || len(s.Properties) == 0 {
			return "object"
		}
		var parts []string
		for _, n := range members(s) {
			p := s.Properties[n]
			if p.Value != nil && p.Value.WriteOnly || len(parts) == mostShown {
				continue
			}
			maybe := "?"
			if slices.Contains(s.Required, n) {
				maybe = ""
			}
			parts = append(parts, literal(value.NewString(n))+maybe+": "+shapeAt(p, deep+1))
		}
		return "{ " + strings.Join(append(parts, "..."), ", ") + " }"
	case "array":
		item := "any"
		if s.Items != nil {
			// A list at the top, or one that an answer wraps, is what the answer is about.
			item = shapeAt(s.Items, deep)
		}
		if item == "any" || strings.Contains(item, " or ") && !strings.HasPrefix(item, "{") {
			return "array"
		}
		return "array of " + item
	case "integer", "number":
		return typeName(s) + limits(s)
	case "boolean":
		return "boolean"
	case "string":
		switch s.Format {
		case "date", "time", "uuid", "uri", "email":
			return s.Format
		case "date-time":
			return "datetime"
		}
		if p := patternText(s.Pattern); p != "" {
			return p
		}
		return "string" + lengths(s)
	}
	return "any"
}

// enumShape is one of a few values, or their type.
func enumShape(s *openapi3.Schema) string {
	var out []string
	for _, e := range s.Enum {
		v := fromAny(e)
		switch {
		case e == nil:
			out = append(out, "null")
		case v == nil || v.Kind >= value.Array:
			return "any"
		default:
			out = append(out, Body(v))
		}
	}
	if len(out) > 8 {
		if t := typeName(s); t == "string" || t == "integer" {
			return t
		}
		return "any"
	}
	return strings.Join(out, " or ")
}

// patternText is a regular expression as the language has it, "" for one that it does not
// take.
func patternText(pattern string) string {
	if p := "/" + strings.ReplaceAll(strings.ReplaceAll(pattern, `\/`, "/"), "/", `\/`) + "/"; pattern != "" && syntax.IsPattern(p) && inLine(p) == p {
		return p
	}
	return ""
}

func limits(s *openapi3.Schema) string {
	if s.ExclusiveMin.IsSet() || s.ExclusiveMax.IsSet() || s.Min == nil && s.Max == nil {
		return ""
	}
	return span(s.Min, s.Max)
}

func span(low, high *float64) string {
	out := " "
	if low != nil {
		out += strconv.FormatFloat(*low, 'f', -1, 64)
	}
	out += ".."
	if high != nil {
		out += strconv.FormatFloat(*high, 'f', -1, 64)
	}
	return out
}

func lengths(s *openapi3.Schema) string {
	if s.MinLength == 0 && s.MaxLength == nil {
		return ""
	}
	low := float64(s.MinLength)
	var high *float64
	if s.MaxLength != nil {
		x := float64(*s.MaxLength)
		high = &x
	}
	return " length" + span(&low, high)
}
