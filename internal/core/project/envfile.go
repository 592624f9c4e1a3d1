package project

import (
	"errors"
	"io/fs"
	"strings"

	"github.com/joho/godotenv"

	"usualpath/internal/core/syntax"
)

// readEnvFile reads the variables of `env file`. A file that is not there has
// none: where it is kept from others, the process environment has them.
func (p *loader) readEnvFile() {
	if p.Config == nil {
		return
	}
	for _, st := range p.Config.Statements {
		b, ok := st.Body.(*syntax.EnvFile)
		if !ok || b.File == nil {
			continue
		}
		name, _ := b.File.Template.Plain()
		data, err := p.ReadFile(p.Config, name)
		if errors.Is(err, fs.ErrNotExist) {
			p.envFile = name
			continue
		}
		if err != nil {
			p.say(p.Config, b.File.Span, "the file cannot be read: "+err.Error(), "the name is relative to this file")
			continue
		}
		values, err := godotenv.Parse(strings.NewReader(string(data)))
		if err != nil {
			p.say(p.Config, b.File.Span, name+" does not hold variables", "write one a line: NAME=value")
			continue
		}
		p.envFile = name
		for n, v := range values {
			p.env[n] = v
		}
	}
}

// Getenv looks variables up in the process environment, and then in the file of
// `env file`.
func (p *Project) Getenv(process func(string) (string, bool)) func(string) (string, bool) {
	if process == nil || len(p.env) == 0 {
		return process
	}
	return func(name string) (string, bool) {
		if v, set := process(name); set {
			return v, true
		}
		v, set := p.env[name]
		return v, set
	}
}
