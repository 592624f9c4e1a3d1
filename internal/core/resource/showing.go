package resource

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/syntax"
)

// ofItsForm is the need that a service does not find fault with an identity that it never gave:
// of one with letters beyond those of a UUID it cannot be told whether it has the right form.
func (s *Scene) ofItsForm(id string) line {
	if s.ByName() || s.Answers["missing"] != "" {
		return line{}
	}
	return need("status not 400 and not 422 when {" + id + "} matches /[g-z_]/i")
}

// amendments are the members that an amend sets, as they are read.
func (s *Scene) amendments() []string {
	var out []string
	for _, f := range s.Amend.Fields {
		if f.Kind != syntax.Null && s.ReadsAsSent(f.Name) && (s.Amend.json() || f.Kind == syntax.String) {
			sent := s.Turned(f.Text, "turn")
			if s.bound("change") {
				sent = memberOf("change", f.Name)
			}
			out = append(out, syntax.Quoted(f.Name)+": "+sent)
		}
	}
	return out
}

// filtered is the query that narrows the list to items that are made here.
func (s *Scene) filtered() line {
	if s.FilterName == "" {
		return line{}
	}
	if f := s.Make.field(s.FilterName); f != nil && s.bound("made") && inQuotes(s.FilterFor) == f.Text {
		// What was sent, and not worked out once more.
		return queryLine(s.FilterName, `"`+memberOf("made", s.FilterName)+`"`)
	}
	value := s.parented(s.FilterFor)
	if s.filterQuoted {
		value = inQuotes(value)
	}
	return queryLine(s.FilterName, value)
}

// onFirstPage expects the item in a list that is whole.
func (s *Scene) onFirstPage() line {
	if s.paged() != "" || s.XML != "" {
		return line{}
	}
	return expect(s.InList("id") + " count 1 when header Link missing")
}

// source is an earlier answer's item.
func (s *Scene) source(title string) string {
	if s.Content == "$" {
		return syntax.Quoted(title)
	}
	return s.Content + of(title)
}

// except leaves out what may differ between two reads.
func (s *Scene) except() string {
	if len(s.Volatile) == 0 {
		return ""
	}
	return " except " + strings.Join(s.Volatile, ", ")
}

// isList says of a list's answer that it is one: an array, or for `.*` anything that
// Has members.
func (s *Scene) isList() line {
	if s.MembersIfThere && s.XML == "" {
		return expect(s.aList() + " when " + s.ListAt + " exists")
	}
	return expect(s.aList())
}

// listIf200 says the same of an answer that may be a refusal.
func (s *Scene) listIf200() line {
	if s.MembersIfThere && s.XML == "" {
		// No list is an object without it, and not nothing.
		return expect("body is object or array when status 200")
	}
	return s.isList().onlyWhen("status 200")
}

func (s *Scene) aList() string {
	if s.XML != "" {
		// A document is a list, however many members it has.
		return "xml /* count 1"
	}
	if s.Mapped {
		return s.ListAt + " exists"
	}
	return s.ListAt + " is array"
}

// holds says of a list's answer how many members it has.
func (s *Scene) holds(n int) line {
	if s.XML != "" {
		return expect(fmt.Sprintf("xml %s count %d", syntax.XPathText(s.XML), n))
	}
	if s.Mapped {
		return expect(fmt.Sprintf("%s count %d", s.Members, n))
	}
	return expect(fmt.Sprintf("%s is array count %d", s.ListAt, n))
}

// asSent says of an answer that it shows what an earlier one does in the members that were
// sent, those of another example left out. What the service keeps beside them, a time or a
// version, is its own to move (RFC 9110 §9.2.2). Where nothing has members the whole is the same.
func (s *Scene) asSent(word, earlier string, but *Example) []line {
	var fields []Field
	for _, e := range []*Example{s.Make, s.Remake} {
		if e != nil {
			fields = append(fields, e.Fields...)
		}
	}
	if len(fields) == 0 {
		return []line{says(word, "body same as "+syntax.Quoted(earlier)+s.except())}
	}
	var out []line
	var seen []string
	for _, f := range fields {
		p := s.inItem(MemberPath(f.Name))
		if slices.Contains(seen, f.Name) || but != nil && but.field(f.Name) != nil || slices.Contains(s.Assigned, f.Name) || slices.ContainsFunc(s.Volatile, func(v string) bool { return s.inItem(v) == p }) {
			continue
		}
		seen = append(seen, f.Name)
		out = append(out, says(word, p+" same as "+p+of(earlier)+" when "+p+" exists"+of(earlier)))
	}
	return out
}

// ifNamed says of a success that it shows the item of an identity; nothing where that cannot
// be told. A name that the client chose need not be shown in the item itself.
func (s *Scene) ifNamed(id string) line {
	name := s.memberOfItem()
	if strings.HasPrefix(id, "{") && s.spelled() {
		id += " or {number(" + strings.Trim(id, "{}") + ")}"
	}
	switch {
	case s.idPath() == "":
		return line{}
	case !s.ByName():
		return expect(s.idPath() + " is " + id + " when status 2xx")
	case name == "" || s.Make == nil || len(s.Make.Fields) == 0:
		return line{}
	}
	return expect(s.Subject() + " is { " + syntax.Quoted(name) + "?: " + id + ", ... } when status 2xx")
}

// goneLines say of an answer that what was deleted is not there, or is what a
// deleted item may still be.
func (s *Scene) goneLines(word string) []line {
	if s.Gone == "" {
		return []line{says(word, "status "+s.GoneStatus())}
	}
	return []line{says(word, "status "+s.GoneStatus()+" or 200"), says(word, s.Subject()+" is "+s.Gone+" when status 200")}
}

// shows says of an answer, with expect or prefer, that it shows what was sent
// under a name.
func (s *Scene) shows(word, made string) line {
	e := s.exampleOf(made)
	if s.Reads != "" && (!s.ReadsSome || e == nil || len(e.Fields) == 0) {
		return says(word, s.Subject()+" is "+s.Reads)
	}
	form := e != nil && !e.json()
	if s.Reads == "" && !form && (e == nil || len(e.Fields) == 0 || !slices.ContainsFunc(e.Fields, func(f Field) bool { return !s.ReadsAsSent(f.Name) || f.nothing() })) {
		return s.covers(word, "{"+made+"}")
	}
	var parts []string
	times := false
	for _, f := range e.Fields {
		if f.Kind == syntax.String && s.asInstants(f.Name) {
			parts = append(parts, syntax.Quoted(f.Name)+": datetime within 0s of "+memberOf(made, f.Name))
			times = true
			continue
		}
		// A form has texts only: what else it may read as is not known.
		if s.ReadsAsSent(f.Name) && !f.nothing() && (!form || f.Kind == syntax.String) {
			parts = append(parts, syntax.Quoted(f.Name)+": "+memberOf(made, f.Name))
		}
	}
	if s.Reads == "" && times {
		return says(word, s.Subject()+" is { "+strings.Join(append(parts, "..."), ", ")+" }")
	}
	if s.Reads == "" {
		return s.covers(word, "{ "+strings.Join(parts, ", ")+" }")
	}
	// Its own members by the shape, all others as they were sent.
	inner := strings.TrimSpace(strings.TrimSuffix(strings.TrimSuffix(strings.TrimSpace(s.Reads), "}"), " "))
	inner = strings.TrimSuffix(strings.TrimSpace(strings.TrimSuffix(inner, "...")), ",")
	return says(word, s.Subject()+" is "+strings.TrimSpace(inner)+strings.Join(append([]string{""}, append(parts, "...")...), ", ")+" }")
}

// showsNothing says of lists and objects that are sent without anything in them that they show
// nothing, or not at all.
func (s *Scene) showsNothing(e *Example) line {
	if e == nil || !e.json() {
		return line{}
	}
	var parts []string
	for _, f := range e.Fields {
		if empty := map[syntax.NodeKind]string{syntax.Array: "[]", syntax.Object: "{ }"}[f.Kind]; empty != "" && f.nothing() && s.ReadsAsSent(f.Name) {
			parts = append(parts, syntax.Quoted(f.Name)+"?: "+empty+" or null")
		}
	}
	if len(parts) == 0 {
		return line{}
	}
	return expect(s.Subject() + " is { " + strings.Join(append(parts, "..."), ", ") + " }")
}

func (s *Scene) exampleOf(made string) *Example {
	if strings.HasPrefix(made, "remade") {
		return s.Remake
	}
	return s.Make
}

// covers expects the item in an answer to have members of these values.
func (s *Scene) covers(word, want string) line {
	if s.Content == "$" {
		return says(word, "body covers "+want)
	}
	return says(word, s.Content+" contains "+want)
}
