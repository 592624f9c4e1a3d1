package project

import (
	"fmt"
	"unicode/utf8"

	"usualpath/internal/core/mask"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
)

// Unset are the names whose environment variables are not set, or hold a secret
// that is too short to be hidden, among those that the files of the run bind: a
// run would be told of each of them again and again.
func (p *Project) Unset(getenv func(string) (string, bool)) source.Diagnostics {
	var out source.Diagnostics
	getenv = p.Getenv(getenv)
	if getenv == nil {
		return nil
	}
	told := map[*syntax.Statement]bool{}
	look := func(f *File, st *syntax.Statement) {
		if told[st] {
			return
		}
		told[st] = true
		name, variable, secret := "", "", false
		switch b := st.Body.(type) {
		case *syntax.Let:
			if _, given := p.Let[b.Name]; b.Or == nil && !given {
				name, variable = b.Name, b.Env
			}
		case *syntax.Secret:
			name, variable, secret = b.Name, b.Env, true
		}
		if variable == "" {
			return
		}
		v, set := getenv(variable)
		d := source.Diagnostic{File: f.Source, Span: st.Span}
		switch {
		case !set:
			d.Message = fmt.Sprintf("the environment variable %s of `%s` is not set", variable, name)
			d.Hint = "set it before the run: export " + variable + "=…"
			if p.envFile != "" {
				d.Hint += ", or write it into " + p.envFile
			}
			if !secret {
				d.Hint += "; or give a default: let " + name + " from env " + variable + " or VALUE"
			}
		case secret && utf8.RuneCountInString(v) < mask.Shortest:
			d.Message = fmt.Sprintf("the secret `%s` has fewer than %d characters, and cannot be hidden", name, mask.Shortest)
			d.Hint = "give the service a longer one, or bind it with `let`"
		default:
			return
		}
		out = append(out, d)
	}
	for _, f := range p.Files {
		for _, l := range p.Layers(f) {
			for _, st := range l.Statements {
				look(l.File, st)
			}
		}
		for _, s := range f.scenarios {
			for _, st := range s.Head {
				look(f, st)
			}
		}
	}
	return out.Sort()
}
