// Package resource turns a resource statement into the scenarios that check
// its promises: trees of the scenario language, run by the same engine as any
// other. The checks are in one catalogue.
package resource

import (
	"maps"
	"slices"
	"strings"

	"usualpath/internal/core/late"
	"usualpath/internal/core/project"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
)

// Resource is a resource statement, read.
type Resource struct {
	File      *project.File
	Statement *syntax.Statement
	Name      string
	// Collection and Item are paths as written, with names in braces.
	Collection, Item string
	// ListAt is the JSONPath of the list in its answer, Inner the place of a member in
	// an entry of it, Members the path of all; Mapped tells that the list may be an
	// object. Content is the JSONPath of an item in its own answer.
	ListAt, Inner, Members, Content string
	Mapped                          bool
	// Identity is the JSONPath of an item's identity inside the item; Header the
	// field that names a new item; Chosen the name that a client gives.
	Identity, Header, Chosen string
	// By tells the members of the list apart; "" where nothing is known to.
	By                  string
	Make, Remake, Amend *Example
	Assigned, Required  []string
	Unique, Hidden      []string
	Volatile            []string
	// Reads is what an item reads as; ReadsSome tells that it says so of some
	// members only, those in readMembers.
	Reads       string
	ReadsSome   bool
	readMembers []string
	// instants are members that hold times: the same may be written otherwise.
	instants []string
	// Takes is what a body may hold, nil where that is not said; open tells that it
	// may hold more. Thorough asks for more combinations.
	Takes    []taken
	open     bool
	Thorough bool
	// Gone is what a deleted item may still read as, Ready how long a write that
	// was answered 202 may take.
	Gone, Ready           string
	FilterName, FilterFor string
	Paging                *syntax.Paging
	// Total is where the list's answer counts all items.
	Total string
	// ListPath is where items are listed, "" for the collection.
	ListPath string
	// MembersIfThere tells that an empty list may leave out its member.
	MembersIfThere bool
	// InCreate and CreateHeader are where the answer to a create shows the
	// identity, when elsewhere than in the item; listedBy tells that the list does.
	InCreate, CreateHeader string
	listedBy               bool
	// Beside is the name that a client may give with PUT, where POST makes items
	// too.
	Beside string
	// OnCreate are members that must be there in what items are made of.
	OnCreate []string
	// KeepsChildren tells that deleting an item leaves what is below it.
	KeepsChildren bool
	// Revision is what a write must carry, nil for nothing.
	Revision *syntax.Revision
	// Needs are other resources of which an item is made first.
	Needs []*Resource
	// As is "xml" or "text" for a resource whose items are in that form, "" for JSON.
	As string
	// XML is the XPath of the members of a list in XML; byXML is how their identity is written
	// there.
	XML, byXML string
	// also is the resource that is the same items in XML, nil for none.
	also     *Resource
	supports [operations]bool
	// public are the operations that need no credentials.
	public []Operation
	// Declared tells that `supports` is written out.
	Declared bool
	Answers  map[string]string
	// Lines are header and auth lines, as written; Auth is the auth line.
	Lines []string
	Auth  string
	Under *Resource
	Key   bool
	// Disposable says that all data of the collection may be lost.
	Disposable bool
	Skips      map[string]string
}

// Example is a body: its text, and its members when it is an object.
type Example struct {
	Text, Media string
	Fields      []Field
	// As is "xml" or "text" for one in that form; Root is the element that the members are
	// below, of one in XML, and Space its namespace.
	As, Root, Space string
	// Outer stands around the members in a body, before and after them, where the item is within
	// another object: its text is of what is within.
	Outer [2]string
	// Name is the member that holds the name that the client gives, as in the path; it is not
	// among the fields. "" where there is none.
	Name string
}

// json tells whether the example keeps the types of what it has, as a form does not.
func (e *Example) json() bool {
	return e == nil || !strings.Contains(e.Media, "form-urlencoded") && !strings.HasPrefix(e.Media, "multipart/")
}

// Field is a member of an example.
type Field struct {
	Name, Text string
	Kind       syntax.NodeKind
	// Node is the value as it is written.
	Node *syntax.Node
}

// nothing tells whether a member is sent without anything in it: null, or a list or an
// object without members. Services show such a one as it is, or not at all.
func (f Field) nothing() bool {
	return f.Kind == syntax.Null || f.Kind == syntax.Array && len(f.Node.Items) == 0 || f.Kind == syntax.Object && len(f.Node.Fields) == 0
}

// Supports tells whether the resource has an operation.
func (r *Resource) Supports(o Operation) bool { return r.supports[table[o].with] }

// guarded tells whether the resource has an operation that needs credentials.
func (r *Resource) guarded(o Operation) bool { return r.Supports(o) && !slices.Contains(r.public, o) }

// ByName tells that the client names an item and PUT makes it.
func (r *Resource) ByName() bool { return r.Chosen != "" }

// Creates tells whether items can be made at all.
func (r *Resource) Creates() bool {
	return r.Make != nil && (r.Supports(Create) || r.ByName() && r.Supports(Replace))
}

// reader reads one statement and gathers what is wrong with it.
type reader struct {
	p     *project.Project
	f     *project.File
	r     *Resource
	diags source.Diagnostics
	// named is the identity as it is written in XML.
	named string
	under *syntax.Statement
	// identified is set once a first `identity` was read.
	identified bool
	// at is where each line of the statement is, by its word.
	at map[string]source.Span
}

// span is where a line is; the statement's place when it is not written.
func (rd *reader) span(word string) source.Span {
	if at, ok := rd.at[word]; ok {
		return at
	}
	return rd.r.Statement.Span
}

func (rd *reader) say(at source.Span, message, hint string) {
	rd.diags = append(rd.diags, source.Diagnostic{File: rd.f.Source, Span: at, Message: message, Hint: hint})
}

// read reads all the resources of a project's files, and says what is wrong
// with them.
func read(p *project.Project) ([]*Resource, source.Diagnostics) {
	var out []*Resource
	var diags source.Diagnostics
	done := map[*project.File]map[string]*Resource{}
	var readAll func(f *project.File) map[string]*Resource
	readAll = func(f *project.File) map[string]*Resource {
		if known, already := done[f]; already {
			return known
		}
		known := map[string]*Resource{}
		done[f] = known
		// Those of files that this one uses are known in it, and their own checks are not its.
		for _, used := range f.Uses {
			if !used.Broken {
				maps.Copy(known, readAll(used))
			}
		}
		for _, st := range f.Statements {
			if !syntax.Is[*syntax.Resource](st) {
				continue
			}
			add := func(name string, st *syntax.Statement) *Resource {
				rd := &reader{p: p, f: f, at: map[string]source.Span{}}
				r := rd.read(name, st, known)
				diags = append(diags, rd.diags...)
				if first := known[r.Name]; first != nil && first.File == f {
					diags = append(diags, source.Diagnostic{File: f.Source, Span: st.Span, Message: "a second resource `" + r.Name + "`",
						Hint: "join the two, or give one another name"})
					return r
				}
				known[r.Name] = r
				if slices.Contains(p.Files, f) {
					out = append(out, r)
				}
				return r
			}
			r := add(st.Body.(*syntax.Resource).Name, st)
			if also := alsoInXML(st); also != nil {
				r.also = add(r.Name+"_xml", also)
			}
		}
		return known
	}
	for _, f := range p.Files {
		if !f.Derived() && !f.Broken {
			readAll(f)
		}
	}
	return out, diags
}

func (rd *reader) read(name string, st *syntax.Statement, known map[string]*Resource) *Resource {
	r := &Resource{Thorough: rd.p.Thorough, File: rd.f, Statement: st, Members: "$[*]", Content: "$", Identity: "$.id", Answers: map[string]string{},
		Skips: map[string]string{}}
	rd.r = r
	r.Name = name
	seen := map[string]bool{}
	for _, c := range st.Children {
		switch c.Body.(type) {
		case *syntax.Header, *syntax.Skip, *syntax.Volatile, *syntax.Answers, *syntax.Required:
		case *syntax.Identity:
			if b := c.Body.(*syntax.Identity); seen[c.Word] && (b.Chosen == nil || r.Chosen != "" || r.Beside != "") {
				rd.say(wordSpan(c), "a second `identity`", "a second one is `identity chosen …`, for items that PUT makes beside those that POST makes")
			}
		default:
			if seen[c.Word] {
				rd.say(wordSpan(c), "a second `"+c.Word+"`", "one is enough: join the two")
			}
		}
		seen[c.Word] = true
		rd.at[c.Word] = c.Span
		rd.line(c)
	}
	rd.unwrap()
	rd.carries()
	if r.By == "" && r.Identity != "" {
		r.By = r.Identity
	}
	rd.others(known)
	rd.paths(known)
	rd.operations(seen)
	rd.forms()
	rd.names()
	rd.differences()
	rd.examplesFit()
	return r
}

func wordSpan(st *syntax.Statement) source.Span {
	return source.Span{Start: st.Span.Start, End: st.Span.Start + len(st.Word)}
}

func (rd *reader) line(c *syntax.Statement) {
	r := rd.r
	switch b := c.Body.(type) {
	case *syntax.Collection:
		r.Collection = b.Path.Raw
	case *syntax.ItemPath:
		r.Item = b.Path.Raw
	case *syntax.ListPath:
		r.ListPath = b.Path.Raw
	case *syntax.Members:
		if r.XML = b.XML; r.XML == "" {
			r.Members, r.MembersIfThere = b.Path.Raw, b.IfThere
		}
	case *syntax.Total:
		r.Total = b.Path.Raw
	case *syntax.Gone:
		r.Gone = syntax.NodeText(b.Shape)
	case *syntax.ReadyWithin:
		r.Ready = b.In.Raw
	case *syntax.KeepsChildren:
		r.KeepsChildren = true
	case *syntax.Revision:
		rd.revision(b)
	case *syntax.ItemContent:
		r.Content = b.Path.Raw
	case *syntax.Identity:
		rd.identity(b)
	case *syntax.Make:
		r.Make = rd.exampleOf(&b.Example)
	case *syntax.Remake:
		r.Remake = rd.exampleOf(&b.Example)
	case *syntax.Amend:
		r.Amend = rd.exampleOf(&b.Example)
	case *syntax.Takes:
		rd.takes(b)
	case *syntax.Assigned:
		r.Assigned = b.Names()
	case *syntax.Required:
		if b.OnCreate {
			r.OnCreate = append(r.OnCreate, b.Names()...)
		} else {
			r.Required = append(r.Required, b.Names()...)
		}
	case *syntax.Unique:
		r.Unique = b.Names()
	case *syntax.Hidden:
		r.Hidden = b.Names()
	case *syntax.PagedBy:
		r.Paging = &b.Paging
	case *syntax.Public:
		for _, n := range b.Names() {
			r.public = append(r.public, operationOf(n))
		}
	case *syntax.Supports:
		r.Declared = true
		for _, n := range b.Names() {
			r.supports[operationOf(n)] = true
		}
	case *syntax.Volatile:
		for _, p := range b.List {
			r.Volatile = append(r.Volatile, p.Raw)
		}
	case *syntax.Reads:
		r.Reads = syntax.NodeText(b.Shape)
		if r.ReadsSome = b.Shape.Kind == syntax.Object && b.Shape.Open; r.ReadsSome {
			for _, f := range b.Shape.Fields {
				name, _ := f.Key.Template.Plain()
				r.readMembers = append(r.readMembers, name)
			}
		}
	case *syntax.Filter:
		r.FilterName, r.FilterFor = b.Name.Raw, b.Value.Raw
	case *syntax.Answers:
		for _, a := range b.List {
			text := statuses(a.Status)
			if r.Answers[a.What] = text; a.What == "read" && !strings.Contains(text, "200") && !strings.Contains(text, "2xx") {
				rd.say(a.Span, "what is read is shown with 200: checks hold it against what was sent", "leave it out; where items cannot be read, `supports` leaves out `read`")
			}
		}
	case *syntax.Header:
		r.Lines = append(r.Lines, "header "+b.Name+": "+b.Value.Raw)
	case *syntax.Auth:
		line := strings.TrimSpace(lineOf(rd.f, c))
		r.Lines = append(r.Lines, line)
		if b.Scheme != "none" {
			r.Auth = line
		}
	case *syntax.Under:
		rd.under = c
	case *syntax.IdempotencyKey:
		r.Key = true
	case *syntax.Disposable:
		r.Disposable = true
	case *syntax.Skip:
		if !Known(b.Check) {
			hint := "usualpath explain lists the checks"
			if n := source.Nearest(b.Check, IDs()); n != "" {
				hint = "did you mean " + n + "?"
			}
			rd.say(b.Span, "there is no check "+b.Check, hint)
		}
		r.Skips[b.Check] = b.Because.Template.Raw
	}
}

// lineOf is a statement as written in its file, without its comment.
func lineOf(f *project.File, st *syntax.Statement) string {
	return strings.Join(strings.Fields(f.Source.Text[st.Span.Start:st.Span.End]), " ")
}

func statuses(list []syntax.StatusClass) string {
	return syntax.StatusText(list)
}

func (rd *reader) identity(b *syntax.Identity) {
	r := rd.r
	if rd.identified && b.Chosen != nil {
		r.Beside = b.Chosen.Template.Raw
		return
	}
	rd.identified = true
	r.Identity, rd.named = "", b.XML
	switch {
	case b.Path != nil:
		r.Identity = b.Path.Raw
	case b.Header != "":
		r.Header = b.Header
	case b.Chosen != nil:
		r.Chosen = b.Chosen.Template.Raw
		if !strings.Contains(r.Chosen, "{turn") && !called().MatchString(r.Chosen) {
			rd.say(b.Chosen.Span, "this name is the same for every item", `put a number into it: "GP{turn}", or a function: "GP{uuid()}"`)
		}
	}
	if b.By != nil {
		r.By, r.listedBy = b.By.Raw, b.Path != nil
	}
	r.CreateHeader = b.CreateHeader
	if b.Create != nil {
		r.InCreate = b.Create.Raw
	}
}

// revision takes in what a write must carry.
func (rd *reader) revision(b *syntax.Revision) {
	rd.r.Revision = b
	for _, c := range []*syntax.Carried{&b.As, b.OnDelete} {
		if c != nil && c.Path != nil && MemberPath(strings.TrimPrefix(c.Path.Raw, "$.")) != c.Path.Raw {
			rd.say(rd.span("revision"), "a body carries the revision in a member of its own", "write as $._rev")
		}
	}
	if b.OnDelete != nil && b.OnDelete.Path != nil || b.OnDelete == nil && b.As.Path != nil && rd.r.Supports(Delete) {
		rd.say(rd.span("revision"), "a DELETE has no body that could carry the revision", "write on delete as query rev, or on delete as header If-Match")
	}
}

// outerName finds items of other resources in a text.
var outerName = late.Regexp(`\{([A-Za-z_]\w*)\.`)

// others finds the resources of which an item is made first, since an example
// or a path names one.
func (rd *reader) others(known map[string]*Resource) {
	r := rd.r
	texts := []string{r.Collection, r.Item, r.ListPath, r.Chosen, r.FilterFor}
	for _, e := range []*Example{r.Make, r.Remake, r.Amend} {
		if e != nil {
			texts = append(texts, e.Text)
		}
	}
	under := ""
	if rd.under != nil {
		under = rd.under.Body.(*syntax.Under).Name
	}
	for _, text := range texts {
		for _, m := range outerName().FindAllStringSubmatch(text, -1) {
			other := known[m[1]]
			if m[1] == under || other == nil || slices.Contains(r.Needs, other) {
				continue
			}
			if !other.Creates() {
				rd.say(r.Statement.Span, "no "+other.Name+" can be made, and an item of it is named here: that resource has no `make`", "write one")
				continue
			}
			r.Needs = append(r.Needs, other)
		}
	}
}

func (rd *reader) example(b *syntax.Content) *Example {
	e := &Example{Text: syntax.OneLine(b.Value)}
	if b.Media != nil {
		e.Media = b.Media.Raw
	}
	if n := rd.object(b.Value); n != nil {
		e.Text = syntax.OneLine(n)
		e.Fields = rd.fieldsOf(n)
	}
	return e
}

// fieldsOf are the members of an object as it is written.
func (rd *reader) fieldsOf(n *syntax.Node) (out []Field) {
	for _, f := range n.Fields {
		name, _ := f.Key.Template.Plain()
		out = append(out, Field{name, syntax.OneLine(f.Value), rd.kind(f.Value), rd.resolve(f.Value)})
	}
	return out
}

// object is the object that a value is, also one that a `let` names.
func (rd *reader) object(n *syntax.Node) *syntax.Node {
	n = rd.resolve(n)
	if n.Kind == syntax.Object {
		return n
	}
	return nil
}

// resolve is what a plain {name} of a `let` stands for.
func (rd *reader) resolve(n *syntax.Node) *syntax.Node {
	if n.Kind != syntax.Ref || n.Expr.Op != 0 || n.Expr.Call || len(n.Expr.Access) > 0 || n.Expr.Literal != nil {
		return n
	}
	for _, l := range rd.p.Layers(rd.f) {
		for _, st := range l.Statements {
			if let, ok := st.Body.(*syntax.Let); ok && let.Name == n.Expr.Name && let.Value != nil {
				return let.Value
			}
		}
	}
	return n
}

// kind is the JSON type of a value, as far as it can be told; Ref where it
// cannot.
func (rd *reader) kind(n *syntax.Node) syntax.NodeKind {
	n = rd.resolve(n)
	if n.Kind == syntax.Ref && n.Expr.Name == "turn" && !n.Expr.Call {
		return syntax.Number
	}
	return n.Kind
}

// paths completes the paths, and looks up the parent.
func (rd *reader) paths(known map[string]*Resource) {
	r := rd.r
	if r.Collection == "" {
		rd.say(rd.r.Statement.Span, "this resource has no collection", "write collection /"+r.Name+" below it")
	}
	if strings.ContainsAny(r.Collection, "?#") {
		rd.say(rd.span("collection"), "a collection's path has no query", "write filter n = v for a query that selects the items made")
	}
	if r.Item == "" {
		r.Item = r.Collection + "/{id}"
	} else if !strings.Contains(r.Item, "{id}") {
		rd.say(rd.span("item"), "the item's path has no place for its identity", "write item "+r.Collection+"/{id}")
	} else if strings.HasPrefix(r.Item, "{") {
		rd.say(rd.span("item"), "an item's path does not begin with its identity", "write item "+r.Collection+"/{id}: items are known by what differs between their paths")
	}
	rd.members()
	if rd.under == nil {
		return
	}
	name := rd.under.Body.(*syntax.Under).Name
	parent := known[name]
	switch {
	case name == r.Name:
		rd.say(rd.under.Span, "a resource cannot be under itself", "")
	case parent == nil:
		hint := "write resource " + name + " before this one"
		var all []string
		for n := range known {
			all = append(all, n)
		}
		slices.Sort(all)
		if n := source.Nearest(name, all); n != "" {
			hint = "did you mean " + n + "?"
		}
		rd.say(rd.under.Span, "no resource `"+name+"` comes before this one", hint)
	case !parent.Creates():
		rd.say(rd.under.Span, "no "+name+" can be made: that resource has no `make`", "write one")
	default:
		r.Under = parent
		if !strings.Contains(r.Collection, "{"+name+".") {
			rd.say(rd.span("collection"), "the collection's path does not name its "+name, "write collection "+parent.Collection+"/{"+name+".id}/"+r.Name)
		}
	}
}

// operations tells what the resource can do; what has an example, without a
// line that says so.
func (rd *reader) operations(seen map[string]bool) {
	r := rd.r
	if !r.Declared {
		r.supports = [operations]bool{List: true, Read: true, Delete: r.Make != nil, Create: r.Make != nil && r.Chosen == "",
			Replace: r.Remake != nil || r.Chosen != "" && r.Make != nil, Amend: r.Amend != nil}
	}
	for _, o := range all() {
		if table[o].example == nil || !r.Supports(o) || seen[table[o].lines[0]] || o == Replace && r.Chosen != "" && r.Make != nil {
			continue
		}
		rd.say(rd.span("supports"), "this resource supports "+o.String()+" and has no example for it", "write "+table[o].lines[0]+" { … } below it")
	}
	if r.Remake == nil && r.Chosen != "" {
		r.Remake = r.Make
	}
}

// names reports members that the examples do not have.
func (rd *reader) names() {
	r := rd.r
	if r.Make == nil || len(r.Make.Fields) == 0 {
		return
	}
	has := func(name string) bool {
		return slices.ContainsFunc(r.Make.Fields, func(f Field) bool { return f.Name == name })
	}
	for _, list := range []struct {
		word  string
		names []string
	}{{"required", append(slices.Clone(r.Required), r.OnCreate...)}, {"unique", r.Unique}, {"hidden", r.Hidden}} {
		for _, n := range list.names {
			if !has(n) {
				rd.say(rd.span(list.word), "`make` has no member `"+n+"`, which is "+list.word, "add it to `make`, or take it out of `"+list.word+"`")
			}
		}
	}
}

// turnWord finds {turn} where an example has it.
var turnWord = late.Regexp(`\bturn\b`)

// inBraces finds names in braces, and braces that stand for themselves.
var inBraces = late.Regexp(`\\\{|\{[A-Za-z_][^{}]*\}`)

// Turned is a text with another expression in place of the name turn.
func turned(text, by string) string {
	return inBraces().ReplaceAllStringFunc(text, func(m string) string { return turnWord().ReplaceAllString(m, by) })
}

// telling tells whether a member's value is another one for each item.
func (f Field) telling() bool {
	return called().MatchString(f.Text) || slices.ContainsFunc(inBraces().FindAllString(f.Text, -1), turnWord().MatchString)
}

// field is a member of the example, nil for none.
func (e *Example) field(name string) *Field {
	for i := range e.Fields {
		if e.Fields[i].Name == name {
			return &e.Fields[i]
		}
	}
	return nil
}

// object is the example with members changed: a nil text takes one out.
func (e *Example) object(change map[string]*string) string {
	change = e.withName(change)
	var parts []string
	done := map[string]bool{}
	if n := change[e.Name]; n != nil && e.Name != "" {
		parts, done[e.Name] = append(parts, syntax.Quoted(e.Name)+": "+*n), true
	}
	for _, f := range e.Fields {
		text := f.Text
		if c, ok := change[f.Name]; ok {
			done[f.Name] = true
			if c == nil {
				continue
			}
			text = *c
		}
		parts = append(parts, syntax.Quoted(f.Name)+": "+text)
	}
	var more []string
	for n := range change {
		if !done[n] && change[n] != nil {
			more = append(more, n)
		}
	}
	slices.Sort(more)
	for _, n := range more {
		parts = append(parts, syntax.Quoted(n)+": "+*change[n])
	}
	return "{ " + strings.Join(parts, ", ") + " }"
}
