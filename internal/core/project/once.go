package project

import (
	"slices"
	"time"

	"usualpath/internal/core/syntax"
)

// Prelude is a `before all`: steps that run once a run, when a name is needed
// that they keep.
type Prelude struct {
	*Scenario
	// Keeps are the names that it keeps; Every is how long they hold, 0 for the
	// whole run.
	Keeps []string
	Every time.Duration
}

// Preludes are those of a file: the project's own, those of used files, its own.
func (p *Project) Preludes(f *File) []*Prelude {
	var out []*Prelude
	for _, l := range p.Layers(f) {
		for _, st := range l.Statements {
			if one := p.preludes[st]; one != nil {
				out = append(out, one)
			}
		}
	}
	return out
}

// Finales are the `after all` of a file, the innermost first.
func (p *Project) Finales(f *File) []*Scenario {
	var out []*Scenario
	for _, l := range p.Layers(f) {
		for _, st := range l.Statements {
			if one := p.finales[st]; one != nil {
				out = append(out, one)
			}
		}
	}
	slices.Reverse(out)
	return out
}

// once gathers what runs once a run.
func (p *loader) once() {
	for _, f := range p.loaded {
		for _, st := range f.Statements {
			switch b := st.Body.(type) {
			case *syntax.Before:
				if !b.All {
					continue
				}
				one := &Prelude{Scenario: &Scenario{File: f, Statement: st, Title: b.Title, Steps: st.Children, Once: true}, Every: b.Every.D}
				for _, inner := range flatten(st) {
					for _, name := range syntax.Bindings(inner) {
						if !syntax.Is[*syntax.Let](inner) {
							one.Keeps = append(one.Keeps, name.Name)
						}
					}
				}
				p.preludes[st] = one
			case *syntax.After:
				if b.All {
					p.finales[st] = &Scenario{File: f, Statement: st, Afterwards: st.Children, Once: true}
				}
			}
		}
	}
}

// Mentions are the names that a scenario may need, those of what runs around it
// and of the requests' defaults among them.
func (p *Project) Mentions(s *Scenario) map[string]bool {
	out := map[string]bool{}
	note := func(st *syntax.Statement) {
		for _, one := range flatten(st) {
			syntax.Walk(one, func(e *syntax.Expr) { out[e.Name] = true })
		}
	}
	own := slices.Concat([]*syntax.Statement{s.Statement}, s.Afterwards)
	signed := slices.ContainsFunc(s.Head, syntax.Is[*syntax.Auth])
	for _, st := range own {
		note(st)
	}
	for _, d := range p.Defaults() {
		// What every step of its own says otherwise is not needed.
		if !syntax.Is[*syntax.Auth](d) || !signed && !everyStepSigned(s) {
			note(d)
		}
	}
	var lets []*syntax.Statement
	for _, l := range p.Layers(s.File) {
		for _, st := range l.Statements {
			switch b := st.Body.(type) {
			case *syntax.Before:
				if !b.All && !s.Once {
					note(st)
				}
			case *syntax.After:
				if !b.All && !s.Once {
					note(st)
				}
			case *syntax.Observe, *syntax.Base:
				note(st)
			case *syntax.Let:
				lets = append(lets, st)
			}
		}
	}
	// A let is worked out when it is needed: then what it names is.
	for again := true; again; {
		again = false
		lets = slices.DeleteFunc(lets, func(st *syntax.Statement) bool {
			if !out[st.Body.(*syntax.Let).Name] {
				return false
			}
			note(st)
			again = true
			return true
		})
	}
	for _, st := range own {
		for _, one := range flatten(st) {
			if d, ok := one.Body.(*syntax.Do); ok {
				if r, _ := p.Routine(s.File, syntax.TitleText(d.Title)); r != nil {
					note(r)
				}
			}
		}
	}
	return out
}

// everyStepSigned tells whether each step of a scenario says what credentials it
// is sent with.
func everyStepSigned(s *Scenario) bool {
	steps := slices.Concat(s.Steps, s.Afterwards)
	return len(steps) > 0 && !slices.ContainsFunc(steps, func(st *syntax.Statement) bool {
		return !slices.ContainsFunc(flatten(st), syntax.Is[*syntax.Auth])
	})
}
