package resource

import (
	"fmt"
	"slices"
	"strings"
	"sync"

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
func (r *Resource) Text() (string, []NotApplicable) { return r.textOf(nil) }

// textOf is Text with those checks only that are wanted, and what comes before all; nil
// is for all.
func (r *Resource) textOf(wanted func(resource, id string) bool) (string, []NotApplicable) {
	r = r.namedInBody()
	var b strings.Builder
	var out []NotApplicable
	for i := range catalogue() {
		c := &catalogue()[i]
		if wanted != nil && c.Family != "setup" && !wanted(r.Name, c.ID()) {
			continue
		}
		if why, skipped := r.Skips[c.ID()]; skipped {
			out = append(out, NotApplicable{c, why, true})
			continue
		}
		if why := r.speaksOfJSON(c); why != "" {
			out = append(out, NotApplicable{c, why, false})
			continue
		}
		if named := r.byName().namedInBody(); named != nil && slices.Contains(besideChecks, c.ID()) && c.Without(named) == "" {
			s := &script{Resource: named, check: c, level: c.Level, of: "made by name"}
			c.Write(s)
			b.WriteString(s.text() + "\n")
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

// besideChecks are those that also look at items which PUT makes under a name
// of the client's, where POST makes items too.
var besideChecks = []string{"lifecycle/create-keeps-values", "lifecycle/created-is-listed", "lifecycle/created-are-distinct",
	"lifecycle/create-echo-agrees", "repeat/put-create-is-idempotent", "names/near-names-are-two", "names/odd-names-are-kept", "race/one-put-makes-it"}

// byName is the resource as it is for a client that names its items; nil where
// only the service does.
func (r *Resource) byName() *Resource {
	if r.Beside == "" {
		return nil
	}
	v := *r
	v.Chosen, v.Beside, v.Identity, v.Header, v.InCreate, v.CreateHeader = r.Beside, "", "", "", "", ""
	if v.By = r.By; v.By == "" {
		v.By = r.Identity
	}
	return &v
}

// Tree is the parsed form of the resource's checks. A mistake in it is one of
// the catalogue, not of the user's file.
func (r *Resource) Tree() *syntax.File { return r.treeOf(nil) }

func (r *Resource) treeOf(wanted func(resource, id string) bool) *syntax.File {
	text, _ := r.textOf(wanted)
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
		out := make([]project.Derived, len(list))
		var all sync.WaitGroup
		for i, r := range list {
			all.Go(func() { out[i] = project.Derived{From: r.File, At: r.line, Tree: r.treeOf(o.Wanted)} })
		}
		all.Wait()
		return out, diags
	}
	return project.Load(paths, o), list
}
