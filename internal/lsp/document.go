package lsp

import (
	"net/url"
	"path/filepath"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"usualpath/internal/core/project"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
)

// document is a text that an editor has open, read anew at each change.
type document struct {
	uri, path string
	version   int
	text      string
	src       *source.File
	tree      *syntax.File
	project   *project.Project
	// stale is set while the text, or one that it may use, was not read yet.
	stale bool
	// ran is what the last run has found, until the text changes.
	ran []ran
	// answers are those of the last run, nil while they were not looked for.
	answers answers
}

// change puts a text in place of a part, or of all.
func (d *document) change(c change) {
	d.ran = nil
	if c.Range == nil {
		d.text = c.Text
		return
	}
	from, to := offsetIn(d.text, c.Range.Start), offsetIn(d.text, c.Range.End)
	if to < from {
		from, to = to, from
	}
	d.text = d.text[:from] + c.Text + d.text[to:]
}

// pathOf is the file of a file URI; "" for others.
func pathOf(uri string) string {
	u, err := url.Parse(uri)
	if err != nil || u.Scheme != "file" {
		return ""
	}
	p := filepath.FromSlash(u.Path)
	// file:///C:/x has a slash before the drive.
	if len(p) > 2 && p[0] == filepath.Separator && p[2] == ':' {
		p = p[1:]
	}
	return p
}

func uriOf(path string) string {
	slashed := filepath.ToSlash(path)
	if !strings.HasPrefix(slashed, "/") {
		slashed = "/" + slashed
	}
	return (&url.URL{Scheme: "file", Path: slashed}).String()
}

// read takes a document's text in, with what the other open ones say.
func (s *Server) read(d *document) {
	d.src = source.NewFile(filepath.Base(d.path), d.text)
	d.tree, _ = syntax.Parse(d.src)
	d.project, _ = resource.Load([]string{d.path}, project.Options{Overlay: s.overlay()})
}

// overlay are the texts of the open documents, in place of the files.
func (s *Server) overlay() map[string]string {
	out := map[string]string{}
	for _, d := range s.open {
		out[d.path] = d.text
	}
	return out
}

// diagnostics are those of the document itself.
func (d *document) diagnostics() []diagnostic {
	out := []diagnostic{}
	for _, one := range d.said() {
		out = append(out, d.told(one))
	}
	return append(out, d.results()...)
}

// told is a diagnostic as the protocol has it.
func (d *document) told(one source.Diagnostic) diagnostic {
	text := one.Message
	if one.Hint != "" {
		text += "\n→ " + one.Hint
	}
	severity := 1
	if one.Severity == source.Warning {
		severity = 2
	}
	return diagnostic{Range: rangeIn(one.File.Text, one.Span), Severity: severity, Source: "usualpath", Message: text}
}

// said is what is to be said of the document itself.
func (d *document) said() []source.Diagnostic {
	var out []source.Diagnostic
	for _, f := range d.project.Files {
		if f.Path != d.path || f.Derived() {
			continue
		}
		for _, one := range d.project.Diagnostics {
			if one.File == f.Source {
				out = append(out, one)
			}
		}
	}
	return out
}

// positionIn is a byte offset as line and UTF-16 column, from 0.
func positionIn(text string, offset int) position {
	offset = min(max(offset, 0), len(text))
	start := strings.LastIndexByte(text[:offset], '\n') + 1
	n := 0
	for _, r := range text[start:offset] {
		n += utf16.RuneLen(r)
	}
	return position{strings.Count(text[:start], "\n"), n}
}

func rangeIn(text string, s source.Span) span {
	return span{positionIn(text, s.Start), positionIn(text, s.End)}
}

// offsetIn is the byte offset of a position; outside the text its nearest end.
func offsetIn(text string, p position) int {
	at := 0
	for range p.Line {
		i := strings.IndexByte(text[at:], '\n')
		if i < 0 {
			return len(text)
		}
		at += i + 1
	}
	for n := 0; at < len(text) && text[at] != '\n' && n < p.Character; {
		r, size := utf8.DecodeRuneInString(text[at:])
		n += utf16.RuneLen(r)
		at += size
	}
	return at
}

// lineBefore is the text of the line up to an offset.
func lineBefore(text string, offset int) string {
	return text[strings.LastIndexByte(text[:offset], '\n')+1 : offset]
}

// end is where a statement ends, its children counted.
func end(st *syntax.Statement) int {
	last := st.Span.End
	for c := range st.All() {
		last = max(last, end(c))
	}
	return last
}

// wordAt is the word of letters, digits, `_`, `-` and `/` around an offset.
func wordAt(text string, offset int) source.Span {
	in := func(b byte) bool {
		return b >= 'a' && b <= 'z' || b >= 'A' && b <= 'Z' || b >= '0' && b <= '9' || b == '_' || b == '-' || b == '/'
	}
	a, b := offset, offset
	for a > 0 && in(text[a-1]) {
		a--
	}
	for b < len(text) && in(text[b]) {
		b++
	}
	return source.Span{Start: a, End: b}
}
