package draft

import (
	"fmt"
	"slices"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"

	"usualpath/internal/contract"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// bodies drafts the examples, and what is assigned, required and hidden.
func (g *collection) bodies(s *Suite, item *openapi3.Schema) {
	request := func(w string) (*value.Value, *openapi3.Schema, string) {
		op := g.ops[w]
		if op == nil {
			return nil, nil, ""
		}
		media, name := requestOf(op)
		if media == nil || !exchange.IsJSON(name) && !isForm(name) {
			return nil, nil, ""
		}
		v := mediaExample(media, g.Name, s.guesses(op))
		if v == nil || v.Kind != value.Object || len(v.Names) == 0 || isForm(name) && !flatObject(v) {
			return nil, nil, ""
		}
		return v, flat(media.Schema), name
	}
	made, schema, as := request("create")
	if id, ok := strings.CutPrefix(g.Identity, "$."); made != nil && ok && !slices.Contains(schema.Required, id) {
		// The service gives it, though it may be sent.
		made = Without(made, id)
		g.Assigned = append(g.Assigned, id)
	}
	g.Make, g.MakeAs = made, as
	if made != nil {
		g.Turn = turnable(made, schema)
		g.Required = slices.DeleteFunc(present(schema.Required, schema), func(n string) bool { _, has := made.Get(n); return !has })
		for _, n := range members(schema) {
			if p := schema.Properties[n]; p.Value != nil && p.Value.WriteOnly {
				g.Hidden = append(g.Hidden, n)
			}
		}
		for _, n := range members(item) {
			if p := item.Properties[n]; !slices.Contains(g.Assigned, n) && (schema.Properties[n] == nil || p.Value != nil && p.Value.ReadOnly) {
				g.Assigned = append(g.Assigned, n)
			}
		}
		media, _ := requestOf(g.ops["create"])
		remake, replaced, other := request("replace")
		amend, amended, amendAs := request("amend")
		if id, ok := strings.CutPrefix(g.Identity, "$."); ok && g.Chosen == "" {
			// An example's identity may be that of an item that is there.
			for _, v := range []**value.Value{&remake, &amend} {
				if *v != nil {
					*v = Without(*v, id)
				}
			}
		}
		g.Remake, g.RemakeAs = varied(remake, made, g.Turn, allowed(replaced)), other
		if amend != nil {
			// One member is enough, and better one that does not tell items apart.
			g.Amend = one(varied(amend, made, g.Turn, allowed(amended)), made, g.Turn)
			if amendAs != "application/json" {
				g.AmendAs = amendAs
			}
		}
		g.Takes = takesOf(media.Schema, g.Turn, made, g.Remake, g.Amend)
	}
	for w, v := range map[string]*value.Value{"replace": g.Remake, "amend": g.Amend} {
		if g.ops[w] != nil && v == nil && made != nil {
			s.left(missing, "no body is described that could be sent", g.ops[w].Title())
			g.Supports = slices.DeleteFunc(g.Supports, func(x string) bool { return x == w })
		}
	}
}

// guesses notes what was guessed of an operation's values.
func (s *Suite) guesses(op *contract.Operation) func(string) {
	return func(what string) {
		s.left(guessed, "a plain value stands for one that nothing describes", op.Title()+" ("+what+")")
	}
}

// flatObject tells whether all members of an object are plain: fields of a form.
func flatObject(v *value.Value) bool {
	return !slices.ContainsFunc(v.Items, func(it *value.Value) bool { return it.Kind == value.Object || it.Kind == value.Array })
}

func isForm(media string) bool {
	return media == "application/x-www-form-urlencoded" || media == "multipart/form-data"
}

// sends is the line that sends a body of the resource to make an item.
func (r *Resource) sends(turn string) string {
	return "json " + r.with(r.Make, turn) + typed(r.MakeAs)
}

// turnable is the member of a body that may differ from item to item: a text
// with no form and with room for a few letters more.
func turnable(v *value.Value, s *openapi3.Schema) string {
	n := TurnIn(v)
	if n == "" {
		for i, m := range v.Names {
			if p := flat(s.Properties[m]); v.Items[i].Kind == value.String && p.Format == "" && p.Pattern == "" && len(p.Enum) == 0 {
				n = m
				break
			}
		}
	}
	if n == "" {
		for i, m := range v.Names {
			if dateForm().MatchString(v.Items[i].Text) && len(v.Items[i].Text) == 10 {
				return m
			}
		}
	}
	p := flat(s.Properties[n])
	if at, _ := v.Get(n); at != nil && p.MaxLength != nil && uint64(len(at.Text)+7) > *p.MaxLength || p.Pattern != "" || len(p.Enum) > 0 {
		return ""
	}
	return n
}

func present(list []string, s *openapi3.Schema) []string {
	var out []string
	for _, n := range list {
		if p := s.Properties[n]; p != nil && p.Value != nil && !p.Value.ReadOnly && !slices.Contains(out, n) {
			out = append(out, n)
		}
	}
	return out
}

// requestOf is the body of an operation that is drafted, and its type; nil for none.
func requestOf(op *contract.Operation) (*openapi3.MediaType, string) {
	if op == nil || op.Spec.RequestBody == nil || op.Spec.RequestBody.Value == nil {
		return nil, ""
	}
	c := op.Spec.RequestBody.Value.Content
	if m, name := bodyOf(c); m != nil {
		return m, name
	}
	for _, want := range []string{"application/x-www-form-urlencoded", "multipart/form-data"} {
		if m := c[want]; m != nil {
			return m, want
		}
	}
	for _, name := range mediaTypes(c) {
		if c[name] != nil {
			return c[name], name
		}
	}
	return nil, ""
}

// bodyOf is the JSON among media types, the plain one first.
func bodyOf(c openapi3.Content) (*openapi3.MediaType, string) {
	if m := c["application/json"]; m != nil {
		return m, "application/json"
	}
	for _, n := range mediaTypes(c) {
		if base, _, _ := strings.Cut(n, ";"); exchange.IsJSON(strings.TrimSpace(base)) && c[n] != nil {
			return c[n], strings.TrimSpace(base)
		}
	}
	for _, n := range []string{"*/*", "application/*"} {
		if m := c[n]; m != nil && m.Schema != nil {
			return m, "application/json"
		}
	}
	return nil, ""
}

func mediaTypes(c openapi3.Content) []string {
	var out []string
	for t := range c {
		out = append(out, t)
	}
	slices.Sort(out)
	return out
}

// mediaExample is a body: an example of the document, or a sample of the schema.
func mediaExample(m *openapi3.MediaType, name string, guessed func(string)) *value.Value {
	s := flat(m.Schema)
	if v := fromAny(m.Example); v != nil {
		return trimmed(v, s)
	}
	var names []string
	for n := range m.Examples {
		names = append(names, n)
	}
	slices.Sort(names)
	for _, n := range names {
		if e := m.Examples[n]; e != nil && e.Value != nil {
			if v := fromAny(e.Value.Value); v != nil {
				return trimmed(v, s)
			}
		}
	}
	if m.Schema == nil {
		return nil
	}
	return sample(m.Schema, name, 0, guessed)
}

// body are the lines that send the body of an operation, whatever its type.
func (s *Suite) body(op *contract.Operation) ([]string, bool) {
	media, name := requestOf(op)
	if media == nil {
		return nil, true
	}
	base, _, _ := strings.Cut(name, ";")
	base = strings.TrimSpace(strings.ToLower(base))
	about := singular(op.Path)
	if types := mediaTypes(op.Spec.RequestBody.Value.Content); slices.Contains(types, "image/png") {
		return []string{"  file " + syntax.Quoted(s.picture()) + " as image/png"}, true
	}
	if base == "application/octet-stream" || base == "*/*" || strings.HasPrefix(base, "image/") || strings.HasPrefix(base, "audio/") || strings.HasPrefix(base, "video/") || base == "application/pdf" || base == "application/zip" {
		s.left(guessed, "a few bytes of text stand for a body of another kind", op.Title()+" ("+base+")")
		if strings.Contains(base, "*") {
			base = "application/octet-stream"
		}
		return []string{"  text " + syntax.Quoted("a few bytes for "+about) + " as " + base}, true
	}
	v := mediaExample(media, about, s.guesses(op))
	if v == nil {
		if op.Spec.RequestBody.Value.Required {
			s.left(missing, "its body is not described", op.Title()+" ("+name+")")
		}
		return nil, !op.Spec.RequestBody.Value.Required
	}
	switch {
	case exchange.IsJSON(base) || name == "application/json":
		as := ""
		if name != "application/json" {
			as = " as " + base
		}
		return []string{"  json " + Body(v) + as}, true
	case isForm(base) && v.Kind == value.Object:
		return s.formLines(v, base == "multipart/form-data", media), true
	case strings.HasSuffix(base, "/xml") || strings.HasSuffix(base, "+xml"):
		as := ""
		if base != "application/xml" {
			as = " as " + base
		}
		text := v.Text
		if v.Kind != value.String || !strings.HasPrefix(strings.TrimSpace(text), "<") {
			text = asXML(media.Schema, v, about)
		}
		return []string{"  xml " + syntax.Quoted(text) + as}, true
	}
	as := " as " + base
	if base == "text/plain" {
		as = ""
	}
	text := v.Plain()
	if strings.ContainsAny(base, "* ") || !strings.Contains(base, "/") {
		s.left(missing, "its body has a type that is not one", op.Title()+" ("+name+")")
		return nil, false
	}
	return []string{"  text " + syntax.Quoted(text) + as}, true
}

// formLines are the fields of a form: lists one line an element, parts that are files as
// text.
func (s *Suite) formLines(v *value.Value, multipart bool, media *openapi3.MediaType) []string {
	word := "form"
	if multipart {
		word = "part"
	}
	var out []string
	for i, n := range v.Names {
		if n == "" {
			continue
		}
		name := fieldName(n)
		if e := media.Encoding[n]; multipart && e != nil && strings.Contains(e.ContentType, "image/png") {
			out = append(out, "  part "+name+" file "+syntax.Quoted(s.picture())+" as image/png")
			continue
		}
		list := []*value.Value{v.Items[i]}
		if list[0].Kind == value.Array {
			list = list[0].Items
		}
		for _, it := range list {
			text := it.Plain()
			if it.Kind == value.Object || it.Kind == value.Array {
				text = it.String()
			}
			out = append(out, fmt.Sprintf("  %s %s = %s", word, name, syntax.Quoted(text)))
		}
	}
	return out
}

// pictureFile is a picture that drafts send where one is wanted.
const pictureFile = "one-pixel.png"

// picture is a file with a picture, which is written with the others.
func (s *Suite) picture() string {
	s.Pictures = map[string]string{pictureFile: pixel}
	return pictureFile
}

// pixel is a PNG picture of one transparent pixel (RFC 2083).
const pixel = "\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR\x00\x00\x00\x01\x00\x00\x00\x01\x08\x06\x00\x00\x00\x1f\x15\xc4\x89" +
	"\x00\x00\x00\x0bIDATx\x9cc`\x00\x02\x00\x00\x05\x00\x01z^\xab?\x00\x00\x00\x00IEND\xaeB`\x82"
