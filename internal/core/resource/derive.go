package resource

import (
	"fmt"
	"strings"

	"usualpath/internal/core/project"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
)

// NotApplicable is a check that was not derived, with the reason.
type NotApplicable struct {
	Check *Check
	Why   string
	// Skipped marks one that the resource statement skips.
	Skipped bool
}

// Text is the resource's checks as scenarios of the language, not yet in
// canonical layout, and the checks that do not apply to it.
func (r *Resource) Text() (string, []NotApplicable) {
	var b strings.Builder
	var out []NotApplicable
	for i := range catalogue {
		c := &catalogue[i]
		if why, skipped := r.Skips[c.ID()]; skipped {
			out = append(out, NotApplicable{c, why, true})
			continue
		}
		if c.Without != nil {
			if why := c.Without(r); why != "" {
				out = append(out, NotApplicable{c, why, false})
				continue
			}
		}
		write := func(level string, how func(s *script)) {
			s := &script{Resource: r, check: c, level: level}
			how(s)
			b.WriteString(s.text() + "\n")
		}
		write(c.Level, c.Write)
		if c.Softer != nil {
			write(c.SofterLevel, c.Softer)
		}
	}
	return b.String(), out
}

// Tree is the parsed form of the resource's checks. A mistake in it is one of
// the catalogue, not of the user's file.
func (r *Resource) Tree() *syntax.File {
	text, _ := r.Text()
	f, diags := syntax.Parse(source.NewFile(r.File.Source.Name, text))
	if diags.Errors() > 0 {
		d := diags[0]
		at := f.Source.Position(d.Span.Start)
		panic(fmt.Sprintf("the checks of %s cannot be read: line %d: %s\n%s", r.Name, at.Line, d.Message, strings.Split(text, "\n")[at.Line-1]))
	}
	return f
}

// Load reads the files of a run with all that their resources give rise to.
func Load(paths []string, o project.Options) (*project.Project, []*Resource) {
	var list []*Resource
	o.Derive = func(p *project.Project) ([]project.Derived, source.Diagnostics) {
		var diags source.Diagnostics
		if list, diags = Read(p); p.Diagnostics.Errors()+diags.Errors() > 0 {
			return nil, diags
		}
		var out []project.Derived
		for _, r := range list {
			out = append(out, project.Derived{From: r.File, At: r.Statement, Tree: r.Tree()})
		}
		return out, diags
	}
	return project.Load(paths, o), list
}
