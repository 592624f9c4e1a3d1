package lsp

import (
	"cmp"
	"slices"
	"strings"

	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
)

// tokenTypes are what words are coloured as (SemanticTokenTypes).
var tokenTypes = []string{"keyword", "variable", "function", "string", "method", "class", "comment"}

const (
	tokenKeyword = iota
	tokenVariable
	tokenFunction
	tokenString
	tokenMethod
	tokenClass
	tokenComment
)

type token struct {
	at         source.Span
	kind, mods int
}

// tokens are what the document's words are, as the protocol packs them: five numbers a
// token, places relative to the one before.
func (d *document) tokens() []int {
	var list []token
	f := d.file()
	if f == nil {
		return []int{}
	}
	text := d.text
	add := func(start, length, kind, mods int) {
		if length > 0 && !strings.Contains(text[start:min(start+length, len(text))], "\n") {
			list = append(list, token{source.Span{Start: start, End: start + length}, kind, mods})
		}
	}
	nameScope{f, f.Statements, false}.each(func(st *syntax.Statement) {
		if strings.HasPrefix(text[min(st.Span.Start, len(text)):], st.Word) {
			add(st.Span.Start, len(st.Word), tokenKeyword, 0)
		}
		for _, m := range mentions(f, st) {
			kind, mods := tokenString, 0
			if m.sort == aResource {
				kind = tokenClass
			}
			if m.declares {
				mods = 1
			}
			add(m.at.Start, m.at.End-m.at.Start, kind, mods)
		}
		for _, b := range syntax.Bindings(st) {
			at := exact(text, b)
			add(at.Start, at.End-at.Start, tokenVariable, 1)
		}
		syntax.Walk(st, func(e *syntax.Expr) {
			if e.Name == "" || e.Op != 0 || e.Literal != nil {
				return
			}
			part := text[e.Span.Start:min(e.Span.End, len(text))]
			if i := strings.Index(part, e.Name); i >= 0 {
				kind := tokenVariable
				if e.Call {
					kind = tokenFunction
				}
				add(e.Span.Start+i, len(e.Name), kind, 0)
			}
		})
		if syntax.Is[*syntax.Send](st) {
			rest := text[min(st.Span.Start+len(st.Word), len(text)):min(st.Span.End, len(text))]
			method := strings.TrimLeft(rest, " \t")
			at := st.Span.Start + len(st.Word) + len(rest) - len(method)
			if i := strings.IndexAny(method, " \t{"); i > 0 {
				add(at, i, tokenMethod, 0)
			}
		}
	})
	slices.SortFunc(list, func(a, b token) int {
		return cmp.Or(cmp.Compare(a.at.Start, b.at.Start), cmp.Compare(b.at.End, a.at.End))
	})
	out := []int{}
	last, end := position{}, 0
	for _, t := range list {
		if t.at.Start < end {
			continue
		}
		end = t.at.End
		from, to := positionIn(text, t.at.Start), positionIn(text, t.at.End)
		column := from.Character
		if from.Line == last.Line {
			column -= last.Character
		}
		out = append(out, from.Line-last.Line, column, to.Character-from.Character, t.kind, t.mods)
		last = from
	}
	return out
}
