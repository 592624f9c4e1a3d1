package draft

import (
	"fmt"
	"net/url"
	"slices"
	"strings"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/late"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// Known are names that earlier steps have kept, with the values they had.
type Known map[string]*value.Value

// Proposal is a step that files an exchange.
type Proposal struct {
	// Lines are the step's.
	Lines []string
	// After are lines of a step that takes away what was made.
	After []string
	// Kept are the names it binds, with their values.
	Kept Known
	// Notes say what was written otherwise than it was sent.
	Notes []string
}

// Typed is a request as somebody typed it: with names in it, and without what a
// project adds.
type Typed struct {
	Method, Target string
	// Header are "Name: value", Query "name=value" or "name".
	Header, Query []string
	// JSON and Text are the body, one of them at most, or File, which is its name
	// in the scenario; Media is its type, "" for the usual one.
	JSON, Text, File, Media string
	// Fields are "name=value" of a form, Parts those of a multipart body, Attached
	// "name=FILE", by the name in the scenario.
	Fields, Parts, Attached []string
	// Follow is how many redirects are followed; Timeout as written, "" for none.
	Follow  int
	Timeout string
	// Auth is an `auth` line, "" for none.
	Auth string
}

// Without is the request without one thing: "header NAME" or "query NAME". More
// lines may be needed to drop what the project adds.
func (t *Typed) Without(what string) (*Typed, []string, error) {
	kind, name, _ := strings.Cut(strings.TrimSpace(what), " ")
	out := *t
	switch {
	case kind == "header" && name != "":
		out.Header = slices.DeleteFunc(slices.Clone(t.Header), func(h string) bool {
			n, _, _ := strings.Cut(h, ":")
			return strings.EqualFold(strings.TrimSpace(n), name)
		})
		return &out, []string{"  without header " + name}, nil
	case kind == "query" && name != "":
		drop := func(p string) bool { n, _, _ := strings.Cut(p, "="); return p == "" || n == name }
		out.Query = slices.DeleteFunc(slices.Clone(t.Query), drop)
		target, query, _ := strings.Cut(t.Target, "?")
		if pairs := slices.DeleteFunc(strings.Split(query, "&"), drop); len(pairs) > 0 {
			target += "?" + strings.Join(pairs, "&")
		}
		out.Target = target
		return &out, nil, nil
	}
	return nil, nil, fmt.Errorf("--without %q: name what to leave out", what)
}

// Lines are the request as lines of a step, with names for values that are
// known.
func (t *Typed) Lines(known Known) []string {
	target, query, _ := strings.Cut(t.Target, "?")
	out := []string{"send " + t.Method + " " + known.segments(target)}
	if t.Auth != "" {
		out = append(out, "  "+t.Auth)
	}
	media := t.Media
	for _, h := range t.Header {
		n, v, _ := strings.Cut(h, ":")
		n, v = strings.TrimSpace(n), strings.TrimSpace(v)
		if strings.EqualFold(n, "Content-Type") && (t.JSON != "" || t.Text != "" || t.File != "") {
			media = v
			continue
		}
		out = append(out, "  header "+n+": "+v)
	}
	var pairs []string
	for _, pair := range strings.Split(query, "&") {
		if pair != "" {
			n, v, valued := strings.Cut(pair, "=")
			name, _ := url.QueryUnescape(n)
			text, _ := url.QueryUnescape(v)
			if valued {
				name += "=" + text
			}
			pairs = append(pairs, name)
		}
	}
	for _, pair := range append(pairs, t.Query...) {
		n, v, valued := strings.Cut(pair, "=")
		if !valued {
			out = append(out, "  query "+n)
			continue
		}
		out = append(out, "  query "+n+" = "+known.pair(v))
	}
	for word, list := range map[string][]string{"form": t.Fields, "part": t.Parts} {
		for _, pair := range list {
			n, v, _ := strings.Cut(pair, "=")
			out = append(out, "  "+word+" "+n+" = "+known.pair(v))
		}
	}
	for _, pair := range t.Attached {
		n, file, _ := strings.Cut(pair, "=")
		out = append(out, "  part "+n+" file "+syntax.Quoted(file))
	}
	as := ""
	if media != "" {
		as = " as " + media
	}
	switch {
	case t.JSON != "":
		if media == "application/json" {
			as = ""
		}
		out = append(out, "  json "+known.put(t.JSON)+as)
	case t.Text != "":
		word := "text"
		if exchange.IsXML(t.Media) {
			word = "xml"
			as = strings.TrimSuffix(as, " as application/xml")
		}
		out = append(out, "  "+word+" "+syntax.Quoted(t.Text)+as)
	case t.File != "":
		out = append(out, "  file "+syntax.Quoted(t.File)+as)
	}
	if t.Follow > 0 {
		out = append(out, fmt.Sprintf("  follow %d", t.Follow))
	}
	if t.Timeout != "" {
		out = append(out, "  timeout "+t.Timeout)
	}
	return out
}

// Step proposes the step that a request and its answer would be. taken tells
// names that the file has already.
func Step(title string, t *Typed, x *exchange.Exchange, known Known, taken func(name string) bool) Proposal {
	p := Proposal{Kept: Known{}}
	p.Lines = append(p.Lines, "step "+syntax.Quoted(title))
	t, known = p.renew(t, x, known, taken)
	for _, l := range t.Lines(known) {
		p.Lines = append(p.Lines, "  "+l)
	}
	p.expect(x, t, known, taken)
	return p
}

// expect proposes what a careful tester would expect of such an answer.
func (p *Proposal) expect(x *exchange.Exchange, t *Typed, known Known, taken func(string) bool) {
	add := func(format string, args ...any) { p.Lines = append(p.Lines, fmt.Sprintf("  "+format, args...)) }
	a := x.Answer
	if a == nil {
		add("expect answer missing")
		return
	}
	add("expect status %d", a.Status)
	if ct := exchange.MediaType(a.Header.Get("Content-Type")); ct != "" && len(a.Body) > 0 {
		add("expect header Content-Type is %s", syntax.Quoted(ct))
	}
	if len(a.Body) == 0 {
		add("expect body empty")
	}
	v, err := value.Decode(string(a.Body), value.Limits{})
	s := &shaper{known: known}
	id := ""
	if err == nil && (v.Kind == value.Object || v.Kind == value.Array) {
		if x.Request.Method == "POST" && a.Status/100 == 2 && v.Kind == value.Object {
			if n := Identity(v); n != "" {
				idv, _ := v.Get(n)
				s.bind, s.as = n, free(singular(t.Target), taken)
				p.Kept[s.as] = idv
				id = idv.Plain()
				p.After = takeAway(t, a.Header.Get("Location"), id, s.as)
			}
		}
		add("expect body is %s", known.put(s.shape("", v, true)))
	}
	if exchange.IsXML(a.Header.Get("Content-Type")) {
		for _, l := range elements(a.Body, t.Text) {
			add("expect %s", l)
		}
	}
	for _, n := range []string{"Location", "Allow"} {
		h := a.Header.Get(n)
		if h == "" {
			continue
		}
		switch {
		case n == "Allow":
			list := exchange.SplitList(a.Header.Values("Allow")...)
			slices.Sort(list)
			add("expect header Allow lists %s", strings.Join(list, ", "))
		case id != "" && strings.HasSuffix(h, "/"+id):
			add("expect header Location ends with %s", fmt.Sprintf("%q", "/{"+s.as+"}"))
		case x.Request.Method == "POST" && a.Status == 201 && id == "":
			name := free(singular(t.Target)+"_at", taken)
			add("keep %s from header Location", name)
			p.Kept[name] = value.NewString(h)
			p.After = append([]string{"step " + syntax.Quoted("remove the "+singular(t.Target)+" again"), "  send DELETE {" + name + "}"}, t.credentials()...)
		default:
			add("expect header Location exists")
		}
	}
	if a.Header.Get("ETag") != "" && x.Request.Method == "GET" {
		add("expect header ETag exists")
	}
	if a.Status >= 400 {
		add("expect body leaks nothing")
	}
}

func free(name string, taken func(string) bool) string {
	for n := 2; taken(name); n++ {
		name = strings.TrimRight(name, "0123456789") + fmt.Sprint(n)
	}
	return name
}

// name is the kept name that has this value, "" for none; short values are no
// proof.
func (k Known) name(text string) string {
	var names []string
	for n, v := range k {
		if v.Plain() == text && text != "" {
			names = append(names, n)
		}
	}
	slices.Sort(names)
	if len(names) == 0 {
		return ""
	}
	return names[0]
}

// pair is a value as it is written behind `=`: a known one by its name.
func (k Known) pair(v string) string {
	if as := k.name(v); as != "" {
		return "{" + as + "}"
	}
	if v == "" || strings.TrimSpace(v) != v || strings.ContainsAny(v, "#\"\n\r\t") {
		return value.Quoted(v)
	}
	return v
}

// put puts names for kept values into a text: where a whole member is one.
func (k Known) put(text string) string {
	for n, kept := range k {
		if kept.Kind != value.String || len(kept.Text) < 8 {
			continue
		}
		text = strings.ReplaceAll(text, value.Quoted(kept.Text), "{"+n+"}")
	}
	return text
}

var schemeAndHost = late.Regexp(`^https?://[^/]+`)

// segments puts names for the segments of a path that are kept values.
func (k Known) segments(target string) string {
	head := schemeAndHost().FindString(target)
	parts := strings.Split(target[len(head):], "/")
	for i, s := range parts {
		text, err := url.PathUnescape(s)
		if err != nil || strings.HasPrefix(s, "{") {
			continue
		}
		if n := k.name(text); n != "" {
			parts[i] = "{" + n + "}"
		}
	}
	return head + strings.Join(parts, "/")
}

// title is what a step that sends a request may be called.
func title(method, target string) string {
	one := singular(target)
	path, _, _ := strings.Cut(schemeAndHost().ReplaceAllString(target, ""), "?")
	parts := strings.Split(strings.Trim(path, "/"), "/")
	last := parts[len(parts)-1]
	item := strings.ContainsAny(last, "0123456789{")
	words := map[string]string{"POST": "create " + one, "PUT": "replace " + one, "PATCH": "amend " + one, "DELETE": "remove " + one, "GET": "read " + one}
	if method == "GET" && !item {
		return "list " + last
	}
	if w, ok := words[method]; ok && last != "" {
		return w
	}
	return method + " " + path
}
