package shape

import (
	"net/mail"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"usualpath/internal/core/late"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

var timeOfDay = late.Regexp(`^([01]\d|2[0-3]):[0-5]\d(:([0-5]\d|60)(\.\d+)?)?(Z|z|[+-]([01]\d|2[0-3]):[0-5]\d)?$`)

// IsText tells whether a string is of one of the text types:
// uuid (RFC 9562 §4), datetime and date (RFC 3339 §5.6), time (the same, zone
// and seconds may be left out), uri (RFC 3986 §3, with a scheme), email
// (RFC 5322 §3.4.1, address only).
func IsText(kind, s string) bool {
	switch kind {
	case "uuid":
		_, err := uuid.Parse(s)
		return err == nil && len(s) == 36
	case "datetime":
		_, err := time.Parse(time.RFC3339Nano, stamp(s))
		return err == nil && !strings.Contains(s, ",")
	case "date":
		_, err := time.Parse("2006-01-02", s)
		return err == nil
	case "time":
		return timeOfDay().MatchString(s)
	case "uri":
		u, err := url.Parse(s)
		return err == nil && u.Scheme != "" && !strings.ContainsAny(s, " <>\"{}|\\^`") && (u.Host != "" || u.Opaque != "" || u.Path != "")
	case "email":
		a, err := mail.ParseAddress(s)
		return err == nil && a.Address == s && a.Name == ""
	}
	return false
}

// stamp is a time of RFC 3339 §5.6 as it is parsed here: in upper case, with T for a space, and a
// leap second as the one before it.
func stamp(s string) string {
	return strings.Replace(strings.Replace(strings.ToUpper(s), " ", "T", 1), ":59:60", ":59:59", 1)
}

func (m *matcher) typed(n *syntax.Node, v *value.Value, at *value.Path) {
	ok := false
	switch n.Text {
	case "any":
		ok = true
	case "string":
		ok = v.Kind == value.String
	case "number":
		ok = v.Kind == value.Number
	case "integer":
		ok = v.IsInteger()
	case "boolean":
		ok = v.Kind == value.Bool
	case "object":
		ok = v.Kind == value.Object
	case "array":
		ok = v.Kind == value.Array
	default:
		ok = v.Kind == value.String && IsText(n.Text, v.Text)
	}
	if !ok {
		m.expected(at, syntax.NodeText(n), v)
		return
	}
	if n.Limits != nil {
		m.limits(n, v, at)
	}
}

func (m *matcher) limits(n *syntax.Node, v *value.Value, at *value.Path) {
	l := n.Limits
	if l.Range != nil && !m.within(l.Range, v) {
		m.expected(at, syntax.NodeText(n), v)
	}
	if l.Within != nil {
		near, _, err := Near(l.Within, v, m.names)
		if err != nil && m.err == nil {
			m.err = err
		}
		if !near {
			m.expected(at, syntax.NodeText(n), v)
		}
	}
	if l.Length != nil {
		if length, _ := v.Length(); !m.within(l.Length, value.NewInt(int64(length))) {
			m.miss(at, "expected %s, found %d characters: %s", syntax.NodeText(n), length, value.Cut(v.String(), 100))
		}
	}
	if l.Pattern != nil && (v.Kind != value.String || !l.Pattern.Regexp.MatchString(v.Text)) {
		m.expected(at, syntax.NodeText(n), v)
	}
	if l.Count != nil && !m.within(l.Count, value.NewInt(int64(len(v.Items)))) {
		m.miss(at, "expected %s, found %s", syntax.NodeText(n), elements(len(v.Items)))
	}
	if l.Of != nil {
		for i, item := range v.Items {
			m.match(l.Of, item, at.Element(i))
		}
	}
}

func (m *matcher) within(r *syntax.Range, v *value.Value) bool {
	ok, err := Within(r, v, m.names)
	if err != nil && m.err == nil {
		m.err = err
	}
	return ok
}

// elements counts in words.
func elements(n int) string {
	if n == 1 {
		return "1 element"
	}
	return strconv.Itoa(n) + " elements"
}
