package syntax

// Paging is how a list is walked: `paging limit, offset`, or `paging by` a way.
type Paging struct {
	// By is offset, page, cursor or link; "" for none.
	By string
	// Names are the query parameters: limit and offset; page size and page, or the
	// page alone; the cursor.
	Names []string
	items []*Node
	// From is the number of the first page.
	From int
	// Next is where an answer shows the next cursor.
	Next *Path
	// short is the form without a way.
	short bool
}

const pagingForm = "write paging by offset limit, offset, by page per_page, page from 1, by cursor after from $.next, or by link"

// read takes what follows `paging`.
func (b *Paging) read(p *parser) {
	b.By = "offset"
	if b.short = !p.takeWord("by"); !b.short {
		b.By = p.oneOf([]string{"offset", "page", "cursor", "link"}, "a way to page")
	}
	if p.failed || b.By == "link" {
		return
	}
	start := p.i
	for _, n := range p.listItems() {
		text, _ := n.Template.Plain()
		b.Names, b.items = append(b.Names, text), append(b.items, n)
	}
	want := map[string][2]int{"offset": {2, 2}, "page": {1, 2}, "cursor": {1, 1}}[b.By]
	if n := len(b.Names); !p.failed && (n < want[0] || n > want[1]) {
		what := map[string]string{"offset": "two query parameters", "page": "the parameters of the page's size and number, or of the number alone", "cursor": "one query parameter"}[b.By]
		p.fail(span{Start: start, End: p.i}, "paging by "+b.By+" names "+what, pagingForm)
		return
	}
	switch {
	case p.failed:
	case b.By == "page":
		b.From = 1
		if p.takeWord("from") {
			n := p.wholeNumber("paging by page per_page, page from 1", 0, 1)
			if !p.failed && n.Kind == Number && n.Text == "0" {
				b.From = 0
			}
		}
	case b.By == "cursor":
		if p.needWord("from", "paging by cursor after from $.next") {
			b.Next = p.path()
		}
	}
}

func (b *Paging) print(l *layout) {
	if b.By == "" {
		return
	}
	if !b.short {
		l.write("by", b.By)
	}
	if len(b.items) > 0 {
		l.write("")
		l.list(b.items)
	}
	switch {
	case b.By == "page":
		l.write("from", []string{"0", "1"}[b.From])
	case b.Next != nil:
		l.write("from", b.Next.Raw)
	}
}

func (b *Paging) walk(w walker) { w.path(b.Next) }

// PagingText is a paging clause as it is written, "" for none.
func PagingText(b *Paging) string {
	if b == nil || b.By == "" {
		return ""
	}
	l := &layout{}
	l.write("paging")
	b.print(l)
	return l.b.String()
}
