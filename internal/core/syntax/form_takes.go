package syntax

// Takes is `takes SHAPE` or `takes schema "FILE"`.
type Takes struct{ Shape, Schema *Node }

var _ = form(Form{Word: "takes", In: InResource, Usage: `takes SHAPE, or takes schema "FILE"`, Help: "What a body may hold: types, limits, alternatives, patterns; from it follow the checks of `limits`.",
	Example: `takes { "name": string length 1..60, "length_m": number > 0 <= 60, "flag"?: "DK" or "NL" or null }`}, func() Body { return &Takes{} })

func (b *Takes) read(p *parser) {
	if p.takeWord("schema") {
		b.Schema = p.plainString("a file name", `takes schema "boat.schema.json"`)
		return
	}
	if b.Shape = p.needShape(); !p.failed && b.Shape.Kind != Object {
		p.fail(b.Shape.Span, "what a body may hold is an object", `write takes { "name": string length 1..60 }`)
	}
}

func (b *Takes) print(l *layout) {
	if b.Schema != nil {
		l.write("schema")
	}
	l.node(b.Schema)
	l.node(b.Shape)
}

func (b *Takes) walk(w walker) {
	w.node(b.Shape)
	w.node(b.Schema)
}
