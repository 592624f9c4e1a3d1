package syntax

// Named is a name by itself.
type Named struct{ Name string }

func (b *Named) read(p *parser)  { b.Name, _ = p.name("a name") }
func (b *Named) print(l *layout) { l.write(b.Name) }
func (b *Named) walk(walker)     {}

// nothing is the body of a statement that is only its word.
type nothing struct{}

func (nothing) read(*parser)  {}
func (nothing) print(*layout) {}
func (nothing) walk(walker)   {}

// Heading is a title in quotes.
type Heading struct{ Title *Node }

func (b *Heading) heading() *Node  { return b.Title }
func (b *Heading) print(l *layout) { l.node(b.Title) }
func (b *Heading) walk(w walker)   { w.node(b.Title) }
