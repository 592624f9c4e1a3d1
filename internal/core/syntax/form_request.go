package syntax

import (
	"strings"

	"usualpath/internal/core/value"
)

// Header is `header N: v`.
type Header struct {
	Name  string
	Value *Template
}

var _ = form(Form{Word: "header", In: InHead | InRequest | InDefaults | InEnvironment | InResource | InAlso, Role: roleDetail, Usage: "header NAME: VALUE",
	Help: "Sets a header: the first line of a name replaces a default, further ones add a line.", Example: `header Name: value`}, func() Body { return &Header{} })

func (b *Header) read(p *parser) {
	b.Name = p.headerName()
	if p.failed {
		return
	}
	if !p.takeByte(':') {
		hint := "write header " + b.Name + ": value"
		p.spaces()
		if p.peek() == '=' {
			hint = "headers have a colon: header " + b.Name + ": value"
		}
		p.failHere("expected `:` after the header's name, found "+p.found(), hint)
		return
	}
	b.Value = p.line()
}

func (b *Header) print(l *layout) {
	l.write(b.Name + ":")
	l.template(b.Value)
}

func (b *Header) walk(w walker) { w.template(b.Value) }

// Without is `without header N`.
type Without struct{ Name string }

var _ = form(Form{Word: "without", In: InRequest, Role: roleDetail, Usage: "without header NAME", Help: "Drops a header that a default would set.",
	Example: `without header Name`}, func() Body { return &Without{} })

func (b *Without) read(p *parser) {
	p.needWord("header", "without header Name")
	b.Name = p.headerName()
}

func (b *Without) print(l *layout) { l.write("header", b.Name) }
func (b *Without) walk(walker)     {}

// Auth is `auth basic "u" "p"`, `auth bearer V`, `auth header "N" V` or `auth
// none`.
type Auth struct {
	Scheme string
	Values []*Node
	// Header is the one of a service's own.
	Header *Node
}

// Field is the header that carries the credentials.
func (b *Auth) Field() string {
	if b.Header != nil {
		name, _ := b.Header.Template.Plain()
		return name
	}
	return "Authorization"
}

var _ = form(Form{Word: "auth", In: InHead | InRequest | InDefaults | InEnvironment | InResource, Role: roleDetail, Usage: `auth basic USER PASSWORD, auth bearer TOKEN, auth header "NAME" KEY, or auth none`,
	Help: "Sends credentials (RFC 7617, RFC 6750, or in a header of the service's own); `none` drops those of defaults and scenario.", Example: `auth bearer {token}`}, func() Body { return &Auth{} })

func (b *Auth) read(p *parser) {
	form := `auth basic "user" "password", auth bearer {token}, auth header "X-API-Key" {key}, or auth none`
	p.spaces()
	b.Scheme = p.word()
	want, known := map[string]int{"basic": 2, "bearer": 1, "header": 1, "none": 0}[b.Scheme]
	if !known {
		p.i -= len(b.Scheme)
		p.failHere("expected `basic`, `bearer`, `header` or `none`, found "+p.found(), "write "+form)
		return
	}
	if b.Scheme == "header" {
		b.Header = p.plainString("a header's name", form)
		if !p.failed && strings.IndexFunc(b.Field(), func(c rune) bool { return c > 0x7e || !tokenByte(byte(c)) }) >= 0 {
			p.fail(b.Header.Span, "this is not the name of a header", form)
		}
	}
	for len(b.Values) < want && !p.failed {
		p.spaces()
		if p.lineDone() {
			p.failHere("expected a value, found "+p.found(), "write "+form)
			return
		}
		if c := p.peek(); c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' {
			all := []string{"auth", b.Scheme}
			if b.Scheme == "header" {
				all = append(all, value.Quoted(b.Field()))
			}
			for _, w := range strings.Fields(p.rest().Text(p.s)) {
				all = append(all, value.Quoted(strings.Trim(w, `"`)))
			}
			p.failHere("expected a value, found "+p.found(), "text is written in quotes, each by itself: "+strings.Join(all, " "))
			return
		}
		b.Values = append(b.Values, p.value())
	}
}

func (b *Auth) print(l *layout) {
	l.write(b.Scheme)
	if b.Header != nil {
		l.node(b.Header)
	}
	for _, v := range b.Values {
		l.node(v)
	}
}

func (b *Auth) walk(w walker) {
	for _, v := range b.Values {
		w.node(v)
	}
}

// Follow is `follow N`, Together is `together N`.
type (
	Follow   struct{ count }
	Together struct{ count }
)

var (
	_ = form(Form{Word: "follow", In: InRequest, Role: roleDetail, Usage: "follow N", Help: "Follows up to N redirects; without it none.",
		Example: `follow 3`}, func() Body { return &Follow{count{word: "follow"}} })
	_ = form(Form{Word: "together", In: InRequest, Role: roleDetail, Usage: "together N", Help: "Sends N copies at once; `{turn}` is 1 to N.",
		Example: `together 8`}, func() Body { return &Together{count{word: "together"}} })
)

type count struct {
	word string
	N    *Node
}

func (b *count) read(p *parser)  { b.N = p.wholeNumber(b.word+" 3", 1, 10_000) }
func (b *count) print(l *layout) { l.node(b.N) }
func (b *count) walk(w walker)   { w.node(b.N) }

// Timeout is `timeout 2s`.
type Timeout struct{ For Duration }

var _ = form(Form{Word: "timeout", In: InRequest | InDefaults | InEnvironment, Role: roleDetail, Usage: "timeout DURATION", Help: "Bounds the exchange, redirects included.",
	Example: `timeout 5s`}, func() Body { return &Timeout{} })

func (b *Timeout) read(p *parser)  { b.For = p.duration("timeout 200ms") }
func (b *Timeout) print(l *layout) { l.write(b.For.Raw) }
func (b *Timeout) walk(walker)     {}

// Retry is `retry for D every D`.
type Retry struct{ For, Every Duration }

var _ = form(Form{Word: "retry", In: InRequest, Role: roleDetail, Usage: "retry for DURATION [every DURATION]", Help: "Sends until all that is expected holds.",
	Example: `retry for 5s every 200ms`}, func() Body { return &Retry{} })

func (b *Retry) read(p *parser) {
	p.needWord("for", "retry for 5s every 200ms")
	b.For = p.duration("retry for 5s every 200ms")
	if !p.failed && p.takeWord("every") {
		b.Every = p.duration("retry for 5s every 200ms")
	}
}

func (b *Retry) print(l *layout) {
	l.write("for", b.For.Raw)
	if b.Every.Raw != "" {
		l.write("every", b.Every.Raw)
	}
}

func (b *Retry) walk(walker) {}
