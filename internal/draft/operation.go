package draft

import (
	"fmt"
	"slices"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"

	"usualpath/internal/contract"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/late"
	"usualpath/internal/core/syntax"
)

// inBraces are the parameters in a path.
var inBraces = late.Regexp(`\{[^{}]*\}`)

// lone drafts a scenario for one operation that belongs to no resource.
func (s *Suite) lone(groups []*collection, op *contract.Operation) {
	if !syntax.IsMethod(op.Method) || op.Method != strings.ToUpper(op.Method) {
		s.left(missing, "its method is not one", op.Title())
		return
	}
	safe := syntax.SafeMethod(op.Method)
	body, ok := s.body(op)
	if !ok {
		return
	}
	path, pre, ends, g := s.outer(groups, op, safe)
	var lines []string
	var open, about []string
	for _, p := range op.Params {
		switch {
		case p.Value == nil:
		case p.Value.In == "path":
			if !strings.Contains(path, "{"+p.Value.Name+"}") {
				continue
			}
			v, certain := s.valueOf(op, p.Value)
			if v == nil || v.Plain() == "" && v.Kind < 4 {
				continue
			}
			if !certain {
				about = append(about, fmt.Sprintf("# %s is a guess: nothing shows which one exists.", p.Value.Name))
				s.left(guessed, "nothing shows which one exists, so the scenario has a guess", op.Title())
			}
			open = append(open, p.Value.Name)
			path = strings.ReplaceAll(path, "{"+p.Value.Name+"}", inPath(p.Value, v))
		case p.Value.Required:
			more, _ := s.detail(op, p.Value)
			lines = append(lines, more...)
		}
	}
	for _, m := range inBraces().FindAllString(path, -1) {
		open = append(open, m)
		path = strings.ReplaceAll(path, m, "1")
		s.left(guessed, "its path has a parameter that is not described", op.Title())
	}
	path = strings.NewReplacer("{", `\{`, "\x00", "{", "\x01", "}").Replace(path)
	lines = append(append(lines, s.authOf(op)...), body...)
	status, response := success(op)
	if status == "" {
		s.left(guessed, "no successful status is described", op.Title())
		status = "not 5xx"
	}
	if g != nil && len(open) == 0 && (op.Method == "GET" || op.Method == "DELETE") && !strings.Contains(status, "404") && describes(op, "404", "4XX", "default") {
		// What was just made has nothing below it yet, it may be.
		status += " or 404"
		response = nil
	}
	lines, claims := s.answer(lines, status, response, op.Method)
	head := []string{"send " + op.Method + " " + op.Base().Path + path}
	about = slices.Compact(about)
	file := "operations"
	if near := nearest(groups, op.Path); near != nil {
		file = near.root().Name
	}
	name := fileName(op, file)
	if reason := reaches(op, safe, g != nil, len(open)); reason != "" {
		head = append([]string{OnlyUnguarded}, head...)
		about = append(about, "# It "+reason+", so it is sent with --let "+unguardedName+"=true only.")
		s.left(hint, "may change what a run did not make: sent with --let "+unguardedName+"=true only", op.Title())
	}
	if spec := op.Spec; len(spec.Callbacks) > 0 {
		s.left(hint, "callbacks are not drafted", op.Title())
	}
	if g != nil {
		s.bind(name, g)
	}
	one := &steps{}
	one.step(stepTitle(op), slices.Concat(head, lines, claims)...)
	after := ""
	if ends != "" {
		after = "\nafterwards\n" + ends
	}
	comments := ""
	if len(about) > 0 {
		comments = strings.Join(about, "\n") + "\n"
	}
	s.add(name, part{op.Title(), comments + fmt.Sprintf("scenario %s\n%s%s%s\n", syntax.Quoted(op.Title()), pre, one.b.String(), after), []string{op.Title()}})
	s.Scenarios++
}

// outer ties the ids of a path to the collections that make such items, as deep as there
// are any: a path with kept names between \x00 and \x01, the steps before it, and those
// that clean up.
func (s *Suite) outer(groups []*collection, op *contract.Operation, safe bool) (path, pre, ends string, g *collection) {
	path = op.Path
	for g = nearest(groups, path); g != nil; g = g.parent {
		var ok bool
		if pre, ends, ok = s.parents(g); ok {
			break
		}
		if safe && g.parent == nil && !g.orphan && g.ops["list"] != nil && slices.Contains(g.Supports, "list") {
			// One that is there is looked at.
			w := &steps{}
			t := g.told["list"]
			w.step("find one of "+g.Name, slices.Concat([]string{"send GET " + g.Collection}, t.Lines, []string{"need status " + t.status("200"), "keep " + g.kept() + " from " + g.Resource.first()})...)
			pre, ends = w.b.String(), ""
			break
		}
	}
	if g == nil {
		return op.Path, "", "", nil
	}
	parts := strings.Split(path, "/")
	for i, name := range g.root().free {
		parts[i] = "\x00" + name + "\x01"
	}
	for _, up := range g.chain() {
		parts[strings.Count(up.item, "/")] = "\x00" + up.kept() + "\x01"
	}
	return strings.Join(parts, "/"), pre, ends, g
}

// reaches says why a request may change what a run did not make, "" for one that does not: it
// reads, or what it writes to is below an item that the scenario has made.
func reaches(op *contract.Operation, safe, made bool, open int) string {
	switch {
	case safe || made && open == 0:
		return ""
	case open > 0:
		return "writes to an item that the scenario has not made"
	case op.Method == "DELETE":
		return "names no item, and may remove all of them"
	case op.Method == "POST":
		return "may make something that the scenario cannot remove, or act on what is there"
	}
	return "names no item, and may change what is there"
}

// answer are the claims on an answer; to the request's lines it adds what is accepted.
func (s *Suite) answer(lines []string, status string, r *openapi3.Response, method string) (request, claims []string) {
	claims = []string{"expect status " + status}
	if r == nil || method == "HEAD" || len(r.Content) == 0 {
		return lines, slices.Concat(claims, expected(r))
	}
	m, name := bodyOf(r.Content)
	if m == nil {
		types := mediaTypes(r.Content)
		if base, _, _ := strings.Cut(types[0], ";"); !strings.Contains(base, "*") && strings.Contains(base, "/") && inLine(base) == base {
			lines = append(lines, "  header Accept: "+base)
			if len(types) == 1 {
				claims = append(claims, fmt.Sprintf("expect header Content-Type is %s", syntax.Quoted(base)))
			}
		}
		return lines, slices.Concat(claims, expected(r))
	}
	if accept := accepts(name); accept != "" {
		lines = append(lines, accept)
	}
	if m.Schema != nil {
		if shape := shapeOf(m.Schema); shape != "any" {
			claims = append(claims, "expect body is "+shape)
		}
	}
	return lines, slices.Concat(claims, expected(r))
}

// accepts is the line that asks for a type of JSON, "" for the usual one.
func accepts(media string) string {
	if media == "" || media == "application/json" || !exchange.IsJSON(media) {
		return ""
	}
	return "  header Accept: " + media
}

// expected are claims on the headers that an answer must have.
func expected(r *openapi3.Response) []string {
	if r == nil {
		return nil
	}
	var out []string
	for _, h := range promised(r) {
		out = append(out, "expect header "+h+" exists")
	}
	return out
}

func describes(op *contract.Operation, keys ...string) bool {
	return op.Spec.Responses != nil && slices.ContainsFunc(keys, func(k string) bool { return op.Spec.Responses.Value(k) != nil })
}

func stepTitle(op *contract.Operation) string {
	if t := strings.TrimSpace(op.Spec.Summary); t != "" && inLine(t) == t && !strings.ContainsAny(t, "\"\\{}") && len(t) < 80 {
		return t
	}
	return "send it"
}
