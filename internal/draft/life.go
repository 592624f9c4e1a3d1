package draft

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"unicode"
)

// Told is what a document tells of an operation's answer; all of it may be "".
type Told struct {
	// Status are the statuses of success, as an expectation has them.
	Status string
	// Shape is the shape of the body, Accept the line that asks for its type.
	Shape, Accept string
	// Keep is where the answer to a create shows the identity, as `keep` has it.
	Keep string
	// Headers must be there, described may be.
	Headers, described []string
	// Lines are more of the request: parameters that it needs, credentials.
	Lines []string
}

// keeps is where the answer to a create shows the identity of what it made.
func (t Told) keeps(r *Resource) string { return cmp.Or(t.Keep, r.idPath()) }

// claims are what is expected of an answer, its status apart.
func (t Told) claims() []string {
	var out []string
	if t.Shape != "" && t.Shape != "any" {
		out = append(out, "expect body is "+t.Shape)
	}
	for _, h := range t.Headers {
		out = append(out, "expect header "+h+" exists")
	}
	return out
}

// request are the lines of a request, behind the first.
func (t Told) request() []string { return append(slices.Clone(t.Lines), t.Accept) }

func (t Told) status(otherwise string) string {
	if t.Status != "" {
		return t.Status
	}
	return otherwise
}

// inLine is a text as one line: what a document, an answer or a record says never
// begins a statement.
func inLine(text string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsControl(r) || r == '\u2028' || r == '\u2029' {
			return ' '
		}
		return r
	}, text)
}

// steps writes steps of a scenario.
type steps struct {
	b strings.Builder
	// only is the condition under which they are sent, "" for none.
	only string
}

func (s *steps) step(title string, lines ...string) {
	fmt.Fprintf(&s.b, "  step %q\n", title)
	for _, l := range append([]string{s.only}, lines...) {
		if l != "" {
			s.b.WriteString("    " + inLine(l) + "\n")
		}
	}
}

// Life is the first scenario of a resource: what its operations do, one after
// the other, to one item. prefix are steps that must come before it; told what
// is known of answers, by the words of supports.
func (r *Resource) Life(prefix string, told map[string]Told) string {
	s := &steps{}
	name := singular(r.Name)
	if name == r.Name {
		name = "one"
	}
	item := strings.ReplaceAll(r.itemPath(), "{id}", "{"+name+"}")
	can := map[string]bool{}
	for _, w := range r.Supports {
		can[w] = true
	}
	if r.Chosen != "" || r.Revision != "" || r.List != "" {
		// What its writes must carry, its checks know.
		return ""
	}
	made := can["create"] && r.Make != nil
	fmt.Fprintf(&s.b, "scenario %q\n", "the usual path of "+strings.ReplaceAll(r.Name, "_", " "))
	switch {
	case made && can["list"]:
		fmt.Fprintf(&s.b, "  guard %s%s by %s\n", r.Collection, in(r.Members), cmp.Or(r.InList, r.Identity))
	case made:
		fmt.Fprintf(&s.b, "  guard %s\n", r.Collection)
	}
	s.b.WriteString(prefix)
	if can["list"] {
		t := told["list"]
		lines := slices.Concat([]string{"send GET " + r.Collection}, t.request(), []string{"expect status " + t.status("200")}, t.claims())
		if t.Shape == "" {
			kind := "array"
			if r.keyed() {
				kind = "object"
			}
			lines = append(lines, "expect "+listPath(r.Members)+" is "+kind)
		}
		if !made && can["read"] && !r.keyed() {
			lines = append(lines, "keep "+name+" from "+r.first())
		}
		s.step("list them", lines...)
	}
	if made && !can["delete"] {
		// What it makes would stay.
		s.only = OnlyUnguarded
	}
	if made {
		t := told["create"]
		lines := slices.Concat([]string{"send POST " + r.Collection}, t.request(), []string{"  " + r.sends("{random_text(6)}"), "expect status " + t.status("2xx")}, t.claims())
		if can["read"] || can["replace"] && r.Remake != nil || can["amend"] && r.Amend != nil || can["delete"] {
			lines = append(lines, needsMade, "keep "+name+" from "+t.keeps(r))
		}
		s.step("make one", lines...)
	}
	if !made && !(can["list"] && can["read"] && !r.keyed()) {
		return s.b.String()
	}
	if can["read"] {
		t := told["read"]
		s.step("read it back", slices.Concat([]string{"send GET " + item}, t.request(), []string{"expect status " + t.status("200")}, t.claims())...)
	}
	if made {
		s.writes(r, item, can, told)
	}
	if made {
		return s.b.String() + r.ends(item, can, told["delete"])
	}
	return s.b.String()
}

// ends removes the item, where that can be done.
func (r *Resource) ends(item string, can map[string]bool, t Told) string {
	if !can["delete"] {
		return ""
	}
	s := &steps{}
	s.step("leave nothing behind", append([]string{"send DELETE " + item}, t.Lines...)...)
	return "\nafterwards\n" + s.b.String()
}

func (s *steps) writes(r *Resource, item string, can map[string]bool, told map[string]Told) {
	if can["replace"] && r.Remake != nil {
		t := told["replace"]
		as := ""
		if isForm(r.RemakeAs) {
			as = " as " + r.RemakeAs
		}
		s.step("replace it", slices.Concat([]string{"send PUT " + item}, t.request(), []string{"  json " + r.with(r.Remake, "{random_text(6)}") + as, "expect status " + t.status("200 or 204")}, t.claims())...)
	}
	if can["amend"] && r.Amend != nil {
		as := ""
		if r.AmendAs != "" {
			as = " as " + r.AmendAs
		}
		t := told["amend"]
		s.step("amend it", slices.Concat([]string{"send PATCH " + item}, t.request(), []string{"  json " + Body(r.Amend) + as, "expect status " + t.status("200 or 204")}, t.claims())...)
	}
	if can["delete"] {
		t := told["delete"]
		s.step("remove it", slices.Concat([]string{"send DELETE " + item}, t.request(), []string{"expect status " + t.status("2xx")}, t.claims())...)
		if can["read"] && r.Gone == "" {
			s.step("it is gone", slices.Concat([]string{"send GET " + item}, told["read"].Lines, []string{`expect status 404 or 410  because "what was deleted is not there any more"`})...)
		}
	}
}

// needsMade stands before what is kept of the answer to a create: a refusal names nothing that
// was made.
const needsMade = "need status 2xx"

// itemPath is the path of an item, with {id} in it.
func (r *Resource) itemPath() string {
	if r.Item != "" {
		return r.Item
	}
	return r.Collection + "/{id}"
}

// in says where the members of a wrapped list are.
func in(members string) string {
	if strings.HasSuffix(members, ".*") {
		return " in " + members
	}
	if at := listPath(members); at != "$" {
		return " in " + at
	}
	return ""
}

// idPath is where an item's own answer shows its identity.
func (r *Resource) idPath() string {
	switch {
	case strings.HasPrefix(r.InCreate, "header "):
		return r.InCreate + " last segment"
	case r.InCreate != "":
		return r.InCreate
	}
	return r.itemsOwn()
}

// itemsOwn is where an item's own answer shows its identity.
func (r *Resource) itemsOwn() string {
	return strings.TrimSuffix(r.Content, "$") + below(r.Content, r.Identity)
}

func below(at, path string) string {
	if strings.HasSuffix(at, "$") {
		return path
	}
	return strings.TrimPrefix(path, "$")
}

// first is where a list shows the identity of its first member.
func (r *Resource) first() string {
	return strings.TrimSuffix(r.Members, "[*]") + "[0]" + strings.TrimPrefix(r.Identity, "$")
}

func listPath(members string) string {
	return strings.TrimSuffix(strings.TrimSuffix(members, "[*]"), ".*")
}

// keyed tells whether the list is an object, each item under its own name.
func (r *Resource) keyed() bool { return strings.HasSuffix(r.Members, ".*") }
