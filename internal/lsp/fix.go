package lsp

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"sync"

	"usualpath/internal/core/late"
	"usualpath/internal/core/project"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
)

// fix is an edit that a hint stands for.
type fix struct {
	title string
	edits []edit
}

// edit puts a text in place of a part of the document.
type edit struct {
	at   source.Span
	text string
}

// rule makes fixes of a hint, from what its pattern has found in it.
type rule struct {
	pattern *regexp.Regexp
	fixes   func(d *document, one source.Diagnostic, m []string) []fix
}

// rules are the forms that hints have. They are made when they are first wanted: every
// command would wait for them otherwise.
var rules = sync.OnceValue(func() []rule {
	var out []rule
	for _, r := range []struct {
		pattern string
		fixes   func(d *document, one source.Diagnostic, m []string) []fix
	}{
		{"did you mean (?:`([^`]+)`|\"([^\"]+)\"|(\\S+))\\?", (*document).meantWord},
		{`^write (.+) (below|before) it$`, (*document).lineBeside},
		{`^start (?:one before it|with)(?:: )?\s*(\S+ "title")`, (*document).lineAbove},
		{`^bind it: (secret \S+ from env \S+), and write (\{\S+\})$`, (*document).secretBound},
		{`^declare it: (observe .+)$`, (*document).declared},
		{`^remove the indentation$`, func(d *document, one source.Diagnostic, _ []string) []fix {
			line := d.line(one.Span.Start)
			return []fix{{"Remove the indentation", []edit{{source.Span{Start: line.Start, End: d.wordsFrom(line)}, ""}}}}
		}},
		{"^(?:move it up, directly|write it) below `(\\w+)`$", (*document).moved},
		{`^move it up, below the scenario's title$`, (*document).moved},
		{`or remove the line$`, func(d *document, one source.Diagnostic, _ []string) []fix {
			line := d.line(one.Span.Start)
			return []fix{{"Remove the line", []edit{{source.Span{Start: line.Start, End: min(line.End+1, len(d.text))}, ""}}}}
		}},
		{"or take `( ?as \\S+)` away$", func(d *document, one source.Diagnostic, m []string) []fix {
			line := d.line(one.Span.Start)
			i := strings.Index(d.text[line.Start:line.End], " "+m[1])
			if i < 0 {
				return nil
			}
			return []fix{{"Take " + m[1] + " away", []edit{{source.Span{Start: line.Start + i, End: line.Start + i + 1 + len(m[1])}, ""}}}}
		}},
		{`^say of what: (\S+), (\S+) or (\S+)$`, func(_ *document, one source.Diagnostic, m []string) []fix {
			var out []fix
			for _, with := range m[1:] {
				out = append(out, fix{"Write " + with, []edit{{one.Span, with}}})
			}
			return out
		}},
		{`^write ([^;]+?)(?:[;,] .*)?$`, (*document).written},
	} {
		out = append(out, rule{regexp.MustCompile(r.pattern), r.fixes})
	}
	return out
})

// fixes are the edits that mend what is said of a range: those with which it is not said
// any more, and nothing worse is.
func (s *Server) fixes(d *document, at span) []action {
	out := []action{}
	from, to := offsetIn(d.text, at.Start), offsetIn(d.text, at.End)
	for _, one := range d.said() {
		if one.Span.End < from || one.Span.Start > to {
			continue
		}
		var list []fix
		for _, r := range rules() {
			if m := r.pattern.FindStringSubmatch(one.Hint); m != nil {
				list = append(list, r.fixes(d, one, m)...)
			}
		}
		list = append(list, d.keptBefore(one)...)
		told := []diagnostic{d.told(one)}
		for _, f := range list {
			if !s.mends(d, f, one) || slices.ContainsFunc(out, func(a action) bool { return a.Title == f.title }) {
				continue
			}
			out = append(out, action{Title: f.title, Kind: "quickfix", Diagnostics: told, IsPreferred: len(out) == 0, Edit: d.edited(f.edits)})
		}
	}
	return out
}

// edited is an edit of the document as the protocol has it.
func (d *document) edited(list []edit) workspaceEdit {
	var edits []textEdit
	for _, e := range list {
		edits = append(edits, textEdit{rangeIn(d.text, e.at), e.text})
	}
	return workspaceEdit{map[string][]textEdit{d.uri: edits}}
}

// mends tells whether something is no longer said once a fix is made, and no error more.
func (s *Server) mends(d *document, f fix, one source.Diagnostic) bool {
	text := d.text
	list := slices.Clone(f.edits)
	slices.SortStableFunc(list, func(a, b edit) int { return b.at.Start - a.at.Start })
	for _, e := range list {
		text = text[:e.at.Start] + e.text + text[e.at.End:]
	}
	overlay := s.overlay()
	overlay[d.path] = text
	after := &document{path: d.path, text: text}
	after.project, _ = resource.Load([]string{d.path}, project.Options{Overlay: overlay})
	same := func(x source.Diagnostic) bool { return x.Message == one.Message }
	return count(after.said(), same) < count(d.said(), same) && count(after.said(), isError) <= count(d.said(), isError)
}

func isError(d source.Diagnostic) bool { return d.Severity == source.Error }

func count(list []source.Diagnostic, is func(source.Diagnostic) bool) int {
	n := 0
	for _, one := range list {
		if is(one) {
			n++
		}
	}
	return n
}

// line is the line around an offset, without its end.
func (d *document) line(offset int) source.Span {
	offset = min(offset, len(d.text))
	start := strings.LastIndexByte(d.text[:offset], '\n') + 1
	if i := strings.IndexByte(d.text[start:], '\n'); i >= 0 {
		return source.Span{Start: start, End: start + i}
	}
	return source.Span{Start: start, End: len(d.text)}
}

// wordsFrom is where the words of a line begin.
func (d *document) wordsFrom(line source.Span) int {
	text := d.text[line.Start:line.End]
	return line.Start + len(text) - len(strings.TrimLeft(text, " \t"))
}

// deep is the indentation of the line around an offset.
func (d *document) deep(offset int) string {
	line := d.line(offset)
	return d.text[line.Start:d.wordsFrom(line)]
}

// around are the statements around an offset, from the outside in.
func (d *document) around(offset int) []*syntax.Statement {
	var out []*syntax.Statement
	var down func(list []*syntax.Statement)
	down = func(list []*syntax.Statement) {
		for _, st := range list {
			if st.Span.Start <= offset && offset <= end(st) {
				out = append(out, st)
				down(slices.Collect(st.All()))
				return
			}
		}
	}
	down(d.tree.Statements)
	return out
}

// after is an edit that adds a line behind the one that ends at an offset.
func (d *document) after(offset int, line string) edit {
	at := d.line(offset).End
	return edit{source.Span{Start: at, End: at}, "\n" + line}
}

// before is an edit that adds a line before the one around an offset.
func (d *document) before(offset int, line string) edit {
	at := d.line(offset).Start
	return edit{source.Span{Start: at, End: at}, line + "\n"}
}

// meantWord puts the word that was meant in place of the one that was written.
func (d *document) meantWord(one source.Diagnostic, m []string) []fix {
	word, quoted := m[1]+m[3], m[2]
	have := d.text[one.Span.Start:min(one.Span.End, len(d.text))]
	if quoted != "" {
		return []fix{{"Change to " + quoted, []edit{{one.Span, `"` + quoted + `"`}}}}
	}
	where := one.Span
	if wrong := wordIn(have, word); wrong != "" && wrong != have {
		i := strings.Index(have, wrong)
		where = source.Span{Start: one.Span.Start + i, End: one.Span.Start + i + len(wrong)}
	}
	return []fix{{"Change to " + word, []edit{{where, word}}}}
}

// words of a text, as hints are about them.
var aWord = late.Regexp(`[A-Za-z0-9_/-]+`)

// wordIn is the word of a text that another one was meant for.
func wordIn(text, meant string) string {
	list := aWord().FindAllString(text, -1)
	slices.Sort(list)
	return source.Nearest(meant, list)
}

// lineBeside adds a line below a statement, or before it.
func (d *document) lineBeside(one source.Diagnostic, m []string) []fix {
	text := strings.Trim(m[1], "`")
	title := "Write " + text
	deep := d.deep(one.Span.Start)
	if m[2] == "before" {
		return []fix{{title, []edit{d.before(one.Span.Start, deep+text)}}}
	}
	list := d.around(one.Span.Start)
	if len(list) == 0 {
		return nil
	}
	return []fix{{title, []edit{d.after(end(list[len(list)-1]), deep+indent+text)}}}
}

// lineAbove adds the scenario or step that a line should be in.
func (d *document) lineAbove(one source.Diagnostic, m []string) []fix {
	deep := ""
	if strings.HasPrefix(m[1], "step") {
		deep = indent
	}
	return []fix{{"Write " + m[1] + " before it", []edit{d.before(one.Span.Start, deep+m[1])}}}
}

// secretBound binds a secret before everything else, and writes its name where it stood.
func (d *document) secretBound(one source.Diagnostic, m []string) []fix {
	where := one.Span
	if have := d.text[where.Start:where.End]; strings.HasPrefix(have, `"`) {
		m[2] = `"` + m[2] + `"`
	} else if i := strings.LastIndexAny(strings.TrimRight(have, " "), " "); i >= 0 {
		where.Start += i + 1
	}
	return []fix{{"Bind it as a secret", []edit{d.before(d.firstLine(), m[1]+"\n"), {where, m[2]}}}}
}

// firstLine is where statements begin, behind the comments at the top.
func (d *document) firstLine() int {
	for _, st := range d.tree.Statements {
		if !syntax.Is[*syntax.Use](st) && !syntax.Is[*syntax.Base](st) {
			return d.line(st.Span.Start).Start
		}
	}
	return 0
}

// declared adds an observation below the title of the scenario.
func (d *document) declared(one source.Diagnostic, m []string) []fix {
	list := d.around(one.Span.Start)
	if len(list) == 0 {
		return nil
	}
	words := strings.Fields(m[1])
	text := strings.Replace(m[1], " at /path ", " at /"+words[1]+" ", 1)
	return []fix{{"Declare " + text, []edit{d.after(list[0].Span.End, indent+text)}}}
}

// moved puts a line behind the request of its step, or behind the title of its scenario.
func (d *document) moved(one source.Diagnostic, m []string) []fix {
	list := d.around(one.Span.Start)
	line := d.line(one.Span.Start)
	away := edit{source.Span{Start: line.Start, End: min(line.End+1, len(d.text))}, ""}
	text := strings.TrimSpace(d.text[line.Start:line.End])
	if len(m) == 1 {
		if len(list) == 0 {
			return nil
		}
		return []fix{{"Move it below the title", []edit{away, d.after(list[0].Span.End, indent+text)}}}
	}
	for _, st := range slices.Backward(list) {
		for _, c := range st.Children {
			if c.Word == m[1] {
				return []fix{{"Move it below " + m[1], []edit{away, d.after(c.Span.End, d.deep(c.Span.Start)+indent+text)}}}
			}
		}
	}
	return nil
}

// written puts what a hint spells out in place of the part that it is a correction of: from
// its own first word on, where that stands in the line; else all that is meant.
func (d *document) written(one source.Diagnostic, m []string) []fix {
	text := strings.Trim(m[1], "`")
	if strings.Contains(text, "…") || strings.HasSuffix(m[0], " it") {
		return nil
	}
	fixed := fix{title: "Write " + text}
	word, _, several := strings.Cut(text, " ")
	line := d.line(one.Span.Start)
	if strings.HasPrefix(text, "{") {
		// A name in braces of another kind is a part of what is told of.
		for _, other := range []string{"{" + text + "}", "$" + text} {
			if i := strings.Index(d.text[one.Span.Start:one.Span.End], other); i >= 0 {
				at := one.Span.Start + i
				return []fix{{fixed.title, []edit{{source.Span{Start: at, End: at + len(other)}, text}}}}
			}
		}
	}
	if i := strings.LastIndex(d.text[line.Start:min(max(one.Span.Start+len(word), line.Start), line.End)], word); several && i >= 0 {
		fixed.edits = []edit{{source.Span{Start: line.Start + i, End: one.Span.End}, text}}
	} else if several && len(syntax.FormsOf(word)) > 0 && one.Span.Start <= d.wordsFrom(line) {
		fixed.edits = []edit{{source.Span{Start: d.wordsFrom(line), End: line.End}, text}}
	} else {
		fixed.edits = []edit{{one.Span, text}}
	}
	return []fix{fixed}
}

// neverBound is what is said of a name that nothing binds.
var neverBound = late.Regexp("^`(\\w+)` is never bound$")

// keptBefore keeps a name that nothing binds from the answer of the step before.
func (d *document) keptBefore(one source.Diagnostic) []fix {
	m := neverBound().FindStringSubmatch(one.Message)
	scenario, step := d.stepAt(one.Span.Start)
	if m == nil || scenario == nil || step == nil {
		return nil
	}
	var before *syntax.Statement
	for _, st := range scenario.Children {
		if st == step {
			break
		}
		if syntax.Is[*syntax.Step](st) {
			before = st
		}
	}
	if before == nil {
		return nil
	}
	path := "$.id"
	if body := d.answerAt(before.Span.Start); body != nil {
		if _, has := body.Get(m[1]); has {
			path = "$." + m[1]
		}
	}
	text := fmt.Sprintf("keep %s from %s", m[1], path)
	return []fix{{fmt.Sprintf("Write %s in step %q", text, syntax.StepTitle(before)), []edit{d.after(end(before), d.deep(before.Span.Start)+indent+text)}}}
}
