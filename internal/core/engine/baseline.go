package engine

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"

	"usualpath/internal/core/project"
	"usualpath/internal/core/source"
)

// baseline reads the saved answer of this step, or writes it when accepted.
func (t *step) baseline(now []byte) ([]byte, error) {
	name := filepath.Join(t.f.Dir(), "baselines", fileName(strings.TrimSuffix(filepath.Base(t.in.job.s.File.Path), project.Extension)),
		fileName(t.in.title), fileName(t.e.Title)+".json")
	saved, err := source.ReadFile(name)
	if err == nil && (!t.env.o.Accept || string(saved) == string(now)) {
		return saved, nil
	}
	if !t.env.o.Accept {
		if os.IsNotExist(err) {
			return nil, fmt.Errorf("there is no baseline yet; `usualpath run --accept` writes it to %s", t.shownPath(name))
		}
		return nil, fmt.Errorf("the baseline cannot be read: %w", err)
	}
	text := []byte(t.env.mask.text(string(now)))
	if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		return nil, fmt.Errorf("the baseline cannot be written: %w", err)
	}
	if err := source.WriteWhole(name, text); err != nil {
		return nil, fmt.Errorf("the baseline cannot be written: %w", err)
	}
	return text, nil
}

func (t *step) shownPath(name string) string {
	if rel, err := filepath.Rel(t.f.Dir(), name); err == nil {
		return filepath.Join(filepath.Dir(t.f.Source.Name), rel)
	}
	return name
}

var notInNames = regexp.MustCompile(`[^\pL\pN._-]+`)

// fileName makes a title usable as a file's name.
func fileName(title string) string {
	s := strings.Trim(notInNames.ReplaceAllString(title, "-"), "-.")
	if s == "" {
		s = "untitled"
	}
	if r := []rune(s); len(r) > 80 {
		s = string(r[:80])
	}
	return s
}
