package resource

import (
	"fmt"
	"net/url"
	"strings"
)

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

// ObserveBy watches the list as it shows by pages of a size.
func (s *Scene) ObserveBy(size int) {
	if !s.Pages() {
		return
	}
	sep := "?"
	if strings.Contains(s.list(), "?") {
		sep = "&"
	}
	s.observes = append(s.observes, fmt.Sprintf("  observe %s at %s%s%s=%d%s%s%s\n", s.ObservedBy(size), s.list(), sep, url.QueryEscape(s.Paging.Names[0]), size,
		s.listing(""), s.ignoring(true, func(p string) string { return p }), s.paged()))
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

// Create makes an item; number is the expression in place of {turn} for its name,
// where the client gives it.
func (s *Scene) Create(id, number string, x Request) {
	if !s.ByName() {
		// What is made is known before anything is claimed, so that it is removed.
		x.Lines = append([]string{s.keepID(id).text + " if there"}, x.Lines...)
		s.step(x.Title, x.lines(s.ask(Create, ""), bodyLine(s.Make, x.Body))...)
		return
	}
	if !s.bound(id) {
		s.Let(id, inQuotes(s.Turned(s.Chosen, number)))
	}
	s.step("find a free place for "+strings.ReplaceAll(id, "_", " "), s.ask(Read, id), need("status "+s.GoneStatus()))
	s.step(x.Title, x.lines(s.ask(Create, id), bodyLine(s.Make, x.Body))...)
}

// Attempt sends a create that is to be refused, and removes what comes of it.
func (s *Scene) Attempt(id string, x Request) {
	s.Create(id, "", x)
	if s.Supports(Delete) {
		s.cleanup("take away what came of "+strings.ReplaceAll(id, "_", " "), when("{"+id+"} exists"), s.ask(Delete, id))
	}
}

// Do is an operation on what is there; id names the item that it is about.
func (s *Scene) Do(o Operation, id string, x Request) {
	body := line{}
	if s.exampleFor(o) != nil {
		body = s.sends(o, x.Body)
	}
	s.step(x.Title, x.lines(s.ask(o, id), body)...)
}

// Await reads an item until it is there, or gone, as long as a write that is answered
// 202 may take.
func (s *Scene) Await(id, title string, gone bool) {
	status := "200"
	if gone {
		status = s.GoneStatus()
	}
	s.step(title, s.ask(Read, id), s.inTime(), need("status "+status))
}

// Restart starts the service anew.
func (s *Scene) Restart(title string) { s.step(title, startAnew("restart")) }

// Together sends requests to an item at once; the methods and bodies are lists by
// the number of the copy.
func (s *Scene) Together(id string, n int, methods, bodies string, x Request) {
	first := at(request, "send {nth("+methods+", turn)} "+s.at(id))
	s.step(x.Title, x.lines(first, jsonBody("{nth("+bodies+", turn)}", s.mixedMedia()), together(n))...)
}

// MakeTogether makes items at once.
func (s *Scene) MakeTogether(n int, bodies string, x Request) {
	s.step(x.Title, x.lines(s.ask(Create, ""), jsonBody(s.Make.wrapped("{nth("+bodies+", turn)}"), s.Make.Media), together(n))...)
}

// mixedMedia is the type of bodies of which some are for PUT and some for PATCH.
func (s *Scene) mixedMedia() string {
	if s.Amend != nil && s.Amend.Media != "" {
		return s.Amend.Media
	}
	return ""
}

// Steps are the steps so far by themselves, as text.
func (s *Scene) Steps() string {
	out := ""
	for _, st := range s.body {
		out += st.text()
	}
	return out
}

// Size is how many steps there are, clean-up not counted.
func (s *Scene) Size() int { return len(s.body) }

// LeaveNth removes, at the end, the item of a place in a list of identities.
func (s *Scene) LeaveNth(ids string, i int) {
	if s.Supports(Delete) {
		s.cleanup(fmt.Sprintf("leave nothing behind: %d", i), send("DELETE", strings.ReplaceAll(s.at("id"), "{id}", fmt.Sprintf("{nth(%s, %d)}", ids, i))))
	}
}
