package syntax

import "strings"

// wide is how long a line may get before an object or array is broken.
const wide = 100

// nodeText writes a value or shape that starts on a line of this level.
func nodeText(n *Node, level int) string { return nodeTextAt(n, level, 0) }

func nodeTextAt(n *Node, level, before int) string {
	w := &valueWriter{level: level, before: before}
	w.node(n)
	return w.b.String()
}

// NodeText is a value or shape on one line where it has no line ends of its own.
func NodeText(n *Node) string { return nodeText(n, 0) }

// OneLine is a value or shape on one line, without its comments; only texts of
// several lines keep theirs.
func OneLine(n *Node) string {
	w := &valueWriter{oneLine: true, joined: true}
	w.node(n)
	return w.b.String()
}

type valueWriter struct {
	b     strings.Builder
	level int
	// before is what comes before the value on its line.
	before int
	// oneLine writes what is in an object or array on one line.
	oneLine bool
	// joined does so where it is on several lines too.
	joined bool
}

func (w *valueWriter) line() {
	w.b.WriteByte('\n')
	w.b.WriteString(strings.Repeat("  ", w.level))
}

func (w *valueWriter) node(n *Node) {
	switch n.Kind {
	case Null:
		w.b.WriteString("null")
	case True:
		w.b.WriteString("true")
	case False:
		w.b.WriteString("false")
	case Number:
		w.b.WriteString(n.Text)
	case String:
		w.str(n)
	case Ref:
		w.b.WriteString("{" + n.Expr.Raw + "}")
	case Regex:
		w.b.WriteString("/" + n.Text + "/")
		if n.Fold {
			w.b.WriteByte('i')
		}
	case Type:
		w.b.WriteString(n.Text)
		w.limits(n.Limits)
	case Not:
		w.b.WriteString("not ")
		w.node(n.Items[0].Value)
	case As:
		w.node(n.Items[0].Value)
		w.b.WriteString(" as " + n.Text)
	case Or:
		for i, it := range n.Items {
			if i > 0 {
				w.b.WriteString(" or ")
			}
			w.node(it.Value)
		}
	case Object, Array:
		w.container(n)
	}
}

func (w *valueWriter) str(n *Node) {
	if !n.Block {
		w.b.WriteString(`"` + n.Template.Raw + `"`)
		return
	}
	w.b.WriteString(`"""`)
	w.level++
	for _, l := range strings.Split(n.Template.Raw, "\n") {
		if l == "" {
			w.b.WriteByte('\n')
			continue
		}
		w.line()
		w.b.WriteString(l)
	}
	w.level--
	w.line()
	w.b.WriteString(`"""`)
}

func (w *valueWriter) within(b *Within) {
	if b.Number != nil {
		w.node(b.Number)
	} else {
		w.b.WriteString(b.Duration.Raw)
	}
	w.b.WriteString(" of ")
	w.node(b.Of)
}

func (w *valueWriter) limits(l *Limits) {
	if l == nil {
		return
	}
	if l.Range != nil {
		w.b.WriteString(" " + rangeText(l.Range))
	}
	if l.Within != nil {
		w.b.WriteString(" within ")
		w.within(l.Within)
	}
	if l.Length != nil {
		w.b.WriteString(" length " + rangeText(l.Length))
	}
	if l.Pattern != nil {
		w.b.WriteByte(' ')
		w.node(l.Pattern)
	}
	if l.Count != nil {
		w.b.WriteString(" count " + rangeText(l.Count))
	}
	if l.Of != nil {
		w.b.WriteString(" of ")
		w.node(l.Of)
	}
}

func rangeText(r *Range) string {
	lo, hi := "", ""
	if r.Lo != nil {
		lo = nodeText(r.Lo, 0)
	}
	if r.Hi != nil {
		hi = nodeText(r.Hi, 0)
	}
	switch {
	case r.Lo == r.Hi:
		return lo
	case r.LoOpen || r.HiOpen:
		var parts []string
		if r.Lo != nil {
			parts = append(parts, map[bool]string{true: "> ", false: ">= "}[r.LoOpen]+lo)
		}
		if r.Hi != nil {
			parts = append(parts, map[bool]string{true: "< ", false: "<= "}[r.HiOpen]+hi)
		}
		return strings.Join(parts, " ")
	}
	return lo + ".." + hi
}

func (w *valueWriter) container(n *Node) {
	open, end := "{", "}"
	if n.Kind == Array {
		open, end = "[", "]"
	}
	if n.AnyOrder {
		open = "any order ["
	}
	if w.oneLine && (w.joined || !n.Broken) {
		w.flat(n, open, end)
		return
	}
	if !n.Broken {
		flat := &valueWriter{level: w.level, oneLine: true}
		flat.flat(n, open, end)
		text := flat.b.String()
		column := w.b.Len() - 1 - strings.LastIndexByte(w.b.String(), '\n')
		if column == w.b.Len() {
			// The first line: what is before it, and its indentation, are not in w.
			column += w.before + 2*w.level
		}
		if column+len(text) <= wide || len(n.Fields)+len(n.Items) == 0 || strings.Contains(text, "\n") {
			w.b.WriteString(text)
			return
		}
	}
	w.b.WriteString(open)
	w.level++
	count := len(n.Fields) + len(n.Items)
	member := func(i int, around Comments, write func()) {
		for _, c := range around.Lead {
			w.line()
			w.b.WriteString(c.Text)
		}
		w.line()
		write()
		if i < count-1 || n.Open {
			w.b.WriteByte(',')
		}
		if around.Trail != "" {
			w.b.WriteString("  " + around.Trail)
		}
	}
	for i, f := range n.Fields {
		member(i, f.Comments, func() { w.field(f) })
	}
	for i, it := range n.Items {
		member(i, it.Comments, func() { w.node(it.Value) })
	}
	if n.Open {
		w.line()
		w.b.WriteString("...")
	}
	for _, c := range n.Tail {
		w.line()
		w.b.WriteString(c.Text)
	}
	w.level--
	w.line()
	w.b.WriteString(end)
}

func (w *valueWriter) field(f *Field) {
	w.node(f.Key)
	if f.Optional {
		w.b.WriteByte('?')
	}
	w.b.WriteString(": ")
	w.node(f.Value)
}

func (w *valueWriter) flat(n *Node, open, end string) {
	w.b.WriteString(open)
	gap := ""
	if n.Kind == Object && (len(n.Fields) > 0 || n.Open) {
		gap = " "
	}
	w.b.WriteString(gap)
	for i, f := range n.Fields {
		if i > 0 {
			w.b.WriteString(", ")
		}
		w.field(f)
	}
	for i, it := range n.Items {
		if i > 0 {
			w.b.WriteString(", ")
		}
		w.node(it.Value)
	}
	if n.Open {
		if len(n.Fields)+len(n.Items) > 0 {
			w.b.WriteString(", ")
		}
		w.b.WriteString("...")
	}
	w.b.WriteString(gap + end)
}
