package resource

import (
	"fmt"
	"strings"

	"usualpath/internal/core/jsonpath"
	"usualpath/internal/core/syntax"
)

// members splits the path of the list's members: the list, and the place of the
// member in each entry of it. A path without a wildcard is that of the list itself.
func (rd *reader) members() {
	r := rd.r
	q, err := jsonpath.Parse(r.Members)
	if err != nil {
		// Told where the path was read.
		return
	}
	if q.Singular() {
		r.Members += "[*]"
	}
	array, object := strings.LastIndex(r.Members, "[*]"), strings.LastIndex(r.Members, ".*")
	r.Mapped = object > array
	at := max(array, object)
	if at < 0 {
		rd.say(rd.span("members"), r.Members+" does not say which list holds the members", "write members $.rows[*], or $.rows[*].doc where each entry of the list wraps a member")
		return
	}
	r.ListAt, r.Inner = r.Members[:at], strings.TrimPrefix(strings.TrimPrefix(r.Members[at:], "[*]"), ".*")
	if inner, err := jsonpath.Parse("$" + r.Inner); err != nil || !inner.Singular() {
		rd.say(rd.span("members"), r.Members+" may select several members of one entry of the list", "write a path that ends in [*], or in the name of the member that an entry wraps")
	}
}

// Within is the JSONPath below which an observation finds the members; "" for an
// answer that is a list itself.
func (r *Resource) Within() string {
	switch {
	case r.Members == "$[*]":
		return ""
	case r.Inner != "" || r.Mapped:
		return r.Members
	}
	return r.ListAt
}

// inEntry is the place of what tells the members apart, in an entry of the list.
func (r *Resource) inEntry() string { return r.Inner + strings.TrimPrefix(r.By, "$") }

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

// InList is the item of a scenario in the list: a JSONPath.
func (r *Resource) InList(id string) string {
	if r.XML != "" {
		// One member is an object in the tree of a list, several are an array.
		return "$..[?@" + strings.TrimPrefix(r.By, "$") + " == {" + id + "}]"
	}
	at := "@" + r.inEntry() + " == "
	if r.spelled() {
		return r.ListAt + "[?" + at + "{" + id + "} || " + at + "{number(" + id + ")}]" + r.Inner
	}
	return r.ListAt + "[?" + at + "{" + id + "}]" + r.Inner
}

// spelled tells whether an identity may be known as a text, from a path or a header, where
// members have it as a number.
func (r *Resource) spelled() bool {
	if r.ByName() {
		plain := inBraces().ReplaceAllString(r.Chosen, "")
		return strings.Trim(plain, "0123456789") == ""
	}
	return r.InCreate == ""
}
