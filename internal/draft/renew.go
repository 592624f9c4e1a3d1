package draft

import (
	"maps"
	"net/url"
	"strings"
	"unicode/utf8"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/late"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// renewable finds members whose text may have to be another for each item.
var renewable = late.Regexp(`(?i)^(?:name|title|user_?name|login|e?_?mail|slug|label|handle|nick_?name|(?:display|full)_?name)$`)

// renew makes texts of a create new at each run, where the answer shows that they
// were kept: the second run of the file would else make the same item again.
func (p *Proposal) renew(t *Typed, x *exchange.Exchange, known Known, taken func(string) bool) (*Typed, Known) {
	sent, err := value.Decode(t.JSON, value.Limits{})
	if t.Method != "POST" || err != nil || sent.Kind != value.Object || x.Answer == nil || x.Answer.Status/100 != 2 {
		return t, known
	}
	got, err := value.Decode(string(x.Answer.Body), value.Limits{})
	if err != nil || got.Kind != value.Object {
		return t, known
	}
	out := *t
	known = maps.Clone(known)
	for i, n := range sent.Names {
		v := sent.Items[i]
		back, ok := got.Get(n)
		if !ok || v.Kind != value.String || !value.Equal(v, back) || !renewable().MatchString(n) || utf8.RuneCountInString(v.Text) > 60 || strings.Contains(v.Text, "{") {
			continue
		}
		was := value.Quoted(n) + ":"
		at := strings.Index(out.JSON, was)
		rest := ""
		if at >= 0 {
			rest = strings.TrimLeft(out.JSON[at+len(was):], " \t\r\n")
		}
		if !strings.HasPrefix(rest, value.Quoted(v.Text)) {
			continue
		}
		name := free(singular(t.Target)+"_"+strings.ToLower(notOfName().ReplaceAllString(n, "_")), taken)
		out.JSON = out.JSON[:at+len(was)] + " {" + name + "}" + rest[len(value.Quoted(v.Text)):]
		text := v.Text + " {random_text(6)}"
		if user, host, mail := strings.Cut(v.Text, "@"); mail {
			text = user + "+{random_text(6)}@" + host
		} else if !strings.Contains(v.Text, " ") && strings.ToLower(v.Text) == v.Text {
			text = v.Text + "-{random_text(6)}"
		}
		p.Lines = append(p.Lines, "  let "+name+` = "`+text+`"`)
		p.Notes = append(p.Notes, n+" differs from run to run, in case no two items may share it: {"+name+"}.")
		known[name] = v
		p.Kept[name] = v
	}
	return &out, known
}

// takeAway are the lines of a step that deletes what a create has made, at the
// place that its Location names, or below the collection.
func takeAway(t *Typed, location, id, name string) []string {
	path, _, _ := strings.Cut(t.Target, "?")
	if u, err := url.Parse(location); err == nil && location != "" && strings.HasPrefix(u.Path, "/") {
		path = strings.TrimSuffix(u.EscapedPath(), "/"+url.PathEscape(id))
		if path == u.EscapedPath() {
			return nil
		}
		if base := schemeAndHost().FindString(t.Target); base != "" {
			path = base + path
		}
	}
	return append([]string{"step " + syntax.Quoted("remove the "+singular(t.Target)+" again"), "  send DELETE " + strings.TrimSuffix(path, "/") + "/{" + name + "}"}, t.credentials()...)
}

// credentials are the lines of a request that say who sends it: `auth`, and headers but those
// about the body, the form of the answer, and conditions.
func (t *Typed) credentials() []string {
	var out []string
	if t.Auth != "" {
		out = append(out, "    "+t.Auth)
	}
	for _, h := range t.Header {
		n, v, _ := strings.Cut(h, ":")
		n = strings.TrimSpace(n)
		switch lower := strings.ToLower(n); {
		case strings.HasPrefix(lower, "accept"), strings.HasPrefix(lower, "content-"), strings.HasPrefix(lower, "if-"), lower == "idempotency-key", lower == "expect", lower == "prefer":
		default:
			out = append(out, "    header "+n+": "+strings.TrimSpace(v))
		}
	}
	return out
}
