package runner

import (
	"fmt"
	"path/filepath"
	"strings"
	"unicode/utf8"

	"usualpath/internal/core/project"
	"usualpath/internal/core/value"
	"usualpath/internal/draft"
)

// attach is the request with the files that it sends under names of their own,
// which nothing else can have, and their bytes: they may lie anywhere.
func (t *Try) attach() (*draft.Typed, map[string]string) {
	out, overlay := *t.Typed, map[string]string{}
	n := 0
	put := func(file string) string {
		n++
		// Its own name goes out with a part.
		name := fmt.Sprintf("sent-by-hand-%d/%s", n, filepath.Base(file))
		overlay[filepath.Join(t.dir, filepath.FromSlash(name))] = string(t.Files[file])
		return name
	}
	if out.File != "" {
		out.File = put(out.File)
	}
	out.Attached = nil
	for _, pair := range t.Typed.Attached {
		field, file, _ := strings.Cut(pair, "=")
		out.Attached = append(out.Attached, field+"="+put(file))
	}
	return &out, overlay
}

// signIn adds credentials, as secrets from the environment; what is not there is
// asked for.
func (t *Try) signIn() error {
	var variables []string
	switch t.SignIn {
	case "":
		return nil
	case "bearer":
		t.Typed.Auth = "auth bearer {token}"
		variables = []string{"TOKEN"}
	default:
		t.Typed.Auth = "auth basic {user} {password}"
		variables = []string{"SERVICE_USER", "SERVICE_PASSWORD"}
	}
	given := map[string]string{}
	environment := t.project().Getenv(t.Engine.Getenv)
	for _, v := range variables {
		name := strings.ToLower(strings.TrimPrefix(v, "SERVICE_"))
		word := "secret"
		if name == "user" {
			// Who it is may be short, and need not be hidden.
			word = "let"
		}
		t.secrets = append(t.secrets, word+" "+name+" from env "+v)
		if _, set := environment(v); set {
			continue
		}
		typed, err := t.Ask(v)
		if err != nil {
			return err
		}
		given[v] = typed
	}
	process := t.Engine.Getenv
	t.Engine.Getenv = func(name string) (string, bool) {
		if v, ok := given[name]; ok {
			return v, true
		}
		return process(name)
	}
	return nil
}

// project is the project that a file beside the request would be in.
func (t *Try) project() *project.Project {
	name := filepath.Join(t.dir, "by-hand"+project.Extension)
	return project.Load([]string{name}, project.Options{Environment: t.Environment, Overlay: map[string]string{name: "scenario \"s\"\n  step \"t\"\n    send GET /\n    expect status 200\n"}})
}

// filed is the request as a file says it: files by their names from there. A body
// from elsewhere is written out where it is text.
func (t *Try) filed() (*draft.Typed, error) {
	out := *t.Typed
	p := t.project()
	within := func(file string) (string, bool) {
		abs, err := filepath.Abs(file)
		if err != nil {
			return "", false
		}
		name, err := filepath.Rel(t.dir, abs)
		if err != nil || len(p.Files) == 0 {
			return "", false
		}
		_, err = p.Resolve(p.Files[0], filepath.ToSlash(name))
		return filepath.ToSlash(name), err == nil
	}
	outside := func(file string) error {
		return usage(file+" lies outside the project's folder, and a scenario cannot name it there", "copy it into "+t.dir+", and send that")
	}
	if out.File != "" {
		name, ok := within(out.File)
		data := t.Files[out.File]
		switch {
		case ok && out.File != "standard-input":
			out.File = name
		case len(data) < 64<<10 && utf8.Valid(data):
			out.File = ""
			if _, err := value.Decode(string(data), value.Limits{}); err == nil {
				out.JSON = string(data)
			} else {
				out.Text = string(data)
			}
		default:
			return nil, outside(out.File)
		}
	}
	out.Attached = nil
	for _, pair := range t.Typed.Attached {
		field, file, _ := strings.Cut(pair, "=")
		name, ok := within(file)
		if !ok {
			return nil, outside(file)
		}
		out.Attached = append(out.Attached, field+"="+name)
	}
	return &out, nil
}
