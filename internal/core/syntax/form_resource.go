package syntax

import "strings"

// Collection is `collection PATH`, ItemPath is `item PATH`, ListPath is `list
// PATH`.
type (
	Collection struct{ target }
	ItemPath   struct{ target }
	ListPath   struct{ target }
)

var (
	_ = form(Form{Word: "collection", In: InResource, Usage: "collection PATH", Help: "Where the list is; `/boats/{boats.id}/stays` with `under boats`.",
		Example: `collection /boats`}, func() Body { return &Collection{target{word: "collection"}} })
	_ = form(Form{Word: "item", In: InResource, Usage: "item PATH", Help: "Where one item is, with `{id}` in it; without this line the collection's path and `/{id}`, where a slash at its end is kept: `/boats/{id}/`.",
		Example: `item /boats/{id}`}, func() Body { return &ItemPath{target{word: "item"}} })
	_ = form(Form{Word: "list", In: InResource, Usage: "list PATH", Help: "Where items are listed, when that is not where they are made.",
		Example: `list /boats/all`}, func() Body { return &ListPath{target{word: "list"}} })
)

type target struct {
	word string
	Path *Template
}

func (b *target) read(p *parser) {
	start := p.i
	b.Path = p.needTarget(b.word + " /boats")
	if !p.failed && b.Path.Raw == "*" {
		p.fail(span{Start: start + 1, End: p.i}, "`*` is the service as a whole (RFC 9110 §9.3.7), not a list or an item", "write "+b.word+" /boats")
	}
}

func (b *target) print(l *layout) { l.template(b.Path) }
func (b *target) walk(w walker)   { w.template(b.Path) }

// Members is `members JSONPATH`, ItemContent is `content JSONPATH`.
type (
	Members struct {
		where
		IfThere bool
		// XML is an XPath that selects them in XML, in place of Path.
		XML string
	}
	ItemContent struct{ where }
	Total       struct{ where }
)

var (
	_ = form(Form{Word: "members", In: InResource | InAlso, Usage: "members JSONPATH [if there], or members xml XPATH", Help: "The members in the list's answer; `$[*]` without this line. `$.rows[*].doc` says that each entry of a list wraps a member, `$.rows.*` that the list is an object whose values are the members. With `if there` an empty list may leave the list out.",
		Example: `members $.boats[*]`}, func() Body { return &Members{} })
	_ = form(Form{Word: "content", In: InResource | InAlso, Usage: "content JSONPATH", Help: "The item in its own answer; `$` without this line.",
		Example: `content $.boat`}, func() Body { return &ItemContent{} })
	_ = form(Form{Word: "total", In: InResource, Usage: "total JSONPATH", Help: "The member of the list's answer that counts all items.",
		Example: `total $.total`}, func() Body { return &Total{} })
)

func (b *Members) read(p *parser) {
	if p.takeWord("xml") {
		b.XML = p.xpath()
		return
	}
	b.where.read(p)
	if !p.failed && p.takeWord("if") {
		b.IfThere = p.needWord("there", "members $.boats[*] if there")
	}
}

func (b *Members) walk(w walker) {
	if b.XML == "" {
		b.where.walk(w)
	}
}

func (b *Members) print(l *layout) {
	if b.XML != "" {
		l.write("xml", quoteXPath("xml", b.XML))
		return
	}
	b.where.print(l)
	if b.IfThere {
		l.write("if there")
	}
}

type where struct{ Path *Path }

func (b *where) read(p *parser)  { b.Path = p.path() }
func (b *where) print(l *layout) { l.write(b.Path.Raw) }
func (b *where) walk(w walker)   { w.path(b.Path) }

// Make, Remake and Amend are bodies to make, replace and amend with.
type (
	Make   struct{ Example }
	Remake struct{ Example }
	Amend  struct{ Example }
)

// Example is a body of a resource.
type Example struct {
	Content
	form string
	// As is "xml" or "text" for one that is written so, "" for JSON.
	As string
}

var (
	_ = form(Form{Word: "make", In: InResource | InAlso, Usage: "make VALUE [as MEDIA], or make xml|text TEXT [as MEDIA]", Help: "A valid body to make an item with; `{turn}` is another number for each item (two digits where the client names items by one letter and the number, so such names come again within a run; else six).",
		Example: `make { "name": "Sand Martin {turn}" }`}, func() Body { return &Make{Example{form: `make { "name": "Sand Martin {turn}" }`}} })
	_ = form(Form{Word: "remake", In: InResource | InAlso, Usage: "remake VALUE [as MEDIA], or remake xml|text TEXT [as MEDIA]", Help: "A valid body to replace an item with.",
		Example: `remake { "name": "Sand Martin {turn}" }`}, func() Body { return &Remake{Example{form: `remake { "name": "Sand Martin {turn}" }`}} })
	_ = form(Form{Word: "amend", In: InResource | InAlso, Usage: "amend VALUE [as MEDIA], or amend xml|text TEXT [as MEDIA]", Help: "A valid partial change.",
		Example: `amend { "flag": "SE" }`}, func() Body { return &Amend{Example{form: `amend { "flag": "SE" }`}} })
)

func (b *Example) read(p *parser) {
	for _, form := range []string{"xml", "text"} {
		if p.takeWord(form) {
			b.As = form
			b.text(p, form)
			return
		}
	}
	b.json(p, b.form)
}

func (b *Example) print(l *layout) {
	if b.As != "" {
		l.write(b.As)
	}
	b.Content.print(l)
}

// Listing is a line of names.
type Listing struct{ Items []*Node }

// Names are the names as they are meant.
func (b *Listing) Names() []string {
	var out []string
	for _, n := range b.Items {
		text, _ := n.Template.Plain()
		out = append(out, text)
	}
	return out
}

func (b *Listing) read(p *parser)  { b.Items = p.listItems() }
func (b *Listing) print(l *layout) { l.list(b.Items) }
func (b *Listing) walk(walker)     {}

// Assigned, Required, Unique and Hidden list members; Supports lists
// operations, PagedBy query parameters.
type (
	Assigned struct{ Listing }
	Required struct {
		Listing
		OnCreate bool
	}
	Unique   struct{ Listing }
	Hidden   struct{ Listing }
	Supports struct{ Listing }
	PagedBy  struct{ Paging }
)

var (
	_ = form(Form{Word: "assigned", In: InResource | InAlso, Usage: "assigned NAME, …", Help: "Members that the service sets.",
		Example: `assigned id, registered_at`}, func() Body { return &Assigned{} })
	_ = form(Form{Word: "required", In: InResource | InAlso, Usage: "required NAME, … [on create]", Help: "Members that must be there; with `on create` only in what items are made of. Several lines add up.",
		Example: `required name, length_m`}, func() Body { return &Required{} })
	_ = form(Form{Word: "unique", In: InResource, Usage: "unique NAME, …", Help: "Members that no two items share.",
		Example: `unique name`}, func() Body { return &Unique{} })
	_ = form(Form{Word: "hidden", In: InResource, Usage: "hidden NAME, …", Help: "Members that are accepted and never shown.",
		Example: `hidden pin`}, func() Body { return &Hidden{} })
	_ = form(Form{Word: "supports", In: InResource | InAlso, Usage: "supports OPERATION, …", Help: "The operations: list, create, read, replace, amend, delete. Without this line: those with an example, and then only methods that such a path never has are tried as unsupported.",
		Example: `supports list, create, read, replace, amend, delete`}, func() Body { return &Supports{} })
	_ = form(Form{Word: "paging", In: InResource, Usage: "paging LIMIT, OFFSET, or paging by WAY", Help: "How the list is walked: `by offset limit, offset`, `by page per_page, page from 1`, `by cursor after from $.next` or `by link`; a parameter's name may be in quotes.",
		Example: `paging by offset limit, offset`}, func() Body { return &PagedBy{} })
)

func (b *Supports) read(p *parser) {
	for !p.failed {
		start := p.i
		w := p.oneOf(Operations, "an operation")
		span := span{Start: start, End: p.i}
		b.Items = append(b.Items, &Node{Kind: String, Text: w, Span: span, Template: &Template{Raw: w, Span: span, Parts: []Part{{Text: w}}}})
		if !p.takeByte(',') {
			break
		}
	}
}

func (b *Required) read(p *parser) {
	b.Listing.read(p)
	if !p.failed && p.takeWord("on") {
		b.OnCreate = p.needWord("create", "required name on create")
	}
}

func (b *Required) print(l *layout) {
	b.Listing.print(l)
	if b.OnCreate {
		l.write("on create")
	}
}

// Volatile is `volatile JSONPATH, …`.
type Volatile struct{ List []*Path }

var _ = form(Form{Word: "volatile", In: InResource | InAlso, Usage: "volatile JSONPATH, …", Help: "What may differ between two reads.",
	Example: `volatile $.seen_at`}, func() Body { return &Volatile{} })

func (b *Volatile) read(p *parser)  { b.List = p.paths() }
func (b *Volatile) print(l *layout) { l.write(joinPaths(b.List)) }
func (b *Volatile) walk(w walker)   { w.paths(b.List) }

// Reads is the shape that a made item reads as.
type Reads struct{ Shape *Node }

var _ = form(Form{Word: "reads", In: InResource, Usage: "reads SHAPE", Help: "What a made item reads as, where that is not what was sent. An object with `...` says so of its own members; all others read as they were sent.",
	Example: `reads { "id": integer, ... }`}, func() Body { return &Reads{} })

func (b *Reads) read(p *parser)  { b.Shape = p.needShape() }
func (b *Reads) print(l *layout) { l.node(b.Shape) }
func (b *Reads) walk(w walker)   { w.node(b.Shape) }

// Gone is the shape that a deleted item may still read as.
type Gone struct{ Shape *Node }

var _ = form(Form{Word: "gone", In: InResource, Usage: "gone SHAPE", Help: "What a deleted item may still read as: a state, not an absence.",
	Example: `gone { "state": "sold", ... }`}, func() Body { return &Gone{} })

func (b *Gone) read(p *parser)  { b.Shape = p.needShape() }
func (b *Gone) print(l *layout) { l.node(b.Shape) }
func (b *Gone) walk(w walker)   { w.node(b.Shape) }

// KeepsChildren is `keeps children`.
type KeepsChildren struct{}

var _ = form(Form{Word: "keeps", In: InResource, Usage: "keeps children", Help: "Deleting an item leaves what is below it.",
	Example: `keeps children`}, func() Body { return &KeepsChildren{} })

func (b *KeepsChildren) read(p *parser)  { p.needWord("children", "keeps children") }
func (b *KeepsChildren) print(l *layout) { l.write("children") }
func (b *KeepsChildren) walk(walker)     {}

// ReadyWithin is `ready within D`.
type ReadyWithin struct{ In Duration }

var _ = form(Form{Word: "ready", In: InResource, Usage: "ready within DURATION", Help: "A write that is answered 202 shows within that time; 5 s without this line.",
	Example: `ready within 2s`}, func() Body { return &ReadyWithin{} })

func (b *ReadyWithin) read(p *parser) {
	if p.needWord("within", "ready within 2s") {
		b.In = p.duration("ready within 2s")
	}
}

func (b *ReadyWithin) print(l *layout) { l.write("within", b.In.Raw) }
func (b *ReadyWithin) walk(walker)     {}

// Under is `under RESOURCE`.
type Under struct{ Named }

var _ = form(Form{Word: "under", In: InResource, Usage: "under NAME", Help: "The resource it belongs to; it comes earlier in the file.",
	Example: `under boats`}, func() Body { return &Under{} })

func (b *Under) read(p *parser) { b.Name, _ = p.name("a resource's name") }

// Disposable is `disposable`.
type Disposable struct{ nothing }

var _ = form(Form{Word: "disposable", In: InResource, Usage: "disposable", Help: "All data of this collection may be lost: only then are PUT, PATCH and DELETE tried on the collection itself.",
	Example: `disposable`}, func() Body { return &Disposable{} })

// IdempotencyKey is `idempotency key`.
type IdempotencyKey struct{}

var _ = form(Form{Word: "idempotency", In: InResource, Usage: "idempotency key", Help: "POST honours Idempotency-Key.",
	Example: `idempotency key`}, func() Body { return &IdempotencyKey{} })

func (b *IdempotencyKey) read(p *parser)  { p.needWord("key", "idempotency key") }
func (b *IdempotencyKey) print(l *layout) { l.write("key") }
func (b *IdempotencyKey) walk(walker)     {}

// Identity says how an item is told from others: by a member, by the Location
// of its create, or by a name that the client chooses.
type Identity struct {
	Path *Path
	// XML is how Path, or By where there is none, is written where it is one in XML.
	XML    string
	Header string
	Chosen *Node
	// By tells the members of the list apart, where Path does not; list is the
	// word for it.
	By   *Path
	list string
	// Create is where the answer to a create shows it, and CreateHeader the header
	// whose last segment does.
	Create       *Path
	CreateHeader string
}

var _ = form(Form{Word: "identity", In: InResource | InAlso, Usage: `identity JSONPATH, or identity xml PATH, [in list JSONPATH] [in create JSONPATH, or in create header NAME], identity header NAME [by JSONPATH, or by xml PATH], or identity chosen "NAME" [by JSONPATH, or by xml PATH]`,
	Help:    "What tells items apart: a member (`$.id` without this line), the Location of a create, or a name with `{turn}` that the client gives with PUT. `in list` (or `by`) is its place in a member of the list, `in create` in the answer to a create; of a header the last segment counts. A second line with `chosen` is for items that PUT makes beside those that POST makes.",
	Example: `identity $.id`}, func() Body { return &Identity{} })

func (b *Identity) read(p *parser) {
	p.spaces()
	switch {
	case p.peek() == '$':
		b.Path = p.path()
	case p.takeWord("xml"):
		b.XML, b.Path = p.xmlPath()
	case p.takeWord("header"):
		b.Header = p.headerName()
	case p.takeWord("chosen"):
		b.Chosen = p.str("a name with {turn} in it", `identity chosen "GP{turn}"`)
	default:
		p.failHere("expected how an item is told from others, found "+p.found(), `write identity $.id, identity header Location, or identity chosen "GP{turn}"`)
	}
	if !p.failed && b.Path == nil && p.takeWord("by") {
		if b.list = "by"; p.takeWord("xml") {
			b.XML, b.By = p.xmlPath()
		} else {
			b.By = p.path()
		}
	}
	for !p.failed && p.takeWord("in") {
		switch p.oneOf([]string{"list", "create"}, "`list` or `create`") {
		case "list":
			b.list, b.By = "in list", p.path()
		case "create":
			if p.takeWord("header") {
				b.CreateHeader = p.headerName()
			} else {
				b.Create = p.path()
			}
		}
	}
}

func (b *Identity) print(l *layout) {
	switch {
	case b.Path != nil && b.XML != "":
		l.write("xml", b.XML)
	case b.Path != nil:
		l.write(b.Path.Raw)
	case b.Header != "":
		l.write("header", b.Header)
	default:
		l.write("chosen")
		l.node(b.Chosen)
	}
	switch {
	case b.By != nil && b.XML != "":
		l.write(b.list, "xml", b.XML)
	case b.By != nil:
		l.write(b.list, b.By.Raw)
	}
	if b.Create != nil {
		l.write("in create", b.Create.Raw)
	}
	if b.CreateHeader != "" {
		l.write("in create header", b.CreateHeader)
	}
}

func (b *Identity) walk(w walker) {
	w.path(b.Path)
	w.path(b.By)
	w.path(b.Create)
	w.node(b.Chosen)
}

// Answers narrows the statuses that are accepted.
type Answers struct{ List []AnswerFor }

// AnswerFor is `create 201` of `answers`.
type AnswerFor struct {
	What   string
	Span   span
	Status []StatusClass
}

var _ = form(Form{Word: "answers", In: InResource | InAlso, Usage: "answers WHAT STATUS, …", Help: "Narrows what is accepted, of the operations and of `repeat delete`, `missing` and `invalid`; without it whatever the standards allow.",
	Example: `answers create 201, repeat delete 404`}, func() Body { return &Answers{} })

func (b *Answers) read(p *parser) {
	p.listing = true
	defer func() { p.listing = false }()
	for !p.failed {
		p.spaces()
		start := p.i
		one := AnswerFor{}
		if p.takeWord("repeat") {
			if !p.needWord("delete", "answers repeat delete 404") {
				return
			}
			one.What = "repeat delete"
		} else {
			one.What = p.oneOf(answerWords, "what is answered")
		}
		one.Span = span{Start: start, End: p.i}
		if p.failed {
			return
		}
		one.Status = p.statuses()
		b.List = append(b.List, one)
		if !p.takeByte(',') {
			break
		}
	}
}

func (b *Answers) print(l *layout) {
	for i, a := range b.List {
		l.write(a.What, StatusText(a.Status))
		if i < len(b.List)-1 {
			l.b.WriteByte(',')
		}
	}
}

func (b *Answers) walk(w walker) {
	for _, a := range b.List {
		w.statuses(a.Status)
	}
}

// Skip leaves a derived check out.
type Skip struct {
	Check   string
	Span    span
	Because *Node
}

var _ = form(Form{Word: "skip", In: InResource | InAlso, Usage: `skip FAMILY/NAME because "…"`, Help: "Skips a check.",
	Example: `skip input/big-body because "the proxy in front refuses it"`}, func() Body { return &Skip{} })

func (b *Skip) read(p *parser) {
	form := `skip input/big-body because "the proxy in front refuses it"`
	b.Check, b.Span = p.checkID(form)
	if !p.failed && p.needWord("because", form) {
		b.Because = p.str("a reason", form)
	}
}

func (b *Skip) print(l *layout) {
	l.write(b.Check)
	l.b.WriteString("  because")
	l.node(b.Because)
}

func (b *Skip) walk(walker) {}

// Check is `check FAMILY/NAME of RESOURCE on OPERATION`: what a scenario
// proves, and for which cell of the grid.
type Check struct {
	ID, Resource, Operation string
	// Level is must, should or usual.
	Level string
	Span  span
}

var _ = form(Form{Word: "check", In: InHead, Usage: "check FAMILY/NAME of RESOURCE on OPERATION [level LEVEL]", Help: "Says which cell of the promise grid the scenario proves.",
	Example: `check lifecycle/deleted-is-gone of boats on delete`}, func() Body { return &Check{Level: "must"} })

func (b *Check) read(p *parser) {
	form := "check lifecycle/deleted-is-gone of boats on delete"
	b.ID, b.Span = p.checkID(form)
	if p.failed || !p.needWord("of", form) {
		return
	}
	b.Resource, _ = p.name("a resource's name")
	if p.failed || !p.needWord("on", form) {
		return
	}
	b.Operation = p.oneOf(Operations, "an operation")
	if !p.failed && p.takeWord("level") {
		b.Level = p.oneOf(Levels, "a level")
	}
}

func (b *Check) print(l *layout) {
	l.write(b.ID, "of", b.Resource, "on", b.Operation)
	if b.Level != "must" {
		l.write("level", b.Level)
	}
}

func (b *Check) walk(walker) {}

// checkID reads FAMILY/NAME.
func (p *parser) checkID(form string) (string, span) {
	p.spaces()
	start := p.i
	for p.i < len(p.s) && (wordByte(p.s[p.i]) || p.s[p.i] == '-' || p.s[p.i] == '/') {
		p.i++
	}
	span := span{Start: start, End: p.i}
	id := p.s[start:p.i]
	if family, name, ok := strings.Cut(id, "/"); !ok || family == "" || name == "" || strings.Contains(name, "/") {
		if id == "" {
			span = p.token()
		}
		p.fail(span, "expected a check, found "+p.quoteOr(span), "write "+form+"; usualpath explain lists the checks")
	}
	return id, span
}
