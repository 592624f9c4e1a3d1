package project

import (
	"strings"

	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
)

// Layer is a list of statements and the file they are in.
type Layer struct {
	File       *File
	Statements []*syntax.Statement
}

// Layers are the statements a scenario of the file lives in, from the outside
// in: the project's own, the chosen environment's, those of used files, the
// file's. Only statements of the first column and of the environment count.
func (p *Project) Layers(f *File) []Layer {
	if known, ok := p.layers[f]; ok {
		return known
	}
	return p.layersOf(f)
}

func (p *Project) layersOf(f *File) []Layer {
	var out []Layer
	if p.Config != nil {
		out = append(out, Layer{p.Config, shared(p.Config.Statements)})
		if env := p.environment(); env != nil {
			out = append(out, Layer{p.Config, env.Children})
		}
	}
	seen := map[*File]bool{}
	var add func(f *File)
	add = func(f *File) {
		if seen[f] {
			return
		}
		seen[f] = true
		for _, u := range f.Uses {
			add(u)
		}
		out = append(out, Layer{f, shared(f.Statements)})
	}
	add(f)
	return out
}

// shared are the statements that matter to all scenarios of a file; the
// scenarios themselves, which may be thousands, do not.
func shared(list []*syntax.Statement) []*syntax.Statement {
	var out []*syntax.Statement
	for _, st := range list {
		switch st.Body.(type) {
		case *syntax.Scenario, *syntax.Afterwards:
		default:
			out = append(out, st)
		}
	}
	return out
}

// Environments are the names of the project's environments.
func (p *Project) Environments() []string {
	var out []string
	if p.Config != nil {
		for _, st := range p.Config.Statements {
			if n, ok := st.Body.(*syntax.Environment); ok {
				out = append(out, n.Name)
			}
		}
	}
	return out
}

func (p *Project) environment() *syntax.Statement {
	if p.Config == nil || p.Environment == "" {
		return nil
	}
	for _, st := range p.Config.Statements {
		if n, ok := st.Body.(*syntax.Environment); ok && n.Name == p.Environment {
			return st
		}
	}
	return nil
}

// Defaults are the request lines of `defaults`, the environment's behind them.
func (p *Project) Defaults() []*syntax.Statement {
	var out []*syntax.Statement
	if p.Config == nil {
		return nil
	}
	for _, st := range p.Config.Statements {
		if _, ok := st.Body.(*syntax.Defaults); ok {
			out = append(out, st.Children...)
		}
	}
	if env := p.environment(); env != nil {
		for _, c := range env.Children {
			switch c.Body.(type) {
			case *syntax.Header, *syntax.Timeout, *syntax.Auth:
				out = append(out, c)
			}
		}
	}
	return out
}

// Allowed are the hosts that the chosen environment lets be spoken to.
func (p *Project) Allowed() []string {
	var out []string
	if env := p.environment(); env != nil {
		for _, c := range env.Children {
			if b, ok := c.Body.(*syntax.Allow); ok {
				text, _ := b.Host.Plain()
				out = append(out, text)
			}
		}
	}
	return out
}

// Base is the base URL that holds for a file when none was given on the
// command line: the environment's, the file's, a used file's, the project's.
func (p *Project) Base(f *File) *syntax.Template {
	if env := p.environment(); env != nil {
		if b := baseIn(env.Children); b != nil {
			return b
		}
	}
	if b := baseIn(f.Statements); b != nil {
		return b
	}
	for _, l := range p.Layers(f) {
		if l.File != f && l.File != p.Config {
			if b := baseIn(l.Statements); b != nil {
				return b
			}
		}
	}
	if p.Config != nil {
		return baseIn(p.Config.Statements)
	}
	return nil
}

func baseIn(list []*syntax.Statement) *syntax.Template {
	for _, st := range list {
		if b, ok := st.Body.(*syntax.Base); ok {
			return b.URL
		}
	}
	return nil
}

// Before are the steps of `before each`, the project's outermost.
func (p *Project) Before(f *File) []Layer {
	return p.each(f, func(b syntax.Body) bool { one, ok := b.(*syntax.Before); return ok && !one.All })
}

// After are the steps of `after each`, the project's outermost.
func (p *Project) After(f *File) []Layer {
	return p.each(f, func(b syntax.Body) bool { one, ok := b.(*syntax.After); return ok && !one.All })
}

func (p *Project) each(f *File, is func(syntax.Body) bool) []Layer {
	var out []Layer
	for _, l := range p.Layers(f) {
		for _, st := range l.Statements {
			if is(st.Body) {
				out = append(out, Layer{l.File, st.Children})
			}
		}
	}
	return out
}

// Routine finds a routine that a file knows.
func (p *Project) Routine(f *File, title string) (*syntax.Statement, *File) {
	layers := p.Layers(f)
	for i := len(layers) - 1; i >= 0; i-- {
		for _, st := range layers[i].Statements {
			if r, ok := st.Body.(*syntax.Routine); ok && syntax.TitleText(r.Title) == title {
				return st, layers[i].File
			}
		}
	}
	return nil, nil
}

// Service is the statement of the service under test, or nil.
func (p *Project) Service() *syntax.Statement {
	if p.Config == nil {
		return nil
	}
	for _, st := range p.Config.Statements {
		if _, ok := st.Body.(*syntax.Service); ok {
			return st
		}
	}
	return nil
}

// checkEnvironment reports a chosen environment that is not there.
func (p *loader) checkEnvironment() {
	first := ""
	if p.Config != nil {
		for _, st := range p.Config.Statements {
			if e, is := st.Body.(*syntax.Environment); is && e.Default {
				if first != "" {
					p.say(p.Config, st.Span, "a second default environment, beside "+first, "one is used when none is chosen")
				}
				first = e.Name
			}
		}
	}
	if p.Environment == "" || p.environment() != nil {
		return
	}
	have := p.Environments()
	if p.Config == nil {
		p.whole(ConfigName, "there is no project file, so there is no environment "+p.Environment, "write one: environment "+p.Environment)
		return
	}
	hint := "there are none in it"
	if n := source.Nearest(p.Environment, have); n != "" {
		hint = "did you mean " + n + "?"
	} else if len(have) > 0 {
		hint = "there are " + strings.Join(have, ", ")
	}
	p.whole(p.Config.Source.Name, "there is no environment "+p.Environment, hint)
}

// WithoutBase are the files whose paths are relative to nothing: no base URL is
// written for them. They need one from the command line, or a service.
func (p *Project) WithoutBase() source.Diagnostics {
	var out source.Diagnostics
	for _, f := range p.Files {
		if p.Base(f) != nil {
			continue
		}
		for _, st := range f.Statements {
			if send := firstPath(st); send != nil {
				out = append(out, source.Diagnostic{File: f.Source, Span: send.Span, Message: "this path has no base URL to go with it",
					Hint: "write base http://127.0.0.1:8080 at the top of the file, or give --base URL"})
				break
			}
		}
	}
	return out
}

func firstPath(st *syntax.Statement) *syntax.Statement {
	if s, ok := st.Body.(*syntax.Send); ok && s.Target != nil && strings.HasPrefix(s.Target.Raw, "/") {
		return st
	}
	for _, c := range st.Children {
		if found := firstPath(c); found != nil {
			return found
		}
	}
	return nil
}
