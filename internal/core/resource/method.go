package resource

import (
	"fmt"
	"slices"
	"strings"
)

// never are methods that a path has no handler for, with the body they are
// sent with.
type never struct{ method, at, where string }

// unsupported are the methods that the resource does not have. Without a line
// `supports` only those that such a path never has. What a server might take
// for a wish about all items is sent where they are disposable; elsewhere an
// invented method replaces it. On an item only where it is one made here.
func (s *Scene) unsupported(id string) []never {
	var out []never
	add := func(method, where, at string) { out = append(out, never{method, at, where}) }
	if s.Disposable {
		add("PUT", "the collection", s.coll())
		add("PATCH", "the collection", s.coll())
		if !s.Supports(Create) && s.Declared {
			add("POST", "the collection", s.coll())
		}
	} else {
		add(invented, "the collection", s.coll())
	}
	if (s.Supports(Read) || s.Declared) && (s.Creates() || s.Disposable) {
		add("POST", "the item", s.at(id))
		if s.Declared {
			for _, o := range all() {
				if o.changesItem() && !s.Supports(o) {
					add(table[o].method, "the item", s.at(id))
				}
			}
		}
	}
	if s.Disposable {
		add("DELETE", "the collection", s.coll())
	}
	return out
}

// offered are the methods that work on the collection and on the item.
func (r *Resource) offered() (collection, item []string) {
	for _, o := range all() {
		switch {
		case !r.Supports(o):
		case table[o].ofItem:
			item = append(item, table[o].method)
		case r.path(o) == r.Collection:
			// A list may have a path of its own.
			collection = append(collection, table[o].method)
		}
	}
	return collection, item
}

// offersHead is the condition that HEAD is answered at all: a service may leave it out.
const offersHead = "status not 405 and not 501"

// whatOffers is the step that asks what there is at a place.
func whatOffers(where string) string { return "what " + where + " offers" }

// misused sends each method that the resource does not have. What OPTIONS says
// is there is not sent: it would do what it says.
func (s *Scene) misused(claims func(n never) []line) {
	s.have()
	list := s.unsupported("id")
	for _, where := range []string{"the collection", "the item"} {
		at := s.coll()
		if where == "the item" {
			at = s.at("id")
		}
		if slices.ContainsFunc(list, func(n never) bool { return n.where == where }) {
			s.step(whatOffers(where), send("OPTIONS", at), expect("status not 500"))
		}
	}
	for i, n := range list {
		lines := []line{when("header Allow lacks " + n.method + of(whatOffers(n.where))), send(n.method, n.at)}
		if n.method != "DELETE" {
			lines = append(lines, jsonBody("{}", ""))
		} else if n.where == "the collection" {
			// It could remove everything: only where methods are told apart at all.
			lines = append(lines, when("status 405 or 501 of \"PUT on the collection\""))
		}
		title := n.method + " on " + n.where
		if n.method != "POST" && n.method != invented || posts(s.Resource) != "" || !s.Supports(Delete) {
			s.step(title, append(lines, claims(n)...)...)
			continue
		}
		// What a service makes of it all the same is taken away at once.
		odd := fmt.Sprintf("odd_%d", i+1)
		s.step(title, slices.Concat(lines, []line{s.keepID(odd).ifThere()}, claims(n))...)
		s.step("take away what came of: "+title, when(s.fine()+of(title)), when("{"+odd+"} exists"), when("{"+odd+"} is not {id}"), s.ask(Delete, odd))
	}
}

func methodChecks() []Check {
	const notAllowed = "RFC 9110 §15.5.6"
	return []Check{
		{
			Name: "unsupported-method", On: List, Source: notAllowed,
			Proves: "a method that a path does not have answers 405, soon, and does nothing",
			Cause:  "the router matches the path and not the method",
			Mend:   "bind handlers to methods, and answer 405 with Allow for the rest",
			Write: func(s *Scene) {
				s.Observe(false)
				s.misused(func(n never) []line {
					if n.method == invented {
						return []line{expect("status 4xx or 501"), prefer("status 405 or 501"), s.unchanged("")}
					}
					// A path may have more methods than the resource says. It has not where the
					// service itself leaves one out.
					return []line{expect("status 2xx or 3xx or 4xx or 501"),
						expect("status 405 or 501 or 404 or 400 or 403 or 422 when header Allow exists" + of(whatOffers(n.where))),
						// What looked at the body, or at conditions, has the method.
						prefer("status 405 or 400 or 409 or 411 or 412 or 415 or 422 or 428 when status 4xx"), s.unchanged("when status not 2xx")}
				})
			},
		},
		{
			Name: "allow-is-sent", Causes: []string{"method/unsupported-method"}, On: List, Source: notAllowed,
			Proves: "405 names the methods that work, in Allow",
			Cause:  "405 is answered by hand",
			Mend:   "send Allow with each 405",
			Write: func(s *Scene) {
				s.misused(func(never) []line { return []line{expect("header Allow exists when status 405")} })
			},
		},
		{
			Name: "allow-is-true", Causes: []string{"method/unsupported-method", "method/allow-is-sent"}, On: List, Source: "RFC 9110 §10.2.1",
			Proves: "Allow names what works, and not what answered 405",
			Cause:  "the list is written by hand, or covers all paths at once",
			Mend:   "derive Allow from the routes",
			Write: func(s *Scene) {
				collection, item := s.offered()
				s.misused(func(n never) []line {
					have := collection
					if n.where == "the item" {
						have = item
					}
					out := []line{expect("header Allow lacks " + n.method + " when status 405")}
					if len(have) > 0 {
						out = append(out, expect("header Allow lists "+strings.Join(have, ", ")+" when header Allow exists"))
					}
					return out
				})
			},
		},
		{
			Name: "unknown-method", On: List, Source: "RFC 9110 §15.6.2",
			Proves: "an invented method is refused, soon, and does nothing",
			Cause:  "whatever is not POST is handled as GET",
			Mend:   "answer 405 or 501 for methods that nobody wrote a handler for",
			Write: func(s *Scene) {
				s.Observe(false)
				s.have()
				s.step("an invented method on the collection", send(invented, s.coll()), expect("status 4xx or 501"), prefer("status 405 or 501"), s.unchanged(""))
				if s.Creates() || s.Disposable {
					s.step("an invented method on the item", send(invented, s.at("id")), expect("status 4xx or 501"), prefer("status 405 or 501"), s.unchanged(""))
				}
			},
		},
		{
			Name: "head-mirrors-get", Causes: []string{"precondition/etag-is-stable"}, On: Read, Requires: can(Read), Source: "RFC 9110 §9.3.2",
			Proves: "HEAD answers with the status and the fields of GET, and without a body",
			Cause:  "HEAD has a handler of its own, or none",
			Mend:   "let GET's handler answer HEAD, and drop the body",
			Write: func(s *Scene) {
				s.have()
				s.readBack("read it", need("status 200"))
				s.step("only its head", s.ask(Head, "id"), expect("status same as \"read it\" when "+offersHead), prefer(offersHead), expect("body empty"))
				s.step("what its head says", when("status 200"+of("only its head")), s.ask(Head, "id"),
					expect("header Content-Type same as \"read it\" when header Content-Type exists"), prefer("header Content-Type exists when header Content-Type exists"+of("read it")))
				// What moves with each read has another tag each time.
				s.readBack("read it again", when("header ETag exists"+of("read it")), need("status 200"))
				s.step("what its head says of the tag", when("status 200"+of("only its head")), when("header ETag same as \"read it\""+of("read it again")), s.ask(Head, "id"),
					expect("header ETag same as \"read it\" when header ETag exists"), prefer("header ETag exists"))
				if s.Supports(List) {
					s.step("read the list", s.ask(List, ""), need("status 200"))
					s.step("only the list's head", send("HEAD", s.list()), expect("status same as \"read the list\" when "+offersHead), expect("body empty"))
					s.step("what the list's head says", when("status 200"+of("only the list's head")), send("HEAD", s.list()),
						expect("header Content-Type same as \"read the list\" when header Content-Type exists"))
				}
			},
		},
		{
			Name: "head-length-agrees", Alone: true, Causes: []string{"method/head-mirrors-get", "repeat/read-is-stable"}, On: Read, Requires: can(Read), Source: "RFC 9110 §8.6",
			Proves: "where HEAD sends a Content-Length, it is the one that GET sends",
			Cause:  "the length is that of the empty body, or of another representation",
			Mend:   "let GET's handler answer HEAD, and drop the body only",
			Write: func(s *Scene) {
				// Judged only where two GETs say the same: else another length may be right. What is
				// compressed may differ in length each time, by chance not in these two.
				plain := func(step string) line { return when("header Content-Encoding missing" + of(step)) }
				s.have()
				s.readBack("read it", need("status 200"))
				s.readBack("read it again", need("status 200"))
				s.step("whether there is its head", s.ask(Head, "id"), expect("body empty"))
				s.step("only its head", when("status 200"+of("whether there is its head")), when("body same as \"read it\""+of("read it again")), when("header Content-Length exists"+of("read it again")), plain("read it again"), s.ask(Head, "id"),
					expect("header Content-Length same as \"read it again\" when header Content-Length exists"))
				if s.Supports(List) {
					s.step("read the list", s.ask(List, ""), need("status 200"))
					s.step("read the list again", s.ask(List, ""), need("status 200"))
					s.step("whether there is the list's head", send("HEAD", s.list()), expect("body empty"))
					s.step("only the list's head", when("status 200"+of("whether there is the list's head")), when("body same as \"read the list\""+of("read the list again")), when("header Content-Length exists"+of("read the list again")), plain("read the list again"), send("HEAD", s.list()),
						expect("header Content-Length same as \"read the list again\" when header Content-Length exists"))
				}
			},
		},
		{
			Name: "options-agrees", Causes: []string{"method/allow-is-true"}, On: List, Level: "usual", Source: "RFC 9110 §9.3.7",
			Proves: "where OPTIONS answers, its Allow names what works, and nothing that answers 405",
			Cause:  "the answer is written by hand, or meant for browsers only",
			Mend:   "derive Allow from the routes",
			Write: func(s *Scene) {
				collection, _ := s.offered()
				s.Parents()
				lists := line{}
				if len(collection) > 0 {
					lists = prefer("header Allow lists " + strings.Join(collection, ", ") + " when header Allow exists")
				}
				s.step("what the collection offers", send("OPTIONS", s.coll()), lists)
				for _, m := range []string{"PUT", "PATCH"} {
					if !s.Disposable {
						break
					}
					s.step(m+" on the collection", when("header Allow exists of \"what the collection offers\""), send(m, s.coll()), jsonBody("{}", ""),
						prefer("status not 405 when header Allow lists "+m+" of \"what the collection offers\""))
				}
			},
		},
	}
}
