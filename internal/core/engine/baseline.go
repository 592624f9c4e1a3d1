package engine

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"usualpath/internal/core/event"
	"usualpath/internal/core/late"
	"usualpath/internal/core/project"
	"usualpath/internal/core/source"
	"usualpath/internal/core/value"
)

// baseline reads the saved answer of this step, or writes it when accepted.
func (t *step) baseline(now []byte) ([]byte, error) {
	name := filepath.Join(t.f.Dir(), "baselines", fileName(strings.TrimSuffix(filepath.Base(t.in.job.s.File.Path), project.Extension)),
		fileName(t.in.title), fileName(t.e.Title)+".json")
	saved, err := source.ReadFile(name)
	if err == nil && !t.env.mask.Idle() {
		saved = t.unhidden(saved, now)
	}
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
	t.in.late = append(t.in.late, &event.Notice{Text: written(t.shownPath(name), saved, text, t.env.mask.text)})
	return text, nil
}

// mostChanges bounds how many differences of a baseline are told.
const mostChanges = 12

// written tells what has become of a baseline, the differences first.
func written(name string, saved, now []byte, masked func(string) string) string {
	if saved == nil {
		return "the baseline " + name + " is new"
	}
	was, err1 := value.Decode(string(saved), value.Limits{})
	is, err2 := value.Decode(string(now), value.Limits{})
	if errors.Join(err1, err2) != nil {
		return "the baseline " + name + " was other text, and is written anew"
	}
	var lines []string
	for i, d := range value.Differences(was, is) {
		if i == mostChanges {
			lines = append(lines, "  … and more")
			break
		}
		lines = append(lines, "  "+masked(d.String()))
	}
	return strings.Join(append(lines, "the baseline "+name+" is written anew"), "\n")
}

// unhidden is a saved answer with what is hidden in it as it is now, wherever the
// two say the same once secrets are hidden: nothing else can be told of them.
func (t *step) unhidden(saved, now []byte) []byte {
	was, err1 := value.Decode(string(saved), value.Limits{})
	masked, err2 := value.Decode(t.env.mask.text(string(now)), value.Limits{})
	is, err3 := value.Decode(string(now), value.Limits{})
	if errors.Join(err1, err2, err3) != nil {
		if string(saved) == t.env.mask.text(string(now)) {
			return now
		}
		return saved
	}
	if value.Equal(was, masked) {
		return now
	}
	return []byte(uncovered(was, masked, is).String())
}

// uncovered puts what is now in place of what was, where that is what is now with
// its secrets hidden.
func uncovered(was, masked, now *value.Value) *value.Value {
	if value.Equal(was, masked) {
		return now
	}
	if was.Kind != masked.Kind || was.Kind != value.Array && was.Kind != value.Object {
		return was
	}
	out := &value.Value{Kind: was.Kind, Names: was.Names}
	for i, it := range was.Items {
		at := i
		if was.Kind == value.Object {
			at = slices.Index(masked.Names, was.Names[i])
		}
		if at >= 0 && at < len(masked.Items) && at < len(now.Items) {
			it = uncovered(it, masked.Items[at], now.Items[at])
		}
		out.Items = append(out.Items, it)
	}
	return out
}

func (t *step) shownPath(name string) string {
	if rel, err := filepath.Rel(t.f.Dir(), name); err == nil {
		return filepath.Join(filepath.Dir(t.f.Source.Name), rel)
	}
	return name
}

var notInNames = late.Regexp(`[^\pL\pN._-]+`)

// fileName makes a title usable as a file's name.
func fileName(title string) string {
	s := strings.Trim(notInNames().ReplaceAllString(title, "-"), "-.")
	if s == "" {
		s = "untitled"
	}
	if r := []rune(s); len(r) > 80 {
		s = string(r[:80])
	}
	return s
}
