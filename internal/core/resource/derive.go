package resource

import (
	"fmt"
	"maps"
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

// derivation is a check of a resource that applies to it, at a level.
type derivation struct {
	of    *Resource
	check *Check
	level string
	// write writes it; way tells it from another of the same check, "" for the usual one.
	write func(s *Scene)
	way   string
}

// derivedOf are the checks that apply, of those that are wanted and of what comes before all; nil
// is for all.
func (r *Resource) derivedOf(wanted func(resource, id string) bool) (list []derivation, out []NotApplicable) {
	r = r.namedInBody()
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
		if named := r.byName().namedInBody(); named != nil && slices.Contains(besideChecks, c.ID()) && c.Requires(named) == "" {
			list = append(list, derivation{named, c, c.Level, c.Write, "made by name"})
		}
		if c.Requires != nil {
			if why := c.Requires(r); why != "" {
				out = append(out, NotApplicable{c, why, false})
				continue
			}
		}
		list = append(list, derivation{r, c, c.Level, c.Write, ""})
		if c.Softer != nil {
			list = append(list, derivation{r, c, c.SofterLevel, c.Softer, ""})
		}
	}
	return list, out
}

// textOf is Text with those checks only that are wanted.
func (r *Resource) textOf(wanted func(resource, id string) bool) (string, []NotApplicable) {
	var b strings.Builder
	list, out := r.derivedOf(wanted)
	for _, d := range list {
		s := &Scene{Resource: d.of, check: d.check, level: d.level, of: d.way}
		d.write(s)
		b.WriteString(s.text() + "\n")
	}
	return b.String(), out
}

// besideChecks are those that also look at items which PUT makes under a name
// of the client's, where POST makes items too.
var besideChecks = []string{"lifecycle/create-keeps-values", "lifecycle/created-is-listed", "lifecycle/created-are-distinct",
	"lifecycle/create-echo-agrees", "repeat/put-create-is-idempotent", "names/near-names-are-two", "names/odd-names-are-kept", "race/one-put-makes-it"}

// byName is the resource as it is for a client that names its items; nil where
// InList the service does.
func (r *Resource) byName() *Resource {
	if r.Beside == "" {
		return nil
	}
	v := *r
	// What answers a POST says nothing of a PUT.
	v.Answers = maps.Clone(r.Answers)
	delete(v.Answers, "create")
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

// mostDerived bounds how many resources have their checks put together at once: those of one
// take some two megabytes.
const mostDerived = 200

// wantedOf are the resources of which some check is wanted.
func wantedOf(list []*Resource, wanted func(resource, id string) bool) []*Resource {
	if wanted == nil {
		return list
	}
	return slices.DeleteFunc(slices.Clone(list), func(r *Resource) bool {
		return !slices.ContainsFunc(catalogue(), func(c Check) bool { return wanted(r.Name, c.ID()) })
	})
}

// Count is how many checks the resource has.
func (r *Resource) Count() int {
	list, _ := r.derivedOf(nil)
	return len(list)
}

// Load reads the files of a run with all that their resources give rise to.
func Load(paths []string, o project.Options) (*project.Project, []*Resource) {
	var list []*Resource
	o.Derive = func(p *project.Project) ([]project.Derived, source.Diagnostics) {
		var diags source.Diagnostics
		if list, diags = read(p); p.Diagnostics.Errors()+diags.Errors() > 0 {
			return nil, diags
		}
		if o.Counted {
			return nil, diags
		}
		if some := wantedOf(list, o.Wanted); len(some) > mostDerived {
			at := some[mostDerived]
			return nil, append(diags, source.Diagnostic{File: at.File.Source, Span: at.Statement.Span, Message: fmt.Sprintf("the checks of more than %d resources are more than one run holds", mostDerived),
				Hint: "name some files, or choose with --resource"})
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
