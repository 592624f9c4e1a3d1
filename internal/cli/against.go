package cli

import (
	"io"
	"path/filepath"

	"usualpath/internal/contract"
	"usualpath/internal/core/event"
	"usualpath/internal/core/project"
	"usualpath/internal/core/resource"
	"usualpath/internal/report"
)

// against is what a run is held against, and counted by; nil for nothing.
type against struct {
	*contract.Coverage
	of string
}

// heldAgainst reads the document of --against, or makes one of the resources.
func (a *app) heldAgainst(f *runFlags, p *project.Project) (*against, error) {
	if f.against != "" {
		doc, err := a.loadContract(f.against, "--against")
		if err != nil {
			return nil, err
		}
		return &against{contract.NewCoverage(doc), filepath.Base(f.against)}, nil
	}
	if !f.coverage {
		return nil, nil
	}
	list, _ := resource.Read(p)
	var titles []string
	seen := map[string]bool{}
	for _, r := range list {
		for _, o := range [][2]string{{"list", "GET " + r.Collection}, {"create", "POST " + r.Collection}, {"read", "GET " + r.Item}, {"replace", "PUT " + r.Item}, {"amend", "PATCH " + r.Item}, {"delete", "DELETE " + r.Item}} {
			if r.Supports(o[0]) && !seen[o[1]] {
				seen[o[1]] = true
				titles = append(titles, o[1])
			}
		}
	}
	return &against{contract.NewCoverage(contract.FromOperations("the resources", titles)), "the resources"}, nil
}

func (g *against) event(e event.Event) {
	if g != nil {
		g.Event(e)
	}
}

// show tells what was touched, and whether something departs from the document.
func (g *against) show(w io.Writer, brief bool, s *report.Style) bool {
	if g == nil {
		return false
	}
	report.Coverage(w, g.Coverage, g.of, brief, s)
	return len(g.Problems()) > 0
}
