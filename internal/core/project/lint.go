package project

import (
	"fmt"
	"strings"

	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// unused warns of names that a scenario binds and never uses.
func (c *checker) unused() {
	for name, b := range c.known {
		if b.used || b.file != c.f {
			continue
		}
		switch b.word {
		case "keep", "let":
			c.p.warn(c.f, b.span, "`"+name+"` is bound and never used", "use it as {"+name+"}, or remove the line")
		case "expect", "prefer", "need":
			c.p.warn(c.f, b.span, "`"+name+"` is bound and never used", "use it as {"+name+"}, or take `as "+name+"` away")
		}
	}
}

// lintFile warns of what is allowed and seldom meant.
func (p *loader) lintFile(f *File) {
	p.unusedLets(f)
	for _, s := range f.scenarios {
		if len(s.Steps) == 0 {
			p.warn(f, s.Statement.Span, "this scenario has no steps", `write one: step "title"`)
		}
		for _, st := range s.Steps {
			// Steps of a check look things up for later ones, and tidy up between.
			p.lintStep(f, st, s.Check != nil)
		}
		for _, st := range s.Afterwards {
			p.lintStep(f, st, true)
		}
	}
	for _, st := range f.Statements {
		switch b := st.Body.(type) {
		case *syntax.Routine:
			if b.Title != nil && !p.called(syntax.TitleText(b.Title)) {
				p.warn(f, b.Title.Span, "no scenario calls this routine", fmt.Sprintf("call it: do %q, or remove it", syntax.TitleText(b.Title)))
			}
		case *syntax.Let:
			p.plainSecret(f, st, b)
		}
	}
}

func (p *loader) called(title string) bool {
	for _, f := range p.loaded {
		for _, st := range f.Statements {
			for _, inner := range flatten(st) {
				if d, ok := inner.Body.(*syntax.Do); ok && syntax.TitleText(d.Title) == title {
					return true
				}
			}
		}
	}
	return false
}

// unusedLets warns of a file's own lets that nothing in it uses. Files that
// others use, and the project's, are left alone.
func (p *loader) unusedLets(f *File) {
	own := false
	for _, st := range f.Statements {
		_, let := st.Body.(*syntax.Let)
		own = own || let
	}
	if !own || p.used(f) || len(f.scenarios) == 0 {
		return
	}
	used := map[string]bool{}
	for _, st := range f.Statements {
		for _, inner := range flatten(st) {
			syntax.Walk(inner, func(e *syntax.Expr) { used[e.Name] = true })
		}
	}
	for _, st := range f.Statements {
		if l, ok := st.Body.(*syntax.Let); ok && l.Name != "" && !used[l.Name] {
			p.warn(f, l.NameSpan, "`"+l.Name+"` is bound and never used", "use it as {"+l.Name+"}, or remove the line")
		}
	}
}

func (p *loader) lintStep(f *File, st *syntax.Statement, helps bool) {
	if _, ok := st.Body.(*syntax.Step); !ok {
		return
	}
	var send *syntax.Send
	expects, noAnswer, creates, keeps := 0, false, false, false
	var ok200 *syntax.Expectation
	for _, c := range st.Children {
		switch one := c.Body.(type) {
		case *syntax.Send:
			send = one
			p.lintRequest(f, c)
		case syntax.Claiming:
			expects++
			b := one.Claimed()
			noAnswer = noAnswer || b.Subject.Kind == "answer"
			if s := b.Predicate.Status; len(s) == 1 && s[0].Code == 200 && !s[0].Not && !s[0].Class && b.Quantifier == "" {
				ok200 = b
			}
			for _, e := range b.Predicate.Effects {
				creates = creates || e.Word == "gains"
			}
			creates = creates || b.Subject.Kind == "header" && strings.EqualFold(b.Subject.Name, "Location")
		case *syntax.Keep:
			keeps = true
			creates = creates || one.From == "header" && strings.EqualFold(one.Key, "Location") || one.Path != nil && one.Path.Raw == "$.id"
		case *syntax.Restart, *syntax.Kill:
			expects++
		}
	}
	title := st.Span
	switch {
	case send == nil && expects == 0 && len(st.Children) == 0:
		p.warn(f, title, "this step does nothing", "write send GET /path below it")
	case expects == 0 && !helps && send != nil:
		p.warn(f, title, "this step expects nothing, so it passes whatever the answer is", "write expect status 200 below it")
	}
	if send != nil && send.Method == "POST" && ok200 != nil && creates {
		p.warn(f, ok200.Predicate.Span, "a create that answers 200 tells its client less than 201 does (RFC 9110 §15.3.2)",
			"expect status 201, or 200 or 201 when the service is free to choose")
	}
	if noAnswer && keeps {
		p.warn(f, title, "this step expects no answer and keeps something of it: no step that needs that can run", "remove one of the two")
	}
}

var secretHeaders = map[string]bool{"authorization": true, "cookie": true, "x-api-key": true, "proxy-authorization": true}

func (p *loader) lintRequest(f *File, send *syntax.Statement) {
	var content *syntax.Statement
	media := ""
	for _, c := range send.Children {
		switch b := c.Body.(type) {
		case *syntax.Header:
			text, plain := b.Value.Plain()
			if strings.EqualFold(b.Name, "Content-Type") && plain {
				media = text
			}
			if plain && secretHeaders[strings.ToLower(b.Name)] && text != "" {
				p.warn(f, c.Span, "a secret is written out here", "bind it: secret token from env TOKEN, and write {token}")
			}
		case *syntax.Auth:
			last := b.Values
			if len(last) > 0 {
				n := last[len(last)-1]
				if text, plain := n.Template.Plain(); n.Kind == syntax.String && plain && text != "" {
					p.warn(f, n.Span, "a secret is written out here", "bind it: secret token from env TOKEN, and write {token}")
				}
			}
		case syntax.Bodied:
			content = c
			if m := b.Sent().Media; m != nil {
				media, _ = m.Plain()
			}
		}
	}
	if content == nil {
		return
	}
	switch b := content.Body.(type) {
	case *syntax.JSON:
		// A value is sent as XML or as a form where the type is one of those.
		if other := strings.ToLower(media); media != "" && !strings.Contains(other, "json") && !strings.Contains(other, "xml") && !strings.Contains(other, "form-") && !strings.Contains(media, "{") {
			p.warn(f, content.Span, "JSON is sent as "+media, "remove the other type, or send it as text if that is what is tested")
		}
	case *syntax.Text:
		if media != "" || b.Value == nil || b.Value.Kind != syntax.String {
			return
		}
		if text, plain := b.Value.Template.Plain(); plain {
			if v, err := value.Decode(text, value.Limits{}); err == nil && (v.Kind == value.Object || v.Kind == value.Array) {
				p.warn(f, content.Span, "this JSON is sent as plain text", "write json "+value.Cut(text, 40)+", or say `as application/json`")
			}
		}
	}
}

var secretWords = []string{"password", "passwd", "token", "secret", "api_key", "apikey"}

func (p *loader) plainSecret(f *File, st *syntax.Statement, l *syntax.Let) {
	if l.Value == nil || l.Value.Kind != syntax.String {
		return
	}
	text, plain := l.Value.Template.Plain()
	if !plain || text == "" {
		return
	}
	lower := strings.ToLower(l.Name)
	for _, w := range secretWords {
		if strings.Contains(lower, w) {
			p.warn(f, st.Span, "`"+l.Name+"` looks like a secret that is written out", "write secret "+l.Name+" from env "+strings.ToUpper(l.Name))
			return
		}
	}
}

// lintTitles warns of one title in two files: --only and reports then mean both.
func (p *loader) lintTitles() {
	first := map[string]*File{}
	for _, f := range p.Files {
		for _, s := range f.scenarios {
			raw := s.Raw()
			if other := first[raw]; other != nil && other != f && raw != "" {
				p.warn(f, s.Title.Span, fmt.Sprintf("%s has a scenario with this title too", other.Source.Name), "change one of them, so that --only means one")
			} else {
				first[raw] = f
			}
		}
	}
}
