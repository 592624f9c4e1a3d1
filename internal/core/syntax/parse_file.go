package syntax

import (
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"usualpath/internal/core/source"
)

// Parse reads a file. The tree holds all that could be read; a run needs
// diagnostics without errors.
func Parse(f *source.File) (*File, source.Diagnostics) {
	p := &parser{cursor: cursor{file: f, s: f.Text}}
	out := &File{Source: f}
	if span, what := notText(f.Text); what != "" {
		p.report(span, what, "scenario files are UTF-8 text")
		return out, p.diags
	}
	if strings.HasPrefix(f.Text, "\ufeff") {
		p.i = len("\ufeff")
	}
	p.out = out
	for p.statement() {
	}
	out.Tail = p.lead
	for len(out.Tail) > 0 && out.Tail[len(out.Tail)-1].Text == "" {
		out.Tail = out.Tail[:len(out.Tail)-1]
	}
	return out, p.diags
}

// notText finds what makes a text unreadable: NULs or bad UTF-8.
func notText(s string) (source.Span, string) {
	if i := strings.IndexByte(s, 0); i >= 0 {
		return source.Span{Start: i, End: i + 1}, "this is not text: it holds a NUL byte"
	}
	if utf8.ValidString(s) {
		return source.Span{}, ""
	}
	for i := 0; i < len(s); {
		r, size := utf8.DecodeRuneInString(s[i:])
		if r == utf8.RuneError && size <= 1 {
			return source.Span{Start: i, End: i + 1}, "this is not UTF-8 text: byte 0x" + strconv.FormatInt(int64(s[i]), 16) + " is not part of a character"
		}
		i += size
	}
	return source.Span{}, ""
}

type parser struct {
	cursor
	out *File
	// lead are the comments and blank lines before the next statement.
	lead []Comment
	// top is the statement in the first column that owns the indented ones;
	// step and request are those that own what comes next inside it.
	top, step, request *Statement
	// inner is a statement below top that owns the lines which are indented further than its
	// own, nil for none; inward is how far that is.
	inner  *Statement
	inward int
	// closed is set once an expectation has ended the request's lines.
	closed bool
	// from is where reading the statement began, row the row that was read last.
	from int
	row  *Statement
	// guessed is a statement whose word was taken for another.
	guessed *Statement
	// stumbled is set while the statement before had a mistake; homeless once it
	// has been said that lines are outside a step.
	stumbled, homeless bool
	// listing lets a comma end a list of statuses.
	listing bool
}

// statement reads one statement; false at the end of the file.
func (p *parser) statement() bool {
	p.from = p.i
	for {
		lineStart := p.i
		p.spaces()
		if p.i >= len(p.s) {
			return false
		}
		switch {
		case p.peek() == '\n' || p.at("\r\n"):
			p.i += 1 + strings.IndexByte(p.s[p.i:], '\n')
			p.lead = append(p.lead, Comment{})
			continue
		case p.peek() == '#':
			p.lead = append(p.lead, Comment{p.commentText()})
			p.lineEnd()
			continue
		}
		p.one(lineStart)
		return true
	}
}

func (p *parser) lineEnd() {
	if p.at("\r\n") {
		p.i += 2
	} else if p.peek() == '\n' {
		p.i++
	}
}

// one reads the statement at the cursor.
func (p *parser) one(lineStart int) {
	start := p.i
	indented := p.i > lineStart && !(lineStart == 0 && strings.HasPrefix(p.s, "\ufeff") && p.i == len("\ufeff"))
	p.stumbled, p.failed = p.failed, false
	if start-lineStart <= p.inward {
		p.inner = nil
	}
	st := &Statement{Comments: Comments{Lead: tidy(p.lead)}}
	p.lead, p.pending = nil, nil
	if p.peek() == '{' && indented && p.inCases() {
		st.Word, st.form, st.Body = rowForm.Word, rowForm, rowForm.body()
		st.Body.read(p)
		p.attachRow(st)
		p.finish(st, start)
		return
	}
	st.Word = p.word()
	word := source.Span{Start: start, End: p.i}
	if st.Word == "" {
		p.strayText(start)
		p.finish(st, start)
		return
	}
	where := InFile
	if indented {
		where = p.context()
	}
	st.form = lookup(st.Word, where)
	switch {
	case st.form == nil:
		p.unknownKeyword(st, word, indented)
	case p.placed(st, st.form, indented, word):
		p.own(st, indented)
		if st.form.In == InResource && st.form.Below != 0 {
			p.inner, p.inward = st, start-lineStart
		}
		st.Body = st.form.body()
		st.Body.read(p)
	}
	p.finish(st, start)
}

// strayText reports a line that starts with no word.
func (p *parser) strayText(start int) {
	if line := strings.TrimSpace(p.rest().Text(p.s)); line == "}" && len(p.diags) > 0 || p.stumbled && strings.HasPrefix(line, "{") {
		// It belongs to the mistake before it.
		p.failed = true
		return
	}
	hint := "a line starts with a word: scenario, step, send, expect, …"
	switch p.peek() {
	case '"', '{', '[', '}', ']', ',':
		hint = "JSON follows a word on the same line: json { … }"
	case '/':
		hint = "comments start with `#`; a request is written: send GET /path"
	case '*', '-':
		hint = "there are no list marks; a line starts with a word: send, expect, …"
	}
	p.failHere("expected a statement, found "+p.found(), hint)
}

func (p *parser) inCases() bool {
	if p.top == nil || p.step != nil || len(p.top.Children) == 0 {
		return false
	}
	_, ok := p.top.Children[len(p.top.Children)-1].Body.(*Cases)
	return ok
}

func (p *parser) attachRow(st *Statement) {
	cases := p.top.Children[len(p.top.Children)-1].Body.(*Cases)
	cases.file, cases.rows, p.row = p.file, append(cases.rows, int32(p.from)), st
}

// context is where an indented statement is now.
func (p *parser) context() Place {
	if p.top == nil {
		return InFile
	}
	where := p.top.form.Below
	switch {
	case p.inner != nil:
		return p.inner.form.Below
	case p.step == nil:
	case where == InHead:
		where = InStep | InRequest
	case where == InRoutine:
		where |= InStep | InRequest
	}
	return where
}

// placed tells whether the statement is allowed here, and says so if not.
func (p *parser) placed(st *Statement, k *Form, indented bool, at source.Span) bool {
	w := "`" + st.Word + "`"
	if !indented {
		if k.In&InFile != 0 {
			return true
		}
		if p.top == nil {
			p.fail(at, w+" is outside a scenario", `start one before it: scenario "title"`)
			return false
		}
		// A statement that lost its indentation: read it all the same.
		p.report(at, w+" belongs to the "+p.top.Word+" before it and is indented", "indent it by two spaces, or run usualpath fmt once it is mended")
	}
	where := p.context()
	switch {
	case where&k.In == 0 && k.In == InFile:
		p.fail(at, w+" starts in the first column", "remove the indentation")
	case p.top == nil:
		p.fail(at, w+" is indented, but there is nothing before it", `start with scenario "title" in the first column`)
	case where&k.In != 0:
		return p.inOrder(st, k, where, at)
	case p.top.form.Below == InHead && p.step == nil && k.In&(InStep|InRequest) != 0:
		if p.homeless {
			p.failed = true
		} else {
			p.fail(at, w+" is outside a step", `start one before it: step "title"`)
		}
		p.homeless = true
	case p.step != nil && k.In&InHead != 0:
		p.fail(at, w+" belongs before the first step of a scenario", "move it up, below the scenario's title")
	case p.step == nil && k.In&(InStep|InRequest) != 0 && where&InRoutine != 0:
		p.fail(at, w+" is outside a step", `start one before it: step "title"`)
	case where&InRoutine != 0:
		p.fail(at, w+" is not allowed under "+p.top.Word, "only steps are allowed there")
	case where == 0:
		p.fail(at, "nothing belongs under `"+p.top.Word+"`", w+" needs a scenario or block of its own before it")
	case p.inner != nil:
		p.fail(at, w+" is not allowed under "+p.inner.Word, "allowed there: "+listed(wordsIn(where)))
	default:
		p.fail(at, w+" is not allowed under "+p.top.Word, "allowed there: "+listed(wordsIn(where)))
	}
	return false
}

// inOrder holds the order of a step's lines.
func (p *parser) inOrder(st *Statement, k *Form, where Place, at source.Span) bool {
	w := "`" + st.Word + "`"
	if where&InRequest == 0 || k.Role == roleStep || k.Role == roleCall || k.Role == roleFree {
		return true
	}
	if k.Role == roleDetail {
		switch {
		case p.request == nil:
			p.fail(at, w+" belongs to a request, and this step has sent none yet", "write it below `send`")
		case p.closed:
			p.fail(at, w+" belongs to the request, before the expectations", "move it up, directly below `"+p.request.Word+"`")
		default:
			return true
		}
		return false
	}
	switch k.Role {
	case roleSend:
		if p.request != nil && p.request != p.guessed {
			p.fail(at, "a step sends one request, and this one has its own already", `start another: step "title"; to repeat the request: again`)
			return false
		}
	case roleOpening:
		if p.request != nil {
			p.fail(at, w+" belongs before `send`", "move it up to the start of the step, or into a step of its own")
			return false
		}
	case roleClaim, roleAgain:
		if p.request == nil && !(p.looksBack() && k.Role == roleClaim) {
			p.fail(at, w+" is about an answer, and this step has sent nothing yet", "write `send METHOD /path` before it")
			return false
		}
	}
	return true
}

// looksBack tells whether a step without a request may say something of the
// last answer: after a restart, or under a condition.
func (p *parser) looksBack() bool {
	for _, c := range p.step.Children {
		switch c.Body.(type) {
		case *Restart, *Kill, *When:
			return true
		}
	}
	return false
}

func listed(words []string) string {
	slices.Sort(words)
	return strings.Join(words, ", ")
}

// unknownKeyword says what a word was meant to be, and reads what follows as
// that, so that what stands below is not taken for mistakes too.
func (p *parser) unknownKeyword(st *Statement, at source.Span, indented bool) {
	where := InFile
	if indented {
		where = p.context()
	}
	w, known := strings.ToLower(st.Word), foreign
	if where&InResource != 0 {
		known = foreignToResource
	}
	ours, hint := "", ""
	switch {
	case w != st.Word && lookup(w, where) != nil && lookup(w, where).In&where != 0:
		ours, hint = w, "keywords are written in lower case: `"+w+"`"
	case known[w] != "":
		ours = known[w]
		hint = "write `" + ours + "`"
	default:
		hint = nearest(st.Word, wordsIn(where))
		ours = strings.Trim(strings.TrimPrefix(hint, "did you mean "), "`?")
		if hint == "" && p.peek() == ':' && where&InRequest != 0 || p.peek() == '-' && where&InRequest != 0 {
			hint = "a header is written header " + strings.TrimSpace(source.Span{Start: at.Start, End: p.rest().End}.Text(p.s))
		}
	}
	if hint == "" {
		hint = nearest(st.Word, Keywords())
	}
	if hint == "" && where != 0 {
		hint = "allowed here: " + listed(wordsIn(where))
	}
	p.report(at, "unknown keyword `"+st.Word+"`", hint)
	p.failed = true
	first, _, _ := strings.Cut(ours, " ")
	k := lookup(first, where)
	if k == nil || k.Below == 0 && k.Role != roleStep && k.Role != roleSend {
		return
	}
	mark, after := len(p.diags), p.i
	if first == "send" && ours != "send" {
		// GET /path: the word is the method.
		p.i = at.Start
	}
	p.failed = false
	if p.placed(st, k, indented, at) {
		st.form, st.Word = k, k.Word
		p.guessed = st
		p.own(st, indented)
		st.Body = k.body()
		st.Body.read(p)
	}
	p.diags, p.i, p.failed = p.diags[:mark], after, true
}

// own puts a statement under the one it belongs to.
func (p *parser) own(st *Statement, indented bool) {
	k := st.form
	if !indented && k.In&InFile != 0 {
		p.out.Statements = append(p.out.Statements, st)
		p.step, p.request, p.homeless = nil, nil, false
		p.top, p.inner = st, nil
		return
	}
	switch {
	case p.inner != nil:
		p.inner.Children = append(p.inner.Children, st)
	case k.Role == roleStep || k.Role == roleCall:
		p.top.Children = append(p.top.Children, st)
		p.step, p.request, p.closed, p.homeless = nil, nil, false, false
		if k.Role == roleStep {
			p.step = st
		}
	case p.step == nil || k.In == InRoutine:
		p.top.Children = append(p.top.Children, st)
	case k.Role == roleDetail && p.request != nil && !p.closed:
		p.request.Children = append(p.request.Children, st)
	default:
		p.step.Children = append(p.step.Children, st)
		switch k.Role {
		case roleSend, roleAgain:
			p.request, p.closed = st, false
		case roleClaim:
			p.closed = true
		}
	}
}

// finish ends a statement: nothing but a comment may follow it.
func (p *parser) finish(st *Statement, start int) {
	if !p.failed && !p.lineDone() {
		hint := p.trailing(st)
		if hint == "" {
			hint = "one statement per line" + p.tooMuch(st)
		}
		p.fail(p.rest(), p.found()+" is unexpected here", hint)
	}
	st.Span = source.Span{Start: start, End: p.trimmedEnd(start)}
	st.Lead = append(st.Lead, p.takePending()...)
	if p.failed {
		p.recover(start)
		return
	}
	if p.commentHere() {
		st.Trail = p.commentText()
	}
	p.lineEnd()
}

func (p *parser) tooMuch(st *Statement) string {
	if _, ok := st.Body.(Claiming); ok {
		if w := p.nextWord(); source.Nearest(w, []string{"because"}) != "" {
			return "; did you mean `because`?"
		}
	}
	if st.form != nil && st.form.Example != "" {
		return ": " + st.form.Example
	}
	return ""
}

// rest is the span to the end of the line.
func (p *parser) rest() source.Span {
	end := p.i
	for end < len(p.s) && p.s[end] != '\n' && p.s[end] != '\r' {
		end++
	}
	return source.Span{Start: p.i, End: end}
}

func (p *parser) trimmedEnd(start int) int {
	end := p.i
	for end > start && strings.IndexByte(" \t\r\n", p.s[end-1]) >= 0 {
		end--
	}
	return end
}

// recover moves to the next statement after a mistake. Brackets and strings
// are followed as far as they go, so that the lines of a broken body are not
// taken for statements; a line that starts like a statement ends the search.
func (p *parser) recover(start int) {
	deep, quoted, block := 0, false, false
	for i := start; i < len(p.s); i++ {
		switch b := p.s[i]; {
		case block:
			if strings.HasPrefix(p.s[i:], `"""`) {
				block = false
				i += 2
			} else if b == '\n' && !strings.Contains(p.s[i:], `"""`) && p.stopAt(i+1) {
				p.i = i + 1
				return
			}
		case b == '\n':
			quoted = false
			if deep <= 0 || p.stopAt(i+1) {
				p.i = i + 1
				return
			}
		case quoted:
			if b == '\\' {
				i++
			} else if b == '"' {
				quoted = false
			}
		case strings.HasPrefix(p.s[i:], `"""`):
			block = true
			i += 2
		case b == '"':
			quoted = true
		case b == '{' || b == '[' || b == '(':
			deep++
		case b == '}' || b == ']' || b == ')':
			deep--
		case b == '#' && commentAt(p.s, i):
			for i+1 < len(p.s) && p.s[i+1] != '\n' {
				i++
			}
		}
	}
	p.i = len(p.s)
}

// stopAt tells whether the line that starts at i looks like a statement.
func (p *parser) stopAt(i int) bool { return isStatementLine(p.s, i) }

// isStatementLine tells whether the text at i, after spaces, is a keyword and
// is at the start of its line.
func isStatementLine(s string, i int) bool {
	for j := i - 1; j >= 0 && s[j] != '\n'; j-- {
		if s[j] != ' ' && s[j] != '\t' {
			return false
		}
	}
	for i < len(s) && (s[i] == ' ' || s[i] == '\t') {
		i++
	}
	end := i
	for end < len(s) && wordByte(s[end]) {
		end++
	}
	if forms[s[i:end]] == nil {
		return false
	}
	return end == len(s) || s[end] == ' ' || s[end] == '\n' || s[end] == '\r' || s[end] == '\t'
}

// tidy keeps one blank line of several.
func tidy(lead []Comment) []Comment {
	var out []Comment
	for _, c := range lead {
		if c.Text == "" && len(out) > 0 && out[len(out)-1].Text == "" {
			continue
		}
		out = append(out, c)
	}
	return out
}
