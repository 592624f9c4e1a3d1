package syntax

// Revision is what a replace, amend or delete must carry of the last answer.
type Revision struct {
	// From is where an answer shows it, As where a write carries it.
	From, As Carried
	// OnDelete is where a delete does, when elsewhere.
	OnDelete *Carried
}

// Carried is a place in a message: a header, a member of the body, or a query
// parameter.
type Carried struct {
	Header, Query string
	query         *Node
	Path          *Path
}

var _ = form(Form{Word: "revision", In: InResource, Usage: "revision header NAME|JSONPATH as header NAME|JSONPATH|query NAME [on delete as …]",
	Help:    "What a replace, amend or delete must carry of the item's last answer.",
	Example: `revision header ETag as header If-Match`}, func() Body { return &Revision{} })

func (b *Revision) read(p *parser) {
	form := "write revision header ETag as header If-Match, or revision $._rev as query rev"
	b.From.read(p, form, false)
	if p.failed || !p.needWord("as", form) {
		return
	}
	b.As.read(p, form, true)
	if !p.failed && p.takeWord("on") && p.needWord("delete", form) && p.needWord("as", form) {
		b.OnDelete = &Carried{}
		b.OnDelete.read(p, form, true)
	}
}

func (c *Carried) read(p *parser, form string, query bool) {
	p.spaces()
	switch {
	case p.peek() == '$':
		c.Path = p.path()
	case p.takeWord("header"):
		c.Header = p.headerName()
	case query && p.takeWord("query"):
		list := p.listItems()
		if len(list) != 1 {
			p.failHere("expected one query parameter", form)
			return
		}
		c.query = list[0]
		c.Query, _ = list[0].Template.Plain()
	default:
		p.failHere("expected where the revision stands, found "+p.found(), form)
	}
}

func (c *Carried) print(l *layout) {
	switch {
	case c.Path != nil:
		l.write(c.Path.Raw)
	case c.Header != "":
		l.write("header", c.Header)
	default:
		l.write("query", listItem(c.query))
	}
}

func (b *Revision) print(l *layout) {
	b.From.print(l)
	l.write("as")
	b.As.print(l)
	if b.OnDelete != nil {
		l.write("on delete as")
		b.OnDelete.print(l)
	}
}

func (b *Revision) walk(w walker) {
	w.path(b.From.Path)
	w.path(b.As.Path)
	if b.OnDelete != nil {
		w.path(b.OnDelete.Path)
	}
}
