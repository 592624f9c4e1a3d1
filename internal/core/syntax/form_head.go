package syntax

import (
	"strings"

	"usualpath/internal/core/source"
)

// About is `about "…"`.
type About struct{ Text *Node }

var _ = form(Form{Word: "about", In: InHead, Usage: `about "TEXT"`, Help: "Says what the scenario is for.",
	Example: `about "text"`}, func() Body { return &About{} })

func (b *About) read(p *parser)  { b.Text = p.str("a text", `about "what this is for"`) }
func (b *About) print(l *layout) { l.node(b.Text) }
func (b *About) walk(w walker)   { w.node(b.Text) }

// Tags is `tags a, b`.
type Tags struct{ Tags []string }

var _ = form(Form{Word: "tags", In: InHead, Usage: "tags TAG, …", Help: "Words by which --tag and --skip-tag choose the scenario.",
	Example: `tags one, two`}, func() Body { return &Tags{} })

func (b *Tags) read(p *parser) {
	for {
		p.spaces()
		start := p.i
		for p.i < len(p.s) && (wordByte(p.s[p.i]) || p.s[p.i] == '-' || p.s[p.i] >= 0x80) {
			p.i++
		}
		if p.i == start {
			p.failHere("expected a tag, found "+p.found(), "tags are words, with commas between: tags crud, smoke")
			return
		}
		b.Tags = append(b.Tags, p.s[start:p.i])
		if !p.takeByte(',') {
			if w := p.nextWord(); w != "" && !p.lineDone() {
				p.failHere("expected `,` between tags, found "+p.found(), "write tags crud, smoke")
			}
			return
		}
	}
}

func (b *Tags) print(l *layout) { l.write(strings.Join(b.Tags, ", ")) }
func (b *Tags) walk(walker)     {}

// Cases is `for each case`, its rows below it or in a file. Files may have a
// great many: of a row only its place is kept, and it is read anew when it is asked for.
type Cases struct {
	In   *Node
	file *source.File
	// rows are the offsets from which rows are read, comments before them included.
	rows []int32
}

// Len is how many rows are below it.
func (b *Cases) Len() int { return len(b.rows) }

// Row is one of them, as a statement whose body is a Row.
func (b *Cases) Row(i int) *Statement {
	p := &parser{cursor: cursor{file: b.file, s: b.file.Text, i: int(b.rows[i])}}
	p.top = &Statement{Children: []*Statement{{Body: &Cases{}}}}
	p.statement()
	return p.row
}

var _ = form(Form{Word: "for", In: InHead, Usage: `for each case [in "FILE"]`, Help: "Runs the scenario once for each row: objects below it, or those of a CSV or JSON file.",
	Example: `for each case`}, func() Body { return &Cases{} })

func (b *Cases) read(p *parser) {
	form := `for each case, or for each case in "rows.csv"`
	if !p.needWord("each", form) || !p.needWord("case", form) {
		return
	}
	if p.takeWord("in") {
		b.In = p.plainString("a file name", form)
	}
}

func (b *Cases) print(l *layout) {
	l.write("each case")
	if b.In != nil {
		l.write("in")
		l.node(b.In)
	}
}

func (b *Cases) walk(walker) {}

// Row is one case. It begins with its brace, not with a word.
type Row struct{ Value *Node }

var rowForm = &Form{Word: "{", body: func() Body { return &Row{} }}

func (b *Row) read(p *parser) { b.Value = p.value() }

func (b *Row) print(l *layout) {
	l.b.Reset()
	l.node(b.Value)
}

func (b *Row) walk(w walker) { w.node(b.Value) }

// Alone is `alone`.
type Alone struct{ nothing }

var _ = form(Form{Word: "alone", In: InFile | InHead, Usage: "alone", Help: "The scenario never runs beside another; at the top of a file none of its scenarios and checks does, in project.upath none of the project's.",
	Example: `alone`}, func() Body { return &Alone{} })
