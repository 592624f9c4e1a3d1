package syntax

// Let is `let NAME = VALUE` or `let NAME from env VAR [or VALUE]`.
type Let struct {
	Name     string
	NameSpan span
	Value    *Node
	Env      string
	Or       *Node
}

var _ = form(Form{Word: "let", In: InFile | InHead | InStep | InEnvironment, Role: roleFree, Usage: "let NAME = VALUE, or let NAME from env VARIABLE [or VALUE]",
	Help: "Gives a value a name; it is worked out when it is first needed.", Example: `let name = value`}, func() Body { return &Let{} })

func (b *Let) read(p *parser) {
	b.Name, b.NameSpan = p.name("a name")
	if p.failed {
		return
	}
	if p.takeWord("from") {
		if p.needWord("env", "let name from env VARIABLE") {
			b.Env, _ = p.name("the variable's name")
			if !p.failed && p.takeWord("or") {
				b.Or = p.value()
			}
		}
		return
	}
	if !p.takeByte('=') {
		p.spaces()
		p.failHere("expected `=`, found "+p.found(), "write let "+b.Name+" = value, or let "+b.Name+" from env VARIABLE")
		return
	}
	if p.spaces(); p.lineDone() {
		p.failHere("expected a value, found "+p.found(), "write let "+b.Name+` = "text", a number, { … }, [ … ] or {uuid()}`)
		return
	}
	b.Value = p.value()
}

func (b *Let) print(l *layout) {
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
}

func (b *Let) walk(w walker) {
	w.node(b.Value)
	w.node(b.Or)
}

func (b *Let) binds(out []NameAt) []NameAt { return append(out, NameAt{b.Name, b.NameSpan}) }

// Secret is `secret NAME from env VAR` or `… from file "F"`.
type Secret struct {
	Name     string
	NameSpan span
	Env      string
	File     *Node
}

var _ = form(Form{Word: "secret", In: InFile | InEnvironment, Usage: `secret NAME from env VARIABLE, or secret NAME from file "FILE"`, Help: "A value that is never shown.",
	Example: `secret name from env VARIABLE`}, func() Body { return &Secret{} })

func (b *Secret) read(p *parser) {
	b.Name, b.NameSpan = p.name("a name")
	if p.failed {
		return
	}
	form := "secret " + b.Name + " from env VARIABLE"
	if p.takeByte('=') {
		p.fail(b.NameSpan, "a secret is not written into a file", form+`, or … from file "name"`)
		return
	}
	if !p.needWord("from", form) {
		return
	}
	if p.takeWord("file") {
		b.File = p.plainString("a file name", `secret name from file "token.txt"`)
		return
	}
	if p.needWord("env", form) {
		b.Env, _ = p.name("the variable's name")
	}
}

func (b *Secret) print(l *layout) {
	l.write(b.Name, "from")
	if b.File != nil {
		l.write("file")
		l.node(b.File)
		return
	}
	l.write("env", b.Env)
}

func (b *Secret) walk(walker) {}

func (b *Secret) binds(out []NameAt) []NameAt { return append(out, NameAt{b.Name, b.NameSpan}) }
