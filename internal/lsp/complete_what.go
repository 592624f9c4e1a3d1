package lsp

import (
	"os"
	"path/filepath"
	"slices"
	"strings"

	"usualpath/internal/core/late"
	"usualpath/internal/core/project"
	"usualpath/internal/core/syntax"
)

// subjectAt is the subject before a predicate.
var subjectAt = late.Regexp(`^\s*(?:expect|prefer|need|when)\s+(?:every\s+|exactly \d+\s+|at (?:least|most) \d+\s+)?(\S+)`)

// predicates are those that go with the subject on a line.
func predicates(line string) []completion {
	m := subjectAt().FindStringSubmatch(line)
	if m == nil {
		return nil
	}
	kind := m[1]
	switch {
	case strings.HasPrefix(kind, "$"):
		kind = "path"
	case strings.HasPrefix(kind, "{"):
		kind = "name"
	case !slices.Contains(syntax.Subjects(), kind):
		kind = "observation"
	}
	var out []completion
	for _, f := range syntax.PredicateForms {
		if !slices.Contains(f.Subjects, kind) {
			continue
		}
		for _, op := range wordsOf(f) {
			if op != "" && op != "status" {
				out = append(out, completion{Label: op, Kind: kindKeyword, Detail: f.Example, Documentation: f.Usage + "\n" + f.Help})
			}
		}
	}
	return out
}

// shapes are the types of shapes.
func shapes() []completion { return words(syntax.Types(), kindKeyword) }

// all are the document's file and those beside it that its project has read.
func (d *document) all() []*project.File {
	var out []*project.File
	for _, f := range d.project.Files {
		if f.Derived() {
			continue
		}
		for _, one := range f.Whole() {
			if !slices.Contains(out, one) {
				out = append(out, one)
			}
		}
	}
	return out
}

// collect takes texts of all statements, each once, sorted.
func (d *document) collect(kind int, of func(st *syntax.Statement) []string) []completion {
	var list []string
	for _, f := range d.all() {
		nameScope{f, f.Statements, false}.each(func(st *syntax.Statement) {
			for _, text := range of(st) {
				if text != "" && !slices.Contains(list, text) {
					list = append(list, text)
				}
			}
		})
	}
	slices.Sort(list)
	return words(list, kind)
}

// paths are those that resources have, and that other steps send to.
func (d *document) paths() []completion {
	return d.collect(kindValue, func(st *syntax.Statement) []string {
		switch b := st.Body.(type) {
		case *syntax.Send:
			if b.Target != nil && strings.HasPrefix(b.Target.Raw, "/") {
				return []string{b.Target.Raw}
			}
		case *syntax.Collection:
			if b.Path != nil {
				return []string{b.Path.Raw, b.Path.Raw + "/{id}"}
			}
		}
		return nil
	})
}

// memberNames are the members that bodies, examples and expectations have.
func (d *document) memberNames() []completion {
	return d.collect(kindVariable, func(st *syntax.Statement) []string {
		var out []string
		for _, m := range memberName().FindAllStringSubmatch(d.textOf(st), -1) {
			if syntax.IsName(m[1]) {
				out = append(out, m[1])
			}
		}
		return out
	})
}

// memberName finds names of members in JSON and in paths.
var memberName = late.Regexp(`(?:"|\$\.)([A-Za-z_][A-Za-z0-9_]*)(?:"\??:|\b)`)

// textOf is a statement as it is written; "" for one of another file.
func (d *document) textOf(st *syntax.Statement) string {
	if st.Span.End > len(d.text) || st.Span.Start > st.Span.End || !strings.HasPrefix(d.text[st.Span.Start:], st.Word) {
		return ""
	}
	switch st.Body.(type) {
	case *syntax.Scenario, *syntax.Step, *syntax.Do, *syntax.Use, *syntax.About:
		return ""
	}
	return d.text[st.Span.Start:st.Span.End]
}

func (d *document) tags() []completion {
	return d.collect(kindValue, func(st *syntax.Statement) []string {
		if b, ok := st.Body.(*syntax.Tags); ok {
			return b.Tags
		}
		return nil
	})
}

func (d *document) resources() []completion {
	return d.collect(kindValue, func(st *syntax.Statement) []string {
		if b, ok := st.Body.(*syntax.Resource); ok {
			return []string{b.Name}
		}
		return nil
	})
}

// siblings are the files beside the document.
func (d *document) siblings() []completion {
	list, err := os.ReadDir(filepath.Dir(d.path))
	if err != nil {
		return nil
	}
	var names []string
	for _, e := range list {
		if !e.IsDir() && e.Name() != filepath.Base(d.path) && !strings.HasPrefix(e.Name(), ".") {
			names = append(names, e.Name())
		}
	}
	return words(names, kindValue)
}
