package resource

import (
	"strconv"
	"strings"

	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// place is where a line is in its step.
type place int

const (
	// before the request: conditions, names, a restart.
	before place = iota
	// request is what is sent, detail a line below it.
	request
	detail
	// claim is about the answer; repeat sends the request once more.
	claim
	repeat
)

// line is one line of a step, as text of the language. The zero line is none.
type line struct {
	place place
	text  string
	// method and op are what a request is, item the name of the one that it is about; "" and None
	// where that is not one of the resource's.
	method, item string
	op           Operation
}

func (l line) none() bool { return l.text == "" }

// at is a line at a place.
func at(p place, text string) line { return line{place: p, text: text} }

func when(condition string) line     { return at(before, "when "+condition) }
func letLine(name, text string) line { return at(before, "let "+name+" = "+text) }
func startAnew(how string) line      { return at(before, how+" service") }
func send(method, target string) line {
	return line{place: request, text: "send " + method + " " + target, method: method}
}
func headerLine(text string) line      { return at(detail, "header "+text) }
func withoutHeader(name string) line   { return at(detail, "without header "+name) }
func queryLine(name, text string) line { return at(detail, "query "+Queried(name)+" = "+text) }
func together(n int) line              { return at(detail, "together "+strconv.Itoa(n)) }
func retry(text string) line           { return at(detail, "retry "+text) }
func expect(what string) line          { return at(claim, "expect "+what) }
func prefer(what string) line          { return at(claim, "prefer "+what) }
func need(what string) line            { return at(claim, "need "+what) }
func keep(what string) line            { return at(claim, "keep "+what) }
func again() line                      { return at(repeat, "again") }
func againTimes(n int) line            { return at(repeat, "again "+strconv.Itoa(n)+" times") }

// jsonBody sends a value, with a media type or "" for that of JSON.
func jsonBody(text, media string) line { return at(detail, "json "+text+as(media)) }

// textBody sends a text as it is.
func textBody(text, media string) line { return at(detail, "text "+syntax.Quoted(text)+as(media)) }

func as(media string) string {
	if media == "" {
		return ""
	}
	return " as " + media
}

// onlyWhen judges a claim where a condition holds of the answer.
func (l line) onlyWhen(condition string) line { return at(l.place, l.text+" when "+condition) }

// unlessAPage judges a claim where the answer is not a page for people.
func (l line) unlessAPage() line {
	if l.none() || strings.Contains(l.text, " when ") {
		return l
	}
	return l.onlyWhen(`header Content-Type is not "text/html"`)
}

// ifThere keeps nothing where nothing is found.
func (l line) ifThere() line { return at(l.place, l.text+" if there") }

// says is a claim with a word of the caller's: expect, prefer or need.
func says(word, what string) line { return at(claim, word+" "+what) }

// inQuotes is a text of the language, as written in a file, as a string.
func inQuotes(raw string) string { return `"` + raw + `"` }

// of names a step whose answer is meant.
func of(title string) string { return " of " + syntax.Quoted(title) }

// memberOf is a member of a named value, in braces.
func memberOf(name, member string) string {
	if syntax.IsName(member) {
		return "{" + name + "." + member + "}"
	}
	return "{" + name + "[" + syntax.Quoted(member) + "]}"
}

// step is one step of a derived scenario.
type step struct {
	title string
	lines []line
}

func (s step) text() string {
	var b strings.Builder
	b.WriteString("\n  step " + syntax.Quoted(s.title) + "\n")
	// What comes before the request comes first, wherever it was added.
	for _, first := range []bool{true, false} {
		for _, l := range s.lines {
			if !l.none() && (l.place == before) == first {
				b.WriteString("    " + l.text + "\n")
			}
		}
	}
	return b.String()
}

// binding is a `let` of a derived scenario.
type binding struct{ name, text string }

// mentions tells whether a text names something in braces.
func mentions(text, name string) bool {
	for at := 0; ; {
		i := strings.Index(text[at:], name)
		if i < 0 {
			return false
		}
		start, end := at+i, at+i+len(name)
		at = end
		if start > 0 && syntax.NameByte(text[start-1]) || end < len(text) && syntax.NameByte(text[end]) {
			continue
		}
		if open := strings.LastIndexByte(text[:start], '{'); open >= 0 && !strings.ContainsRune(text[open:start], '}') {
			return true
		}
	}
}

var acceptXML = headerLine("Accept: application/xml")

// invented is a method that no server has a meaning for.
const invented = "MOOR"

// Queried is the name of a query parameter as a line has it: in quotes where it must.
func Queried(name string) string {
	if strings.HasPrefix(name, `"`) || name != "" && !strings.ContainsAny(name, " \t=\"{#\\") {
		return name
	}
	return syntax.Quoted(name)
}

// MemberPath is the JSONPath of a member by name.
func MemberPath(name string) string {
	if syntax.IsName(name) {
		return "$." + name
	}
	return "$[" + value.QuoteName(name) + "]"
}
