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
	r := &Resource{File: rd.f, Statement: st, Name: name}
	r.Thorough, r.Members, r.Content, r.Identity = rd.p.Thorough, "$[*]", "$", "$.id"
	r.Answers, r.Skips = map[string]string{}, map[string]string{}
	rd.r = r
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
		r.FilterName, r.FilterFor, r.filterQuoted = b.Name.Raw, b.Value.Raw, b.Quoted != nil
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
		r.Item = r.below()
	} else if !strings.Contains(r.Item, "{id}") {
		rd.say(rd.span("item"), "the item's path has no place for its identity", "write item "+r.below())
	} else if strings.HasPrefix(r.Item, "{") {
		rd.say(rd.span("item"), "an item's path does not begin with its identity", "write item "+r.below()+": items are known by what differs between their paths")
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
		if !table[o].body || !r.Supports(o) || seen[table[o].lines[0]] || o == Replace && r.Chosen != "" && r.Make != nil {
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
