package syntax

// Also is `also xml`.
type Also struct{}

var _ = form(Form{Word: "also", In: InResource, Below: InAlso, Aligned: true, Usage: "also xml", Help: "The same items in XML too, with `members`, `identity` and `make` of their own below it: they are checked in that form, and both forms must say the same.",
	Example: `also xml`}, func() Body { return &Also{} })

func (b *Also) read(p *parser)  { p.needWord("xml", "also xml") }
func (b *Also) print(l *layout) { l.write("xml") }
func (b *Also) walk(walker)     {}
