package syntax

import (
	"slices"
	"strings"
)

// Step is `step "title"`.
type Step struct{ Heading }

var _ = form(Form{Word: "step", In: InHead | InStep | InRoutine, Below: InStep, Role: roleStep, Apart: true, Usage: `step "TITLE"`, Help: "Starts a step: one request, and what is expected of its answer.",
	Example: `step "title"`}, func() Body { return &Step{} })

func (b *Step) read(p *parser) { b.Title = p.title("step") }

// Do is `do "routine" with n = v, …`.
type Do struct {
	Heading
	With []Binding
}

var _ = form(Form{Word: "do", In: InHead | InStep | InRoutine, Role: roleCall, Usage: `do "ROUTINE" [with NAME = VALUE, …]`, Help: "Runs a routine's steps in place.",
	Example: `do "routine"`}, func() Body { return &Do{} })

func (b *Do) read(p *parser) {
	b.Title = p.title("do")
	if p.failed || !p.takeWord("with") {
		return
	}
	for {
		var one Binding
		one.Name, one.Span = p.name("a name")
		if p.failed {
			return
		}
		if !p.takeByte('=') {
			p.spaces()
			p.failHere("expected `=`, found "+p.found(), `write do "routine" with name = value`)
			return
		}
		one.Value = p.value()
		b.With = append(b.With, one)
		if p.failed || !p.takeByte(',') {
			return
		}
	}
}

func (b *Do) print(l *layout) {
	l.node(b.Title)
	for i, w := range b.With {
		if i == 0 {
			l.write("with")
		}
		l.write(w.Name, "=")
		l.node(w.Value)
		if i < len(b.With)-1 {
			l.b.WriteByte(',')
		}
	}
}

func (b *Do) walk(w walker) {
	for _, x := range b.With {
		w.node(x.Value)
	}
}

// Give is `give NAME, …`.
type Give struct{ Names []NameAt }

var _ = form(Form{Word: "give", In: InRoutine, Role: roleFree, Usage: "give NAME, …", Help: "The names that the caller of the routine gets.",
	Example: `give name`}, func() Body { return &Give{} })

func (b *Give) read(p *parser)  { b.Names = p.names("a name") }
func (b *Give) print(l *layout) { l.names(b.Names) }
func (b *Give) walk(walker)     {}

// When is `when SUBJECT PREDICATE of "step"`.
type When struct {
	Claim
	Of *Node
}

var _ = form(Form{Word: "when", In: InStep, Role: roleOpening, Usage: `when SUBJECT PREDICATE [of "STEP"]`, Help: "Skips the step when this does not hold of that step's answer; without `of`, of the last answer.",
	Example: `when status 200 of "step"`}, func() Body { return &When{} })

func (b *When) read(p *parser) {
	p.claim(&b.Claim)
	if !p.failed && p.takeWord("of") {
		b.Of = p.str("a step's title", `when status 200 of "step"`)
	}
}

func (b *When) print(l *layout) {
	l.claim(b.Claim)
	if b.Of != nil {
		l.write("of")
		l.node(b.Of)
	}
}

func (b *When) walk(w walker) { w.claim(b.Claim) }

// Pause is `pause 200ms`.
type Pause struct{ For Duration }

var _ = form(Form{Word: "pause", In: InStep, Role: roleOpening, Usage: "pause DURATION", Help: "Waits.",
	Example: `pause 200ms`}, func() Body { return &Pause{} })

func (b *Pause) read(p *parser)  { b.For = p.duration("pause 200ms") }
func (b *Pause) print(l *layout) { l.write(b.For.Raw) }
func (b *Pause) walk(walker)     {}

// Restart is `restart service`, Kill is `kill service`.
type (
	Restart struct{ process }
	Kill    struct{ process }
)

var (
	_ = form(Form{Word: "restart", In: InStep, Role: roleOpening, Usage: "restart service", Help: "Stops the service that the run has started, and starts it again on the same port and folder.",
		Example: `restart service`}, func() Body { return &Restart{process{"restart"}} })
	_ = form(Form{Word: "kill", In: InStep, Role: roleOpening, Usage: "kill service", Help: "Kills the service without warning, and starts it again.",
		Example: `kill service`}, func() Body { return &Kill{process{"kill"}} })
)

type process struct{ word string }

func (b *process) read(p *parser)  { p.needWord("service", b.word+" service") }
func (b *process) print(l *layout) { l.write("service") }
func (b *process) walk(walker)     {}

// Send is `send METHOD TARGET`.
type Send struct {
	Method string
	// Named is the method as a name, where Method is "".
	Named  *Expr
	Target *Template
}

var _ = form(Form{Word: "send", In: InStep, Below: InRequest, Role: roleSend, Usage: "send METHOD TARGET", Help: "Sends the step's one request: any method, or a name as `{method}`; a path, with or without a query, or a whole URL. A GET or HEAD that came by a name is sent without the body below it.",
	Example: `send GET /path`}, func() Body { return &Send{} })

func (b *Send) read(p *parser) {
	p.spaces()
	start := p.i
	form := "send GET /path"
	if p.peek() == '{' {
		if b.Named = p.tryExpr(); b.Named != nil {
			b.Target = p.needTarget("send {method} /path")
			return
		}
	}
	b.Method = p.httpToken()
	switch {
	case b.Method == "":
		p.failHere("expected a method, found "+p.found(), "write "+form)
		return
	case p.peek() == '/' || p.peek() == ':':
		p.i = start
		p.failHere("expected a method before the path, found "+p.found(), "write "+form)
		return
	case b.Method == strings.ToLower(b.Method) && slices.Contains(Methods, strings.ToUpper(b.Method)):
		p.fail(span{Start: start, End: p.i}, "methods are case-sensitive (RFC 9110 §9.1)", "write send "+strings.ToUpper(b.Method))
		return
	}
	b.Target = p.needTarget("send " + b.Method + " /path")
}

func (b *Send) print(l *layout) {
	if b.Named != nil {
		l.node(&Node{Kind: Ref, Expr: b.Named, Span: b.Named.Span})
	} else {
		l.write(b.Method)
	}
	l.template(b.Target)
}

func (b *Send) walk(w walker) {
	w.expr(b.Named)
	w.template(b.Target)
}

// Again is `again` or `again N times`.
type Again struct{ Times *Node }

var _ = form(Form{Word: "again", In: InStep, Below: InRequest, Role: roleAgain, Usage: "again [N times]", Help: "Sends the same request again; request lines below it change it, expectations below it are about each repeat.",
	Example: `again`}, func() Body { return &Again{} })

func (b *Again) read(p *parser) {
	if p.lineDone() {
		return
	}
	b.Times = p.wholeNumber("again 2 times", 1, 1_000_000)
	if !p.failed {
		_ = p.takeWord("times") || p.takeWord("time")
	}
}

func (b *Again) print(l *layout) {
	if b.Times != nil {
		l.node(b.Times)
		l.write("times")
	}
}

func (b *Again) walk(w walker) { w.node(b.Times) }
