package resource

import (
	"fmt"
	"net/url"
	"slices"
	"strings"

	"usualpath/internal/core/syntax"
)

// Scene writes a way through items of a resource as a scenario: the items by names
// of the caller's, each step when it is asked for.
type Scene struct {
	s *script
	// All binds names too that no step uses.
	All bool
}

// Request is a step about an item, as text of the language.
type Request struct {
	Title string
	// Body is a JSON value, "" for none; it is sent as the examples are.
	Body string
	// Header and Query are lines without their first word.
	Header, Query []string
	// Let are names that get a value before the request.
	Let [][2]string
	// Lines are claims, and what is kept, with their first words.
	Lines []string
}

// Scene begins an empty one.
func (r *Resource) Scene() *Scene {
	return &Scene{s: &script{Resource: r, check: &Check{}, level: "must"}}
}

// Parents adds the making of the items that others are below, and their removal.
func (w *Scene) Parents() { w.s.parent() }

// Observe watches the list under the name that Observed gives.
func (w *Scene) Observe() { w.s.observe(true) }

// ObserveBy watches the list as it shows by pages of a size.
func (w *Scene) ObserveBy(size int) {
	if !w.s.Pages() {
		return
	}
	sep := "?"
	if strings.Contains(w.s.list(), "?") {
		sep = "&"
	}
	w.s.observes = append(w.s.observes, fmt.Sprintf("  observe %s at %s%s%s=%d%s%s%s\n", w.s.ObservedBy(size), w.s.list(), sep, url.QueryEscape(w.s.Paging.Names[0]), size,
		w.s.listing(""), w.s.ignoring(true, func(p string) string { return p }), w.s.paged()))
}

// Pages tells whether single pages of a size can be asked for.
func (r *Resource) Pages() bool { return r.Lists() && pages(r) == "" }

// ObservedBy is the name of the list as it shows by pages of a size.
func (r *Resource) ObservedBy(size int) string { return fmt.Sprintf("%s_by_%d", r.Name, size) }

// Observed is the name of the watched list.
func (r *Resource) Observed() string { return (&script{Resource: r}).observed() }

// Let gives a name a value; what begins with a random number is bound first.
func (w *Scene) Let(name, text string) { w.s.let(name, text) }

// Turned is a text of an example with another expression in place of {turn}.
func (r *Resource) Turned(text, by string) string { return (&script{Resource: r}).turned(text, by) }

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

// SomeTurn is a random number for {turn}, as text of the language.
func (r *Resource) SomeTurn() string { return r.someTurn() }

// ByName tells whether the client names the items.
func (r *Resource) ByName() bool { return r.makesByName() }

// Identifies tells whether a member is the identity.
func (r *Resource) Identifies(name string) bool { return memberPath(name) == r.identity() }

// WithoutOwnName is the resource with an identity that clients send as one that no write gives again.
func (r *Resource) WithoutOwnName() *Resource {
	v := *r
	v.Unique = slices.DeleteFunc(slices.Clone(r.Unique), r.Identifies)
	return &v
}

// Removes tells whether what is made can be removed again: by a delete, or with what it
// is below.
func (r *Resource) Removes() bool {
	return r.Supports("delete") || r.Disposable || r.Under != nil && !r.Under.KeepsChildren && r.Under.Removes()
}

// Creates tells whether items can be made at all.
func (r *Resource) Creates() bool { return r.creates() }

// Lists tells whether the items can be found in a list.
func (r *Resource) Lists() bool { return r.Supports("list") && r.By != "" && r.Header == "" }

// Merges tells whether an amend names the members that it changes, and no others
// (RFC 7396).
func (r *Resource) Merges() bool { return amendsObject(r) == "" && mergePatch(r) == "" }

// ReadsAsSent tells whether a member reads as it was sent.
func (r *Resource) ReadsAsSent(name string) bool { return r.readsAsSent(name) }

// GoneStatus are the statuses of what is not there, as a claim says them.
func (r *Resource) GoneStatus() string { return r.gone() }

// Subject is the item in its own answer: body, or a JSONPath.
func (r *Resource) Subject() string { return (&script{Resource: r}).subject() }

// InItem is a member's path in the item's own answer.
func (r *Resource) InItem(name string) string { return r.inItem(memberPath(name)) }

// InList is the item that a name stands for, in the list's answer: a JSONPath.
func (r *Resource) InList(id string) string { return (&script{Resource: r}).only(id) }

// Edge is a value on a limit of what a member takes, as text of the language.
type Edge struct{ Member, Text string }

// Edges are values on limits that read as they were sent.
func (r *Resource) Edges() []Edge {
	var out []Edge
	for _, c := range r.edgeCases(false) {
		if c.text != "" && c.reads == asSent && !c.unique {
			out = append(out, Edge{c.member, c.text})
		}
	}
	return out
}

func (x Request) lines(first line, body ...line) []line {
	out := append([]line{first}, body...)
	for _, l := range x.Let {
		out = append(out, letLine(l[0], l[1]))
	}
	for _, h := range x.Header {
		out = append(out, headerLine(h))
	}
	for _, q := range x.Query {
		out = append(out, at(detail, "query "+q))
	}
	for _, l := range x.Lines {
		out = append(out, at(claim, l))
	}
	return out
}

// Make makes an item; number is the expression in place of {turn} for its name,
// where the client gives it.
func (w *Scene) Make(id, number string, x Request) {
	s := w.s
	if !s.makesByName() {
		// What is made is known before anything is claimed, so that it is removed.
		x.Lines = append([]string{s.keepID(id).text + " if there"}, x.Lines...)
		s.first(x.Title, x.lines(send("POST", s.coll()), bodyLine(s.Make, x.Body))...)
		return
	}
	if !s.bound(id) {
		s.let(id, inQuotes(s.turned(s.Chosen, number)))
	}
	s.step("find a free place for "+strings.ReplaceAll(id, "_", " "), send("GET", s.at(id)), need("status "+s.gone()))
	s.first(x.Title, x.lines(send("PUT", s.at(id)), bodyLine(s.Make, x.Body))...)
}

// Attempt sends a create that is to be refused, and removes what comes of it.
func (w *Scene) Attempt(id string, x Request) {
	w.Make(id, "", x)
	if w.s.Supports("delete") {
		w.s.cleanup("take away what came of "+strings.ReplaceAll(id, "_", " "), when("{"+id+"} exists"), send("DELETE", w.s.at(id)))
	}
}

// Replace, Amend, Delete, Read and Head are about an item.
func (w *Scene) Replace(id string, x Request) {
	e := w.s.Remake
	if e == nil {
		e = w.s.Make
	}
	w.s.step(x.Title, x.lines(send("PUT", w.s.at(id)), bodyLine(e, x.Body))...)
}

// Amend changes members of an item.
func (w *Scene) Amend(id string, x Request) {
	w.s.step(x.Title, x.lines(send("PATCH", w.s.at(id)), w.s.patch(x.Body))...)
}

// Delete removes an item.
func (w *Scene) Delete(id string, x Request) {
	w.s.step(x.Title, x.lines(send("DELETE", w.s.at(id)))...)
}

// Read reads an item; Head asks for its head only.
func (w *Scene) Read(id string, x Request) { w.s.step(x.Title, x.lines(send("GET", w.s.at(id)))...) }

// Head asks for an item's head.
func (w *Scene) Head(id string, x Request) { w.s.step(x.Title, x.lines(send("HEAD", w.s.at(id)))...) }

// Await reads an item until it is there, or gone, as long as a write that is answered
// 202 may take.
func (w *Scene) Await(id, title string, gone bool) {
	status := "200"
	if gone {
		status = w.s.gone()
	}
	w.s.step(title, send("GET", w.s.at(id)), w.s.inTime(), need("status "+status))
}

// List reads the list.
func (w *Scene) List(x Request) { w.s.step(x.Title, x.lines(send("GET", w.s.list()))...) }

// Restart starts the service anew.
func (w *Scene) Restart(title string) { w.s.step(title, startAnew("restart")) }

// Put makes, or replaces, what has a name of the client's.
func (w *Scene) Put(id string, x Request) {
	w.s.first(x.Title, x.lines(send("PUT", w.s.at(id)), bodyLine(w.s.Make, x.Body))...)
}

// Together sends requests to an item at once; the methods and bodies are lists by
// the number of the copy.
func (w *Scene) Together(id string, n int, methods, bodies string, x Request) {
	first := at(request, "send {nth("+methods+", turn)} "+w.s.at(id))
	w.s.first(x.Title, x.lines(first, jsonBody("{nth("+bodies+", turn)}", w.media()), together(n))...)
}

// MakeTogether makes items at once.
func (w *Scene) MakeTogether(n int, bodies string, x Request) {
	w.s.first(x.Title, x.lines(send("POST", w.s.coll()), jsonBody(w.s.Make.wrapped("{nth("+bodies+", turn)}"), w.s.Make.Media), together(n))...)
}

// media is the type of bodies of which some are for PUT and some for PATCH.
func (w *Scene) media() string {
	if w.s.Amend != nil && w.s.Amend.Media != "" {
		return w.s.Amend.Media
	}
	return ""
}

// Leave removes an item at the end, whatever happens.
func (w *Scene) Leave(id string) {
	if slices.Contains(w.s.left, id) {
		return
	}
	w.s.left = append(w.s.left, id)
	if w.s.Supports("delete") {
		w.s.cleanup("leave nothing behind: "+strings.ReplaceAll(id, "_", " "), send("DELETE", w.s.at(id)))
	}
}

// Steps are the steps so far by themselves, as text.
func (w *Scene) Steps() string {
	out := ""
	for _, st := range w.s.body {
		out += st.text()
	}
	return out
}

// Size is how many steps there are, clean-up not counted.
func (w *Scene) Size() int { return len(w.s.body) }

// Text is the whole scenario.
func (w *Scene) Text(title, about string) string {
	s := w.s
	var b strings.Builder
	fmt.Fprintf(&b, "scenario %s\n  about %s\n  need status not 429 and not 503\n", syntax.Quoted(title), syntax.Quoted(about))
	for _, l := range s.Lines {
		b.WriteString("  " + l + "\n")
	}
	b.WriteString(s.guards() + strings.Join(s.observes, ""))
	b.WriteString(s.rest(w.All))
	return b.String()
}

// MemberPath is the JSONPath of a member by name.
func MemberPath(name string) string { return memberPath(name) }

// Named tells whether a text can be a name of the language.
func Named(text string) bool { return syntax.IsName(text) }

// Has tells whether the example has a member.
func (e *Example) Has(name string) bool { return e.has(name) }

// IdentitySource is where the answer to a create tells the item's identity.
func (r *Resource) IdentitySource() string { return r.identitySource() }

// LeaveNth removes, at the end, the item of a place in a list of identities.
func (w *Scene) LeaveNth(ids string, i int) {
	if w.s.Supports("delete") {
		w.s.cleanup(fmt.Sprintf("leave nothing behind: %d", i), send("DELETE", strings.ReplaceAll(w.s.at("id"), "{id}", fmt.Sprintf("{nth(%s, %d)}", ids, i))))
	}
}
