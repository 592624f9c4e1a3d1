package lsp

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
)

var (
	// headers are fields of RFC 9110, RFC 9111 and of the registry that testers
	// write.
	headers = []string{"Accept", "Accept-Encoding", "Accept-Language", "Allow", "Authorization", "Cache-Control", "Content-Encoding", "Content-Language",
		"Content-Length", "Content-Location", "Content-Type", "Cookie", "ETag", "Idempotency-Key", "If-Match", "If-Modified-Since", "If-None-Match",
		"If-Unmodified-Since", "Last-Modified", "Link", "Location", "Origin", "Prefer", "Range", "Retry-After", "Set-Cookie", "User-Agent", "Vary", "WWW-Authenticate"}
)

// forms are what may come before the cursor, by what is proposed then. They are
// made when they are first wanted: every command would wait for them otherwise.
var forms = sync.OnceValue(func() map[string]*regexp.Regexp {
	out := map[string]*regexp.Regexp{}
	for name, text := range map[string]string{
		"name":      `(?:^|[^\\])\{([A-Za-z_][A-Za-z0-9_]*)?$`,
		"title":     `\bdo "([^"]*)$`,
		"step":      `\b(?:of|from|as|than) "([^"]*)$`,
		"status":    `\b(?:status(?: not)?|or(?: not)?|and not)\s+(\w*)$`,
		"header":    `\bheader\s+([A-Za-z-]*)$`,
		"path":      `^\s*send\s+[A-Z]+\s+(/[^\s]*)$`,
		"member":    `(?:^|[\s(])\$\S*\.([A-Za-z0-9_]*)$`,
		"predicate": `^\s*(?:expect|prefer|need|when)\s+(?:every\s+|exactly \d+\s+|at (?:least|most) \d+\s+)?(?:status|body|text|time|size|state|(?:header|cookie)\s+\S+|\{[^}]*\}|\$\S*|[a-z_]+)\s+([a-z ]*)$`,
		"shape":     `(?:\b(?:is|is not|are|every|some|none|or|not|of)|:)\s+([a-z]+)$`,
		"tag":       `^\s*tags\s+(?:.*,\s*)?([A-Za-z0-9_-]*)$`,
		"resource":  `^\s*under\s+([A-Za-z0-9_]*)$`,
		"file":      `\b(?:use|file|schema|in)\s+"([^"]*)$`,
		"method":    `^\s*send\s+([A-Za-z]*)$`,
		"check":     `^\s*(?:skip|check)\s+([a-z/-]*)$`,
		"subject":   `^\s*(?:expect|prefer|need)\s+([a-z]*)$`,
		"word":      `^\s*([a-z]*)$`,
	} {
		out[name] = regexp.MustCompile(text)
	}
	return out
})

// complete proposes how the text before an offset goes on.
func (s *Server) complete(d *document, offset int) []completion {
	line := lineBefore(d.text, offset)
	type list struct {
		form  string
		items func() []completion
	}
	for _, l := range []list{
		{"name", func() []completion { return d.names(offset) }},
		{"title", func() []completion { return d.titles("routine") }},
		{"file", d.siblings},
		{"step", func() []completion { return d.titles("step") }},
		{"method", func() []completion { return words(syntax.Methods, kindValue) }},
		{"header", func() []completion { return words(headers, kindValue) }},
		{"check", checks},
		{"status", func() []completion {
			if !strings.Contains(line, "status") {
				return nil
			}
			return statuses()
		}},
		{"path", func() []completion { return addNew(d.paths(), s.describedPaths(d, line)) }},
		{"member", func() []completion {
			path := line[strings.LastIndexByte(line, '$'):strings.LastIndexByte(line, '.')]
			list := addNew(d.membersBelow(offset, path), s.describedMembers(d, offset, path))
			if len(list) > 0 {
				return list
			}
			return d.memberNames()
		}},
		{"tag", d.tags},
		{"resource", d.resources},
		{"subject", func() []completion { return d.subjects(offset) }},
		{"predicate", func() []completion { return predicates(line) }},
		{"shape", shapes},
		{"word", func() []completion { return d.keywords(offset) }},
	} {
		m := forms()[l.form].FindStringSubmatch(line)
		if m == nil {
			continue
		}
		typed := m[1]
		where := rangeIn(d.text, source.Span{Start: offset - len(typed), End: offset})
		out := []completion{}
		for _, c := range l.items() {
			if strings.HasPrefix(strings.ToLower(c.Label), strings.ToLower(typed)) {
				c.TextEdit = &textEdit{where, c.Label}
				out = append(out, c)
			}
		}
		if len(out) > 0 {
			return out
		}
	}
	return []completion{}
}

// addNew adds what a list of completions does not propose yet.
func addNew(list, more []completion) []completion {
	for _, m := range more {
		if !slices.ContainsFunc(list, func(c completion) bool { return c.Label == m.Label }) {
			list = append(list, m)
		}
	}
	return list
}

func words(list []string, kind int) []completion {
	var out []completion
	for _, w := range list {
		out = append(out, completion{Label: w, Kind: kind})
	}
	return out
}

func statuses() []completion {
	var out []completion
	for code := 100; code < 600; code++ {
		if text := exchange.Phrase(code); text != "" {
			out = append(out, completion{Label: strconv.Itoa(code), Kind: kindUnit, Detail: text})
		}
	}
	for _, c := range [][2]string{{"2xx", "any success"}, {"3xx", "any redirection"}, {"4xx", "any client error"}, {"5xx", "any server error"}} {
		out = append(out, completion{Label: c[0], Kind: kindUnit, Detail: c[1]})
	}
	return out
}

func checks() []completion {
	var out []completion
	for _, k := range resource.Catalogue() {
		out = append(out, completion{Label: k.ID(), Kind: kindValue, Detail: k.Level, Documentation: k.Proves})
	}
	return out
}

// names are the names that can be at a place, and the functions.
func (d *document) names(offset int) []completion {
	var out []completion
	seen := map[string]bool{}
	for _, s := range d.visible(offset) {
		for _, b := range s.bindings() {
			if !seen[b.Name] {
				seen[b.Name] = true
				out = append(out, completion{Label: b.Name, Kind: kindVariable, Detail: strings.TrimSpace(lineAt(s.file.Source.Text, b.Span.Start))})
			}
		}
	}
	slices.SortFunc(out, func(a, b completion) int { return strings.Compare(a.Label, b.Label) })
	for _, f := range scope.Functions() {
		form, help := scope.Describe(f)
		out = append(out, completion{Label: f, Kind: kindFunction, Detail: form, Documentation: help})
	}
	return out
}

func lineAt(text string, offset int) string {
	start := strings.LastIndexByte(text[:offset], '\n') + 1
	line, _, _ := strings.Cut(text[start:], "\n")
	return strings.TrimSuffix(line, "\r")
}

// titles are those of the document's statements of a word, and for routines of
// the files that it uses.
func (d *document) titles(word string) []completion {
	var out []completion
	add := func(st *syntax.Statement) {
		title, _ := plain(syntax.TitleOf(st))
		if title != "" && st.Word == word && !slices.ContainsFunc(out, func(c completion) bool { return c.Label == title }) {
			out = append(out, completion{Label: title, Kind: kindFunction})
		}
	}
	for _, f := range d.project.Files {
		if f.Derived() || word == "step" && f.Path != d.path {
			continue
		}
		nameScope{f, f.Statements, false}.each(add)
	}
	return out
}

func (d *document) subjects(offset int) []completion {
	var out []completion
	for _, s := range syntax.SubjectForms {
		if word, _, _ := strings.Cut(s.Usage, " "); word != "" && slices.Contains(syntax.Subjects(), word) {
			out = append(out, completion{Label: word, Kind: kindKeyword, Detail: s.Usage, Documentation: s.Help})
		}
	}
	for _, s := range d.visible(offset) {
		s.each(func(st *syntax.Statement) {
			if o, ok := st.Body.(*syntax.Observe); ok {
				out = append(out, completion{Label: o.Name, Kind: kindVariable, Detail: syntax.ObserveText(o)})
			}
		})
	}
	return out
}

// keywords are the words that may start a statement where the line is.
func (d *document) keywords(offset int) []completion {
	var out []completion
	for _, f := range syntax.FormsUnder(parent(d.text, offset)) {
		out = append(out, completion{Label: f.Word, Kind: kindKeyword, Detail: f.Example, Documentation: f.Usage + "\n" + f.Help})
	}
	return out
}

// parent is the first word of the line under which a line stands; "" for none.
func parent(text string, offset int) string {
	line := lineBefore(text, offset)
	deep := len(line) - len(strings.TrimLeft(line, " \t"))
	lines := strings.Split(text[:offset-len(line)], "\n")
	for i := len(lines) - 1; i >= 0 && deep > 0; i-- {
		trimmed := strings.TrimLeft(lines[i], " \t")
		if at := len(lines[i]) - len(trimmed); strings.TrimSpace(trimmed) != "" && at < deep {
			return strings.Fields(trimmed)[0]
		}
	}
	return ""
}
