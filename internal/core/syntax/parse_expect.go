package syntax

import (
	"errors"
	"math"
	"slices"
	"strconv"
	"strings"

	"usualpath/internal/core/source"
)

func (p *parser) claim() Claim {
	var cl Claim
	cl.Subject = p.subject()
	if p.failed {
		return cl
	}
	p.blanks()
	start := p.i
	cl.Predicate = p.predicate(cl.Subject)
	cl.Predicate.Span = source.Span{Start: start, End: p.i}
	return cl
}

func (p *parser) subject() Subject {
	p.blanks()
	start := p.i
	s := Subject{}
	if p.peek() == '$' {
		s.Kind, s.Path = "path", p.path()
		s.Span = source.Span{Start: start, End: p.i}
		return s
	}
	w := p.word()
	s.Span = source.Span{Start: start, End: p.i}
	switch w {
	case "status", "body", "text", "time", "size", "state", "answer":
		s.Kind = w
	case "header", "cookie":
		s.Kind, s.Name = w, p.headerName()
	case "xml":
		s.Kind, s.Name = w, p.xpath()
	case "":
		p.failHere("what the expectation is about was expected, found "+p.found(), "write expect status 200, expect $.id exists, expect header ETag exists, …")
	default:
		next := p.nextWord()
		if next == "unchanged" || next == "gains" || next == "loses" || next == "changes" {
			s.Kind, s.Name = "observation", w
			break
		}
		s.Kind = "unknown"
		p.fail(s.Span, "unknown subject `"+w+"`", subjectHint(w))
	}
	s.Span.End = p.i
	return s
}

func subjectHint(w string) string {
	if h := nearest(w, append([]string(nil), subjectWords...)); h != "" {
		return h
	}
	switch strings.ToLower(w) {
	case "code", "statuscode", "status_code", "response":
		return "write expect status 200"
	case "headers":
		return "write expect header Name exists"
	case "json", "jsonpath":
		return "write a JSONPath: expect $.name is …"
	case "duration", "latency":
		return "write expect time under 200ms"
	}
	if len(w) == 3 && strings.Trim(w, "0123456789") == "" {
		return "write expect status " + w
	}
	return "subjects are status, header N, cookie C, a JSONPath ($.id), body, text, xml XPATH, time, size, state, answer, or the name of an observation"
}

func (p *parser) predicate(s Subject) Predicate {
	var pr Predicate
	if s.Kind == "status" && !p.atWord("same") {
		pr.Op = "status"
		pr.Status = p.statuses()
		return pr
	}
	if s.Kind == "observation" || s.Kind == "state" {
		return p.effects(s)
	}
	start := p.i
	w := p.word()
	if w == "" {
		w = p.comparator()
	}
	if w == "not" {
		p.i = start
		p.fail(p.token(), "`not` stands after `is`", "write is not …, or missing for exists")
		return pr
	}
	if !slices.Contains(predicateWords[s.Kind], w) {
		p.i = start
		p.badPredicate(s, w)
		return pr
	}
	pr.Op = w
	switch w {
	case "exists", "missing", "empty", "json", "unique":
	case "is":
		if p.takeWord("not") {
			pr.Op = "is not"
		}
		switch s.Kind {
		case "path", "body":
			pr.Shape = p.needShape()
		default:
			pr.Values = p.needValues(1)
		}
	case "<", "<=", ">", ">=":
		pr.Op, pr.Compare = "compare", w
		pr.Values = p.needValues(1)
	case "between":
		pr.Values = p.needValues(1)
		if !p.failed && p.needWord("and", "between 1 and 60") {
			pr.Values = append(pr.Values, p.needValues(1)...)
		}
	case "lacks":
		if s.Kind == "header" {
			pr.Values = p.listItems()
		} else {
			pr.Values = p.needValues(1)
		}
	case "agrees":
		if p.needWord("with", `agrees with "step"`) {
			pr.Op = "agrees with"
			p.compared(s, &pr)
		}
	case "resembles":
		pr.Source = p.stepSource()
	case "contains", "covers":
		pr.Values = p.needValues(1)
	case "starts", "ends":
		if p.needWord("with", w+` with "…"`) {
			pr.Op = w + " with"
			pr.Values = p.needValues(1)
		}
	case "matches":
		p.blanks()
		if p.peek() != '/' {
			p.failHere("a regular expression was expected, found "+p.found(), "write matches /^[A-F][0-9]+$/")
			return pr
		}
		pr.Shape = p.regexNode()
	case "lists":
		if p.takeWord("only") {
			pr.Op = "lists only"
		}
		pr.Values = p.listItems()
	case "count":
		p.count(&pr)
	case "every", "some", "none":
		pr.Shape = p.needShape()
	case "sorted":
		if p.takeWord("by") {
			pr.By = p.path()
		}
		pr.Descending = !p.failed && p.takeWord("descending")
	case "same":
		p.same(s, &pr)
	case "fits":
		if p.needWord("schema", `fits schema "boat.schema.json"`) {
			pr.Op = "fits schema"
			pr.Values = []*Node{p.plainString("a file name", `fits schema "boat.schema.json"`)}
		}
	case "leaks":
		if p.needWord("nothing", "leaks nothing") {
			pr.Op = "leaks nothing"
		}
	case "under":
		p.under(s, &pr)
	}
	return pr
}

func (p *parser) atWord(w string) bool { return p.nextWord() == w }

func (p *parser) comparator() string {
	for _, op := range []string{"<=", ">=", "<", ">"} {
		if p.at(op) {
			p.i += len(op)
			return op
		}
	}
	return ""
}

func (p *parser) badPredicate(s Subject, w string) {
	have := predicateWords[s.Kind]
	hint := ""
	switch {
	case p.at("==") || p.at("="):
		hint = "write `is`"
	case p.at("!="):
		hint = "write `is not`"
	case w == "equals" || w == "equal" || w == "be" || w == "eq":
		hint = "write `is`"
	case w == "has" || w == "includes":
		hint = "write `contains` or `covers`"
	case s.Kind == "time" || s.Kind == "size":
		hint = "write expect " + s.Kind + " under 200" + map[string]string{"time": "ms", "size": "KiB"}[s.Kind]
	default:
		hint = nearest(w, append([]string(nil), have...))
	}
	subject := s.Kind
	if s.Kind == "path" {
		subject = "a JSONPath"
	}
	if hint == "" {
		hint = subject + " goes with " + strings.Join(have, ", ")
	}
	if w == "" {
		p.failHere("what is expected of "+subject+" was expected, found "+p.found(), hint)
		return
	}
	p.failHere("`"+w+"` does not go with "+subject, hint)
}

func (p *parser) needShape() *Node {
	p.blanks()
	if p.lineDone() {
		p.failHere("a shape was expected, found "+p.found(), `write a value, a type or a pattern: is "B2", is integer 1.., is /re/`)
		return nil
	}
	return p.shape()
}

func (p *parser) needValues(n int) []*Node {
	var out []*Node
	for range n {
		p.blanks()
		if p.lineDone() {
			p.failHere("a value was expected, found "+p.found(), `text stands in quotes: "…"`)
			return out
		}
		out = append(out, p.value())
	}
	return out
}

// listItems reads GET, HEAD or quoted strings with commas between.
func (p *parser) listItems() []*Node {
	var out []*Node
	for !p.failed {
		p.blanks()
		start := p.i
		switch p.peek() {
		case '"':
			out = append(out, p.stringNode())
		case '{':
			if e := p.tryExpr(); e != nil {
				out = append(out, &Node{Kind: Ref, Expr: e, Span: e.Span})
				break
			}
			fallthrough
		default:
			for p.i < len(p.s) && (tokenByte(p.s[p.i]) || p.s[p.i] == '/') {
				p.i++
			}
			if p.i == start {
				p.failHere("a list item was expected, found "+p.found(), "write lists GET, HEAD")
				return out
			}
			raw := p.s[start:p.i]
			span := source.Span{Start: start, End: p.i}
			out = append(out, &Node{Kind: String, Text: raw, Span: span,
				Template: &Template{Raw: raw, Span: span, Parts: []Part{{Text: raw}}}})
		}
		if !p.takeByte(',') {
			break
		}
	}
	return out
}

func (p *parser) count(pr *Predicate) {
	p.blanks()
	if op := p.comparator(); op != "" {
		pr.Compare = op
		pr.Values = []*Node{p.wholeNumber("count > 3", 0, math.MaxInt32)}
		return
	}
	pr.Range = p.rangeOf()
}

func (p *parser) same(s Subject, pr *Predicate) {
	if p.takeWord("shape") {
		if s.Kind != "body" {
			p.failHere("`same shape as` goes with body", `write expect body same shape as "step"`)
			return
		}
		if p.needWord("as", `same shape as "step"`) {
			pr.Op = "same shape as"
			pr.Source = p.stepSource()
		}
		return
	}
	if !p.needWord("as", `same as "step"`) {
		return
	}
	pr.Op = "same as"
	p.compared(s, pr)
}

// compared reads the source of a comparison, and what is left out of it.
func (p *parser) compared(s Subject, pr *Predicate) {
	p.blanks()
	start := p.i
	src := &Source{}
	switch {
	case p.peek() == '"':
		src = p.stepSource()
	case p.peek() == '$':
		src.Kind, src.Path = "step", p.path()
		if !p.failed && p.needWord("of", `same as $.id of "step"`) {
			src.Title = p.str("a step's title", `same as $.id of "step"`)
		}
	case p.takeWord("sent"):
		src.Kind = "sent"
	case p.takeWord("baseline"):
		src.Kind = "baseline"
	case p.takeWord("file"):
		src.Kind = "file"
		src.Title = p.plainString("a file name", `same as file "boat.json"`)
	default:
		p.failHere("a source was expected, found "+p.found(), `same as "step", $.x of "step", sent, file "F" or baseline`)
	}
	src.Span = source.Span{Start: start, End: p.i}
	pr.Source = src
	if (s.Kind == "status" || s.Kind == "header" || s.Kind == "cookie") && !p.failed && (src.Kind != "step" || src.Path != nil) {
		p.fail(src.Span, s.Kind+" is compared with the answer of a step", `write same as "step"`)
	}
	if !p.failed && (s.Kind == "body" || s.Kind == "path") && p.takeWord("except") {
		pr.Except = p.paths()
	}
}

func (p *parser) stepSource() *Source {
	p.blanks()
	start := p.i
	n := p.str("a step's title", `same as "step"`)
	return &Source{Kind: "step", Title: n, Span: source.Span{Start: start, End: p.i}}
}

func (p *parser) under(s Subject, pr *Predicate) {
	p.blanks()
	if s.Kind == "time" {
		d := p.duration("expect time under 200ms")
		pr.Limit, pr.LimitRaw = int64(d.D), d.Raw
		return
	}
	start := p.i
	for p.i < len(p.s) && (wordByte(p.s[p.i]) || p.s[p.i] == '.') {
		p.i++
	}
	pr.LimitRaw = p.s[start:p.i]
	n, err := ParseSize(pr.LimitRaw)
	if err != nil {
		p.i = start
		p.failHere("a size was expected, found "+p.found(), "write expect size under 10KiB")
	}
	pr.Limit = n
}

// ParseSize reads a size of the language in bytes: 512B, 10KiB, 2MiB, 1GiB.
func ParseSize(raw string) (int64, error) {
	for unit, by := range map[string]float64{"KiB": 1 << 10, "MiB": 1 << 20, "GiB": 1 << 30} {
		if n, ok := strings.CutSuffix(raw, unit); ok {
			f, err := strconv.ParseFloat(n, 64)
			if err != nil || f < 0 || f > 1<<30 {
				return 0, errSize
			}
			return int64(f * by), nil
		}
	}
	n, err := strconv.ParseInt(strings.TrimSuffix(raw, "B"), 10, 64)
	if err != nil || n < 0 {
		return 0, errSize
	}
	return n, nil
}

var errSize = errors.New("a size is a number and B, KiB, MiB or GiB: 10KiB, 2MiB")

// statuses reads 200 or 204, 2xx, not 5xx, {code}.
func (p *parser) statuses() []StatusClass {
	var out []StatusClass
	form := "write expect status 200, 200 or 204, 2xx, or not 5xx"
	for {
		var one StatusClass
		one.Not = p.takeWord("not")
		p.blanks()
		start := p.i
		if p.peek() == '{' {
			if e := p.tryExpr(); e != nil {
				one.Ref = &Node{Kind: Ref, Expr: e, Span: e.Span}
			}
		}
		if one.Ref == nil {
			w := p.word()
			one.Span = source.Span{Start: start, End: p.i}
			code, err := strconv.Atoi(strings.TrimSuffix(w, "xx"))
			one.Class = strings.HasSuffix(w, "xx")
			one.Code = code
			switch {
			case w == "":
				p.failHere("a status was expected, found "+p.found(), form)
				return out
			case w == "is":
				p.fail(one.Span, "statuses follow directly", form)
				return out
			case err != nil:
				p.fail(one.Span, "`"+w+"` is no status", form)
				return out
			case one.Class && (code < 1 || code > 5), !one.Class && (code < 100 || code > 599):
				p.fail(one.Span, "`"+w+"` is no status", "statuses are 100 to 599 (RFC 9110 §15), classes 1xx to 5xx")
				return out
			}
		}
		one.Span = source.Span{Start: start, End: p.i}
		out = append(out, one)
		if !p.listing && p.takeByte(',') {
			p.fail(source.Span{Start: p.i - 1, End: p.i}, "statuses are joined by `or`", "write 200 or 204")
			return out
		}
		// What must not be is joined by `and`, as one says it.
		if !p.takeWord("or") && !(one.Not && p.takeWord("and")) {
			return out
		}
	}
}

func (p *parser) effects(s Subject) Predicate {
	pr := Predicate{Op: "effects"}
	for {
		p.blanks()
		start := p.i
		w := p.word()
		switch w {
		case "unchanged":
			pr.Effects = append(pr.Effects, Effect{Word: w})
		case "gains", "loses", "changes":
			if s.Kind == "state" {
				p.fail(source.Span{Start: start, End: p.i}, "state can only be unchanged", "name an observation to say what it "+w)
				return pr
			}
			e := Effect{Word: w}
			if p.lineDone() {
				p.failHere("a count or a shape was expected, found "+p.found(), "write "+w+" 1, or "+w+" { … }")
				return pr
			}
			p.blanks()
			if b := p.peek(); b >= '0' && b <= '9' {
				r := p.rangeOf()
				if e.Range = r; r.Lo == r.Hi {
					e.Range, e.Shape = nil, r.Lo
				}
			} else {
				e.Shape = p.shape()
			}
			pr.Effects = append(pr.Effects, e)
		default:
			p.i = start
			p.failHere("an effect was expected, found "+p.found(), "write unchanged, gains 1, loses 1, changes 1 or gains { … }")
			return pr
		}
		if p.failed || !p.takeWord("and") {
			break
		}
	}
	if len(pr.Effects) > 1 {
		for _, e := range pr.Effects {
			if e.Word == "unchanged" {
				p.failHere("`unchanged` stands alone", "take the other effects away")
			}
		}
	}
	return pr
}
