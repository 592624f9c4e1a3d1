package cli

import (
	"usualpath/internal/contract"
	"usualpath/internal/core/project"
	"usualpath/internal/core/resource"
)

// heldAgainst is what a run is held against and counted by: the document of
// --against, or the operations of the resources; nil when nobody asked.
func (a *app) heldAgainst(f *runFlags, p *project.Project) (*contract.Coverage, error) {
	if f.against != "" {
		doc, err := a.loadContract(f.against, "--against")
		if err != nil {
			return nil, err
		}
		return contract.NewCoverage(doc), nil
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
	return contract.NewCoverage(contract.FromOperations("the resources", titles)), nil
}
