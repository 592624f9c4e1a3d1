package scope

import (
	"net/url"
	"strings"

	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// Target works out a path or URL: values are percent-encoded where they are
// put in (RFC 3986 §2.1), save one that is first, which is a path or URL
// itself.
func (s *Scope) Target(t *syntax.Template) (string, error) {
	text, _, err := s.target(t)
	return text, err
}

// Unsafe tells why a target may reach something other than the one thing that
// its names stand for, such as a collection in place of an item; "" when it
// does not.
func (s *Scope) Unsafe(t *syntax.Template) string {
	text, holes, err := s.target(t)
	if err != nil {
		return ""
	}
	for _, h := range holes {
		if k := h.v.Kind; k != value.String && k != value.Number {
			return "{" + h.raw + "} is " + value.Cut(h.v.String(), 40) + ", which is neither a text nor a number"
		}
	}
	for _, h := range holes {
		what := ""
		if h.whole {
			what = wild(strings.TrimSpace(text[:h.end]) == "", strings.Split(path(text[:h.end]), "/")...)
		} else {
			from := strings.LastIndexByte(text[:h.start], '/') + 1
			segment, _, _ := strings.Cut(path(text[from:]), "/")
			what = wild(segment == "", segment)
		}
		if what != "" {
			return "{" + h.raw + "} makes a segment of the path " + what
		}
	}
	return ""
}

// path is a target without its query and fragment.
func path(target string) string {
	if i := strings.IndexAny(target, "?#"); i >= 0 {
		return target[:i]
	}
	return target
}

// Segment tells what is wrong with a text, plain or percent-encoded, as the
// segment of a path that names one thing: "empty", "blank", or what it is; ""
// when nothing is.
func Segment(text string) string { return wild(text == "", text) }

// wild tells what is wrong with segments that should name one thing.
func wild(empty bool, segments ...string) string {
	if empty {
		return "empty"
	}
	for _, s := range segments {
		switch decoded := decodeAll(s); {
		case decoded == "":
		case strings.Trim(decoded, " \t\r\n\x00\u00a0") == "":
			return "blank"
		case decoded == "." || decoded == ".." || strings.EqualFold(decoded, "null"):
			return "`" + decoded + "`"
		}
	}
	return ""
}

// decodeAll undoes percent-encoding, also where it was encoded twice.
func decodeAll(segment string) string {
	for range 3 {
		next, err := url.PathUnescape(segment)
		if err != nil || next == segment {
			break
		}
		segment = next
	}
	return segment
}

// hole is where a value was put into a target, in bytes of the result.
type hole struct {
	raw        string
	start, end int
	// whole marks one that is a path or URL itself.
	whole bool
	v     *value.Value
}

func (s *Scope) target(t *syntax.Template) (string, []hole, error) {
	if text, ok := t.Plain(); ok {
		return text, nil, nil
	}
	var b strings.Builder
	var holes []hole
	query := false
	for i, p := range t.Parts {
		if p.Expr == nil {
			query = query || strings.Contains(p.Text, "?")
			b.WriteString(p.Text)
			continue
		}
		v, err := s.Expr(p.Expr)
		if err != nil {
			return "", nil, err
		}
		at := hole{raw: p.Expr.Raw, start: b.Len(), whole: i == 0, v: v}
		switch text := v.Plain(); {
		case i == 0:
			query = strings.Contains(text, "?")
			b.WriteString(text)
		case query:
			b.WriteString(strings.ReplaceAll(url.QueryEscape(text), "+", "%20"))
			continue
		default:
			b.WriteString(url.PathEscape(text))
		}
		at.end = b.Len()
		holes = append(holes, at)
	}
	return b.String(), holes, nil
}
