package project

import (
	"slices"

	"usualpath/internal/core/syntax"
)

// boundIn are the environments that bind a name.
func (p *Project) boundIn(name string) []string {
	var out []string
	if p.Config == nil {
		return nil
	}
	for _, st := range p.Config.Statements {
		e, is := st.Body.(*syntax.Environment)
		if !is {
			continue
		}
		for _, inner := range st.Children {
			if slices.ContainsFunc(syntax.Bindings(inner), func(b syntax.NameAt) bool { return b.Name == name }) {
				out = append(out, e.Name)
				break
			}
		}
	}
	return out
}

// Secrets are the names that the project's files bind as secrets.
func (p *Project) Secrets() []string {
	var out []string
	for _, f := range p.loaded {
		for _, st := range f.Statements {
			for _, inner := range flatten(st) {
				if s, is := inner.Body.(*syntax.Secret); is {
					out = append(out, s.Name)
				}
			}
		}
	}
	return out
}
