// Package resource turns a resource statement into the scenarios that check
// its promises: trees of the scenario language, run by the same engine as any
// other. The checks are in one catalogue.
package resource

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"usualpath/internal/core/project"
	"usualpath/internal/core/syntax"
)

// media is the type that bodies are sent with.
func (r *Resource) media() string {
	if r.Make != nil && r.Make.Media != "" {
		return r.Make.Media
	}
	return "application/json"
}

// NameInBody is the member of the examples that holds the name that the client gives, as in the
// path; "" where there is none.
func (r *Resource) NameInBody() string {
	if r.Chosen == "" || r.Make == nil || r.Make.As != "" {
		return ""
	}
	for _, f := range r.Make.Fields {
		if f.Kind == syntax.String && f.Text == inQuotes(r.Chosen) {
			return f.Name
		}
	}
	return ""
}

// exampleFor is the example of what an operation sends; nil for none.
func (r *Resource) exampleFor(o Operation) *Example {
	switch {
	case o == Create, o == Replace && r.Remake == nil:
		return r.Make
	case o == Replace:
		return r.Remake
	case o == Amend:
		return r.Amend
	}
	return nil
}

// below is where items are when nothing says otherwise: a slash at the end of the collection is kept.
func (r *Resource) below() string {
	if plain, slash := strings.CutSuffix(r.Collection, "/"); slash {
		return plain + "/{id}/"
	}
	return r.Collection + "/{id}"
}

// path is where the operation is asked for, {id} standing for the item.
func (r *Resource) path(o Operation) string {
	switch {
	case table[o].ofItem:
		return r.Item
	case o == List && r.ListPath != "":
		return r.ListPath
	}
	return r.Collection
}

// Resource is a resource statement, read.
type Resource struct {
	File      *project.File
	Statement *syntax.Statement
	Name      string
	places
	identifying
	bodies
	listing
	access
	promises
	// also is the resource that is the same items in XML, nil for none.
	also *Resource
}

// places are where a resource is, and what is there before it.
type places struct {
	// Collection and Item are paths as written, with names in braces; ListPath is where items are
	// listed, "" for the collection.
	Collection, Item, ListPath string
	// Under is what the collection is below, Needs other resources of which an item is made first.
	Under *Resource
	Needs []*Resource
}

// identifying is how items are told apart.
type identifying struct {
	// Identity is the JSONPath of an item's identity inside the item; Header the
	// field that names a new item; Chosen the name that a client gives.
	Identity, Header, Chosen string
	// Beside is the name that a client may give with PUT, where POST makes items too.
	Beside string
	// InCreate and CreateHeader are where the answer to a create shows the
	// identity, when elsewhere than in the item; listedBy tells that the list does.
	InCreate, CreateHeader string
	listedBy               bool
	// By tells the members of the list apart; "" where nothing is known to.
	By string
}

// bodies are what is sent, and what is read of it.
type bodies struct {
	Make, Remake, Amend *Example
	// Assigned members are the service's, Required ones must be there, OnCreate in what items are
	// made of; Unique ones are another for each item, Hidden ones are not shown, Volatile ones move.
	Assigned, Required, OnCreate, Unique, Hidden, Volatile []string
	// Content is the JSONPath of an item in its own answer.
	Content string
	// Reads is what an item reads as; ReadsSome tells that it says so of some
	// members only, those in readMembers.
	Reads       string
	ReadsSome   bool
	readMembers []string
	// instants are members that hold times: the same may be written otherwise.
	instants []string
	// As is "xml" or "text" for a resource whose items are in that form, "" for JSON.
	As string
	limits
}

// limits are what a body may hold.
type limits struct {
	// Takes are its members, nil where that is not said; open tells that it may hold more.
	// Thorough asks for more combinations.
	Takes    []taken
	open     bool
	Thorough bool
}

// listing is what a list is.
type listing struct {
	// ListAt is the JSONPath of the list in its answer, Inner the place of a member in
	// an entry of it, Members the path of all; Mapped tells that the list may be an
	// object, and MembersIfThere that an empty one may leave out its member.
	ListAt, Inner, Members string
	Mapped, MembersIfThere bool
	FilterName, FilterFor  string
	filterQuoted           bool
	Paging                 *syntax.Paging
	// Total is where the list's answer counts all items.
	Total string
	// XML is the XPath of the members of a list in XML; byXML is how their identity is written
	// there.
	XML, byXML string
}

// access is what requests carry.
type access struct {
	// Lines are header and auth lines, as written; Auth is the auth line, public are the operations
	// that need no credentials.
	Lines  []string
	Auth   string
	public []Operation
	// Revision is what a write must carry, nil for nothing; Key tells that creates may carry a key.
	Revision *syntax.Revision
	Key      bool
}

// promises are what the service does.
type promises struct {
	supports [operations]bool
	// Declared tells that `supports` is written out.
	Declared bool
	Answers  map[string]string
	// Gone is what a deleted item may still read as, Ready how long a write that
	// was answered 202 may take.
	Gone, Ready string
	// KeepsChildren tells that deleting an item leaves what is below it.
	KeepsChildren bool
	// Disposable says that all data of the collection may be lost.
	Disposable bool
	Skips      map[string]string
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

// Outer are the names of the items that others are below.
func (r *Resource) Outer() []string {
	var out []string
	for _, p := range r.outer() {
		out = append(out, p.Name+"_id", p.Name+"_turn")
		if p.Header != "" {
			out = append(out, p.Name+"_id_at")
		}
	}
	return out
}

// Removes tells whether what is made can be removed again: by a delete, or with what it
// is below.
func (r *Resource) Removes() bool {
	return r.Supports(Delete) || r.Disposable || r.Under != nil && !r.Under.KeepsChildren && r.Under.Removes()
}

// Lists tells whether the items can be found in a list.
func (r *Resource) Lists() bool { return r.Supports(List) && r.By != "" && r.Header == "" }

// InItem is a member's path in the item's own answer.
func (r *Resource) InItem(name string) string { return r.inItem(MemberPath(name)) }

// parented puts the names of items of other resources into a text.
func (r *Resource) parented(path string) string {
	for _, p := range r.outer() {
		path = strings.ReplaceAll(path, "{"+p.Name+".", "{"+p.Name+"_")
	}
	return path
}

// outer are the resources of which an item is made first: those that it is
// under, and those that its examples and paths name, with theirs.
func (r *Resource) outer() []*Resource {
	var out []*Resource
	for _, p := range r.before() {
		for _, one := range append(p.outer(), p) {
			if !slices.Contains(out, one) {
				out = append(out, one)
			}
		}
	}
	return out
}

// before are the resources that it names itself.
func (r *Resource) before() []*Resource {
	if r.Under == nil {
		return r.Needs
	}
	return append([]*Resource{r.Under}, r.Needs...)
}

// inItem is a path that is relative to an item, in the item's own answer.
func (r *Resource) inItem(path string) string {
	return r.Content + strings.TrimPrefix(r.relative(path), "$")
}

// SomeTurn is where the numbers of items that are made begin.
func (r *Resource) SomeTurn() string {
	if r.ByName() && len(inBraces().ReplaceAllString(r.Chosen, "")) < 2 {
		return "{random_int(10, 85)}"
	}
	return "{random_int(100000, 899999)}"
}

// Turned is a text of the resource with another expression in place of {turn},
// and with the items of other resources that are made first.
func (r *Resource) Turned(text, by string) string { return r.parented(turned(text, by)) }

// fine are the statuses of a create that made something: any success, and a redirect where the
// resource says that creates answer so (RFC 9110 §15.4.4).
func (r *Resource) fine() string {
	if slices.ContainsFunc(strings.Fields(r.Answers["create"]), func(word string) bool { return word[0] == '3' }) {
		return "status 2xx or " + r.Answers["create"]
	}
	return "status 2xx"
}

// Took tells whether a status says that a create made something.
func (r *Resource) Took(status int) bool {
	return status/100 == 2 || status/100 == 3 && r.answers("create", status)
}

// Missing tells whether the resource says that a status is that of what is not there.
func (r *Resource) Missing(status int) bool { return r.answers("missing", status) }

// answers tells whether a line `answers` names a status, or its class.
func (r *Resource) answers(what string, status int) bool {
	words := strings.Fields(r.Answers[what])
	return slices.Contains(words, strconv.Itoa(status)) || slices.Contains(words, fmt.Sprintf("%dxx", status/100))
}

// accepts is the statuses that `answers` names, or those given.
func (r *Resource) accepts(what, otherwise string) string {
	if text, ok := r.Answers[what]; ok {
		return text
	}
	return otherwise
}

// GoneStatus are the statuses of what is not there.
func (r *Resource) GoneStatus() string { return r.accepts("missing", "404 or 410") }

// refused are the statuses of what must be refused.
func (r *Resource) refused(otherwise string) string { return r.accepts("invalid", otherwise) }

// Observed is the name of the observation.
func (r *Resource) Observed() string {
	if syntax.Reserved(r.Name) {
		return r.Name + "_list"
	}
	return r.Name
}

// taken is what a member may hold, nil where that is not said.
func (r *Resource) taken(name string) *taken {
	for i := range r.Takes {
		if r.Takes[i].Name == name {
			return &r.Takes[i]
		}
	}
	return nil
}

// relative is a path in the item's answer as one in the item.
func (r *Resource) relative(path string) string {
	if rest, below := strings.CutPrefix(path, r.Content); below && r.Content != "$" && rest != "" && strings.ContainsAny(rest[:1], ".[") {
		return "$" + rest
	}
	return path
}

// Operations are the methods and path templates of resources, "GET /boats".
func Operations(list []*Resource) []string {
	var out []string
	for _, r := range list {
		for _, o := range all() {
			path := r.path(o)
			if o == List {
				path = r.Collection
			}
			if title := table[o].method + " " + path; r.Supports(o) && !slices.Contains(out, title) {
				out = append(out, title)
			}
		}
	}
	return out
}
