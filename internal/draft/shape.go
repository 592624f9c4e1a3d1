// Package draft proposes: the step that an exchange seen by hand would be, the
// resource that a service or a document describes. What it writes is text of
// the language, for people to read and change.
package draft

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"usualpath/internal/core/late"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

var (
	uuidForm  = late.Regexp(`^[0-9a-fA-F]{8}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{12}$`)
	timeForm  = late.Regexp(`^\d{4}-\d\d-\d\d[Tt ]\d\d:\d\d:\d\d(?:\.\d+)?(?:[Zz]|[+-]\d\d:\d\d)$`)
	dateForm  = late.Regexp(`^\d{4}-\d\d-\d\d$`)
	idName    = late.Regexp(`(?i)^(?:_?id|uid|uuid|guid|key|.*_id|.*[a-z]Id)$`)
	clockName = late.Regexp(`(?i)(?:_at|_on|At|On|date|time|updated|created|modified|version|revision|etag|expires|expires_in|expiresIn|elapsed|duration)$`)
	tokenName = late.Regexp(`(?i)(?:token|secret|session|jwt|csrf|nonce|hash|signature|cursor)$`)
	tokenForm = late.Regexp(`^[A-Za-z0-9+/=_.~-]{16,}$`)
	longText  = 80
)

// PlainMember tells of a member that a JSONPath can name without quotes.
func PlainMember(name string) bool { return syntax.IsName(name) }

// Identity is the member that tells items apart: id, or the first whose name
// says so; "" for none.
func Identity(v *value.Value) string {
	if v.Kind != value.Object {
		return ""
	}
	if _, ok := v.Get("id"); ok {
		return "id"
	}
	for _, n := range v.Names {
		if idName().MatchString(n) {
			return n
		}
	}
	return ""
}

// varies tells whether a member is likely to be another one each time.
func varies(name string, v *value.Value) bool {
	if v.Kind == value.String && (uuidForm().MatchString(v.Text) || timeForm().MatchString(v.Text)) {
		return true
	}
	if v.Kind == value.String && (tokenName().MatchString(name) || drawn(v.Text)) {
		return true
	}
	return idName().MatchString(name) || clockName().MatchString(name) && v.Kind != value.Bool && v.Kind != value.Object && v.Kind != value.Array
}

// drawn tells whether a text looks as if it had been drawn: a token, a hash.
func drawn(text string) bool {
	return tokenForm().MatchString(text) && strings.ContainsAny(text, "0123456789") && strings.ContainsFunc(text, unicode.IsLetter)
}

// typeOf is the type of a value, as narrow as its form allows.
func typeOf(v *value.Value) string {
	switch v.Kind {
	case value.Null:
		return "any"
	case value.Bool:
		return "boolean"
	case value.Number:
		if !strings.ContainsAny(v.Text, ".eE") {
			return "integer"
		}
		return "number"
	case value.String:
		switch {
		case uuidForm().MatchString(v.Text):
			return "uuid"
		case timeForm().MatchString(v.Text):
			return "datetime"
		case dateForm().MatchString(v.Text):
			return "date"
		}
		return "string"
	case value.Array:
		return "array"
	}
	return "object"
}

// shaper writes shapes: types for what varies, literals for what does not.
type shaper struct {
	// bind is the member that binds a name, at the top.
	bind, as string
	known    Known
	// typed has every value as a type: for lists, whose members differ.
	typed bool
}

func (s *shaper) shape(name string, v *value.Value, top bool) string {
	switch v.Kind {
	case value.Object:
		if len(v.Names) == 0 {
			return "object"
		}
		var parts []string
		for i, n := range v.Names {
			text := s.shape(n, v.Items[i], false)
			if top && n == s.bind {
				text = typeOf(v.Items[i]) + " as " + s.as
			}
			parts = append(parts, syntax.Quoted(n)+": "+text)
		}
		return "{ " + strings.Join(append(parts, "..."), ", ") + " }"
	case value.Array:
		if len(v.Items) == 0 {
			return "array"
		}
		inner := &shaper{typed: true}
		return "array of " + inner.union(name, v.Items)
	}
	if as := s.known.name(v.Plain()); as != "" && idName().MatchString(name) {
		return "{" + as + "}"
	}
	if s.typed || varies(name, v) {
		return typeOf(v)
	}
	if v.Kind == value.String {
		if as := s.known.name(v.Text); as != "" && renewable().MatchString(name) {
			return "{" + as + "}"
		}
		if utf8.RuneCountInString(v.Text) > longText {
			return "string"
		}
		if strings.HasPrefix(v.Text, "/") || strings.Contains(v.Text, "://") {
			if put := s.known.segments(v.Text); put != v.Text {
				return fmt.Sprintf("%q", put)
			}
		}
	}
	return literal(v)
}

// union is the one shape that all elements of a list have: a member that some
// lack may be absent, one of several types is any of them.
func (s *shaper) union(name string, items []*value.Value) string {
	var order []string
	forms := map[string]map[string]bool{}
	count := map[string]int{}
	objects := 0
	other := map[string]bool{}
	for _, it := range items {
		if it.Kind != value.Object {
			other[s.shape(name, it, false)] = true
			continue
		}
		objects++
		for i, n := range it.Names {
			if forms[n] == nil {
				forms[n] = map[string]bool{}
				order = append(order, n)
			}
			count[n]++
			forms[n][s.shape(n, it.Items[i], false)] = true
		}
	}
	var parts []string
	for _, n := range order {
		mark := ""
		if count[n] < objects {
			mark = "?"
		}
		parts = append(parts, syntax.Quoted(n)+mark+": "+either(forms[n]))
	}
	if objects > 0 {
		other["{ "+strings.Join(append(parts, "..."), ", ")+" }"] = true
	}
	return either(other)
}

// either joins shapes; a whole number is a number, and of many there is no end.
func either(set map[string]bool) string {
	if set["integer"] && set["number"] {
		delete(set, "integer")
	}
	if set["any"] || len(set) > 3 {
		return "any"
	}
	var list []string
	for t := range set {
		list = append(list, t)
	}
	slices.Sort(list)
	return strings.Join(list, " or ")
}

// literal is a value as written in a file: braces in text are its own.
func literal(v *value.Value) string {
	if v.Kind == value.String {
		return syntax.Quoted(v.Text)
	}
	return v.String()
}

// Body is a value as text of the language, with `{` of its own escaped.
func Body(v *value.Value) string {
	switch v.Kind {
	case value.Object:
		var parts []string
		for i, n := range v.Names {
			parts = append(parts, syntax.Quoted(n)+": "+Body(v.Items[i]))
		}
		if len(parts) == 0 {
			return "{}"
		}
		return "{ " + strings.Join(parts, ", ") + " }"
	case value.Array:
		var parts []string
		for _, it := range v.Items {
			parts = append(parts, Body(it))
		}
		return "[" + strings.Join(parts, ", ") + "]"
	}
	return literal(v)
}

// notOfName is what a name of the language does not hold.
var notOfName = late.Regexp(`[^A-Za-z0-9_]+`)

// singular is a name for one item of a collection: boats, boat.
func singular(path string) string {
	segment := ""
	for _, s := range strings.Split(strings.SplitN(path, "?", 2)[0], "/") {
		if s != "" && !strings.ContainsAny(s, "{}0123456789%") {
			segment = s
		}
	}
	out := notOfName().ReplaceAllString(strings.ToLower(segment), "_")
	switch {
	case strings.HasSuffix(out, "ies") && len(out) > 4:
		out = out[:len(out)-3] + "y"
	case strings.HasSuffix(out, "sses"):
		out = out[:len(out)-2]
	case strings.HasSuffix(out, "s") && !strings.HasSuffix(out, "ss") && len(out) > 2:
		out = out[:len(out)-1]
	}
	out = strings.Trim(out, "_")
	if out == "" || out[0] >= '0' && out[0] <= '9' {
		return "item"
	}
	return out
}
