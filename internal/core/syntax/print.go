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

// blocks are the statements in the first column that are set off by a blank
// line.
var blocks = map[string]bool{"scenario": true, "routine": true, "before": true, "after": true, "afterwards": true,
	"defaults": true, "environment": true, "service": true, "resource": true}

func apart(list []*Statement, i int) bool {
	return i > 0 && (blocks[list[i].Word] || blocks[list[i-1].Word])
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
	line.body(st)
	p.b.WriteString(strings.TrimRight(line.b.String(), " "))
	if st.Trail != "" {
		p.b.WriteString("  " + st.Trail)
	}
	p.b.WriteByte('\n')
	p.children(st, level)
}

// aligned are the statements whose lines have their words in a column.
var aligned = map[string]bool{"defaults": true, "environment": true, "service": true, "resource": true}

func (p *printer) children(st *Statement, level int) {
	width := 0
	if aligned[st.Word] {
		for _, c := range st.Children {
			width = max(width, len(c.Word))
		}
	}
	for i, c := range st.Children {
		pad := ""
		if width > 0 {
			pad = fmt.Sprintf("%-*s", width+1, c.Word)
		}
		// Steps are set apart from each other and from what stands before them.
		apart := i > 0 && c.Word == "step" || i > 0 && c.Word == "do" && st.Children[i-1].Word == "step"
		p.statement(c, level+1, i == 0, apart, pad)
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

func (l *layout) body(st *Statement) {
	switch b := st.Body.(type) {
	case *Use:
		l.node(b.Path)
	case *Let:
		l.write(b.Name)
		if b.Env != "" {
			l.write("from env", b.Env)
			if b.Or != nil {
				l.write("or")
				l.node(b.Or)
			}
			return
		}
		l.write("=")
		l.node(b.Value)
	case *Secret:
		l.write(b.Name, "from")
		if b.File != nil {
			l.write("file")
			l.node(b.File)
			return
		}
		l.write("env", b.Env)
	case *Base:
		l.template(b.URL)
	case *Titled:
		l.node(b.Title)
	case *Named:
		l.write(b.Name)
	case *Block:
		if st.Word == "idempotency" {
			l.write("key")
		}
	case *Each:
		l.write("each")
	case *Routine:
		l.node(b.Title)
		if len(b.Takes) > 0 {
			l.write("takes")
			l.names(b.Takes)
		}
	case *Give:
		l.names(b.Names)
	case *Do:
		l.node(b.Title)
		for i, w := range b.With {
			if i == 0 {
				l.write("with")
			}
			l.write(w.Name, "=")
			l.node(w.Value)
			if i < len(b.With)-1 {
				l.b.WriteByte(',')
			}
		}
	case *About:
		l.node(b.Text)
	case *Tags:
		l.write(strings.Join(b.Tags, ", "))
	case *Cases:
		l.write("each case")
		if b.In != nil {
			l.write("in")
			l.node(b.In)
		}
	case *Row:
		l.b.Reset()
		l.node(b.Value)
	case *Observe:
		l.observe(b)
	case *Guard:
		l.template(b.Of.At)
		l.seen(b.Of)
	case *Header:
		l.write(b.Name + ":")
		l.template(b.Value)
	case *Without:
		l.write("header", b.Name)
	case *Pair:
		l.write(b.Name.Raw)
		if !b.Bare {
			l.write("=")
			l.pairValue(b.Value, b.Quoted)
		}
	case *Content:
		l.node(b.Value)
		l.media(b.Media)
	case *PartOf:
		l.write(b.Name)
		if b.File != nil {
			l.write("file")
			l.node(b.File)
			l.media(b.Media)
			return
		}
		l.write("=")
		l.pairValue(b.Value, b.Quoted)
	case *Auth:
		l.write(b.Scheme)
		for _, v := range b.Values {
			l.node(v)
		}
	case *Count:
		l.node(b.N)
	case *Wait:
		l.write(b.For.Raw)
	case *Retry:
		l.write("for", b.For.Raw)
		if b.Every.Raw != "" {
			l.write("every", b.Every.Raw)
		}
	case *Process:
		l.write("service")
	case *Send:
		l.write(b.Method)
		l.template(b.Target)
	case *Again:
		if b.Times != nil {
			l.node(b.Times)
			l.write("times")
		}
	case *When:
		l.when(b)
	case *Expect:
		if b.Quantifier != "" {
			l.write(b.Quantifier)
			l.node(b.N)
		}
		l.claim(b.Claim)
		if b.When != nil {
			l.write("when")
			l.when(b.When)
		}
		if b.Because != nil {
			l.b.WriteString("  because")
			l.node(b.Because)
		}
	case *Keep:
		l.keep(b)
	case *Setting:
		l.template(b.Text)
	case *Check, *Target, *Where, *Identity, *Listing, *Paths, *Reads, *Answers, *Skip:
		l.resource(st)
	case *Start:
		l.node(b.Command)
	case *Ready:
		l.write(b.Method)
		l.template(b.Target)
		l.write("is", statusText(b.Status))
		if b.Within.Raw != "" {
			l.write("within", b.Within.Raw)
		}
	case *Stop:
		l.write(b.Signal)
		if b.Within.Raw != "" {
			l.write("within", b.Within.Raw)
		}
	}
}

func (l *layout) when(w *When) {
	l.claim(w.Claim)
	if w.Of != nil {
		l.write("of")
		l.node(w.Of)
	}
}

func (l *layout) keep(k *Keep) {
	if k.Every {
		l.write("every")
	}
	l.write(k.Name, "from")
	if k.Path != nil {
		l.write(k.Path.Raw)
	} else {
		l.write(k.From)
		l.write(quoteXPath(k.From, k.Key))
		l.node(k.Pattern)
	}
	if k.IfThere {
		l.write("if there")
	}
}

func (l *layout) media(t *Template) {
	if t != nil {
		l.write("as", t.Raw)
	}
}

func (l *layout) pairValue(t *Template, quoted *Node) {
	if quoted != nil {
		l.node(quoted)
		return
	}
	l.template(t)
}

func (l *layout) observe(o *Observe) {
	l.write(o.Name, "at")
	l.template(o.At)
	l.seen(o)
}

func (l *layout) seen(o *Observe) {
	for _, one := range []struct {
		word string
		path *Path
	}{{"in", o.In}, {"by", o.By}} {
		if one.path != nil {
			l.write(one.word, one.path.Raw)
		}
	}
	if o.Without != nil {
		l.write("without")
		l.node(o.Without)
	}
	if len(o.Ignoring) > 0 {
		l.write("ignoring", joinPaths(o.Ignoring))
	}
	if len(o.Paging) > 0 {
		l.write("paging", strings.Join(o.Paging, ", "))
	}
}

func joinPaths(list []*Path) string {
	var out []string
	for _, p := range list {
		out = append(out, p.Raw)
	}
	return strings.Join(out, ", ")
}

func (l *layout) claim(c Claim) {
	s := c.Subject
	switch s.Kind {
	case "path":
		l.write(s.Path.Raw)
	case "observation":
		l.write(s.Name)
	default:
		l.write(s.Kind, quoteXPath(s.Kind, s.Name))
	}
	l.predicate(c.Predicate)
}

// quoteXPath puts an XPath with blanks outside brackets into quotes.
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

func (l *layout) predicate(p Predicate) {
	switch p.Op {
	case "status":
		l.write(statusText(p.Status))
		return
	case "effects":
		for i, e := range p.Effects {
			if i > 0 {
				l.write("and")
			}
			l.write(e.Word)
			l.node(e.Shape)
			if e.Range != nil {
				l.write(rangeText(e.Range))
			}
		}
		return
	case "compare":
		l.write(p.Compare)
	case "count":
		l.write("count", p.Compare)
	case "between":
		l.write("between")
		l.node(p.Values[0])
		l.write("and")
		l.node(p.Values[1])
		return
	case "lists", "lists only", "lacks":
		l.write(p.Op)
		l.list(p.Values)
		return
	default:
		l.write(p.Op)
	}
	l.node(p.Shape)
	for _, v := range p.Values {
		l.node(v)
	}
	if p.Range != nil {
		l.write(rangeText(p.Range))
	}
	if p.By != nil {
		l.write("by", p.By.Raw)
	}
	if p.Descending {
		l.write("descending")
	}
	if p.Source != nil {
		l.source(p.Source)
	}
	if len(p.Except) > 0 {
		l.write("except", joinPaths(p.Except))
	}
	l.write(p.LimitRaw)
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

func (l *layout) source(s *Source) {
	switch s.Kind {
	case "step":
		if s.Path != nil {
			l.write(s.Path.Raw, "of")
		}
		l.node(s.Title)
	case "file":
		l.write("file")
		l.node(s.Title)
	default:
		l.write(s.Kind)
	}
}

func statusText(list []StatusClass) string {
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

// ClaimText is a claim on one line, as it stands in a file.
func ClaimText(c Claim) string {
	l := &layout{}
	l.claim(c)
	return l.b.String()
}

// ObserveText is an observation on one line, as it stands in a file.
func ObserveText(o *Observe) string {
	l := &layout{}
	l.observe(o)
	return l.b.String()
}

// ExpectText is an expectation on one line without its reason.
func ExpectText(e *Expect) string {
	l := &layout{}
	if e.Quantifier != "" {
		l.write(e.Quantifier)
		l.node(e.N)
	}
	l.claim(e.Claim)
	if e.When != nil {
		l.write("when")
		l.when(e.When)
	}
	return l.b.String()
}
