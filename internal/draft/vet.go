package draft

import (
	"path/filepath"
	"slices"
	"strings"

	"usualpath/internal/core/project"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/source"
)

// Vet reads what was drafted as a run would, and leaves out what would not pass; head is
// the text of the project file.
func (s *Suite) Vet(head string) {
	// No file is there, whatever other projects are.
	folder := filepath.Join(string(filepath.Separator), "usualpath-draft")
	for range 12 {
		bad := s.wrong(folder, head)
		if len(bad) == 0 {
			return
		}
		for _, n := range s.Names {
			t := s.sheets[n]
			t.parts = slices.DeleteFunc(t.parts, func(p part) bool {
				why, is := bad[n+"\x00"+p.title]
				if is {
					s.left(missing, "left out, since it would not pass (it says: "+why+")", p.title)
				}
				return is
			})
		}
		s.Names = slices.DeleteFunc(s.Names, func(n string) bool { return len(s.sheets[n].parts) == 0 })
		s.finish()
	}
}

// wrong are the statements that have errors, by file and title, with what is said of them.
func (s *Suite) wrong(folder, head string) (bad map[string]string) {
	bad = map[string]string{}
	o := project.Options{Overlay: map[string]string{filepath.Join(folder, "project.upath"): head}}
	paths := []string{filepath.Join(folder, "project.upath")}
	for _, n := range s.Names {
		at := filepath.Join(folder, n)
		o.Overlay[at] = s.Files[n]
		paths = append(paths, at)
	}
	p, _ := resource.Load(paths, o)
	for _, d := range p.Diagnostics {
		if d.Severity != source.Error || d.File == nil || strings.Contains(d.Message, pictureFile) {
			// The picture is written with the rest.
			continue
		}
		name := filepath.Base(d.File.Name)
		if t := s.sheets[name]; t != nil {
			if title := t.at(d.File.Position(d.Span.Start).Line); title != "" {
				key := name + "\x00" + title
				if _, known := bad[key]; !known {
					bad[key] = d.Message
				}
			}
		}
	}
	return bad
}

// at is the title of the statement that a line is of, counted from 1; "" for none.
func (t *sheet) at(line int) string {
	next := 1 + strings.Count(t.head(), "\n")
	for i, p := range t.parts {
		if i > 0 {
			next++
		}
		next += strings.Count(p.laid(), "\n")
		if line < next {
			return p.title
		}
	}
	return ""
}

// laid is a statement as it is laid out.
func (p part) laid() string { return strings.Trim(Canonical(p.text), "\n") + "\n" }
