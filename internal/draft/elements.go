package draft

import (
	"strings"

	"usualpath/internal/core/markup"
	"usualpath/internal/core/value"
)

// mostElements bounds how many texts of a document are looked at.
const mostElements = 12

// elements are claims about the texts in a document: one that was sent is what it was, any
// other is there. Of lists only the root is claimed.
func elements(body []byte, sent string) []string {
	var out []string
	for _, l := range Leaves(body) {
		switch {
		case len(out) >= mostElements:
		case strings.Contains(sent, ">"+l.Text+"<") || strings.Contains(sent, `"`+l.Text+`"`):
			out = append(out, "xml "+l.Path+" is "+value.Quoted(l.Text))
		default:
			out = append(out, "xml "+l.Path+" exists")
		}
	}
	if v, err := markup.Document(body); len(out) == 0 && err == nil {
		out = append(out, "xml /"+v.Names[0]+" exists")
	}
	return out
}

// Leaf is a text in a document, and the XPath of its element or attribute.
type Leaf struct{ Path, Text string }

// Leaves are the texts of a document that are not in lists; nil where the body is not XML.
func Leaves(body []byte) []Leaf {
	v, err := markup.Document(body)
	if err != nil {
		return nil
	}
	var out []Leaf
	var down func(at string, v *value.Value)
	down = func(at string, v *value.Value) {
		switch v.Kind {
		case value.Object:
			for i, n := range v.Names {
				if n == "#text" {
					n = "text()"
				}
				down(at+"/"+n, v.Items[i])
			}
		case value.String:
			if v.Text != "" {
				out = append(out, Leaf{at, v.Text})
			}
		}
	}
	down("", v)
	return out
}
