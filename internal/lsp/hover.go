package lsp

import (
	"fmt"
	"path/filepath"
	"strconv"
	"strings"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/late"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/syntax"
	"usualpath/internal/draft"
)

// hover tells about what is at an offset: a name, a check, a status, a
// keyword.
func (d *document) hover(offset int) *hover {
	say := func(text string) *hover { return &hover{markup{"markdown", text}} }
	if name, _, ok := d.nameAt(offset); ok {
		if s, at, found := d.bound(name, offset); found {
			text := fmt.Sprintf("`%s` is bound in %s, line %d:\n\n```\n%s\n```", name, filepath.Base(s.file.Path),
				s.file.Source.Position(at.Start).Line, strings.TrimSpace(lineAt(s.file.Source.Text, at.Start)))
			if last := d.lastOf(s, name, at.Start); last != "" {
				text += "\n\nlast value: `" + strings.ReplaceAll(last, "`", "'") + "`"
			}
			return say(text)
		}
	}
	w := wordAt(d.text, offset)
	word := d.text[w.Start:w.End]
	if form, help := scope.Describe(word); form != "" && strings.HasPrefix(d.text[w.End:], "(") {
		return say("`" + form + "`: " + help)
	}
	if k := resource.Find(word); k != nil && strings.Contains(word, "/") {
		return say(fmt.Sprintf("**%s** (%s)\n\nproves: %s\n\nsource: %s\n\nusual cause: %s\n\nusual mend: %s", k.ID(), k.Level, k.Proves, k.Source, k.Cause, k.Mend))
	}
	line := lineAt(d.text, offset)
	if code, err := strconv.Atoi(word); err == nil && code >= 100 && code < 600 && strings.Contains(line, "status") {
		if text := exchange.Phrase(code); text != "" {
			return say(fmt.Sprintf("**%d %s** (RFC 9110 §15)", code, text))
		}
	}
	if p := predicateAt(d.text, offset); p != nil {
		return say(fmt.Sprintf("%s\n\n```\n%s\n```\n\nfor example `%s`", p.Help, p.Usage, p.Example))
	}
	for _, f := range syntax.SubjectForms {
		if f.Kind == word && claimLine().MatchString(line) {
			return say(fmt.Sprintf("`%s`: %s", f.Usage, f.Help))
		}
	}
	if list := syntax.FormsOf(word); len(list) > 0 && strings.TrimSpace(lineBefore(d.text, w.Start)) == "" {
		var b strings.Builder
		for _, f := range list {
			fmt.Fprintf(&b, "%s\n\n```\n%s\n```\n\nfor example `%s`\n\n", f.Help, f.Usage, f.Example)
		}
		return say(strings.TrimSpace(b.String()))
	}
	return nil
}

// claimLine is a line that claims something.
var claimLine = late.Regexp(`^\s*(?:expect|prefer|need|when)\s`)

// wordsOf are the words that a predicate is written with.
func wordsOf(f *syntax.PredicateForm) []string {
	if f.Op == "effects" {
		return []string{"unchanged", "gains", "loses", "changes"}
	}
	return []string{f.Op}
}

// predicateAt is the predicate whose words an offset is on, nil for none: the longest that
// stands there.
func predicateAt(text string, offset int) *syntax.PredicateForm {
	line := lineAt(text, offset)
	if !claimLine().MatchString(line) {
		return nil
	}
	at := offset - (strings.LastIndexByte(text[:offset], '\n') + 1)
	subject := subjectAt().FindStringIndex(line)
	if subject == nil {
		return nil
	}
	var best *syntax.PredicateForm
	length := 0
	for _, f := range syntax.PredicateForms {
		for _, op := range wordsOf(f) {
			i := strings.Index(line[subject[1]:], " "+op)
			if op == "" || i < 0 {
				continue
			}
			from := subject[1] + i + 1
			if at >= from && at <= from+len(op) && len(op) > length {
				best, length = f, len(op)
			}
		}
	}
	return best
}

// lastOf is the last value of a name that is bound at a place: what its line keeps of the
// last answer, or what a request by hand has kept.
func (d *document) lastOf(s nameScope, name string, at int) string {
	out := ""
	if s.file.Path == d.path {
		s.each(func(st *syntax.Statement) {
			if k, ok := st.Body.(*syntax.Keep); ok && k.Name == name && at >= st.Span.Start && at <= st.Span.End {
				if v := d.kept(st.Span.Start, k); v != nil {
					out = cut(v.String())
				}
			}
		})
	}
	if out != "" {
		return out
	}
	return d.last(name)
}

// last is the value that a request by hand kept under a name.
func (d *document) last(name string) string {
	if v := draft.LoadTried(filepath.Dir(d.path)).Known(filepath.Base(d.path))[name]; v != nil {
		return v.String()
	}
	return ""
}
