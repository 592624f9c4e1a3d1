package lsp

import (
	"regexp"
	"slices"
	"strings"

	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
)

// indent is what one level is indented by.
const indent = "  "

// indented sets a line that was just begun below the one before it.
func (d *document) indented(p position) []textEdit {
	offset := offsetIn(d.text, position{Line: p.Line})
	if offset == 0 || p.Line == 0 {
		return []textEdit{}
	}
	before := strings.TrimRight(lineAt(d.text, offset-1), " \t\r")
	deep := before[:len(before)-len(strings.TrimLeft(before, " \t"))]
	words := strings.Fields(before)
	if len(words) > 0 && len(syntax.FormsUnder(words[0])) > 0 && !strings.HasPrefix(words[0], "#") && (deep == "" || words[0] == "step") {
		deep += indent
	}
	line := lineAt(d.text, offset)
	have := line[:len(line)-len(strings.TrimLeft(line, " \t"))]
	if have == deep {
		return []textEdit{}
	}
	return []textEdit{{rangeIn(d.text, source.Span{Start: offset, End: offset + len(have)}), deep}}
}

// selections grow from a word to its line, its statement, and what that is below.
func (d *document) selections(list []position) []selection {
	out := []selection{}
	for _, p := range list {
		offset := offsetIn(d.text, p)
		var spans []source.Span
		add := func(s source.Span) {
			if s.Start <= offset && offset <= s.End && s.End > s.Start && (len(spans) == 0 || spans[len(spans)-1] != s) {
				spans = append(spans, s)
			}
		}
		add(source.Span{Start: 0, End: len(d.text)})
		var down func(list []*syntax.Statement)
		down = func(list []*syntax.Statement) {
			for _, st := range list {
				if whole := (source.Span{Start: st.Span.Start, End: end(st)}); whole.Start <= offset && offset <= whole.End {
					add(whole)
					add(st.Span)
					down(st.Children)
				}
			}
		}
		down(d.tree.Statements)
		add(wordAt(d.text, offset))
		// From the outside in, each within the one before it.
		var at *selection
		last := source.Span{Start: 0, End: len(d.text)}
		for _, s := range spans {
			if s.Start < last.Start || s.End > last.End {
				continue
			}
			at, last = &selection{rangeIn(d.text, s), at}, s
		}
		if at == nil {
			at = &selection{Range: span{p, p}}
		}
		out = append(out, *at)
	}
	return out
}

// Hints that are an edit: another word for what the diagnostic is about, or the line
// away.
var (
	meantHint  = regexp.MustCompile("did you mean `?([^`?\\s]+)`?\\?")
	writeHint  = regexp.MustCompile(`^write (\S+)$`)
	removeHint = regexp.MustCompile(`or remove the line$`)
)

// fixes are the edits that mend what is said of a range.
func (d *document) fixes(at span) []action {
	out := []action{}
	from, to := offsetIn(d.text, at.Start), offsetIn(d.text, at.End)
	for _, one := range d.said() {
		if one.Span.End < from || one.Span.Start > to {
			continue
		}
		told := []diagnostic{d.told(one)}
		propose := func(title string, where source.Span, text string) {
			out = append(out, action{Title: title, Kind: "quickfix", Diagnostics: told, IsPreferred: len(out) == 0,
				Edit: workspaceEdit{map[string][]textEdit{d.uri: {{rangeIn(d.text, where), text}}}}})
		}
		have := d.text[one.Span.Start:min(one.Span.End, len(d.text))]
		if m := meantHint.FindStringSubmatch(one.Hint); m != nil {
			where := one.Span
			if word := wordIn(have, m[1]); word != "" && word != have {
				i := strings.Index(have, word)
				where = source.Span{Start: one.Span.Start + i, End: one.Span.Start + i + len(word)}
			}
			propose("Change to "+m[1], where, m[1])
		}
		if m := writeHint.FindStringSubmatch(one.Hint); m != nil && have != "" && !strings.ContainsAny(have, " \t\n") && !strings.Contains(m[1], "…") {
			propose("Write "+m[1], one.Span, m[1])
		}
		if removeHint.MatchString(one.Hint) {
			start := strings.LastIndexByte(d.text[:one.Span.Start], '\n') + 1
			stop := len(d.text)
			if i := strings.IndexByte(d.text[one.Span.Start:], '\n'); i >= 0 {
				stop = one.Span.Start + i + 1
			}
			propose("Remove the line", source.Span{Start: start, End: stop}, "")
		}
	}
	return out
}

// words of a text, as hints are about them.
var aWord = regexp.MustCompile(`[A-Za-z0-9_/-]+`)

// wordIn is the word of a text that another one was meant for.
func wordIn(text, meant string) string {
	list := aWord.FindAllString(text, -1)
	slices.Sort(list)
	return source.Nearest(meant, list)
}
