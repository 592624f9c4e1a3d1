package runner

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"
	"slices"
	"strings"

	"usualpath/internal/core/engine"
	"usualpath/internal/core/event"
	"usualpath/internal/core/project"
	"usualpath/internal/core/source"
)

// failures remembers, beside the project, what failed the last time it ran.
type failures struct {
	p      *project.Project
	at     string
	failed map[string]bool
	// now are those of this run: one row that failed counts, whatever others did.
	now     map[string]bool
	current *event.ScenarioStarted
	changed bool
}

// lastFailures reads what is kept; there says whether anything is.
func lastFailures(p *project.Project) (f *failures, there bool, err error) {
	f = &failures{p: p, at: filepath.Join(p.Root, ".usualpath", "failed.json"), failed: map[string]bool{}, now: map[string]bool{}}
	data, err := source.ReadFile(f.at)
	if errors.Is(err, fs.ErrNotExist) {
		return f, false, nil
	}
	var list []string
	if err == nil {
		err = json.Unmarshal(data, &list)
	}
	for _, key := range list {
		f.failed[key] = true
	}
	return f, err == nil, err
}

// keyed names a scenario in a file, however the file was named on the command line.
func (f *failures) keyed(path, pattern string, check, resource, operation string) string {
	if rel, err := filepath.Rel(f.p.Root, path); err == nil {
		path = filepath.ToSlash(rel)
	}
	if check != "" {
		return fmt.Sprintf("%s: %s of %s on %s", path, check, resource, operation)
	}
	return path + ": " + pattern
}

// chosen chooses what failed, and what has to run before it.
func (f *failures) chosen(s *project.Scenario) bool {
	if s.Check == nil {
		return f.failed[f.keyed(s.File.Path, s.Raw(), "", "", "")]
	}
	if f.failed[f.keyed(s.File.Path, "", s.Check.ID, s.Check.Resource, s.Check.Operation)] {
		return true
	}
	if s.Check.ID != engine.Probe {
		return false
	}
	of := " of " + s.Check.Resource + " on "
	for key := range f.failed {
		if strings.Contains(key, of) {
			return true
		}
	}
	return false
}

func (f *failures) event(e event.Event) {
	switch e := e.(type) {
	case *event.ScenarioStarted:
		f.current = e
	case *event.ScenarioFinished:
		s := f.current
		if s == nil || s.ID != e.Scenario || e.Verdict == event.NotReached {
			return
		}
		path := s.File
		if at := slices.IndexFunc(f.p.Files, func(one *project.File) bool { return one.Source.Name == s.File }); at >= 0 {
			path = f.p.Files[at].Path
		}
		key := f.keyed(path, s.Pattern, "", "", "")
		if c := s.Check; c != nil {
			key = f.keyed(path, "", c.ID, c.Resource, c.Operation)
		}
		bad := e.Verdict == event.Failed || e.Verdict == event.Blocked
		f.now[key] = f.now[key] || bad
		switch {
		case bad && !f.failed[key]:
			f.failed[key], f.changed = true, true
		case !f.now[key] && f.failed[key]:
			delete(f.failed, key)
			f.changed = true
		}
	}
}

// keep writes what has changed; that it cannot be written is nobody's trouble now.
func (f *failures) keep() {
	if !f.changed || source.PrivateFolder(filepath.Dir(f.at)) != nil {
		return
	}
	list := []string{}
	for key := range f.failed {
		list = append(list, key)
	}
	slices.Sort(list)
	if data, err := json.MarshalIndent(list, "", "  "); err == nil {
		_ = source.WritePrivate(f.at, append(data, '\n'))
	}
}
