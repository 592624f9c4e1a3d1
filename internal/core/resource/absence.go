package resource

import (
	"slices"
	"strings"
)

// oddIDs are identities that no service should stumble over, as they are in
// a path.
var oddIDs = []struct{ what, path string }{
	{"a word", "no-such-word"}, {"zero", "0"}, {"a negative number", "-1"}, {"an exponent", "1e3"}, {"2^63", "9223372036854775808"},
	{"500 digits", strings.Repeat("9", 500)}, {"a space", "%20"}, {"an encoded slash", "no%2Fsuch"}, {"an encoded NUL", "%00"},
	{"an emoji", "%F0%9F%9A%A2"}, {"null", "null"}, {"undefined", "undefined"},
}

func absenceChecks() []Check {
	const notFound = "RFC 9110 §15.5.5"
	// missing and deleted come in the same four kinds.
	var both []Check
	for _, kind := range []struct {
		name, what string
		prepare    func(s *Scene)
		// write is prepare for what is then written to.
		write   func(s *Scene)
		id      string
		without func(r *Resource) string
		// causes explain a failure beside those that are given for an operation.
		causes []string
		// seen tells why it cannot be seen that there is nothing to write to.
		seen func(r *Resource) string
	}{
		{"missing", "an item that never was", (*Scene).absent, func(s *Scene) { s.absent(); s.notThere("nobody") }, "nobody", func(r *Resource) string {
			if r.Creates() || r.Supports(List) {
				return ""
			}
			return "no identity is known to start from"
		}, nil, can(Read)},
		{"deleted", "an item that was deleted", (*Scene).deleted, (*Scene).deleted, "id", needs(makes, can(Delete)), []string{"lifecycle/deleted-is-gone"}, leavesNothing},
	} {
		both = append(both,
			Check{
				Name: kind.name + "-read", Causes: causesOf(kind.name, "read", kind.causes), On: Read, Requires: needs(can(Read), kind.without), Source: notFound,
				Proves: "reading " + kind.what + " answers 404: no success with nothing in it, no other error",
				Cause:  "a lookup that finds nothing is encoded all the same, or ends in an exception",
				Mend:   "answer 404 when the lookup finds nothing",
				Write: func(s *Scene) {
					kind.prepare(s)
					if kind.name == "deleted" {
						s.readBack("read it", s.goneLines("expect")...)
						return
					}
					s.step("read it", s.ask(Read, kind.id), s.ofItsForm(kind.id), expect("status "+s.GoneStatus()))
				},
			},
			Check{
				Name: kind.name + "-replace", Causes: causesOf(kind.name, "replace", kind.causes), On: Replace, Requires: needs(can(Replace), kind.without, kind.seen, noName), Source: notFound,
				Proves: "replacing " + kind.what + " answers 404, or makes it; never a success without effect",
				Cause:  "an update that touches no row counts as a success",
				Mend:   "look how many items the update touched",
				Write: func(s *Scene) {
					kind.write(s)
					// Whether PUT may make an item, and how it is refused, is the service's (RFC 9110 §9.3.4).
					s.replacesNothing(kind.id, expect("status "+s.accepts("missing", "4xx")+" or 201"), true)
				},
				SofterLevel: "usual",
				Softer: func(s *Scene) {
					kind.write(s)
					s.replacesNothing(kind.id, prefer("status "+s.accepts("missing", "4xx")), false)
				},
			},
			Check{
				Name: kind.name + "-amend", Causes: causesOf(kind.name, "amend", kind.causes), On: Amend, Requires: needs(can(Amend), kind.without, kind.seen), Source: notFound,
				Proves: "amending " + kind.what + " answers 404 and changes nothing",
				Cause:  "an update that touches no row counts as a success",
				Mend:   "look how many items the update touched",
				Write: func(s *Scene) {
					s.Observe(false)
					kind.write(s)
					s.step("amend it", s.ask(Amend, kind.id), s.patch(s.example(s.Amend, 0)), expect("status "+s.accepts("missing", "4xx")), s.unchanged(""))
				},
			},
			Check{
				Name: kind.name + "-delete", Causes: causesOf(kind.name, "delete", kind.causes), On: Delete, Requires: needs(can(Delete), kind.without, kind.seen), Source: notFound,
				Proves: "deleting " + kind.what + " answers 404 or a success, and changes nothing",
				Cause:  "the handler relies on a row that is not there",
				Mend:   "answer 404 or 204 when there is nothing to remove",
				Write: func(s *Scene) {
					s.Observe(false)
					kind.write(s)
					// A delete that finds nothing is one, whatever was there before.
					accepted := s.accepts("repeat delete", s.accepts("missing", "4xx or 2xx"))
					s.step("remove what is not there", s.ask(Delete, kind.id), expect("status "+accepted), s.unchanged(""))
				},
			})
	}
	return slices.Concat(both, orphanChecks(), []Check{
		{
			Name: "missing-head", Causes: []string{"absence/missing-read"}, On: Read, Requires: needs(can(Read), known), Source: "RFC 9110 §9.3.2",
			Proves: "HEAD of an item that is not there answers as GET does, without a body",
			Cause:  "HEAD is answered by the router before the item is looked up",
			Mend:   "let GET's handler answer HEAD",
			Write: func(s *Scene) {
				s.absent()
				s.step("read it", s.ask(Read, "nobody"), need("status not 5xx"))
				s.step("only its head", s.ask(Head, "nobody"), expect("status same as \"read it\" when "+offersHead), expect("body empty"))
			},
		},
		{
			Name: "malformed-id", Causes: []string{"absence/missing-read"}, On: Read, Requires: can(Read), Source: notFound,
			Proves: "an identity of the wrong kind answers 404 or 400, soon, and never an item",
			Cause:  "the path is converted without a look, or a failed conversion counts as zero",
			Mend:   "answer 404 when the identity cannot be one",
			Write: func(s *Scene) {
				s.Parents()
				for _, odd := range oddIDs {
					id := odd.path
					s.step("ask for "+odd.what, send("GET", strings.ReplaceAll(s.parented(s.oddItem()), "{id}", id)), expect("status 404 or 400 or 403 or 410 or 414 or 422"))
				}
			},
		},
		{
			Name: "neighbour-id", Causes: []string{"absence/missing-read", "absence/malformed-id"}, On: Read, Requires: needs(can(Read), named, known), Source: notFound,
			Proves: "an identity beside those that are there does not answer with some other item",
			Cause:  "the item is found by its place, or the nearest one is taken",
			Mend:   "find items by equality",
			Write: func(s *Scene) {
				s.have()
				item := s.parented(s.oddItem())
				s.step("ask for 0", send("GET", strings.ReplaceAll(item, "{id}", "0")), s.ifNamed(`0 or "0"`), expect("status not 5xx"))
				s.step("ask for -1", send("GET", strings.ReplaceAll(item, "{id}", "-1")), s.ifNamed(`-1 or "-1"`), expect("status not 5xx"))
				if s.Creates() && !s.ByName() {
					s.readBack("read it")
					s.step("ask for the next", when(s.idPath()+" is number"+of("read it")), send("GET", strings.ReplaceAll(item, "{id}", "{number(id) + 1}")), expect(s.idPath()+" is {number(id) + 1} when status 2xx"))
				}
			},
		},
		{
			Name: "missing-explains", Causes: []string{"absence/missing-read"}, On: Read, Level: "should", Requires: needs(can(Read), known), Source: "RFC 9110 §15.5, RFC 9457",
			Proves: "the answer to a read of what is not there says so in a body, and not by a page for people",
			Cause:  "the framework's default page answers",
			Mend:   "answer with problem details",
			Write: func(s *Scene) {
				s.absent()
				s.step("read it as JSON", s.ask(Read, "nobody"), headerLine("Accept: application/json"), need("status 4xx"), prefer("text matches /./"), prefer(`header Content-Type is not "text/html" when header Content-Type exists`))
			},
		},
		{
			Name: "missing-is-not-html", Causes: []string{"absence/missing-read", "absence/missing-explains"}, On: Read, Level: "should", Requires: needs(can(Read), known), Source: "RFC 9110 §15.5",
			Proves: "what is not there is not explained by an HTML page",
			Cause:  "the framework's default page answers",
			Mend:   "answer with problem details",
			Write: func(s *Scene) {
				s.absent()
				s.step("read it as JSON", s.ask(Read, "nobody"), headerLine("Accept: application/json"), prefer(`text lacks "<html"`), prefer(`header Content-Type is not "text/html" when header Content-Type exists`))
			},
		},
		{
			Name: "unknown-path", On: List, Source: notFound,
			Proves: "a path beside the collection is refused, or is a list of nothing",
			Cause:  "a catch-all route answers with a page or a default",
			Mend:   "answer 404 for paths that nobody wrote a handler for",
			Write: func(s *Scene) {
				s.Parents()
				claims := []line{expect("status 4xx")}
				if s.Supports(List) {
					// Where any name is that of a list, one that nobody has used is empty.
					claims = []line{expect("status 4xx or 200"), s.listIf200(), s.holds(0).onlyWhen("status 200")}
				}
				s.step("ask for a path that is not there", append([]line{send("GET", s.coll()+"-{random_text(8)}")}, claims...)...)
			},
		},
		{
			Name: "missing-parent", On: List, Requires: needs(nested, can(List)), Source: notFound,
			Proves: "the collection of a parent that is not there answers 404, for reading and for making",
			Cause:  "the list is selected by the parent's id, whether there is such a parent or not",
			Mend:   "look the parent up first",
			Write: func(s *Scene) {
				s.Parents()
				s.turns()
				p := s.Under.Name
				s.soon("orphan", "{another("+p+"_id)}")
				coll := strings.ReplaceAll(s.coll(), "{"+p+"_id}", "{orphan}")
				s.step("list under nobody", send("GET", strings.ReplaceAll(s.list(), "{"+p+"_id}", "{orphan}")), expect("status "+s.GoneStatus()))
				if s.Supports(Create) && s.Make != nil {
					if s.Under.Supports(Read) {
						s.step("look that nobody is not there", s.above().ask(Read, "orphan"), need("status "+s.Under.GoneStatus()))
					}
					s.step("make under nobody", send("POST", coll), bodyLine(s.Make, s.example(s.Make, 0)), expect("status "+s.GoneStatus()))
				}
			},
		},
		{
			Name: "empty-is-not-missing", On: List, Requires: needs(nested, can(List)), Source: notFound,
			Proves: "the collection of an item that was just made answers 200 with a list",
			Cause:  "nothing found is handled as not found",
			Mend:   "answer 200 with an empty list",
			Write: func(s *Scene) {
				s.Parents()
				s.step("list under a new parent", s.ask(List, ""), expect("status "+s.accepts("list", "200")), s.isList())
			},
		},
		{
			Name: "missing-delete-says", Causes: []string{"absence/missing-delete"}, On: Delete, Level: "usual", Requires: needs(makes, can(Delete, Read), leavesNothing), Source: notFound,
			Proves: "a delete of what never was does not answer as if something was removed",
			Cause:  "the answer is written whatever the delete found",
			Mend:   "answer 404, or 204",
			Write: func(s *Scene) {
				s.make(1)
				s.removed(keep("said from text /(?s).+/ if there"))
				if s.ByName() {
					s.Let("nobody", inQuotes(s.chosen(1)))
				} else {
					s.soon("nobody", "{another(id)}")
				}
				s.notThere("nobody")
				s.step("remove what never was", when("status 200"+of("remove it")), when("{said} exists"), s.ask(Delete, "nobody"), prefer(`text is not "{said}" when status 200`))
			},
		},
	})
}

// causesOf are the checks that explain why an operation on what is not there
// fails.
func causesOf(kind, operation string, more []string) []string {
	switch {
	case kind == "deleted":
		out := append([]string{"absence/missing-" + operation}, more...)
		if operation == "delete" {
			out = append(out, "repeat/delete-is-idempotent")
		}
		return out
	case operation == "amend":
		return []string{"absence/missing-read"}
	}
	return nil
}

// oddItem is the item's path with a plain place for the identity.
func (r *Resource) oddItem() string { return r.Item }

// replacesNothing puts over an item that is not there; judged, what came of it
// is looked at too.
func (s *Scene) replacesNothing(id string, status line, judged bool) {
	s.step("replace it", s.ask(Replace, id), bodyLine(s.Remake, strings.ReplaceAll(s.example(s.Remake, 1), "{id}", "{"+id+"}")), status)
	if judged && s.Supports(Read) {
		s.step("read it", s.ask(Read, id), expect("status "+s.GoneStatus()+" when status 4xx of \"replace it\""), expect("status 200 when status 201 of \"replace it\""))
	}
	if s.Supports(Delete) {
		s.cleanup("take away what came of it", when("status 201 of \"replace it\""), s.ask(Delete, id))
	}
}
