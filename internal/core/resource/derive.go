package resource

import (
	"fmt"
	"strings"

	"usualpath/internal/core/project"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
)

// LeftOut is a check that was not derived, with the reason.
type LeftOut struct {
	Check *Check
	Why   string
	// Skipped marks one that the resource statement skips.
	Skipped bool
}

// Text is the resource's checks as scenarios of the language, in canonical
// layout, and the checks that it gives no rise to.
func (r *Resource) Text() (string, []LeftOut) {
	var b strings.Builder
	var out []LeftOut
	for i := range catalogue {
		c := &catalogue[i]
		if why, skipped := r.Skips[c.ID()]; skipped {
			out = append(out, LeftOut{c, why, true})
			continue
		}
		if c.Without != nil {
			if why := c.Without(r); why != "" {
				out = append(out, LeftOut{c, why, false})
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
// the catalogue, and says so.
func (r *Resource) Tree() (*syntax.File, []LeftOut, error) {
	text, out := r.Text()
	f, diags := syntax.Parse(source.NewFile(r.File.Source.Name, text))
	if diags.Errors() > 0 {
		d := diags[0]
		at := f.Source.Position(d.Span.Start)
		return nil, nil, fmt.Errorf("the checks of %s cannot be read: line %d: %s\n%s", r.Name, at.Line, d.Message, strings.Split(text, "\n")[at.Line-1])
	}
	return f, out, nil
}

// Expand adds the derived scenarios of all resources to a project, and the
// diagnostics of their statements.
func Expand(p *project.Project) ([]*Resource, error) {
	resources, diags := Read(p)
	p.Diagnostics = append(p.Diagnostics, diags...).Sort()
	if p.Diagnostics.Errors() > 0 {
		return resources, nil
	}
	for _, r := range resources {
		tree, _, err := r.Tree()
		if err != nil {
			return nil, err
		}
		p.Derive(r.File, r.Statement, tree)
	}
	return resources, nil
}
