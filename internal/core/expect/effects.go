package expect

import (
	"slices"

	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// indent is a value as it is saved in a baseline.
func indent(v *value.Value) string { return v.Indented() + "\n" }

// effects judges what a request did to what is observed.
func (c *Context) effects(s *syntax.Subject, p *syntax.Predicate) Outcome {
	names := []string{s.Name}
	if s.Kind == "state" {
		names = c.Observed
	}
	// What is said of other observations in the same line.
	of := map[string][]syntax.Effect{}
	for _, e := range p.Effects {
		if e.Of != "" && !slices.Contains(names, e.Of) {
			names = append(names, e.Of)
		}
	}
	for _, n := range names {
		for _, e := range p.Effects {
			if e.Of == n || e.Of == "" && (n == s.Name || s.Kind == "state") {
				of[n] = append(of[n], e)
			}
		}
	}
	out := Outcome{Held: true}
	for _, n := range names {
		d, err := c.Effect(n)
		if err != nil {
			return broken(err)
		}
		if d == nil {
			continue
		}
		r, err := d.Judge(n, of[n], c.Names)
		if err != nil {
			return broken(err)
		}
		for name, v := range r.Bound {
			if out.Bound == nil {
				out.Bound = map[string]*value.Value{}
			}
			out.Bound[name] = v
		}
		if !r.Held {
			out.Held = false
			out.Found = append(out.Found, r.Found...)
		}
	}
	return out
}
