package lsp

import (
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
					down(slices.Collect(st.All()))
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
