package draft

import (
	"cmp"
	"fmt"
	"strings"
	"unicode"

	"usualpath/internal/core/value"
)

// Told is what a document tells of an operation's answer; all of it may be "".
type Told struct {
	// Status are the statuses of success, as an expectation has them.
	Status string
	// Shape is the shape of the body; Location tells that the header is promised.
	Shape    string
	Location bool
}

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
type steps struct{ b strings.Builder }

func (s *steps) step(title string, lines ...string) {
	fmt.Fprintf(&s.b, "  step %q\n", title)
	for _, l := range lines {
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
	if made && can["list"] {
		fmt.Fprintf(&s.b, "  guard %s%s by %s\n", r.Collection, in(r.Members), cmp.Or(r.InList, r.Identity))
	}
	s.b.WriteString(prefix)
	body := func(t Told) string {
		if t.Shape == "" || t.Shape == "any" {
			return ""
		}
		return "expect body is " + t.Shape
	}
	if can["list"] {
		lines := []string{"send GET " + r.Collection, "expect status " + told["list"].status("200"), body(told["list"])}
		if told["list"].Shape == "" {
			lines = append(lines, "expect "+listPath(r.Members)+" is array")
		}
		if !made && can["read"] {
			lines = append(lines, "keep "+name+" from "+r.first())
		}
		s.step("list them", lines...)
	}
	if made {
		t := told["create"]
		lines := []string{"send POST " + r.Collection, "  json " + r.with(r.Make, "{random_text(6)}"), "expect status " + t.status("2xx"), body(t)}
		switch {
		case t.Shape != "" && shows(t.Shape, r.idMember()) || t == Told{} && !t.Location:
			lines = append(lines, "keep "+name+" from "+r.idPath())
		case t.Location:
			lines = append(lines, "keep "+name+" from header Location")
			item = "{" + name + "}"
		default:
			// Whether the answer shows the identity is not known; what it shows is removed.
			s.step("make one", append(lines, "keep "+name+" from "+r.idPath()+" if there")...)
			return s.b.String() + r.ends(item, can)
		}
		s.step("make one", lines...)
	}
	if !made && !(can["list"] && can["read"]) {
		return s.b.String()
	}
	if can["read"] {
		lines := []string{"send GET " + item, "expect status " + told["read"].status("200"), body(told["read"])}
		s.step("read it back", lines...)
	}
	if made {
		s.writes(r, item, can, told)
	}
	if made {
		return s.b.String() + r.ends(item, can)
	}
	return s.b.String()
}

// ends removes the item, where that can be done.
func (r *Resource) ends(item string, can map[string]bool) string {
	if !can["delete"] {
		return ""
	}
	return fmt.Sprintf("\nafterwards\n  step \"leave nothing behind\"\n    send DELETE %s\n", item)
}

// shows tells whether the shape of an object has a member, required or not.
func shows(shape, member string) bool {
	name := literal(value.NewString(member))
	return strings.Contains(shape, name+":") || strings.Contains(shape, name+"?:")
}

func (s *steps) writes(r *Resource, item string, can map[string]bool, told map[string]Told) {
	if can["replace"] && r.Remake != nil {
		s.step("replace it", "send PUT "+item, "  json "+r.with(r.Remake, "{random_text(6)}"), "expect status "+told["replace"].status("200 or 204"))
	}
	if can["amend"] && r.Amend != nil {
		as := ""
		if r.AmendAs != "" {
			as = " as " + r.AmendAs
		}
		s.step("amend it", "send PATCH "+item, "  json "+Body(r.Amend)+as, "expect status "+told["amend"].status("200 or 204"))
	}
	if can["delete"] {
		s.step("remove it", "send DELETE "+item, "expect status "+told["delete"].status("2xx"))
		if can["read"] && r.Gone == "" {
			s.step("it is gone", "send GET "+item, `expect status 404 or 410  because "what was deleted is not there any more"`)
		}
	}
}

// itemPath is the path of an item, with {id} in it.
func (r *Resource) itemPath() string {
	if r.Item != "" {
		return r.Item
	}
	return r.Collection + "/{id}"
}

// in says where the members of a wrapped list are.
func in(members string) string {
	if at := listPath(members); at != "$" {
		return " in " + at
	}
	return ""
}

func (r *Resource) idMember() string { return r.Identity[strings.LastIndexByte(r.Identity, '.')+1:] }

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

func listPath(members string) string { return strings.TrimSuffix(members, "[*]") }
