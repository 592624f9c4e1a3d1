package resource

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/syntax"
)

// shared are the lines of a resource that are as true of the same items in another form;
// all others speak of its bodies.
var shared = []string{"collection", "item", "list", "under", "supports", "answers", "auth", "header", "public", "keeps", "ready", "disposable", "skip", "idempotency"}

// alsoInXML is what `also xml` says of a resource, as a resource of its own: the lines below it
// and those that both share. It is nil where nothing is said.
func alsoInXML(st *syntax.Statement) *syntax.Statement {
	at := slices.IndexFunc(st.Children, syntax.Is[*syntax.Also])
	if at < 0 {
		return nil
	}
	own := st.Children[at]
	out := *st
	out.Span, out.Children = own.Span, nil
	for _, c := range st.Children {
		h, header := c.Body.(*syntax.Header)
		switch {
		case !slices.Contains(shared, c.Word) || header && strings.EqualFold(h.Name, "Accept"):
		case c.Word == "supports" && !has(own, "supports"):
			out.Children = append(out.Children, supportedIn(own, c))
		case c.Word == "skip" || c.Word == "header" || !has(own, c.Word):
			out.Children = append(out.Children, c)
		}
	}
	out.Children = append(out.Children, own.Children...)
	return &out
}

func has(st *syntax.Statement, word string) bool {
	return slices.ContainsFunc(st.Children, func(c *syntax.Statement) bool { return c.Word == word })
}

// supportedIn are the operations of a resource without those for which the other form has
// no example.
func supportedIn(own, supports *syntax.Statement) *syntax.Statement {
	var left syntax.Supports
	for _, n := range supports.Body.(*syntax.Supports).Items {
		name, _ := n.Template.Plain()
		if example := map[string]string{"create": "make", "replace": "remake", "amend": "amend"}[name]; example == "" || has(own, example) {
			left.Items = append(left.Items, n)
		}
	}
	out := *supports
	out.Body = &left
	return &out
}

// leaf is a text of an example: the way to it, and its text as it is written.
type leaf struct{ path, text string }

// leaves are the texts in an example that are worth comparing: those without blanks around
// them, and with something to tell them by.
func leaves(at string, n *syntax.Node) []leaf {
	var out []leaf
	switch n.Kind {
	case syntax.Object:
		for _, f := range n.Fields {
			if name, plain := f.Key.Template.Plain(); plain {
				out = append(out, leaves(at+strings.TrimPrefix(MemberPath(name), "$"), f.Value)...)
			}
		}
	case syntax.String:
		if text := n.Template.Raw; len(text) > 2 && strings.TrimSpace(text) == text && !strings.ContainsAny(text, "\n\\") {
			out = append(out, leaf{at, text})
		}
	}
	return out
}

// alike are the places of a text in both forms of an item: the two examples have it at one
// place each.
func (r *Resource) alike() [][2]string {
	here, there := r.Make.leaves(), r.also.Make.leaves()
	once := func(list []leaf, text string) (string, bool) {
		at := ""
		for _, l := range list {
			if l.text == text {
				if at != "" {
					return "", false
				}
				at = l.path
			}
		}
		return at, at != ""
	}
	var out [][2]string
	for _, l := range here {
		a, first := once(here, l.text)
		b, second := once(there, l.text)
		if first && second {
			out = append(out, [2]string{r.inItem(a), r.also.inItem(b)})
		}
	}
	return out
}

func (e *Example) leaves() []leaf {
	var out []leaf
	for _, f := range e.Fields {
		out = append(out, leaves(MemberPath(f.Name), f.Node)...)
	}
	return out
}

// inTwoForms tells why there is nothing to compare.
func inTwoForms(r *Resource) string {
	switch {
	case r.also == nil:
		return "it is offered in one form"
	case r.also.Make == nil || r.also.idPath() == "" || r.idPath() == "":
		return "what tells its items apart is not known in both forms"
	}
	return ""
}

// alsoCheck is about items that are offered in two forms.
func alsoCheck() Check {
	return Check{
		Name: "forms-agree", Causes: []string{"lifecycle/create-keeps-values"}, On: Read, Requires: needs(makes, can(Read), inTwoForms), Source: "RFC 9110 §3.2",
		Proves: "what is made in one form reads the same in both, under the same identity",
		Cause:  "each form has a way to the data of its own, and one was not changed with the other",
		Mend:   "make both forms of one model",
		Write: func(s *Scene) {
			s.head = []string{"read xml"}
			s.make(1)
			s.sameInXML("it", "id")
			s.Let("in_xml", s.Turned(s.also.Make.wrap(s.also.Make.Text), later(1)))
			body := jsonBody("{in_xml}", s.also.Make.Media)
			if s.ByName() {
				s.Let("other", inQuotes(s.chosen(1)))
				s.free(1, "other")
				s.step("make another in XML", s.ask(Create, "other"), acceptXML, body, need("status 2xx"))
			} else {
				s.step("make another in XML", s.ask(Create, ""), acceptXML, body, need(s.fine()), s.also.keepID("other"))
			}
			s.Leave("other")
			s.sameInXML("the other", "other")
		},
	}
}

// sameInXML reads an item in both forms.
func (s *Scene) sameInXML(what, id string) {
	title := "read " + what
	here := []line{s.ask(Read, id), s.inTime(), need("status 200")}
	there := []line{s.ask(Read, id), acceptXML, expect("status 200"), expect(s.also.idPath() + ` is "{` + id + `}"`)}
	for i, p := range s.alike() {
		name := fmt.Sprint(id, "_text", i+1)
		here = append(here, keep(name+" from "+p[0]).ifThere())
		there = append(there, expect(p[1]+" is {"+name+"} when "+p[0]+" is string"+of(title)))
	}
	s.step(title, here...)
	s.step(title+" in XML", there...)
}
