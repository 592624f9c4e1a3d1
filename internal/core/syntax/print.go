package syntax

import (
	"fmt"
	"strconv"
	"strings"
)

// Print is the one canonical layout of a file that was read without errors.
// Comments stay, and so does one blank line of several.
func Print(f *File) string {
	p := &printer{}
	for i, st := range f.Statements {
		p.statement(st, 0, i == 0, apart(f.Statements, i), "")
	}
	if len(f.Tail) > 0 {
		p.lead(f.Tail, 0, len(f.Statements) == 0)
	}
	return p.b.String()
}

func apart(list []*Statement, i int) bool {
	return i > 0 && (list[i].form.Apart || list[i-1].form.Apart)
}

type printer struct{ b strings.Builder }

func (p *printer) indent(n int) { p.b.WriteString(strings.Repeat("  ", n)) }

// lead writes comments and blank lines; first drops blank lines before any text.
func (p *printer) lead(lead []Comment, level int, first bool) {
	for _, c := range lead {
		if c.Text == "" {
			if !first {
				p.b.WriteByte('\n')
			}
			continue
		}
		p.indent(level)
		p.b.WriteString(c.Text + "\n")
		first = false
	}
}

// statement writes one statement. pad is the keyword padded to its column.
func (p *printer) statement(st *Statement, level int, first, apart bool, pad string) {
	if apart && (len(st.Lead) == 0 || st.Lead[0].Text != "") {
		p.b.WriteByte('\n')
	}
	p.lead(st.Lead, level, first)
	p.indent(level)
	if pad == "" {
		pad = st.Word
	}
	line := layout{level: level}
	line.write(pad)
	if st.Body != nil {
		st.Body.print(&line)
	}
	p.b.WriteString(strings.TrimRight(line.b.String(), " "))
	if st.Trail != "" {
		p.b.WriteString("  " + st.Trail)
	}
	p.b.WriteByte('\n')
	p.children(st, level)
}

func (p *printer) children(st *Statement, level int) {
	width := 0
	if st.form.Aligned {
		for _, c := range st.Children {
			width = max(width, len(c.Word))
		}
	}
	i := 0
	for c := range st.All() {
		pad := ""
		if width > 0 && c.form.Below == 0 {
			pad = fmt.Sprintf("%-*s", width+1, c.Word)
		}
		// Steps are set apart from each other and from what comes before them.
		apart := i > 0 && (c.form.Role == roleStep || c.form.Role == roleCall && st.Children[i-1].form.Role == roleStep)
		p.statement(c, level+1, i == 0, apart, pad)
		i++
	}
}

// layout is one statement's line being written.
type layout struct {
	b     strings.Builder
	level int
}

func (l *layout) write(parts ...string) {
	for _, s := range parts {
		if s == "" {
			continue
		}
		if l.b.Len() > 0 && !strings.HasSuffix(l.b.String(), " ") {
			l.b.WriteByte(' ')
		}
		l.b.WriteString(s)
	}
}

func (l *layout) node(n *Node) {
	if n != nil {
		l.write(nodeTextAt(n, l.level, l.b.Len()))
	}
}

func (l *layout) template(t *Template) {
	if t != nil {
		l.write(t.Raw)
	}
}

func (l *layout) names(list []NameAt) {
	var out []string
	for _, n := range list {
		out = append(out, n.Name)
	}
	l.write(strings.Join(out, ", "))
}

func (l *layout) pairValue(t *Template, quoted *Node) {
	if quoted != nil {
		l.node(quoted)
		return
	}
	l.template(t)
}

func joinPaths(list []*Path) string {
	var out []string
	for _, p := range list {
		out = append(out, p.Raw)
	}
	return strings.Join(out, ", ")
}

// quoteXPath puts an XPath with spaces outside brackets into quotes.
func quoteXPath(kind, key string) string {
	if kind != "xml" || key == "" {
		return key
	}
	c := &parser{cursor: cursor{s: key}}
	if c.xpath(); c.i == len(key) && !strings.HasPrefix(key, `"`) {
		return key
	}
	return `"` + strings.ReplaceAll(strings.ReplaceAll(key, `\`, `\\`), `"`, `\"`) + `"`
}

func (l *layout) list(items []*Node) {
	for i, v := range items {
		l.write(listItem(v))
		if i < len(items)-1 {
			l.b.WriteByte(',')
		}
	}
}

// listItem is a bare token as it was written, anything else in quotes.
func listItem(n *Node) string {
	if n.Kind == String && n.Text != "" {
		return n.Text
	}
	return nodeText(n, 0)
}

// StatusText is a list of statuses as written in a file.
func StatusText(list []StatusClass) string {
	var out strings.Builder
	for i, s := range list {
		switch {
		case i > 0 && s.Not && list[i-1].Not:
			out.WriteString(" and ")
		case i > 0:
			out.WriteString(" or ")
		}
		text := ""
		switch {
		case s.Ref != nil:
			text = nodeText(s.Ref, 0)
		case s.Class:
			text = strconv.Itoa(s.Code) + "xx"
		default:
			text = strconv.Itoa(s.Code)
		}
		if s.Not {
			text = "not " + text
		}
		out.WriteString(text)
	}
	return out.String()
}

// ClaimText is a claim on one line, as written in a file.
func ClaimText(c Claim) string {
	l := &layout{}
	l.claim(c)
	return l.b.String()
}

// XPathText is an XPath as written in a file.
func XPathText(text string) string { return quoteXPath("xml", text) }
