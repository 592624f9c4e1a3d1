package lsp

import (
	"fmt"
	"path/filepath"
	"strings"
	"time"

	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/draft"
)

// lastTry is what was tried last beside the document, or in its project's folder.
func (d *document) lastTry() *draft.Last {
	last := draft.LoadLast(filepath.Dir(d.path))
	if d.project != nil && d.project.Root != "" && d.project.Root != filepath.Dir(d.path) {
		if other := draft.LoadLast(d.project.Root); other != nil && (last == nil || other.At.After(last.At)) {
			last = other
		}
	}
	return last
}

// filing files the last try in the scenario around an offset, as `try --into` would.
func (d *document) filing(offset int) []action {
	last := d.lastTry()
	if last == nil {
		return nil
	}
	scenario, _ := d.stepAt(offset)
	title := ""
	if scenario != nil {
		title = syntax.StepTitle(scenario)
	}
	name := filepath.Base(d.path)
	in, err := last.File(name, d.text, title, draft.LoadTried(filepath.Dir(d.path)).Known(name),
		func(step string) bool { return draft.Titled(d.tree, title, step) },
		func(n string) bool { return draft.Binds(d.tree, n, false) },
		func(n string) bool { return draft.Binds(d.tree, n, true) })
	if err != nil {
		// A text with mistakes is mended first.
		return nil
	}
	return []action{{Title: fmt.Sprintf("File the last try here: %s %s, answered %d %s", last.Typed.Method, last.Typed.Target, last.Status, ago(time.Since(last.At))),
		Kind: "refactor", Edit: d.edited([]edit{difference(d.text, in.Text)})}}
}

// ago is how long something is past, for people.
func ago(d time.Duration) string {
	switch {
	case d < 90*time.Second:
		return "just now"
	case d < 90*time.Minute:
		return fmt.Sprintf("%d minutes ago", int(d.Round(time.Minute).Minutes()))
	case d < 36*time.Hour:
		return fmt.Sprintf("%d hours ago", int(d.Round(time.Hour).Hours()))
	}
	return fmt.Sprintf("%d days ago", int(d.Hours()/24))
}

// difference is the one edit that makes a text of another, in whole lines.
func difference(from, to string) edit {
	start := 0
	for i := 0; i < len(from) && i < len(to) && from[i] == to[i]; i++ {
		if from[i] == '\n' {
			start = i + 1
		}
	}
	from, to = from[start:], to[start:]
	end := 0
	for i := 1; i <= len(from) && i <= len(to) && from[len(from)-i] == to[len(to)-i]; i++ {
		if i == len(from) || from[len(from)-i-1] == '\n' {
			end = i
		}
	}
	return edit{source.Span{Start: start, End: start + len(from) - end}, strings.Clone(to[:len(to)-end])}
}
