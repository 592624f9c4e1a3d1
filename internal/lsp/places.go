package lsp

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"github.com/sourcegraph/jsonrpc2"

	"usualpath/internal/core/late"
	"usualpath/internal/core/project"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
)

func placeOf(o occurrence) location {
	return location{uriOf(o.file.Path), rangeIn(o.file.Source.Text, o.at)}
}

// definition is where what is at an offset is made: a name, a title, a resource, a used
// file.
func (s *Server) definition(d *document, offset int) *location {
	f := d.file()
	if f == nil {
		return nil
	}
	if m, ok := d.meant(offset); ok {
		if m.sort == aName {
			if in, at, bound := d.bound(m.name, offset); bound {
				return &location{uriOf(in.file.Path), rangeIn(in.file.Source.Text, at)}
			}
		}
		for _, o := range s.occurrences(d, m, offset) {
			if o.declares {
				at := placeOf(o)
				return &at
			}
		}
	}
	// An item of another resource.
	if name, _, ok := d.nameAt(offset); ok {
		for _, one := range f.Whole() {
			for _, o := range namedIn(nameScope{one, one.Statements, false}, meaning{sort: aResource, name: name}) {
				if o.declares {
					at := placeOf(o)
					return &at
				}
			}
		}
	}
	for _, l := range d.links() {
		if from, to := offsetIn(d.text, l.Range.Start), offsetIn(d.text, l.Range.End); offset >= from && offset <= to {
			return &location{URI: l.Target}
		}
	}
	return nil
}

func (s *Server) references(d *document, offset int, declarations bool) []location {
	out := []location{}
	m, ok := d.meant(offset)
	if !ok {
		return out
	}
	for _, o := range s.occurrences(d, m, offset) {
		if declarations || !o.declares {
			out = append(out, placeOf(o))
		}
	}
	return out
}

func (s *Server) highlights(d *document, offset int) []highlight {
	out := []highlight{}
	m, ok := d.meant(offset)
	if !ok {
		return out
	}
	for _, o := range s.occurrences(d, m, offset) {
		if o.file.Path == d.path {
			out = append(out, highlight{rangeIn(d.text, o.at), map[bool]int{false: 2, true: 3}[o.declares]})
		}
	}
	return out
}

// rename are the edits that give what is meant another name, in all files, or why there
// are none.
func (s *Server) rename(d *document, offset int, to string) (map[string][]textEdit, string) {
	m, ok := d.meant(offset)
	if !ok {
		return nil, "there is no name here that can be renamed"
	}
	titled := m.sort == aStep || m.sort == aScenario || m.sort == aRoutine
	switch {
	case titled && (strings.TrimSpace(to) == "" || strings.ContainsAny(to, "\"\r\n")):
		return nil, "a title is one line without quotation marks"
	case !titled && !syntax.IsName(to):
		return nil, to + " is not a name: letters, digits and _ make one"
	case !titled && syntax.Reserved(to):
		return nil, to + " is a word of the language"
	}
	list := s.occurrences(d, m, offset)
	if to != m.name {
		if where := s.taken(d, m, to, offset, list); where != "" {
			return nil, fmt.Sprintf("%s is taken: %s", to, where)
		}
	}
	out := map[string][]textEdit{}
	for _, o := range list {
		uri := uriOf(o.file.Path)
		out[uri] = append(out[uri], textEdit{rangeIn(o.file.Source.Text, o.at), to})
	}
	if len(out) == 0 {
		return nil, "there is no name here that can be renamed"
	}
	return out, ""
}

// taken says where something else has a name already, in any place where what is renamed
// is known; "" for nowhere.
func (s *Server) taken(d *document, m meaning, to string, offset int, list []occurrence) string {
	line := func(f *project.File, at int) string {
		return fmt.Sprintf("%s, line %d", filepath.Base(f.Path), f.Source.Position(at).Line)
	}
	if m.sort != aName {
		other := meaning{sort: m.sort, name: to}
		for _, o := range s.occurrences(d, other, offset) {
			if o.declares {
				return line(o.file, o.at.Start)
			}
		}
		return ""
	}
	if _, at, ok := d.bound(to, offset); ok {
		return line(d.file(), at.Start)
	}
	var files []*project.File
	for _, o := range list {
		if !slices.Contains(files, o.file) {
			files = append(files, o.file)
		}
	}
	in, _, _ := d.bound(m.name, offset)
	for _, f := range files {
		scope := nameScope{f, f.Statements, false}
		if !in.whole {
			scope = in
		}
		for _, u := range uses(scope, to) {
			return line(f, u.Span.Start)
		}
	}
	return ""
}

// namedFile finds where a claim names a file.
var namedFile = late.Regexp(`\b(?:file|schema)\s+"([^"\\]+)"`)

// links are the files that a document names.
func (d *document) links() []link {
	out := []link{}
	f := d.file()
	if f == nil {
		return out
	}
	add := func(n *syntax.Node) {
		name, ok := plain(n)
		if !ok || name == "" {
			return
		}
		if full, err := d.project.Resolve(f, name); err == nil {
			out = append(out, link{rangeIn(d.text, n.Span), uriOf(full)})
		}
	}
	nameScope{f, f.Statements, false}.each(func(st *syntax.Statement) {
		switch b := st.Body.(type) {
		case *syntax.Use:
			add(b.Path)
		case *syntax.FileBody:
			add(b.Value)
		case *syntax.PartOf:
			add(b.File)
		case *syntax.Takes:
			add(b.Schema)
		case *syntax.Cases:
			add(b.In)
		case *syntax.Keep, syntax.Claiming:
			part := d.text[min(st.Span.Start, len(d.text)):min(st.Span.End, len(d.text))]
			for _, m := range namedFile().FindAllStringSubmatchIndex(part, -1) {
				at := source.Span{Start: st.Span.Start + m[2], End: st.Span.Start + m[3]}
				if full, err := d.project.Resolve(f, part[m[2]:m[3]]); err == nil {
					out = append(out, link{rangeIn(d.text, at), uriOf(full)})
				}
			}
		}
	})
	return out
}

// everywhere are the scenarios, routines, resources and names of the project whose names
// have the letters that are asked for, in order.
func (s *Server) everywhere(req *jsonrpc2.Request) (any, error) {
	var p struct {
		Query string `json:"query"`
	}
	if err := read(req, &p); err != nil {
		return nil, err
	}
	out := []found{}
	roots := []string{s.root}
	for _, d := range s.open {
		if s.root == "" {
			s.fresh(d)
			roots = append(roots, d.project.Root)
		}
	}
	seen := map[string]bool{}
	for _, root := range roots {
		if root == "" {
			continue
		}
		_, files := s.load(root)
		for _, f := range files {
			if seen[f.Path] {
				continue
			}
			seen[f.Path] = true
			at := &document{path: f.Path, text: f.Source.Text, src: f.Source, tree: f.File}
			for _, one := range at.symbols() {
				if subsequence(p.Query, one.Name) && len(out) < 500 {
					out = append(out, found{one.Name, one.Kind, location{uriOf(f.Path), one.SelectionRange}})
				}
			}
		}
	}
	return out, nil
}

// subsequence tells whether a text has the letters of another, in their order.
func subsequence(of, text string) bool {
	text = strings.ToLower(text)
	for _, r := range strings.ToLower(of) {
		i := strings.IndexRune(text, r)
		if i < 0 {
			return false
		}
		text = text[i+len(string(r)):]
	}
	return true
}
