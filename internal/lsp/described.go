package lsp

import (
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"usualpath/internal/contract"
	"usualpath/internal/core/syntax"
)

// described is an OpenAPI document of the project, as it was read last.
type described struct {
	name string
	at   time.Time
	doc  *contract.Document
}

// documentNames are what OpenAPI documents are called.
var documentNames = []string{"openapi.yaml", "openapi.yml", "openapi.json", "swagger.yaml", "swagger.yml", "swagger.json"}

// described is the OpenAPI document beside a document, or in its project's folder, nil
// for none.
func (s *Server) described(d *document) *contract.Document {
	folders := []string{filepath.Dir(d.path)}
	if d.project != nil && d.project.Root != "" {
		folders = append(folders, d.project.Root)
	}
	for _, dir := range folders {
		for _, n := range documentNames {
			name := filepath.Join(dir, n)
			info, err := os.Stat(name)
			if err != nil {
				continue
			}
			if s.doc.name != name || !s.doc.at.Equal(info.ModTime()) {
				// One that cannot be read says nothing.
				doc, _ := contract.Load(name)
				s.doc = described{name, info.ModTime(), doc}
			}
			return s.doc.doc
		}
	}
	return nil
}

// describedPaths are the paths that the project's document has for the method on a line.
func (s *Server) describedPaths(d *document, line string) []completion {
	doc := s.described(d)
	words := strings.Fields(line)
	if doc == nil || len(words) < 2 {
		return nil
	}
	var out []completion
	for _, o := range doc.Operations {
		if o.Method == words[1] {
			out = append(out, completion{Label: o.Path, Kind: kindValue, Detail: o.Spec.Summary, Documentation: "in " + filepath.Base(s.doc.name)})
		}
	}
	return out
}

// pathSteps are the parts of a JSONPath. It is made when it is first wanted.
var pathSteps = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`\.([A-Za-z_][A-Za-z0-9_]*)|\['([^']*)'\]|\["([^"]*)"\]|(\[[^\]]*\]|\.\*)`)
})

// describedMembers are the members that the project's document has below a path in the
// answer to the request of the step around an offset.
func (s *Server) describedMembers(d *document, offset int, path string) []completion {
	_, step := d.stepAt(offset)
	doc := s.described(d)
	if step == nil || doc == nil {
		return nil
	}
	var below []string
	for _, m := range pathSteps().FindAllStringSubmatch(path, -1) {
		if m[4] != "" {
			below = append(below, "[]")
		} else {
			below = append(below, m[1]+m[2]+m[3])
		}
	}
	method, target, status := "", "", 0
	for _, c := range step.Children {
		switch b := c.Body.(type) {
		case *syntax.Send:
			method = b.Method
			if b.Target != nil {
				target = b.Target.Raw
			}
		case *syntax.Expect:
			if list := b.Predicate.Status; b.Subject.Kind == "status" && status == 0 && len(list) > 0 && list[0].Ref == nil && !list[0].Class && !list[0].Not {
				status = list[0].Code
			}
		}
	}
	var out []completion
	for _, m := range doc.Members(method, target, status, below) {
		if syntax.IsName(m.Name) && !slices.ContainsFunc(out, func(c completion) bool { return c.Label == m.Name }) {
			out = append(out, completion{Label: m.Name, Kind: kindVariable, Detail: m.Type, Documentation: strings.TrimSpace(m.Says + "\nin " + filepath.Base(s.doc.name))})
		}
	}
	return out
}
