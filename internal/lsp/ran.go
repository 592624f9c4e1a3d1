package lsp

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"usualpath/internal/core/event"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/draft"
)

// ran is what a run has found at a line, counted from 1.
type ran struct {
	line     int
	message  string
	observed string
	severity int
}

// runs runs the tool with a record, and takes from it what is to be said of lines.
func (s *Server) runs(ctx context.Context, args []string) (string, error) {
	dir, err := os.MkdirTemp("", "usualpath-lsp-*")
	if err != nil {
		return "", err
	}
	defer os.RemoveAll(dir)
	name := filepath.Join(dir, "run.jsonl")
	if args[0] == "run" {
		args = append(args, "--save", name)
	}
	text, err := s.Run(ctx, append(args, "--color", "never")...)
	found, said := map[string][]ran{}, answers{}
	// Without a record the text says what is to be said.
	said.read(name, func(e event.Event) {
		st, ok := e.(*event.StepFinished)
		if !ok {
			return
		}
		for _, f := range st.Findings {
			at := ran{line: max(f.Line, 1), severity: 1, observed: strings.Join(f.Observed, "; ")}
			if f.Line == 0 {
				at.line = st.Line
			}
			if f.Verdict == event.Warned {
				at.severity = 2
			}
			at.message = fmt.Sprintf("%s: expected %s\nobserved %s", f.Verdict, f.Expected, at.observed)
			if f.Sent >= 0 && f.Sent < len(st.Sent) {
				x := st.Sent[f.Sent].Exchange
				at.message += "\nsent " + x.Request.Method + " " + x.Request.URL
				if x.Answer != nil {
					at.message += "\nanswered " + x.Answer.StatusText()
				}
			}
			file := st.File
			if !slices.ContainsFunc(found[file], func(have ran) bool { return have.line == at.line && have.message == at.message }) {
				found[file] = append(found[file], at)
			}
		}
	})
	s.mu.Lock()
	for _, d := range s.open {
		d.ran = nil
		if len(said) > 0 {
			d.answers = said
		}
		for file, list := range found {
			if strings.HasSuffix(filepath.ToSlash(d.path), "/"+strings.TrimLeft(filepath.ToSlash(filepath.Clean(file)), "./")) || file == d.path {
				d.ran = append(d.ran, list...)
			}
		}
	}
	s.mu.Unlock()
	s.publish()
	return text, err
}

// lineSpan is a line of the document without its indentation.
func (d *document) lineSpan(line int) source.Span {
	start := offsetIn(d.text, position{Line: line - 1})
	text := lineAt(d.text, start)
	return source.Span{Start: start + len(text) - len(strings.TrimLeft(text, " \t")), End: start + len(text)}
}

// results are what the last run has found, as diagnostics.
func (d *document) results() []diagnostic {
	var out []diagnostic
	for _, r := range d.ran {
		out = append(out, diagnostic{Range: rangeIn(d.text, d.lineSpan(r.line)), Severity: r.severity, Source: "usualpath run", Message: r.message})
	}
	return out
}

// hints are values behind lines: what was found by the last run where something else was
// expected, and what tries have kept.
func (d *document) hints(at span) []inlay {
	out := []inlay{}
	from, to := offsetIn(d.text, at.Start), offsetIn(d.text, at.End)
	add := func(end int, text string) {
		if end >= from && end <= to {
			out = append(out, inlay{positionIn(d.text, end), " " + text, true})
		}
	}
	for _, r := range d.ran {
		if r.observed != "" {
			add(d.lineSpan(r.line).End, "found "+cut(r.observed))
		}
	}
	f := d.file()
	if f == nil {
		return out
	}
	known := draft.LoadTried(filepath.Dir(d.path)).Known(filepath.Base(d.path))
	nameScope{f, f.Statements, false}.each(func(st *syntax.Statement) {
		if k, ok := st.Body.(*syntax.Keep); ok && !k.Secret {
			v := d.kept(st.Span.Start, k)
			if v == nil {
				v = known[k.Name]
			}
			if v != nil {
				add(st.Span.End, "= "+cut(v.String()))
			}
		}
	})
	return out
}

// cut is a text that a line has room for.
func cut(text string) string {
	if r := []rune(strings.ReplaceAll(text, "\n", " ")); len(r) > 60 {
		return string(r[:59]) + "…"
	}
	return strings.ReplaceAll(text, "\n", " ")
}
