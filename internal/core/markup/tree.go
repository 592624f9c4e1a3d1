package markup

import (
	"bytes"
	"context"
	"encoding/xml"
	"errors"
	"slices"
	"strings"

	"github.com/antchfx/xmlquery"
	"github.com/antchfx/xpath"

	"usualpath/internal/core/late"
	"usualpath/internal/core/value"
)

// Select gives what an XPath selects in a document, each element or attribute as a tree.
func Select(ctx context.Context, body []byte, e *xpath.Expr) (out []*value.Value, err error) {
	root, err := xmlquery.Parse(bytes.NewReader(body))
	if err != nil {
		return nil, errors.New("not XML: " + strings.TrimPrefix(err.Error(), "xmlquery: "))
	}
	worth, err := Evaluate(ctx, root, e, func(n xpath.NodeNavigator) {
		at, is := n.(*bounded).NodeNavigator.(*xmlquery.NodeNavigator)
		switch {
		case is && at.NodeType() == xpath.AttributeNode:
			out = append(out, value.NewString(at.Value()))
		case is:
			out = append(out, tree(at.Current()))
		}
	})
	if err == nil && worth != nil {
		err = errors.New("this XPath selects no elements")
	}
	return out, err
}

// tree is an element as a value, so that two can be compared: attributes are members "@name",
// elements below it members by their names, several of one name a list, and its own text is
// the member "#text"; an element with nothing but text is that text. Blanks around text, the order of
// attributes, namespace prefixes, comments and instructions do not count.
func tree(n *xmlquery.Node) *value.Value {
	if n.Type == xmlquery.AttributeNode {
		return value.NewString(n.InnerText())
	}
	out := value.NewObject()
	for _, a := range n.Attr {
		if a.Name.Space != "xmlns" && a.Name.Local != "xmlns" {
			out.Add("@"+a.Name.Local, value.NewString(a.Value))
		}
	}
	var text []string
	below := map[string][]*value.Value{}
	var names []string
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		switch c.Type {
		case xmlquery.TextNode, xmlquery.CharDataNode:
			if t := strings.TrimSpace(c.Data); t != "" {
				text = append(text, t)
			}
		case xmlquery.ElementNode:
			if below[c.Data] == nil {
				names = append(names, c.Data)
			}
			below[c.Data] = append(below[c.Data], tree(c))
		}
	}
	for _, name := range names {
		if list := below[name]; len(list) > 1 {
			out.Add(name, value.NewArray(list...))
		} else {
			out.Add(name, list[0])
		}
	}
	own := strings.Join(text, " ")
	switch {
	case len(out.Names) == 0:
		return value.NewString(own)
	case own != "":
		out.Add("#text", value.NewString(own))
	}
	return out
}

// Document is a document as a value: an object with one member, its root.
func Document(body []byte) (*value.Value, error) {
	root, err := xmlquery.Parse(bytes.NewReader(body))
	if err != nil {
		return nil, errors.New("not XML: " + strings.TrimPrefix(err.Error(), "xmlquery: "))
	}
	for n := root.FirstChild; n != nil; n = n.NextSibling {
		if n.Type == xmlquery.ElementNode {
			out := value.NewObject()
			out.Add(n.Data, tree(n))
			return out, nil
		}
	}
	return nil, errors.New("not XML: there is no element")
}

// Namespace is the namespace that all elements of a document are in, "" for none; mixed tells of
// a document whose elements are in several, or that has attributes in one.
func Namespace(body []byte) (space string, mixed bool) {
	d := xml.NewDecoder(bytes.NewReader(body))
	root := true
	for {
		t, err := d.Token()
		if err != nil {
			return space, mixed
		}
		start, is := t.(xml.StartElement)
		if !is {
			continue
		}
		if root {
			space, root = start.Name.Space, false
		}
		mixed = mixed || start.Name.Space != space || slices.ContainsFunc(start.Attr, func(a xml.Attr) bool { return a.Name.Space != "" && a.Name.Space != "xmlns" })
	}
}

// Print is the document that a value of the form of Document stands for. Members that are
// null are left out. A root named "NAMESPACE NAME" has its elements in that namespace.
func Print(v *value.Value) (string, error) {
	if v.Kind != value.Object || len(v.Names) != 1 || v.Items[0].Kind == value.Array || strings.HasPrefix(v.Names[0], "@") || v.Names[0] == "#text" {
		return "", errors.New("XML is made of an object with one member, the root element, not of " + value.Cut(v.String(), 60))
	}
	var b strings.Builder
	b.WriteString(`<?xml version="1.0" encoding="UTF-8"?>`)
	space, name := "", v.Names[0]
	if at := strings.LastIndexByte(name, ' '); at >= 0 {
		space, name = name[:at], name[at+1:]
	}
	err := element(&b, space, name, v.Items[0])
	return b.String(), err
}

func element(b *strings.Builder, space, name string, v *value.Value) error {
	opening := "<" + name
	if space != "" {
		opening += ` xmlns="` + escaped(space) + `"`
	}
	if !xmlName().MatchString(name) {
		return errors.New(value.Quoted(name) + " cannot be the name of an element")
	}
	switch v.Kind {
	case value.Null:
		return nil
	case value.Array:
		for _, one := range v.Items {
			if err := element(b, "", name, one); err != nil {
				return err
			}
		}
		return nil
	case value.Object:
	default:
		b.WriteString(opening + ">" + escaped(v.Plain()) + "</" + name + ">")
		return nil
	}
	b.WriteString(opening)
	var text string
	for i, n := range v.Names {
		attribute, is := strings.CutPrefix(n, "@")
		switch one := v.Items[i]; {
		case n == "#text":
			text = one.Plain()
		case !is || one.Kind == value.Null:
		case !xmlName().MatchString(attribute) || one.Kind == value.Object || one.Kind == value.Array:
			return errors.New(value.Quoted(n) + " cannot be an attribute")
		default:
			b.WriteString(" " + attribute + `="` + escaped(one.Plain()) + `"`)
		}
	}
	b.WriteString(">" + escaped(text))
	for i, n := range v.Names {
		if !strings.HasPrefix(n, "@") && n != "#text" {
			if err := element(b, "", n, v.Items[i]); err != nil {
				return err
			}
		}
	}
	b.WriteString("</" + name + ">")
	return nil
}

// xmlName is a name without a prefix (Namespaces in XML §4).
var xmlName = late.Regexp(`^[\pL_][\pL\pN._-]*$`)

func escaped(text string) string {
	var b strings.Builder
	// A builder takes all that is written.
	_ = xml.EscapeText(&b, []byte(text))
	return b.String()
}
