package traffic

import (
	"fmt"
	"net/url"
	"path"
	"slices"
	"strings"
	"unicode"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/late"
	"usualpath/internal/core/value"
	"usualpath/internal/draft"
)

// given is a value that an answer gave.
type given struct {
	// call is the index of the call, from where in its answer: a JSONPath, or
	// `header NAME`; last tells that only the last segment of it is meant.
	call int
	from string
	last bool
	text string
	// telling is one that tells an item or a session from others, secret one that must not be
	// written down.
	telling, secret bool
	// name is the one that it is kept by, "" until it is needed.
	name string
}

var (
	secretName = late.Regexp(`(?i)(?:token|secret|session|jwt|csrf|xsrf|api_?key|password)`)
	tellingOf  = late.Regexp(`(?i)^(?:_?id|uid|uuid|guid|key|ref|code|slug|number|.*_id|.*_ref|.*[a-z](?:Id|Ref|Key))$`)
)

// mostGiven bounds how many values of one answer are looked at.
const mostGiven = 3000

// gives are the values of an answer that a later request may use, the likeliest first.
func gives(i int, c *Call) []*given {
	var out []*given
	a := c.Exchange.Answer
	if v, err := value.Decode(string(a.Body), value.Limits{}); err == nil {
		var down func(v *value.Value, name, at string, deep int)
		down = func(v *value.Value, name, at string, deep int) {
			if len(out) >= mostGiven || deep > 8 {
				return
			}
			switch v.Kind {
			case value.Object:
				for k, n := range v.Names {
					if draft.PlainMember(n) {
						down(v.Items[k], n, at+"."+n, deep+1)
					}
				}
			case value.Array:
				for k, one := range v.Items {
					down(one, name, fmt.Sprintf("%s[%d]", at, k), deep+1)
				}
			case value.String, value.Number:
				g := &given{call: i, from: at, text: v.Plain(), telling: tellingOf().MatchString(name), secret: secretName().MatchString(name) && v.Kind == value.String}
				if g.text != "" && (g.telling || g.secret || drawn(g.text)) {
					out = append(out, g)
				}
			}
		}
		down(v, "", "$", 0)
	}
	for _, l := range c.leaves(a.Body, a.Header.Get("Content-Type")) {
		name := strings.TrimPrefix(path.Base(l.Path), "@")
		g := &given{call: i, from: "xml " + l.Path, text: l.Text, telling: tellingOf().MatchString(name), secret: secretName().MatchString(name)}
		if len(out) < mostGiven && (g.telling || g.secret || drawn(g.text)) {
			out = append(out, g)
		}
	}
	for _, n := range []string{"Location", "Etag", "X-Csrf-Token", "X-Xsrf-Token", "X-Auth-Token", "X-Session-Token"} {
		v := a.Header.Get(n)
		if v == "" {
			continue
		}
		out = append(out, &given{call: i, from: "header " + n, text: v, telling: true, secret: secretName().MatchString(n)})
		if n == "Location" {
			if u, err := url.Parse(v); err == nil && path.Base(u.Path) != "/" && path.Base(u.Path) != "." {
				out = append(out, &given{call: i, from: "header Location", last: true, text: path.Base(u.Path), telling: true})
			}
		}
	}
	return out
}

// leaves are the texts of a body in XML.
func (c *Call) leaves(body []byte, media string) []draft.Leaf {
	if !exchange.IsXML(media) {
		return nil
	}
	return draft.Leaves(body)
}

// drawn tells of a text that looks as if it had been drawn: long, with digits and letters.
func drawn(text string) bool {
	return len(text) >= 8 && !strings.ContainsAny(text, " /") && strings.ContainsAny(text, "0123456789") && strings.ContainsFunc(text, unicode.IsLetter)
}

// answers are the values that the answers to calls gave.
type answers struct {
	calls []*Call
	all   [][]*given
}

func newAnswers(calls []*Call) *answers {
	s := &answers{calls: calls}
	for i, c := range calls {
		s.all = append(s.all, gives(i, c))
	}
	return s
}

// of is the answer before a call that gave a text first, unless a request had it before that:
// whoever sent it knew it already. near is the path that the text stands behind in a path, ""
// elsewhere: an answer to a request there is preferred.
func (s *answers) of(before int, text, near string, telling bool) *given {
	var found *given
	for i := range before {
		list := slices.DeleteFunc(slices.Clone(s.all[i]), func(g *given) bool {
			return g.text != text || telling && !g.telling && !g.secret && !drawn(text)
		})
		if !s.calls[i].sends(text) && len(list) > 0 {
			// A member of its own comes before one that is deeper.
			slices.SortStableFunc(list, func(a, b *given) int { return depth(a.from) - depth(b.from) })
			at, _, _ := strings.Cut(pathOf(s.calls[i]), "?")
			switch {
			case near == "" || at == near:
				return list[0]
			case found == nil:
				found = list[0]
			}
			continue
		}
		if s.calls[i].sends(text) {
			break
		}
	}
	return found
}

func pathOf(c *Call) string {
	u, err := url.Parse(c.URL())
	if err != nil {
		return ""
	}
	return u.Path
}

func depth(from string) int { return strings.Count(from, ".") + strings.Count(from, "[") }

// sends tells whether a request has a text as a segment, a value of its query, a header or a
// member of its body.
func (c *Call) sends(text string) bool {
	u, err := url.Parse(c.URL())
	if err != nil {
		return false
	}
	for _, segment := range strings.Split(u.Path, "/") {
		if segment == text {
			return true
		}
	}
	for _, list := range u.Query() {
		if slices.Contains(list, text) {
			return true
		}
	}
	for _, pair := range slices.Concat(c.Fields, c.Parts) {
		if _, v, _ := strings.Cut(pair, "="); v == text {
			return true
		}
	}
	for _, f := range c.Exchange.Request.Header {
		if f.Value == text || strings.HasSuffix(f.Value, " "+text) {
			return true
		}
	}
	for _, l := range c.leaves(c.Exchange.Request.Body, c.header("Content-Type")) {
		if l.Text == text {
			return true
		}
	}
	v, err := value.Decode(string(c.Exchange.Request.Body), value.Limits{})
	return err == nil && holds(v, text)
}

// holds tells whether a text is one of the values within a value.
func holds(v *value.Value, text string) bool {
	switch v.Kind {
	case value.Object, value.Array:
		return slices.ContainsFunc(v.Items, func(one *value.Value) bool { return holds(one, text) })
	case value.String, value.Number:
		return v.Plain() == text
	}
	return false
}
