package syntax

import (
	"errors"
	"slices"
	"strconv"
	"strings"
	"time"

	"usualpath/internal/core/source"
)

// body reads what follows the keyword of a statement.
func (p *parser) body(st *Statement) {
	switch st.Word {
	case "use":
		st.Body = &Use{Path: p.plainString("a file name", `use "common.upath"`)}
	case "let":
		st.Body = p.let()
	case "secret":
		st.Body = p.secret()
	case "base":
		st.Body = &Base{URL: p.needLine("a URL", "base http://127.0.0.1:8080")}
	case "scenario", "step":
		st.Body = &Titled{Title: p.title(st.Word)}
	case "afterwards", "defaults", "alone":
		st.Body = &Block{}
	case "check", "collection", "item", "members", "content", "identity", "make", "remake", "amend", "assigned", "required",
		"unique", "hidden", "volatile", "reads", "filter", "paging", "supports", "answers", "under", "idempotency", "disposable", "skip":
		p.resourceLine(st)
	case "before", "after":
		p.needWord("each", st.Word+" each")
		st.Body = &Each{}
	case "project", "environment", "service", "resource":
		n, _ := p.name("a name")
		st.Body = &Named{Name: n}
	case "routine":
		r := &Routine{Title: p.title("routine")}
		if !p.failed && p.takeWord("takes") {
			r.Takes = p.names("a name")
		}
		st.Body = r
	case "give":
		st.Body = &Give{Names: p.names("a name")}
	case "do":
		st.Body = p.do()
	case "about":
		st.Body = &About{Text: p.str("a text", `about "what this is for"`)}
	case "tags":
		st.Body = p.tags()
	case "for":
		st.Body = p.cases()
	case "observe":
		st.Body = p.observe()
	case "guard":
		st.Body = p.guard()
	case "header":
		st.Body = p.header()
	case "without":
		p.needWord("header", "without header Name")
		st.Body = &Without{Name: p.headerName()}
	case "query", "form", "env":
		st.Body = p.pair(st.Word)
	case "json", "text", "xml", "file":
		st.Body = p.content(st.Word)
	case "part":
		st.Body = p.part()
	case "auth":
		st.Body = p.auth()
	case "follow", "together":
		st.Body = &Count{N: p.wholeNumber(st.Word+" 3", 1, 10_000)}
	case "pause", "timeout":
		st.Body = &Wait{For: p.duration(st.Word + " 200ms")}
	case "retry":
		r := &Retry{}
		p.needWord("for", "retry for 5s every 200ms")
		r.For = p.duration("retry for 5s every 200ms")
		if !p.failed && p.takeWord("every") {
			r.Every = p.duration("retry for 5s every 200ms")
		}
		st.Body = r
	case "restart", "kill":
		p.needWord("service", st.Word+" service")
		st.Body = &Process{}
	case "send":
		st.Body = p.send()
	case "again":
		a := &Again{}
		if !p.lineDone() {
			a.Times = p.wholeNumber("again 2 times", 1, 1_000_000)
			if !p.failed {
				_ = p.takeWord("times") || p.takeWord("time")
			}
		}
		st.Body = a
	case "when":
		st.Body = p.when()
	case "expect", "prefer", "need":
		st.Body = p.expect()
	case "keep":
		st.Body = p.keep()
	case "cookies":
		st.Body = &Setting{Text: p.needLine("on or off", "cookies on")}
		if t, _ := st.Body.(*Setting).Text.Plain(); !p.failed && t != "on" && t != "off" {
			p.fail(st.Body.(*Setting).Text.Span, "cookies are `on` or `off`", "write cookies on")
		}
	case "allow":
		st.Body = &Setting{Text: p.needLine("a host", "allow bench.example")}
	case "start":
		st.Body = &Start{Command: p.str("a command", `start "./service --listen 127.0.0.1:{port}"`)}
	case "watch":
		st.Body = &Start{Command: p.str("a file or folder", `watch "src"`)}
	case "ready":
		st.Body = p.ready()
	case "stop":
		st.Body = p.stop()
	}
}

// str reads a string in quotes.
func (p *parser) str(what, form string) *Node {
	p.blanks()
	if p.peek() == '"' {
		return p.stringNode()
	}
	hint := "write " + form
	if p.peek() == '\'' {
		hint = `texts stand in double quotes: "…"`
	}
	p.failHere(what+" in quotes was expected, found "+p.found(), hint)
	return nil
}

// plainString is a string without names in it.
func (p *parser) plainString(what, form string) *Node {
	n := p.str(what, form)
	if n != nil && !p.failed {
		if _, ok := n.Template.Plain(); !ok {
			p.fail(n.Span, "no names can stand here", `a brace that is itself is written \{`)
		}
	}
	return n
}

func (p *parser) title(word string) *Node {
	n := p.str("a title", word+` "title"`)
	if n == nil || p.failed {
		return n
	}
	if strings.TrimSpace(n.Template.Raw) == "" {
		p.report(n.Span, "this title is empty", "say in a few words what it does")
	}
	if n.Block {
		p.report(n.Span, "a title stands on one line", "")
	}
	return n
}

// needLine reads the rest of the line as text; it must not be empty.
func (p *parser) needLine(what, form string) *Template {
	t := p.line()
	if !p.failed && t.Raw == "" {
		p.failHere(what+" was expected, found "+p.found(), "write "+form)
	}
	return t
}

func (p *parser) let() *Let {
	l := &Let{}
	l.Name, l.NameSpan = p.name("a name")
	if p.failed {
		return l
	}
	if p.takeWord("from") {
		if p.needWord("env", "let name from env VARIABLE") {
			l.Env, _ = p.name("the variable's name")
			if !p.failed && p.takeWord("or") {
				l.Or = p.value()
			}
		}
		return l
	}
	if !p.takeByte('=') {
		p.blanks()
		p.failHere("`=` was expected, found "+p.found(), "write let "+l.Name+" = value, or let "+l.Name+" from env VARIABLE")
		return l
	}
	l.Value = p.value()
	return l
}

func (p *parser) secret() *Secret {
	s := &Secret{}
	s.Name, s.NameSpan = p.name("a name")
	if p.failed {
		return s
	}
	form := "secret " + s.Name + " from env VARIABLE"
	if p.takeByte('=') {
		p.fail(s.NameSpan, "a secret is not written into a file", form+`, or … from file "name"`)
		return s
	}
	if !p.needWord("from", form) {
		return s
	}
	if p.takeWord("file") {
		s.File = p.plainString("a file name", `secret name from file "token.txt"`)
		return s
	}
	if p.needWord("env", form) {
		s.Env, _ = p.name("the variable's name")
	}
	return s
}

func (p *parser) do() *Do {
	d := &Do{Title: p.title("do")}
	if p.failed || !p.takeWord("with") {
		return d
	}
	for {
		var b Binding
		b.Name, b.Span = p.name("a name")
		if p.failed {
			return d
		}
		if !p.takeByte('=') {
			p.blanks()
			p.failHere("`=` was expected, found "+p.found(), `write do "routine" with name = value`)
			return d
		}
		b.Value = p.value()
		d.With = append(d.With, b)
		if p.failed || !p.takeByte(',') {
			return d
		}
	}
}

func (p *parser) tags() *Tags {
	t := &Tags{}
	for {
		p.blanks()
		start := p.i
		for p.i < len(p.s) && (wordByte(p.s[p.i]) || p.s[p.i] == '-' || p.s[p.i] >= 0x80) {
			p.i++
		}
		if p.i == start {
			p.failHere("a tag was expected, found "+p.found(), "tags are words, with commas between: tags crud, smoke")
			return t
		}
		t.Tags = append(t.Tags, p.s[start:p.i])
		if !p.takeByte(',') {
			if w := p.nextWord(); w != "" && !p.lineDone() {
				p.failHere("`,` was expected between tags, found "+p.found(), "write tags crud, smoke")
			}
			return t
		}
	}
}

func (p *parser) cases() *Cases {
	form := `for each case, or for each case in "rows.csv"`
	if !p.needWord("each", form) || !p.needWord("case", form) {
		return &Cases{}
	}
	if p.takeWord("in") {
		return &Cases{In: p.plainString("a file name", form)}
	}
	return &Cases{}
}

func (p *parser) observe() *Observe {
	o := &Observe{}
	form := "observe boats at /boats by $.id"
	o.Name, o.NameSpan = p.name("a name")
	if p.failed {
		return o
	}
	if Reserved(o.Name) {
		p.fail(o.NameSpan, "`"+o.Name+"` is taken: expectations are about it", "choose another name")
		return o
	}
	if !p.needWord("at", form) {
		return o
	}
	o.At = p.needTarget(form)
	p.seen(o, form)
	return o
}

func (p *parser) guard() *Guard {
	form := "guard /boats by $.id"
	o := &Observe{At: p.needTarget(form)}
	p.seen(o, form)
	if !p.failed && o.By == nil {
		p.failHere("`by` was expected: it tells the members of the list apart", form)
	}
	return &Guard{Of: o}
}

// seen reads how the members of an observed list are found and compared.
func (p *parser) seen(o *Observe, form string) {
	for !p.failed && !p.lineDone() {
		switch {
		case p.takeWord("in"):
			o.In = p.path()
		case p.takeWord("by"):
			o.By = p.path()
		case p.takeWord("without"):
			o.Without = p.value()
		case p.takeWord("ignoring"):
			o.Ignoring = p.paths()
		case p.takeWord("paging"):
			for _, n := range p.names("a query parameter") {
				o.Paging = append(o.Paging, n.Name)
			}
			if !p.failed && len(o.Paging) != 2 {
				p.failHere("paging names two query parameters", "write paging limit, offset")
			}
		default:
			p.failHere("`in`, `by`, `without`, `ignoring` or `paging` was expected, found "+p.found(), form)
		}
	}
}

func (p *parser) paths() []*Path {
	var out []*Path
	for {
		one := p.path()
		if p.failed {
			return out
		}
		out = append(out, one)
		if !p.takeByte(',') {
			return out
		}
	}
}

func (p *parser) needTarget(form string) *Template {
	p.blanks()
	if p.lineDone() {
		p.failHere("a path was expected, found "+p.found(), "write "+form)
		return &Template{}
	}
	start := p.i
	t := p.target()
	if len(t.Parts) == 0 {
		// A stray carriage return ends a target, and no line.
		p.failHere("a path was expected, found "+p.found(), "write "+form)
		return t
	}
	if first := t.Parts[0]; first.Expr == nil {
		switch {
		case strings.HasPrefix(first.Text, "/"), strings.HasPrefix(first.Text, "http://"), strings.HasPrefix(first.Text, "https://"):
		case first.Text == "*":
		case strings.HasPrefix(first.Text, `"`):
			p.fail(source.Span{Start: start, End: p.i}, "a path stands without quotes", "write send GET /path")
		case strings.Contains(first.Text, "://"):
			p.fail(source.Span{Start: start, End: p.i}, "unknown scheme in this URL", "http:// and https:// are spoken")
		default:
			p.fail(source.Span{Start: start, End: p.i}, "a path starts with `/`, a URL with http:// or https://", "write /"+strings.TrimLeft(t.Raw, "/"))
		}
	}
	return t
}

func (p *parser) headerName() string {
	p.blanks()
	start := p.i
	n := p.httpToken()
	if n == "" {
		p.failHere("a header's name was expected, found "+p.found(), "write header Name: value")
		p.i = start
	}
	return n
}

func (p *parser) header() *Header {
	h := &Header{Name: p.headerName()}
	if p.failed {
		return h
	}
	if !p.takeByte(':') {
		hint := "write header " + h.Name + ": value"
		p.blanks()
		if p.peek() == '=' {
			hint = "headers have a colon: header " + h.Name + ": value"
		}
		p.failHere("`:` was expected after the header's name, found "+p.found(), hint)
		return h
	}
	h.Value = p.line()
	return h
}

// pairName is a query or form name: anything up to a blank or `=`.
func (p *parser) pairName() *Template {
	p.blanks()
	return p.template(func() bool { return strings.IndexByte(" \t\r\n=", p.s[p.i]) >= 0 }, false)
}

func (p *parser) pair(word string) *Pair {
	pr := &Pair{Name: p.pairName()}
	if pr.Name.Raw == "" {
		p.failHere("a name was expected, found "+p.found(), "write "+word+" name = value")
		return pr
	}
	if word == "query" && p.lineDone() {
		pr.Bare = true
		return pr
	}
	if !p.takeByte('=') {
		p.blanks()
		p.failHere("`=` was expected, found "+p.found(), "write "+word+" name = value")
		return pr
	}
	pr.Value, pr.Quoted = p.pairValue()
	return pr
}

// pairValue is text in quotes, or the rest of the line.
func (p *parser) pairValue() (*Template, *Node) {
	p.blanks()
	if p.peek() == '"' {
		n := p.stringNode()
		return n.Template, n
	}
	return p.line(), nil
}

func (p *parser) content(word string) *Content {
	ct := &Content{}
	switch word {
	case "json":
		if p.lineDone() {
			p.failHere("a JSON value was expected, found "+p.found(), `write json { "name": "value" }`)
			return ct
		}
		ct.Value = p.value()
	case "file":
		ct.Value = p.plainString("a file name", `file "photo.png"`)
	default:
		p.blanks()
		if p.peek() == '{' {
			if e := p.tryExpr(); e != nil {
				ct.Value = &Node{Kind: Ref, Expr: e, Span: e.Span}
				break
			}
		}
		ct.Value = p.str("a text", word+` "…"`)
	}
	ct.Media = p.media()
	return ct
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

func (p *parser) part() *PartOf {
	pt := &PartOf{}
	p.blanks()
	pt.Name = p.httpToken()
	if pt.Name == "" {
		p.failHere("a name was expected, found "+p.found(), `write part name = value, or part name file "photo.png"`)
		return pt
	}
	if p.takeWord("file") {
		pt.File = p.plainString("a file name", `part photo file "photo.png"`)
		pt.Media = p.media()
		return pt
	}
	if !p.takeByte('=') {
		p.blanks()
		p.failHere("`=` or `file` was expected, found "+p.found(), `write part name = value, or part name file "photo.png"`)
		return pt
	}
	pt.Value, pt.Quoted = p.pairValue()
	return pt
}

func (p *parser) auth() *Auth {
	form := `auth basic "user" "password", or auth bearer {token}`
	p.blanks()
	a := &Auth{Scheme: p.word()}
	want := map[string]int{"basic": 2, "bearer": 1}[a.Scheme]
	if want == 0 {
		p.i -= len(a.Scheme)
		p.failHere("`basic` or `bearer` was expected, found "+p.found(), "write "+form)
		return a
	}
	for len(a.Values) < want && !p.failed {
		p.blanks()
		if p.lineDone() {
			p.failHere("a value was expected, found "+p.found(), "write "+form)
			return a
		}
		a.Values = append(a.Values, p.value())
	}
	return a
}

func (p *parser) send() *Send {
	s := &Send{}
	p.blanks()
	start := p.i
	s.Method = p.httpToken()
	form := "send GET /path"
	switch {
	case s.Method == "":
		p.failHere("a method was expected, found "+p.found(), "write "+form)
		return s
	case p.peek() == '/' || p.peek() == ':':
		p.i = start
		p.failHere("a method was expected before the path, found "+p.found(), "write "+form)
		return s
	case s.Method == strings.ToLower(s.Method) && slices.Contains(Methods, strings.ToUpper(s.Method)):
		p.fail(source.Span{Start: start, End: p.i}, "methods are case-sensitive (RFC 9110 §9.1)", "write send "+strings.ToUpper(s.Method))
		return s
	}
	s.Target = p.needTarget("send " + s.Method + " /path")
	return s
}

func (p *parser) keep() *Keep {
	k := &Keep{}
	form := "keep name from $.id"
	if mark := p.i; p.takeWord("every") {
		k.Every = p.nextWord() != "from"
		if !k.Every {
			p.i = mark
		}
	}
	k.Name, k.NameSpan = p.name("a name")
	if p.failed || !p.needWord("from", form) {
		return k
	}
	p.blanks()
	if p.peek() == '$' {
		k.From, k.Path = "path", p.path()
		p.ifThere(k)
		return k
	}
	start := p.i
	k.From = p.word()
	span := source.Span{Start: start, End: p.i}
	switch k.From {
	case "status", "body":
	case "header":
		k.Key = p.headerName()
	case "cookie":
		k.Key = p.headerName()
	case "text":
		p.blanks()
		if p.peek() != '/' {
			p.failHere("a regular expression was expected, found "+p.found(), "write keep name from text /id=(\\d+)/")
			return k
		}
		k.Pattern = p.regexNode()
	case "xml":
		k.Key = p.xpath()
	default:
		if span.Start == span.End {
			span = p.token()
		}
		hint := nearest(k.From, []string{"status", "body", "header", "cookie", "text", "xml"})
		if hint == "" {
			hint = "values come from a JSONPath ($.id), header N, cookie C, status, body, text /re/ or xml XPATH"
		}
		p.fail(span, "nothing can be kept from "+p.quoteOr(span), hint)
	}
	p.ifThere(k)
	return k
}

// ifThere reads the end of a keep that may find nothing.
func (p *parser) ifThere(k *Keep) {
	if !p.failed && p.takeWord("if") {
		k.IfThere = p.needWord("there", "keep "+k.Name+" from … if there")
	}
}

func (p *parser) quoteOr(span source.Span) string {
	if span.Start == span.End {
		return p.found()
	}
	return "`" + p.s[span.Start:span.End] + "`"
}

// xpath is in quotes, or runs to a blank outside brackets and quotes.
func (p *parser) xpath() string {
	p.blanks()
	if p.peek() == '"' {
		n := p.plainString("an XPath", `xml "//boat/name"`)
		text, _ := n.Template.Plain()
		return text
	}
	start, deep := p.i, 0
	var quote byte
	for p.i < len(p.s) && p.s[p.i] != '\n' && p.s[p.i] != '\r' {
		b := p.s[p.i]
		switch {
		case quote != 0:
			if b == quote {
				quote = 0
			}
		case b == '\'' || b == '"':
			quote = b
		case b == '[' || b == '(':
			deep++
		case b == ']' || b == ')':
			deep--
		}
		if deep == 0 && quote == 0 && (b == ' ' || b == '\t') {
			break
		}
		p.i++
	}
	if p.i == start {
		p.failHere("an XPath was expected, found "+p.found(), "write xml /harbour/boat/name")
	}
	return p.s[start:p.i]
}

func (p *parser) wholeNumber(form string, lo, hi int) *Node {
	p.blanks()
	start := p.i
	if p.peek() == '{' {
		if e := p.tryExpr(); e != nil {
			return &Node{Kind: Ref, Expr: e, Span: e.Span}
		}
	}
	n := p.numberNode()
	if n == nil {
		p.failHere("a whole number was expected, found "+p.found(), "write "+form)
		return nil
	}
	at := 0
	for _, b := range []byte(n.Text) {
		if b < '0' || b > '9' || at > hi {
			at = -1
			break
		}
		at = at*10 + int(b-'0')
	}
	if at < lo || at > hi {
		p.fail(source.Span{Start: start, End: p.i}, "a whole number from "+strconv.Itoa(lo)+" to "+strconv.Itoa(hi)+" was expected", "write "+form)
	}
	return n
}

// duration reads 200ms, 5s, 2m.
func (p *parser) duration(form string) Duration {
	p.blanks()
	start := p.i
	for p.i < len(p.s) && (wordByte(p.s[p.i]) || p.s[p.i] == '.') {
		p.i++
	}
	raw := p.s[start:p.i]
	span := source.Span{Start: start, End: p.i}
	d, err := ParseDuration(raw)
	if err != nil {
		if raw == "" {
			span = p.token()
		}
		hint := "write " + form
		if raw != "" && strings.Trim(raw, "0123456789") == "" {
			hint = "say of what: " + raw + "ms or " + raw + "s"
		}
		p.fail(span, "a duration was expected, found "+p.quoteOr(span), hint)
	}
	return Duration{Raw: raw, D: d}
}

// ParseDuration reads a duration of the language: a number and ms, s or m.
func ParseDuration(raw string) (time.Duration, error) {
	for _, unit := range []string{"ms", "s", "m"} {
		if n, ok := strings.CutSuffix(raw, unit); ok && n != "" && strings.Trim(n, "0123456789.") == "" {
			return time.ParseDuration(raw)
		}
	}
	return 0, errDuration
}

var errDuration = errors.New("a duration is a number and ms, s or m: 200ms, 5s, 2m")

func (p *parser) ready() *Ready {
	form := "ready GET /healthz is 200 within 20s"
	r := &Ready{}
	p.blanks()
	if r.Method = p.httpToken(); r.Method == "" {
		p.failHere("a method was expected, found "+p.found(), "write "+form)
		return r
	}
	r.Target = p.needTarget(form)
	if p.failed || !p.needWord("is", form) {
		return r
	}
	r.Status = p.statuses()
	if !p.failed && p.takeWord("within") {
		r.Within = p.duration(form)
	}
	return r
}

func (p *parser) stop() *Stop {
	s := &Stop{}
	p.blanks()
	start := p.i
	s.Signal = p.word()
	switch s.Signal {
	case "TERM", "INT", "HUP", "QUIT", "KILL":
	default:
		p.i = start
		p.failHere("a signal was expected, found "+p.found(), "write stop TERM within 5s; there are TERM, INT, HUP, QUIT and KILL")
		return s
	}
	if p.takeWord("within") {
		s.Within = p.duration("stop TERM within 5s")
	}
	return s
}
