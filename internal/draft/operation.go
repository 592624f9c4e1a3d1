package draft

import (
	"fmt"
	"net/url"
	"slices"
	"strings"
	"unicode"

	"github.com/getkin/kin-openapi/openapi3"

	"usualpath/internal/contract"
	"usualpath/internal/core/syntax"
)

// parents are the steps that make the item below which a collection stands, and
// what takes it away again. It tells whether there is a way.
func (s *Suite) parents(g *collection) (before, after string, ok bool) {
	if g.parent == nil {
		return "", "", true
	}
	up := g.parent
	pre, ends, ok := s.parents(up)
	if !ok || up.Make == nil {
		s.left("%s: there is no way to make one of %s, so no scenario was drafted", g.Collection, up.Name)
		return "", "", false
	}
	w := &steps{}
	name := singular(up.Name) + "_id"
	t := up.told["create"]
	keep := "keep " + name + " from " + up.idPath()
	if t.Shape == "" {
		s.left("%s does not describe what it answers: the id of what it made is taken from %s", up.ops["create"].Title(), up.idPath())
	}
	w.step("make one of "+up.Name+" first", "send POST "+up.scene().Collection, "  json "+up.with(up.Make, "{random_text(6)}"), "expect status "+t.status("2xx"), keep)
	if up.ops["delete"] != nil {
		d := &steps{}
		d.step("take away the one of "+up.Name, "send DELETE "+strings.ReplaceAll(up.scene().itemPath(), "{id}", "{"+name+"}"))
		ends = d.b.String() + ends
	}
	return pre + w.b.String(), ends, true
}

// lone drafts a scenario for one operation that belongs to no resource.
func (s *Suite) lone(b *strings.Builder, op *contract.Operation, g *collection, prefix string) {
	w := &steps{}
	path := op.Path
	pre, ends := "", ""
	if body := op.Spec.RequestBody; body != nil && body.Value != nil && body.Value.Required && jsonOf(body.Value.Content) == nil {
		s.left("%s: its body is not JSON (%s), so nothing was drafted", op.Title(), strings.Join(mediaTypes(body.Value.Content), ", "))
		return
	}
	on := g != nil && strings.HasPrefix(unnamed(path)+"/", unnamed(g.item)+"/") && g.parent == nil && g.Make != nil
	if on {
		name := singular(g.Name) + "_id"
		w.step("make one of "+g.Name+" first", "send POST "+g.Collection, "  json "+g.with(g.Make, "{random_text(6)}"), "expect status "+g.told["create"].status("2xx"), "keep "+name+" from "+g.idPath())
		pre = w.b.String()
		parts := strings.Split(path, "/")
		parts[strings.Count(g.item, "/")] = "\x00" + name + "\x01"
		path = strings.Join(parts, "/")
		if g.ops["delete"] != nil {
			ends = fmt.Sprintf("\nafterwards\n  step \"leave nothing behind\"\n    send DELETE %s\n", strings.ReplaceAll(g.itemPath(), "{id}", "{"+name+"}"))
		}
	}
	guess := func(what string) { s.left("%s: %s; a plain value was put there", op.Title(), what) }
	path, lines := s.params(op, path, guess)
	path = strings.NewReplacer("{", `\{`, "\x00", "{", "\x01", "}").Replace(path)
	if body := op.Spec.RequestBody; body != nil && body.Value != nil && jsonOf(body.Value.Content) != nil {
		media, name := bodyOf(body.Value.Content)
		if v := mediaExample(media, singular(path), guess); v != nil {
			as := ""
			if name != "application/json" {
				as = " as " + name
			}
			lines = append(lines, "  json "+Body(v)+as)
		}
	}
	lines = slices.Insert(lines, 0, "send "+op.Method+" "+prefix+path)
	status, response := success(op)
	if status == "" {
		s.left("%s describes no successful status", op.Title())
		status = "not 5xx"
	}
	if on && (op.Method == "GET" || op.Method == "DELETE") && !strings.Contains(status, "404") && describes(op, "404", "4XX", "default") {
		// What was just made has nothing below it yet, it may be.
		status += " or 404"
		response = nil
	}
	lines = append(lines, "expect status "+status)
	if response != nil && op.Method != "HEAD" {
		if m := jsonOf(response.Content); m != nil && m.Schema != nil {
			if shape := shapeOf(m.Schema, 0); shape != "any" {
				lines = append(lines, "expect body is "+shape)
			}
		}
	}
	title := op.Title()
	one := &steps{}
	one.step(stepTitle(op), lines...)
	fmt.Fprintf(b, "scenario %s\n%s%s%s\n", quoted(title), pre, one.b.String(), ends)
	s.Scenarios++
}

// params puts values for an operation's parameters into its path, and gives the
// lines of the others.
func (s *Suite) params(op *contract.Operation, path string, guess func(string)) (string, []string) {
	var lines []string
	for _, p := range op.Params {
		if p.Value == nil {
			continue
		}
		v := fromAny(p.Value.Example)
		for _, e := range p.Value.Examples {
			if v == nil && e.Value != nil {
				v = fromAny(e.Value.Value)
			}
		}
		if v == nil && p.Value.Schema != nil {
			if p.Value.In == "path" && strings.Contains(path, "{"+p.Value.Name+"}") && written(flat(p.Value.Schema)) == nil {
				s.left("%s: nothing shows which %s exists; the scenario has a guess", op.Title(), p.Value.Name)
			}
			v = sample(p.Value.Schema, p.Value.Name, 0, guess)
		}
		if v == nil || !p.Value.Required {
			continue
		}
		text := strings.NewReplacer("{", `\{`, "#", `\#`).Replace(v.Plain())
		switch p.Value.In {
		case "path":
			path = strings.ReplaceAll(path, "{"+p.Value.Name+"}", url.PathEscape(v.Plain()))
		case "query":
			name, v := p.Value.Name, v.Plain()
			switch {
			case name == "" || strings.ContainsFunc(name, odd):
				s.left("%s: its query parameter %s cannot be written as one", op.Title(), inLine(name))
				continue
			case !syntax.IsName(name):
				name = quoted(name)
			}
			if v == "" || inLine(v) != v || strings.TrimSpace(v) != v || strings.HasPrefix(v, `"`) || strings.Contains(v, `\`) {
				text = quoted(v)
			}
			lines = append(lines, "  query "+name+" = "+text)
		case "header":
			if !syntax.IsMethod(p.Value.Name) || strings.TrimSpace(inLine(v.Plain())) == "" {
				s.left("%s: its header parameter %s cannot be written as one", op.Title(), inLine(p.Value.Name))
				continue
			}
			lines = append(lines, "  header "+p.Value.Name+": "+strings.TrimSpace(inLine(strings.ReplaceAll(text, `\`, `\\`))))
		}
	}
	return path, lines
}

// odd tells of a character that a name in a line does not have.
func odd(r rune) bool {
	return unicode.IsSpace(r) || !unicode.IsPrint(r) || strings.ContainsRune("\"\\{}#=", r)
}

func describes(op *contract.Operation, keys ...string) bool {
	return op.Spec.Responses != nil && slices.ContainsFunc(keys, func(k string) bool { return op.Spec.Responses.Value(k) != nil })
}

func mediaTypes(c openapi3.Content) []string {
	var out []string
	for t := range c {
		out = append(out, t)
	}
	slices.Sort(out)
	return out
}

func stepTitle(op *contract.Operation) string {
	if t := strings.TrimSpace(op.Spec.Summary); t != "" && inLine(t) == t && !strings.ContainsAny(t, "\"\\{}") && len(t) < 80 {
		return t
	}
	return "send it"
}
