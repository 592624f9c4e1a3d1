package syntax

// Read is `read xml` or `read text`.
type Read struct{ What string }

var _ = form(Form{Word: "read", In: InHead, Usage: "read xml, or read text", Help: "Reads answers in XML as trees, so that JSONPaths and shapes are about them: `$.boat.name`, `$.boat['@id']`. With `text` an answer in plain text is a string, `$`; a line break at its end does not count.",
	Example: `read xml`}, func() Body { return &Read{} })

func (b *Read) read(p *parser)  { b.What = p.oneOf([]string{"xml", "text"}, "`xml` or `text`") }
func (b *Read) print(l *layout) { l.write(b.What) }
func (b *Read) walk(walker)     {}
