package expect

import (
	"slices"
	"strings"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/leak"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// text judges a claim about a text: a header, a cookie, the body as text, a
// string in JSON.
func (c *Context) text(a asked) Outcome {
	judge := onText[a.p.Op]
	if judge == nil {
		return unknown(a.s.Kind, a.p.Op)
	}
	return judge(c, a)
}

// shown is the text, cut to n characters, in quotes.
func (a asked) shown(n int) string { return value.Quoted(value.Cut(a.got, n)) }

// ifThere misses a claim about a text that is not there.
func ifThere(judge func(c *Context, a asked) Outcome) func(c *Context, a asked) Outcome {
	return func(c *Context, a asked) Outcome {
		if !a.there {
			return miss("there is no %s", a.what)
		}
		return judge(c, a)
	}
}

func (c *Context) sameText(a asked) Outcome {
	other, out := c.other(a.p.Source)
	if other == nil {
		return out
	}
	then, ok := other.Header(a.s.Name)
	if a.s.Kind == "cookie" {
		then, ok = other.Cookie(a.s.Name)
	}
	if !ok {
		return miss("%s is %s, and %s has none", a.what, a.shown(160), sourceText(a.p.Source))
	}
	return verdict(then == a.got, "%s is %s, and was %s in %s", a.what, a.shown(160), value.Quoted(value.Cut(then, 120)), sourceText(a.p.Source))
}

// compared makes a claim of a comparison with the one value that is written.
func compared(holds func(a asked, want string) bool) func(c *Context, a asked) Outcome {
	return func(c *Context, a asked) Outcome {
		n := a.p.Values[0]
		v, err := c.Names.Value(n)
		if err != nil {
			return broken(err)
		}
		want := v.Plain()
		if holds(a, want) {
			return Outcome{Held: true}
		}
		shown := a.shown(160)
		if len(a.got) > 160 {
			shown, _ = value.CutAround(value.NewString(a.got), value.NewString(want), 160)
		}
		out := miss("%s is %s", a.what, shown)
		if n.Template == nil || len(n.Template.Parts) > 1 {
			out.Found = append(out.Found, "wanted "+value.Quoted(value.Cut(want, 160)))
		}
		return out
	}
}

// all makes a claim about one value one about each of those that are written.
func all(judge func(c *Context, a asked) Outcome) func(c *Context, a asked) Outcome {
	return func(c *Context, a asked) Outcome {
		values := a.p.Values
		for _, v := range values {
			one := *a.p
			one.Values = []*syntax.Node{v}
			a.p = &one
			if out := judge(c, a); !out.Held {
				if len(values) > 1 && out.Err == nil {
					out.Found = append(out.Found[:1:1], "it lacks "+syntax.NodeText(v))
				}
				return out
			}
		}
		return Outcome{Held: true}
	}
}

// equalText compares; media types by type and by the parameters that were
// written down (RFC 9110 §8.3.1).
func equalText(s *syntax.Subject, got, want string) bool {
	if s.Kind != "header" || !strings.EqualFold(s.Name, "Content-Type") {
		return got == want
	}
	if exchange.MediaType(got) != exchange.MediaType(want) {
		return false
	}
	_, wanted, _ := strings.Cut(want, ";")
	for _, param := range strings.Split(wanted, ";") {
		if param = normalParam(param); param == "" {
			continue
		}
		found := false
		for _, have := range strings.Split(got, ";")[1:] {
			found = found || normalParam(have) == param
		}
		if !found {
			return false
		}
	}
	return true
}

func normalParam(p string) string {
	return strings.ToLower(strings.ReplaceAll(strings.TrimSpace(p), `"`, ""))
}

func (c *Context) lists(a asked, only bool) Outcome {
	s := a.s
	have := exchange.SplitList(c.Reply.Answer.Header.Values(s.Name)...)
	// Methods and entity tags are case-sensitive, tokens elsewhere are not.
	exact := strings.EqualFold(s.Name, "Allow") || strings.EqualFold(s.Name, "ETag")
	same := func(a, b string) bool { return a == b || !exact && strings.EqualFold(a, b) }
	var want, lack, extra []string
	for _, n := range a.p.Values {
		v, err := c.Names.Value(n)
		if err != nil {
			return broken(err)
		}
		want = append(want, v.Plain())
	}
	for _, w := range want {
		if !slices.ContainsFunc(have, func(h string) bool { return same(h, w) }) {
			lack = append(lack, w)
		}
	}
	if only {
		for _, h := range have {
			if !slices.ContainsFunc(want, func(w string) bool { return same(h, w) }) {
				extra = append(extra, h)
			}
		}
	}
	out := Outcome{Held: len(lack)+len(extra) == 0}
	if out.Held {
		return out
	}
	line := a.what + " lists nothing"
	if len(have) > 0 {
		line = a.what + " lists " + strings.Join(have, ", ")
	}
	if len(lack) > 0 {
		line += "; it lacks " + strings.Join(lack, ", ")
	}
	if len(extra) > 0 {
		line += ", and more than that: " + strings.Join(extra, ", ")
	}
	out.Found = []string{line}
	return out
}

// lacks wants a text without a piece, or a header's list without elements.
func (c *Context) lacks(a asked) Outcome {
	p, s, what, got := a.p, a.s, a.what, a.got
	have := exchange.SplitList(c.Reply.Answer.Header.Values(s.Name)...)
	for _, n := range p.Values {
		v, err := c.Names.Value(n)
		if err != nil {
			return broken(err)
		}
		text := v.Plain()
		if s.Kind == "header" {
			for _, h := range have {
				if strings.EqualFold(h, text) {
					return miss("%s lists %s", what, strings.Join(have, ", "))
				}
			}
			continue
		}
		if i := strings.Index(got, text); i >= 0 {
			return miss("%s contains it: %s", what, around(got, i, i+len(text)))
		}
	}
	return Outcome{Held: true}
}

// around is a part of a text with what stands beside it, in quotes.
func around(text string, from, to int) string {
	const beside = 20
	before, part, after := []rune(text[:from]), text[from:to], []rune(text[to:])
	if len(before) > beside {
		before = append([]rune{'…'}, before[len(before)-beside:]...)
	}
	if len(after) > beside {
		after = append(after[:beside:beside], '…')
	}
	return value.Quoted(string(before) + value.Cut(part, 60) + string(after))
}

// isJSON wants one JSON document, and a type that says so.
func (c *Context) isJSON() Outcome {
	a := c.Reply.Answer
	if _, err := c.Reply.JSON(); err != nil {
		return miss("the body is not JSON: %s; it reads %s", err, value.Quoted(value.Cut(c.Reply.Text(), 120)))
	}
	if ct := a.Header.Get("Content-Type"); !exchange.IsJSON(ct) {
		if ct == "" {
			return miss("the body is JSON, and there is no Content-Type that says so")
		}
		return miss("the body is JSON, and Content-Type says %s", value.Quoted(ct))
	}
	return Outcome{Held: true}
}

func (c *Context) leaks() Outcome {
	var found []string
	for _, f := range leak.Find(c.Reply.Text()) {
		found = append(found, "the body holds "+f.What+": "+value.Quoted(value.Cut(f.Excerpt, 120)))
	}
	for _, name := range c.Reply.Answer.Names() {
		for _, f := range leak.Find(strings.Join(c.Reply.Answer.Header[name], "\n")) {
			found = append(found, "header "+name+" holds "+f.What+": "+value.Quoted(value.Cut(f.Excerpt, 120)))
		}
	}
	return Outcome{Held: len(found) == 0, Found: found}
}
