package draft

import (
	"encoding/xml"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"

	"usualpath/internal/core/value"
)

// asXML is a value as an XML document, by the names that a schema gives (OpenAPI 3.1
// §4.8.26).
func asXML(ref *openapi3.SchemaRef, v *value.Value, name string) string {
	if ref != nil && ref.Ref != "" {
		name = ref.Ref[strings.LastIndexByte(ref.Ref, '/')+1:]
	}
	var b strings.Builder
	element(&b, ref, v, name, 0)
	return b.String()
}

func element(b *strings.Builder, ref *openapi3.SchemaRef, v *value.Value, name string, deep int) {
	s := flat(ref)
	prefix := ""
	if s.XML != nil && s.XML.Name != "" {
		name = s.XML.Name
	}
	if name == "" {
		name = "item"
	}
	if s.XML != nil && s.XML.Prefix != "" {
		prefix = s.XML.Prefix + ":"
	}
	if v.Kind == value.Array && deep > 0 && (s.XML == nil || !s.XML.Wrapped) {
		for _, it := range v.Items {
			element(b, s.Items, it, name, deep+1)
		}
		return
	}
	b.WriteString("<" + prefix + name)
	if s.XML != nil && s.XML.Namespace != "" {
		at := "xmlns"
		if prefix != "" {
			at += ":" + s.XML.Prefix
		}
		b.WriteString(" " + at + `="` + escaped(s.XML.Namespace) + `"`)
	}
	attribute := func(n string) bool {
		p := flat(s.Properties[n])
		return p.XML != nil && p.XML.Attribute
	}
	for i, n := range v.Names {
		if attribute(n) {
			at := n
			if x := flat(s.Properties[n]).XML; x.Name != "" {
				at = x.Name
			}
			b.WriteString(" " + at + `="` + escaped(v.Items[i].Plain()) + `"`)
		}
	}
	b.WriteString(">")
	switch v.Kind {
	case value.Object:
		for i, n := range v.Names {
			if !attribute(n) {
				element(b, s.Properties[n], v.Items[i], n, deep+1)
			}
		}
	case value.Array:
		for _, it := range v.Items {
			element(b, s.Items, it, singular("/"+name), deep+1)
		}
	default:
		b.WriteString(escaped(v.Plain()))
	}
	b.WriteString("</" + prefix + name + ">")
}

func escaped(text string) string {
	var b strings.Builder
	if xml.EscapeText(&b, []byte(text)) != nil {
		return ""
	}
	return b.String()
}
