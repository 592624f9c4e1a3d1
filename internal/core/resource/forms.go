package resource

import (
	"slices"
	"strings"

	"usualpath/internal/core/markup"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// exampleOf is an example, as it is written: in JSON, in XML or as plain text.
func (rd *reader) exampleOf(b *syntax.Example) *Example {
	switch b.As {
	case "xml":
		return rd.inXML(b)
	case "text":
		e := &Example{As: b.As, Text: syntax.OneLine(b.Value), Media: "text/plain"}
		if b.Media != nil {
			e.Media = b.Media.Raw
		}
		return e
	}
	return rd.example(&b.Content)
}

// inXML is an example in XML: the members below its root are those of the tree.
func (rd *reader) inXML(b *syntax.Example) *Example {
	n := rd.resolve(b.Value)
	if n.Template == nil {
		rd.say(b.Value.Span, "this example is not a text", `write make xml "<boat><name>Tern {turn}</name></boat>"`)
		return nil
	}
	v, err := markup.Document([]byte(n.Template.Raw))
	if err != nil {
		rd.say(b.Value.Span, "this example is "+err.Error(), `write make xml "<boat><name>Tern {turn}</name></boat>"`)
		return nil
	}
	e := &Example{As: b.As, Media: "application/xml", Root: v.Names[0], Text: inLanguage(v.Items[0])}
	space, mixed := markup.Namespace([]byte(n.Template.Raw))
	if mixed {
		rd.say(b.Value.Span, "this example has names of several namespaces", "a resource in XML has all its elements in one, and attributes in none; what else there is is tested with steps of its own")
		return nil
	}
	e.Space = space
	if b.Media != nil {
		e.Media = b.Media.Raw
	}
	tree, diags := syntax.Parse(source.NewFile("example", "let x = "+e.Text+"\n"))
	if diags.Errors() > 0 || len(tree.Statements) != 1 {
		rd.say(b.Value.Span, "this example cannot be read as a tree", "names in it are of letters, digits, `_`, `-` and `.`")
		return nil
	}
	if let, ok := tree.Statements[0].Body.(*syntax.Let); ok && let.Value.Kind == syntax.Object {
		for _, f := range let.Value.Fields {
			name, _ := f.Key.Template.Plain()
			e.Fields = append(e.Fields, Field{name, syntax.OneLine(f.Value), f.Value.Kind, f.Value})
		}
	}
	return e
}

// inLanguage is a value as text of the language, with the names in its texts.
func inLanguage(v *value.Value) string {
	var parts []string
	switch v.Kind {
	case value.Object:
		for i, n := range v.Names {
			parts = append(parts, syntax.Quoted(n)+": "+inLanguage(v.Items[i]))
		}
		return "{ " + strings.Join(parts, ", ") + " }"
	case value.Array:
		for _, one := range v.Items {
			parts = append(parts, inLanguage(one))
		}
		return "[" + strings.Join(parts, ", ") + "]"
	}
	return value.Quoted(v.Plain())
}

// forms completes a resource whose examples or members are not in JSON: its answers are read
// as trees or texts, and items in XML stand below their root.
func (rd *reader) forms() {
	r := rd.r
	var examples []*Example
	for _, e := range []*Example{r.Make, r.Remake, r.Amend} {
		if e != nil {
			examples = append(examples, e)
		}
	}
	if len(examples) > 0 {
		r.As = examples[0].As
	}
	root := ""
	for _, e := range examples {
		switch {
		case e.As != r.As:
			rd.say(rd.span("make"), "the examples are in different forms", "write all of them in JSON, all in XML or all as text; another form of the same items is `also xml`")
			return
		case e.As == "xml" && root != "" && e.Root != root:
			rd.say(rd.span("make"), "the examples have different root elements", "write all of them as <"+root+">")
			return
		}
		root = e.Root
	}
	r.byXML = rd.named
	switch {
	case r.As == "xml" && r.Content == "$":
		r.Content = MemberPath(root)
	case r.As == "" && r.XML != "" && len(examples) > 0:
		rd.say(rd.span("members"), "members in XML need examples in XML or as text", `write make xml "<boat>…</boat>"`)
	}
	switch {
	case r.As == "xml" && r.XML == "" && r.Supports(List):
		rd.say(r.Statement.Span, "it is not said which elements of the list are the members", "write members xml //"+root)
	case r.XML != "" && r.By != "" && r.byXML == "":
		rd.say(r.Statement.Span, "it is not said what tells the members apart", "write identity xml @id")
	}
	var lines []string
	if r.XML != "" || r.As == "xml" {
		lines = append(lines, "read xml")
	}
	if r.As == "text" {
		lines = append(lines, "read text")
	}
	if r.As == "xml" {
		lines = append(lines, "header Accept: application/xml")
	}
	r.Lines = append(lines, r.Lines...)
}

// plainFamilies are the families whose checks are as good of trees and texts as they are of
// JSON; plainNot are those of their checks that are not.
var (
	plainFamilies = []string{"setup", "lifecycle", "repeat", "absence", "method", "precondition", "race", "access", "durability"}
	plainNot      = []string{"lifecycle/total-counts", "lifecycle/filter-selects", "lifecycle/filter-none", "lifecycle/filter-is-literal", "lifecycle/paging-covers", "lifecycle/odd-pages", "lifecycle/links-lead-there",
		"lifecycle/amend-null-removes", "lifecycle/amend-empties", "lifecycle/replace-empties", "durability/ids-after-restart", "absence/missing-explains", "absence/missing-is-not-html", "method/head-length-agrees"}
	// A member of a list is not a text.
	textNot = []string{"lifecycle/read-agrees-with-list", "lifecycle/create-echo-agrees"}
)

// speaksOfJSON tells why a check is not derived of a resource in another form, "" where it is.
func (r *Resource) speaksOfJSON(c *Check) string {
	switch {
	case r.As == "" && r.XML == "":
		return ""
	case !slices.Contains(plainFamilies, c.Family) || slices.Contains(plainNot, c.ID()):
		return "it speaks of JSON"
	case r.As == "text" && slices.Contains(textNot, c.ID()):
		return "it speaks of members, and a text has none"
	}
	return ""
}
