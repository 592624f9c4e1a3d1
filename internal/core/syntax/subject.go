package syntax

import (
	"slices"
	"strings"
)

// SubjectForm is what an expectation may be about.
type SubjectForm struct {
	// Kind is its word; "path", "name" and "observation" begin otherwise.
	Kind string
	// Usage is how it is written, Help says what it is.
	Usage, Help string
	// name reads what follows the word, nil for nothing.
	name func(p *parser) string
}

// SubjectForms are all of them.
var SubjectForms = []SubjectForm{
	{Kind: "status", Usage: "status", Help: "the status of the answer"},
	{Kind: "header", Usage: "header NAME", Help: "a header of the answer", name: (*parser).headerName},
	{Kind: "cookie", Usage: "cookie NAME", Help: "a cookie that the answer sets", name: (*parser).headerName},
	{Kind: "path", Usage: "JSONPATH", Help: "what a JSONPath (RFC 9535) selects in the body"},
	{Kind: "body", Usage: "body", Help: "the body as JSON"},
	{Kind: "text", Usage: "text", Help: "the body as text"},
	{Kind: "xml", Usage: "xml XPATH", Help: "what an XPath selects in the body", name: (*parser).xpath},
	{Kind: "time", Usage: "time", Help: "how long the exchange took"},
	{Kind: "size", Usage: "size", Help: "how many bytes the body has"},
	{Kind: "name", Usage: "{NAME}", Help: "the value of a name"},
	{Kind: "answer", Usage: "answer", Help: "whether there was one at all"},
	{Kind: "state", Usage: "state", Help: "all that is observed"},
	{Kind: "observation", Usage: "NAME", Help: "one observation"},
}

// subjectWords are the words that begin one.
var subjectWords = func() []string {
	var out []string
	for _, s := range SubjectForms {
		if s.Kind != "path" && s.Kind != "name" && s.Kind != "observation" {
			out = append(out, s.Kind)
		}
	}
	return out
}()

// Subjects are the words of what an expectation may be about.
func Subjects() []string { return subjectWords }

func (p *parser) claim(cl *Claim) {
	cl.Subject = p.subject()
	if p.failed {
		return
	}
	p.spaces()
	start := p.i
	p.predicate(cl)
	cl.Predicate.Span = span{Start: start, End: p.i}
}

// Observations are the observations that a claim names, with their places.
func (c *Claim) Observations() []NameAt {
	var out []NameAt
	if s := c.Subject; s.Kind == "observation" {
		out = append(out, NameAt{s.Name, span{Start: s.Span.Start, End: s.Span.Start + len(s.Name)}})
	}
	for i, e := range c.Predicate.Effects {
		if e.Of != "" && (i == 0 || c.Predicate.Effects[i-1].OfSpan != e.OfSpan) {
			out = append(out, NameAt{e.Of, e.OfSpan})
		}
	}
	return out
}

func (p *parser) subject() Subject {
	p.spaces()
	start := p.i
	s := Subject{}
	if p.peek() == '$' {
		s.Kind, s.Path = "path", p.path()
		s.Span = span{Start: start, End: p.i}
		return s
	}
	if p.peek() == '{' {
		if e := p.tryExpr(); e != nil {
			s.Kind, s.Span = "name", e.Span
			s.Value = &Node{Kind: Ref, Expr: e, Span: e.Span}
			return s
		}
	}
	w := p.word()
	s.Span = span{Start: start, End: p.i}
	at := slices.IndexFunc(SubjectForms, func(f SubjectForm) bool { return f.Kind == w && slices.Contains(subjectWords, w) })
	switch {
	case at >= 0:
		s.Kind = w
		if name := SubjectForms[at].name; name != nil {
			s.Name = name(p)
		}
	case w == "":
		p.failHere("expected what the expectation is about, found "+p.found(), "write expect status 200, expect $.id exists, expect header ETag exists, …")
	case slices.Contains(effectWords, p.nextWord()):
		s.Kind, s.Name = "observation", w
	default:
		s.Kind = "unknown"
		hint := subjectHint(w)
		if w == "response" || w == "answer" || w == "res" || w == "resp" {
			hint = p.ofResponse()
		} else if p.peek() == '-' {
			hint = "a header is written expect header " + w + p.headerRest() + " …"
		}
		p.fail(s.Span, "unknown subject `"+w+"`", hint)
	}
	s.Span.End = p.i
	return s
}

// ofResponse is what somebody means who begins with the response.
func (p *parser) ofResponse() string {
	p.takeByte('.')
	switch w := strings.ToLower(p.nextWord()); w {
	case "time", "duration":
		return "write expect time under 200ms"
	case "size", "length":
		return "write expect size under 10KiB"
	case "body", "json", "data":
		return "write expect $.name is …, or expect body …"
	case "header", "headers":
		return "write expect header Name is …"
	}
	return "write expect status 200"
}

func (p *parser) headerRest() string {
	end := p.i
	for end < len(p.s) && (wordByte(p.s[end]) || p.s[end] == '-') {
		end++
	}
	return p.s[p.i:end]
}

func subjectHint(w string) string {
	if h := nearest(w, slices.Clone(subjectWords)); h != "" {
		return h
	}
	if ours := asSubject[strings.ToLower(w)]; ours != "" {
		return "write " + ours
	}
	if len(w) == 3 && strings.Trim(w, "0123456789") == "" {
		return "write expect status " + w
	}
	return "subjects are status, header N, cookie C, a JSONPath ($.id), body, text, xml XPATH, time, size, state, answer, or the name of an observation"
}

func (l *layout) claim(c Claim) {
	s := c.Subject
	switch s.Kind {
	case "path":
		l.write(s.Path.Raw)
	case "observation":
		l.write(s.Name)
	case "name":
		l.write("")
		l.node(s.Value)
	default:
		l.write(s.Kind, quoteXPath(s.Kind, s.Name))
	}
	if f := c.Predicate.form; f != nil {
		f.print(l, &c.Predicate)
	}
}
