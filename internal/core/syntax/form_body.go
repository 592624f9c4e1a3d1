package syntax

import "strings"

// Content is a value that is sent as a body, with `as MEDIA`.
type Content struct {
	Value *Node
	Media *Template
}

// Bodied is a statement that holds a body.
type Bodied interface {
	Body
	Sent() *Content
}

// Sent is what is sent.
func (b *Content) Sent() *Content { return b }

func (b *Content) print(l *layout) {
	l.node(b.Value)
	if b.Media != nil {
		l.write("as", b.Media.Raw)
	}
}

func (b *Content) walk(w walker) {
	w.node(b.Value)
	w.template(b.Media)
}

// JSON is `json V as MEDIA`, Text is `text S as MEDIA`, XML is `xml S as
// MEDIA`, FileBody is `file "F" as MEDIA`.
type (
	JSON     struct{ Content }
	Text     struct{ Content }
	XML      struct{ Content }
	FileBody struct{ Content }
)

var (
	_ = form(Form{Word: "json", In: InRequest, Role: roleDetail, Usage: "json VALUE [as MEDIA]", Help: "A JSON body and its content type.",
		Example: `json { … }`}, func() Body { return &JSON{} })
	_ = form(Form{Word: "text", In: InRequest, Role: roleDetail, Usage: "text TEXT [as MEDIA]", Help: "A body of plain text, or of the type that is named.",
		Example: `text "…"`}, func() Body { return &Text{} })
	_ = form(Form{Word: "xml", In: InRequest, Role: roleDetail, Usage: "xml TEXT [as MEDIA]", Help: "A body of XML.",
		Example: `xml "…"`}, func() Body { return &XML{} })
	_ = form(Form{Word: "file", In: InRequest, Role: roleDetail, Usage: `file "FILE" [as MEDIA]`, Help: "The bytes of a file; its ending says what type they are.",
		Example: `file "name"`}, func() Body { return &FileBody{} })
)

func (b *JSON) read(p *parser) { b.json(p, `json { "name": "value" }`) }

// json reads a value and its type; example is how that is written.
func (b *Content) json(p *parser, example string) {
	if p.lineDone() {
		p.failHere("expected a JSON value, found "+p.found(), "write "+example)
		return
	}
	b.Value = p.value()
	b.Media = p.media()
}

func (b *Text) read(p *parser) { b.text(p, "text") }
func (b *XML) read(p *parser)  { b.text(p, "xml") }

func (b *FileBody) read(p *parser) {
	b.Value = p.plainString("a file name", `file "photo.png"`)
	b.Media = p.media()
}

// text reads a text in quotes, or a name that stands for one.
func (b *Content) text(p *parser, word string) {
	p.spaces()
	if p.peek() == '{' {
		if e := p.tryExpr(); e != nil {
			b.Value = &Node{Kind: Ref, Expr: e, Span: e.Span}
		}
	}
	if b.Value == nil {
		b.Value = p.str("a text", word+` "…"`)
	}
	b.Media = p.media()
}

// media reads `as MEDIA` to the end of the line.
func (p *parser) media() *Template {
	if p.failed || !p.takeWord("as") {
		return nil
	}
	t := p.needLine("a media type", "as application/json")
	if raw, ok := t.Plain(); ok && !p.failed && !strings.Contains(raw, "/") {
		p.fail(t.Span, "a media type has two parts with `/` between", "write as application/json")
	}
	return t
}

// Pair is `NAME = VALUE`.
type Pair struct {
	Name *Template
	// Named is the name where it is in quotes.
	Named *Node
	Value *Template
	// Quoted marks a value in quotes; Bare has no value at all.
	Quoted *Node
	Bare   bool
}

// Query is `query n = v` or `query n`, FormField is `form n = v`, Variable is
// `env N = v`, Filter is `filter n = v`.
type (
	Query     struct{ Pair }
	FormField struct{ Pair }
	Variable  struct{ Pair }
	Filter    struct{ Pair }
)

var (
	_ = form(Form{Word: "query", In: InRequest, Role: roleDetail, Usage: "query NAME [= VALUE]", Help: "A query parameter; the value is text to the end of the line. Name and value may be in quotes.",
		Example: `query name = value`}, func() Body { return &Query{} })
	_ = form(Form{Word: "form", In: InRequest, Role: roleDetail, Usage: "form NAME = VALUE", Help: "A field of a URL-encoded body; the name may be in quotes.",
		Example: `form name = value`}, func() Body { return &FormField{} })
	_ = form(Form{Word: "env", In: InService, Usage: "env NAME = VALUE", Help: "A variable of the service's environment.",
		Example: `env NAME = "value"`}, func() Body { return &Variable{} })
	_ = form(Form{Word: "filter", In: InResource, Usage: "filter NAME = VALUE", Help: "A query that selects the items made.",
		Example: `filter flag = DK`}, func() Body { return &Filter{} })
)

func (b *Query) read(p *parser) {
	b.name(p, "query")
	if !p.failed && p.lineDone() {
		b.Bare = true
		return
	}
	b.value(p, "query")
}

func (b *FormField) read(p *parser) { b.whole(p, "form") }
func (b *Variable) read(p *parser)  { b.whole(p, "env") }
func (b *Filter) read(p *parser)    { b.whole(p, "filter") }

func (b *Pair) whole(p *parser, word string) {
	b.name(p, word)
	b.value(p, word)
}

// name is anything up to a space or `=`, or a text in quotes.
func (b *Pair) name(p *parser, word string) {
	p.spaces()
	if p.peek() == '"' {
		if b.Named = p.stringNode(); !p.failed {
			b.Name = b.Named.Template
		}
		return
	}
	b.Name = p.template(func() bool { return strings.IndexByte(" \t\r\n=", p.s[p.i]) >= 0 }, false)
	if b.Name.Raw == "" {
		p.failHere("expected a name, found "+p.found(), "write "+word+" name = value")
	}
}

func (b *Pair) value(p *parser, word string) {
	if p.failed {
		return
	}
	if !p.takeByte('=') {
		p.spaces()
		p.failHere("expected `=`, found "+p.found(), "write "+word+" name = value")
		return
	}
	b.Value, b.Quoted = p.pairValue()
}

// pairValue is text in quotes, or the rest of the line.
func (p *parser) pairValue() (*Template, *Node) {
	p.spaces()
	if p.peek() == '"' {
		n := p.stringNode()
		return n.Template, n
	}
	return p.line(), nil
}

func (b *Pair) print(l *layout) {
	if b.Named != nil {
		l.node(b.Named)
	} else {
		l.write(b.Name.Raw)
	}
	if !b.Bare {
		l.write("=")
		l.pairValue(b.Value, b.Quoted)
	}
}

func (b *Pair) walk(w walker) {
	w.template(b.Name)
	w.template(b.Value)
}

// PartOf is `part n = v` or `part n file "F"`.
type PartOf struct {
	Name string
	// Named is the name where it is in quotes.
	Named *Node
	Value *Template
	// Quoted is the value when it is in quotes.
	Quoted *Node
	File   *Node
	Media  *Template
}

var _ = form(Form{Word: "part", In: InRequest, Role: roleDetail, Usage: `part NAME = VALUE, or part NAME file "FILE" [as MEDIA]`, Help: "A part of a multipart body; the name may be in quotes.",
	Example: `part name = value`}, func() Body { return &PartOf{} })

func (b *PartOf) read(p *parser) {
	p.spaces()
	if p.peek() == '"' {
		b.Named = p.plainString("a name", `part "first name" = value`)
		if p.failed {
			return
		}
		b.Name, _ = b.Named.Template.Plain()
	} else {
		b.Name = p.httpToken()
	}
	if b.Name == "" {
		p.failHere("expected a name, found "+p.found(), `write part name = value, or part name file "photo.png"`)
		return
	}
	if p.takeWord("file") {
		b.File = p.plainString("a file name", `part photo file "photo.png"`)
		b.Media = p.media()
		return
	}
	if !p.takeByte('=') {
		p.spaces()
		p.failHere("expected `=` or `file`, found "+p.found(), `write part name = value, or part name file "photo.png"`)
		return
	}
	b.Value, b.Quoted = p.pairValue()
}

func (b *PartOf) print(l *layout) {
	if b.Named != nil {
		l.node(b.Named)
	} else {
		l.write(b.Name)
	}
	if b.File == nil {
		l.write("=")
		l.pairValue(b.Value, b.Quoted)
		return
	}
	l.write("file")
	l.node(b.File)
	if b.Media != nil {
		l.write("as", b.Media.Raw)
	}
}

func (b *PartOf) walk(w walker) {
	w.template(b.Value)
	w.node(b.File)
	w.template(b.Media)
}
