package syntax

import (
	"cmp"
	"math"
	"slices"
	"strings"
)

// The kinds of arguments.
var (
	argNone = argument{func(*parser, Subject, *Predicate) {}, func(*layout, *Predicate) {}}

	argShape = argument{func(p *parser, _ Subject, pr *Predicate) { pr.Shape = p.needShape() }, func(l *layout, pr *Predicate) { l.node(pr.Shape) }}

	argValue = argument{func(p *parser, _ Subject, pr *Predicate) { pr.Values = p.needValues(1) }, printValues}

	argBetween = argument{func(p *parser, _ Subject, pr *Predicate) {
		pr.Values = p.needValues(1)
		if !p.failed && (p.peek() == ',' || p.at("..")) {
			p.failHere("expected `and`, found "+p.found(), "write between "+NodeText(pr.Values[0])+" and "+strings.TrimLeft(p.rest().Text(p.s), ",. "))
			return
		}
		if !p.failed && p.needWord("and", "between 1 and 60") {
			pr.Values = append(pr.Values, p.needValues(1)...)
		}
	}, func(l *layout, pr *Predicate) {
		l.node(pr.Values[0])
		l.write("and")
		l.node(pr.Values[1])
	}}

	argValues = argument{func(p *parser, _ Subject, pr *Predicate) {
		pr.Values = p.needValues(1)
		for !p.failed {
			mark := p.i
			if p.spaces(); p.peek() != ',' {
				p.i = mark
				return
			}
			p.i++
			pr.Values = append(pr.Values, p.needValues(1)...)
		}
	}, func(l *layout, pr *Predicate) {
		for i, v := range pr.Values {
			if i > 0 {
				l.b.WriteByte(',')
			}
			l.node(v)
		}
	}}

	argWithin = argument{func(p *parser, _ Subject, pr *Predicate) { pr.Within = p.within(true, true) }, func(l *layout, pr *Predicate) {
		l.node(pr.Within.Number)
		l.write(pr.Within.Duration.Raw, "of")
		l.node(pr.Within.Of)
	}}

	argList = argument{func(p *parser, _ Subject, pr *Predicate) { pr.Values = p.listItems() }, func(l *layout, pr *Predicate) { l.list(pr.Values) }}

	argPattern = argument{func(p *parser, _ Subject, pr *Predicate) {
		p.spaces()
		if p.peek() != '/' {
			hint := "write matches /^[A-F][0-9]+$/"
			if text := p.rest().Text(p.s); p.peek() == '"' && strings.Count(text, `"`) == 2 {
				hint = "write matches /" + strings.ReplaceAll(text[1:strings.LastIndexByte(text, '"')], "/", `\/`) + "/"
			}
			p.failHere("expected a regular expression, found "+p.found(), hint)
			return
		}
		pr.Shape = p.regexNode()
	}, func(l *layout, pr *Predicate) { l.node(pr.Shape) }}

	argCount = argument{func(p *parser, _ Subject, pr *Predicate) {
		p.spaces()
		if op := p.comparator(); op != "" {
			pr.Compare = op
			pr.Values = []*Node{p.wholeNumber("count > 3", 0, math.MaxInt32)}
			return
		}
		pr.Range = p.rangeOf()
	}, func(l *layout, pr *Predicate) {
		l.write(pr.Compare)
		printValues(l, pr)
		if pr.Range != nil {
			l.write(rangeText(pr.Range))
		}
	}}

	argSorted = argument{func(p *parser, _ Subject, pr *Predicate) {
		if p.takeWord("by") {
			pr.By = p.path()
		}
		pr.Descending = !p.failed && p.takeWord("descending")
	}, func(l *layout, pr *Predicate) {
		if pr.By != nil {
			l.write("by", pr.By.Raw)
		}
		if pr.Descending {
			l.write("descending")
		}
	}}

	argFile = argument{func(p *parser, _ Subject, pr *Predicate) {
		pr.Values = []*Node{p.plainString("a file name", `fits schema "boat.schema.json"`)}
	}, printValues}

	argDuration = argument{func(p *parser, _ Subject, pr *Predicate) {
		d := p.duration("expect time under 200ms")
		pr.Limit, pr.LimitRaw = int64(d.D), d.Raw
	}, func(l *layout, pr *Predicate) { l.write(pr.LimitRaw) }}

	argSize = argument{(*parser).sizeLimit, func(l *layout, pr *Predicate) { l.write(pr.LimitRaw) }}

	argStatuses = argument{func(p *parser, _ Subject, pr *Predicate) { pr.Status = p.statuses() }, func(l *layout, pr *Predicate) { l.write(StatusText(pr.Status)) }}

	argStep = argument{func(p *parser, _ Subject, pr *Predicate) { pr.Source = p.stepSource() }, printSource}

	argSource = argument{(*parser).compared, printSource}

	argEffects = argument{(*parser).effects, printEffects}
)

func printValues(l *layout, pr *Predicate) {
	for _, v := range pr.Values {
		l.node(v)
	}
}

func (p *parser) sizeLimit(_ Subject, pr *Predicate) {
	p.spaces()
	start := p.i
	for p.i < len(p.s) && (wordByte(p.s[p.i]) || p.s[p.i] == '.') {
		p.i++
	}
	pr.LimitRaw = p.s[start:p.i]
	n, err := ParseSize(pr.LimitRaw)
	if err != nil {
		p.i = start
		p.failHere("expected a size, found "+p.found(), "write expect size under 10KiB")
	}
	pr.Limit = n
}

// compared reads the source of a comparison, and what is left out of it.
func (p *parser) compared(s Subject, pr *Predicate) {
	p.spaces()
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
		p.failHere("expected a source, found "+p.found(), `same as "step", $.x of "step", sent, file "F" or baseline`)
	}
	if src.Kind == "step" && !p.failed && p.takeWord("repeat") {
		src.Repeat = p.wholeNumber(`same as "step" repeat 2`, 1, 1_000_000)
	}
	src.Span = span{Start: start, End: p.i}
	pr.Source = src
	if (s.Kind == "status" || s.Kind == "header" || s.Kind == "cookie") && !p.failed && (src.Kind != "step" || src.Path != nil) {
		p.fail(src.Span, s.Kind+" is compared with the answer of a step", `write same as "step"`)
	}
	if !p.failed && (s.Kind == "body" || s.Kind == "path") && p.takeWord("except") {
		pr.Except = p.paths()
	}
}

func (p *parser) stepSource() *Source {
	p.spaces()
	start := p.i
	n := p.str("a step's title", `same as "step"`)
	return &Source{Kind: "step", Title: n, Span: span{Start: start, End: p.i}}
}

func printSource(l *layout, pr *Predicate) {
	switch s := pr.Source; s.Kind {
	case "step":
		if s.Path != nil {
			l.write(s.Path.Raw, "of")
		}
		l.node(s.Title)
		if s.Repeat != nil {
			l.write("repeat")
			l.node(s.Repeat)
		}
	case "file":
		l.write("file")
		l.node(s.Title)
	default:
		l.write(s.Kind)
	}
	if len(pr.Except) > 0 {
		l.write("except", joinPaths(pr.Except))
	}
}

// effectWords are what a request may do to an observation.
var effectWords = []string{"unchanged", "gains", "loses", "changes"}

func (p *parser) effects(s Subject, pr *Predicate) {
	for {
		if !p.effect(s, pr) || p.failed || !p.takeWord("and") {
			break
		}
	}
	many := map[string]int{}
	for _, e := range pr.Effects {
		many[cmp.Or(e.Of, s.Name)]++
	}
	if slices.ContainsFunc(pr.Effects, func(e Effect) bool { return e.Word == "unchanged" && many[cmp.Or(e.Of, s.Name)] > 1 }) {
		p.failHere("`unchanged` cannot be combined with other effects on the same observation", "remove the other effects")
	}
}

// effect reads one; false when there is none.
func (p *parser) effect(s Subject, pr *Predicate) bool {
	e := Effect{}
	if n := len(pr.Effects); n > 0 {
		e.Of, e.OfSpan = pr.Effects[n-1].Of, pr.Effects[n-1].OfSpan
	}
	p.spaces()
	start := p.i
	w := p.word()
	if next := p.nextWord(); len(pr.Effects) > 0 && !slices.Contains(effectWords, w) && slices.Contains(effectWords, next) {
		// boats gains 1 and berths unchanged
		e.Of, e.OfSpan = w, span{Start: start, End: p.i}
		p.spaces()
		start = p.i
		w = p.word()
	}
	e.Word = w
	switch {
	case w == "unchanged":
		pr.Effects = append(pr.Effects, e)
		return true
	case !slices.Contains(effectWords, w):
		p.i = start
		p.failHere("expected an effect, found "+p.found(), "write unchanged, gains 1, loses 1, changes 1 or gains { … }")
		return false
	case s.Kind == "state":
		p.fail(span{Start: start, End: p.i}, "state can only be unchanged", "name an observation to say what it "+w)
		return false
	case p.lineDone():
		p.failHere("expected a count or a shape, found "+p.found(), "write "+w+" 1, or "+w+" { … }")
		return false
	}
	p.spaces()
	if b := p.peek(); b >= '0' && b <= '9' {
		r := p.rangeOf()
		if e.Range = r; r.Lo == r.Hi {
			e.Range, e.Shape = nil, r.Lo
		}
	} else {
		e.Shape = p.shape()
	}
	pr.Effects = append(pr.Effects, e)
	return true
}

func printEffects(l *layout, pr *Predicate) {
	of := ""
	for i, e := range pr.Effects {
		if i > 0 {
			l.write("and")
		}
		if e.Of != of {
			l.write(e.Of)
			of = e.Of
		}
		l.write(e.Word)
		l.node(e.Shape)
		if e.Range != nil {
			l.write(rangeText(e.Range))
		}
	}
}
