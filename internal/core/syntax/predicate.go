package syntax

import (
	"slices"
	"strings"
)

// PredicateForm is one thing that can be said of subjects.
type PredicateForm struct {
	// Op is its words, joined by spaces; those of `status` and `effects` have
	// none of their own.
	Op string
	// split are the words, once they were taken apart.
	split []string
	// Subjects are the kinds of subjects that it goes with.
	Subjects []string
	// Usage is how it is written, Help what it means, Example one that can be.
	Usage, Help, Example string
	// arg is what follows the words.
	arg argument
	// plain has no words: what is said is directly behind the subject.
	plain bool
}

// argument is a kind of what a predicate is told.
type argument struct {
	read  func(p *parser, s Subject, pr *Predicate)
	print func(l *layout, pr *Predicate)
}

var (
	onPath  = []string{"path", "name"}
	onBody  = []string{"body"}
	onJSON  = []string{"path", "body", "name"}
	onTexts = []string{"header", "cookie", "path", "text", "xml", "name"}
	onNames = []string{"header", "cookie", "path", "xml", "name"}
)

// PredicateForms are all of them, in the order in which they are listed.
var PredicateForms = []*PredicateForm{
	{Op: "status", Subjects: []string{"status"}, Usage: "STATUS", Example: `200 or 204`, Help: "it is one of these: `201`, `200 or 204`, `2xx`, `not 429 and not 5xx`, `{name}` (also a list)", arg: argStatuses, plain: true},
	{Op: "exists", Subjects: onNames, Usage: "exists", Example: `exists`, Help: "there is one", arg: argNone},
	{Op: "missing", Subjects: append(slices.Clone(onNames), "answer"), Usage: "missing", Example: `missing`, Help: "there is none; for `answer`: the exchange failed or timed out", arg: argNone},
	{Op: "is", Subjects: onJSON, Usage: "is SHAPE", Example: `is integer 1..`, Help: "it fits the shape", arg: argShape},
	{Op: "is not", Subjects: onJSON, Usage: "is not SHAPE", Example: `is not null`, Help: "it does not fit the shape, the whole of it", arg: argShape},
	{Op: "is", Subjects: []string{"header", "cookie", "text", "xml"}, Usage: "is VALUE", Example: `is "DK"`, Help: "it is this text; `Content-Type` is compared as a media type", arg: argValue},
	{Op: "is not", Subjects: []string{"header", "cookie", "text", "xml"}, Usage: "is not VALUE", Example: `is not "DK"`, Help: "it is not this text", arg: argValue},
	{Op: "is within", Subjects: onPath, Usage: "is within N of VALUE", Example: `is within 0.1 of 12.5`, Help: "the numbers differ by at most that, exactly; with a duration (`5m`) the times of RFC 3339 as instants, or the dates as days", arg: argWithin},
	{Op: "is not within", Subjects: onPath, Usage: "is not within N of VALUE", Example: `is not within 5m of {now()}`, Help: "they differ by more", arg: argWithin},
	{Op: "are", Subjects: onPath, Usage: "are SHAPE", Example: `are any order ["DK", "GB"]`, Help: "the selected values, as a list, fit the shape; those of one array its elements", arg: argShape},
	{Op: "<", Subjects: onPath, Usage: "< VALUE", Example: `< 60`, Help: "it is less", arg: argValue},
	{Op: "<=", Subjects: onPath, Usage: "<= VALUE", Example: `<= 60`, Help: "it is at most this", arg: argValue},
	{Op: ">", Subjects: onPath, Usage: "> VALUE", Example: `> 0`, Help: "it is more", arg: argValue},
	{Op: ">=", Subjects: onPath, Usage: ">= VALUE", Example: `>= 0`, Help: "it is at least this", arg: argValue},
	{Op: "between", Subjects: onPath, Usage: "between VALUE and VALUE", Example: `between 1 and 60`, Help: "it is one of the two, or between them", arg: argBetween},
	{Op: "before", Subjects: onPath, Usage: "before VALUE", Example: `before "{now()}"`, Help: "the time (RFC 3339) is an earlier instant, or the date an earlier day", arg: argValue},
	{Op: "after", Subjects: onPath, Usage: "after VALUE", Example: `after "2026-01-31"`, Help: "the time (RFC 3339) is a later instant, or the date a later day", arg: argValue},
	{Op: "contains", Subjects: onTexts, Usage: "contains VALUE, …", Example: `contains "tern", "gull"`, Help: "it has this substring, element or member; of several, all", arg: argValues},
	{Op: "starts with", Subjects: onTexts, Usage: "starts with VALUE", Example: `starts with "Arctic"`, Help: "it begins so", arg: argValue},
	{Op: "ends with", Subjects: onTexts, Usage: "ends with VALUE", Example: `ends with "Tern"`, Help: "it ends so", arg: argValue},
	{Op: "matches", Subjects: onTexts, Usage: "matches /RE/", Example: `matches /^[A-F][0-9]+$/`, Help: "the regular expression finds something in it", arg: argPattern},
	{Op: "lacks", Subjects: []string{"header"}, Usage: "lacks A, B", Example: `lacks DELETE`, Help: "its list has none of these elements", arg: argList},
	{Op: "lacks", Subjects: []string{"cookie", "path", "text", "name"}, Usage: "lacks VALUE, …", Example: `lacks "error", "trace"`, Help: "it does not have this substring or element; of several, none", arg: argValues},
	{Op: "lists", Subjects: []string{"header"}, Usage: "lists A, B", Example: `lists GET, HEAD`, Help: "its list has these elements", arg: argList},
	{Op: "lists only", Subjects: []string{"header"}, Usage: "lists only A, B", Example: `lists only GET, HEAD`, Help: "its list has these elements and no others", arg: argList},
	{Op: "count", Subjects: []string{"path", "xml", "name"}, Usage: "count N, count > N, count A..B", Example: `count 1..5`, Help: "so many nodes are selected; a path to one array counts its elements", arg: argCount},
	{Op: "every", Subjects: onPath, Usage: "every SHAPE", Example: `every { "id": integer, ... }`, Help: "all selected nodes fit, or all elements of one array", arg: argShape},
	{Op: "some", Subjects: onPath, Usage: "some SHAPE", Example: `some "DK"`, Help: "at least one fits", arg: argShape},
	{Op: "none", Subjects: onPath, Usage: "none SHAPE", Example: `none null`, Help: "not one fits", arg: argShape},
	{Op: "unique", Subjects: onPath, Usage: "unique", Example: `unique`, Help: "no two are equal", arg: argNone},
	{Op: "sorted", Subjects: onPath, Usage: "sorted [by JSONPATH] [descending]", Example: `sorted by $.id descending`, Help: "each is at least the one before it", arg: argSorted},
	{Op: "same as", Subjects: []string{"status", "header", "cookie", "path", "body", "text"}, Usage: "same as SOURCE [except JSONPATH, …]", Example: `same as "step"`, Help: "it equals that of a source, byte for byte where the body is not JSON; `repeat 2` is the answer to the second request after `again`", arg: argSource},
	{Op: "agrees with", Subjects: []string{"path", "body"}, Usage: "agrees with SOURCE [except JSONPATH, …]", Example: `agrees with "step"`, Help: "what both have is equal", arg: argSource},
	{Op: "empty", Subjects: onBody, Usage: "empty", Example: `empty`, Help: "there are no bytes", arg: argNone},
	{Op: "json", Subjects: onBody, Usage: "json", Example: `json`, Help: "it is one JSON document, and Content-Type says so", arg: argNone},
	{Op: "covers", Subjects: onBody, Usage: "covers VALUE", Example: `covers { "flag": "DK" }`, Help: "it has all of the value, and maybe more", arg: argValue},
	{Op: "same shape as", Subjects: onBody, Usage: `same shape as "STEP"`, Example: `same shape as "step"`, Help: "it has the members and types of that answer", arg: argStep},
	{Op: "resembles", Subjects: onBody, Usage: `resembles "STEP"`, Example: `resembles "step"`, Help: "same media type and kind of JSON, and a member in common", arg: argStep},
	{Op: "fits schema", Subjects: onBody, Usage: `fits schema "FILE"`, Example: `fits schema "boat.schema.json"`, Help: "it is valid by this JSON Schema", arg: argFile},
	{Op: "leaks nothing", Subjects: onBody, Usage: "leaks nothing", Example: `leaks nothing`, Help: "no stack trace, path, SQL or key is shown", arg: argNone},
	{Op: "under", Subjects: []string{"time"}, Usage: "under DURATION", Example: `under 200ms`, Help: "it took less", arg: argDuration},
	{Op: "under", Subjects: []string{"size"}, Usage: "under SIZE", Example: `under 10KiB`, Help: "there are fewer bytes", arg: argSize},
	{Op: "effects", Subjects: []string{"state", "observation"}, Usage: "unchanged, gains, loses, changes N or SHAPE [and [NAME] …]", Example: `unchanged`, Help: "what the request did to it", arg: argEffects, plain: true},
}

func (f *PredicateForm) words() []string {
	if f.plain {
		return nil
	}
	if f.split == nil {
		return strings.Split(f.Op, " ")
	}
	return f.split
}

// predicatesOf are the forms by the subject's kind.
var predicatesOf = map[string][]*PredicateForm{}

func init() {
	// They are asked for at every claim of a file.
	for _, f := range PredicateForms {
		f.split = f.words()
		for _, kind := range f.Subjects {
			predicatesOf[kind] = append(predicatesOf[kind], f)
		}
	}
}

func (f *PredicateForm) print(l *layout, pr *Predicate) {
	if !f.plain {
		l.write(f.Op)
	}
	f.arg.print(l, pr)
}

// predicate reads what is said of the claim's subject.
func (p *parser) predicate(cl *Claim) {
	s := cl.Subject
	have := predicatesOf[s.Kind]
	start := p.i
	first := p.operator()
	if first == "not" && s.Kind != "status" {
		p.i = start
		p.fail(p.token(), "`not` is written after `is`", "write is not …, or missing for exists")
		return
	}
	f, ok := p.choose(have, first, start)
	switch {
	case !ok:
	case f == nil:
		p.i = start
		p.badPredicate(s, have, first)
	default:
		cl.Predicate = Predicate{Op: f.Op, form: f}
		f.arg.read(p, s, &cl.Predicate)
	}
}

// choose is the form that the words are of, the longest of several; nil for
// none. It is false when the first word is one's and the rest is not.
func (p *parser) choose(have []*PredicateForm, first string, start int) (*PredicateForm, bool) {
	var best, half *PredicateForm
	after := p.i
	end := after
	for _, f := range have {
		words := f.words()
		if len(words) == 0 {
			continue
		}
		if words[0] != first {
			continue
		}
		p.i = after
		if all := p.takeWords(words[1:]); all && (best == nil || len(words) > len(best.words())) {
			best, end = f, p.i
		} else if !all && half == nil {
			half = f
		}
	}
	p.i = end
	if best != nil {
		return best, true
	}
	for _, f := range have {
		if f.plain {
			p.i = start
			return f, true
		}
	}
	if half != nil {
		p.i = after
		for _, w := range half.words()[1:] {
			if !p.needWord(w, half.Example) {
				return nil, false
			}
		}
	}
	return nil, true
}

func (p *parser) takeWords(words []string) bool {
	for _, w := range words {
		if !p.takeWord(w) {
			return false
		}
	}
	return true
}

// operator is the first word of a predicate, or its sign.
func (p *parser) operator() string {
	if w := p.word(); w != "" {
		return w
	}
	return p.comparator()
}

// memberText is a path's end as people write it behind a dot.
func (p *parser) memberText() string {
	end := p.i
	for end < len(p.s) && (wordByte(p.s[end]) || p.s[end] == '.') {
		end++
	}
	return p.s[p.i:end]
}

func (p *parser) badPredicate(s Subject, have []*PredicateForm, w string) {
	var words []string
	for _, f := range have {
		if first := f.words()[0]; !slices.Contains(words, first) {
			words = append(words, first)
		}
	}
	hint := ""
	said := strings.ToLower(w)
	if w == "" {
		for _, sign := range []string{"===", "==", "=~", "!=", "<>", "=", "~", ":"} {
			if p.at(sign) {
				said = sign
				break
			}
		}
	}
	switch first, _, _ := strings.Cut(asSaid[said], " "); {
	case s.Kind == "time" || s.Kind == "size":
		hint = "write expect " + s.Kind + " under 200" + map[string]string{"time": "ms", "size": "KiB"}[s.Kind]
	case s.Kind == "body" && p.peek() == '.':
		hint = "write expect $" + p.memberText() + " …"
	case s.Kind == "body" && slices.Contains([]string{"contains", "has", "matches", "starts", "ends", "includes"}, said):
		hint = "of the text write expect text …; of a member expect $.name …"
		if p.i = p.i + len(w); said == "matches" && p.nextWord() == "schema" {
			hint = `write expect body fits schema "boat.schema.json"`
		}
		p.i -= len(w)
	case s.Kind == "header" && said == ":":
		hint = "write expect header " + s.Name + ` is "…"`
	case asSaid[said] != "" && slices.Contains(words, strings.Trim(first, ",")):
		hint = "write `" + asSaid[said] + "`"
		if strings.Contains(asSaid[said], ", ") {
			hint = "write " + asSaid[said]
		}
	default:
		hint = nearest(w, slices.Clone(words))
	}
	subject := s.Kind
	switch s.Kind {
	case "path":
		subject = "a JSONPath"
	case "name":
		subject = "a name"
	}
	if hint == "" {
		hint = subject + " goes with " + strings.Join(words, ", ")
	}
	if w == "" {
		p.failHere("expected a predicate for "+subject+", found "+p.found(), hint)
		return
	}
	p.failHere("`"+w+"` does not go with "+subject, hint)
}
