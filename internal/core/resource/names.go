package resource

import (
	"fmt"
	"strings"

	"usualpath/internal/core/syntax"
)

// builtIn are names that objects of a language have of themselves.
var builtIn = []string{"constructor", "__proto__", "prototype", "toString", "hasOwnProperty"}

// oddNames are what a name may end with, beside letters and digits. None holds
// a slash, which some servers decode.
var oddNames = []struct {
	what, text string
	// first marks an end that may be read as a format or a parameter of the
	// name before it (RFC 3986 §3.3).
	first bool
}{
	{"a name with a dot", ".b", true}, {"a name with a blank", " b", false}, {"a name with a plus sign", "+b", false}, {"a name with a percent sign", "%b", false},
	{"a name with a letter beyond ASCII", "é", false}, {"a name with a semicolon", ";b", true},
}

// nameTried is a name that is tried, beside that of the first item.
type nameTried struct {
	what, name string
	// first marks one that a service may take for the name of the first item.
	first bool
}

// kept tells of names whether the service keeps items under them, each by
// itself: a name that is refused is none of its names. What is there already is
// not written to.
func (s *Scene) kept(list []nameTried) {
	s.Observe(false)
	s.make(1)
	for i, n := range list {
		place, look, put := fmt.Sprintf("name_%d", i+1), "look whether "+n.what+" is free", "put "+n.what
		s.Let(place, n.name)
		differs := when("{" + place + "} is not {id}")
		there := when("status 2xx" + of(put))
		itself := s.ifNamed("{" + place + "}")
		found := itself
		if n.first {
			found = line{}
		}
		s.step(look, differs, s.ask(Read, place), expect("status not 5xx"), found)
		s.Let("made_"+place, s.example(s.Make, i+2))
		gains := line{}
		if s.watched {
			gains = expect(s.Observed() + " gains 1 when status 200 or 201")
		}
		s.step(put, when("status "+s.GoneStatus()+of(look)), s.ask(Create, place), bodyLine(s.Make, "{made_"+place+"}"), expect("status not 5xx"), gains)
		if s.Supports(Delete) {
			s.cleanup("leave nothing behind: "+place, there, s.ask(Delete, place))
		}
		if s.Supports(Read) {
			s.step("read "+n.what, there, s.ask(Read, place), expect("status 200"), itself, s.shows("expect", "made_"+place))
			s.readBack("the first is what it was, beside "+n.what, there, expect("status 200"), s.shows("expect", "made"))
		}
		if s.Supports(Delete) {
			only := line{}
			if s.watched {
				only = expect(s.Observed() + " loses 1 when status 200 or 204")
			}
			s.step("remove "+n.what, there, s.ask(Delete, place), expect("status 2xx"), only)
		}
		if s.Supports(Read) {
			s.readBack("the first is still there, without "+n.what, there, expect("status 200"), s.shows("expect", "made"))
		}
	}
}

func nameChecks() []Check {
	const identity, notFound = "RFC 3986 §6.2.2", "RFC 9110 §15.5.5"
	// ask reads under names that nobody has: pairs of what and name.
	ask := func(s *Scene, claim line, list ...[2]string) {
		s.Parents()
		for _, n := range list {
			s.step("ask for "+n[0], send("GET", strings.ReplaceAll(s.parented(s.Item), "{id}", n[1])), claim)
		}
	}
	return []Check{
		{
			Name: "near-names-are-two", On: Replace, Causes: []string{"repeat/put-create-is-idempotent", "lifecycle/replace-takes-effect"}, Source: identity, Requires: needs(makes, chooses, can(Read)),
			Proves: "names that differ in case, or of which one begins or ends like the other, are two names or one is refused",
			Cause:  "names are compared without case, by their beginning, or as a pattern",
			Mend:   "compare whole names, byte by byte",
			Write: func(s *Scene) {
				list := []nameTried{{"a longer name", `"{id}0"`, false}}
				if !strings.Contains(s.Chosen, "/") {
					// What stands before the last slash is not the name's own.
					list = append([]nameTried{{"its name in lower case", "{lower(id)}", true}, {"its name in upper case", "{upper(id)}", true}},
						append(list, nameTried{"a name that ends like it", `"a{id}"`, false})...)
				}
				s.kept(list)
			},
		},
		{
			Name: "odd-names-are-kept", On: Replace, Causes: []string{"names/near-names-are-two", "repeat/put-create-is-idempotent", "lifecycle/replace-takes-effect"}, Source: "RFC 3986 §2.1, §3.3", Requires: needs(makes, chooses, can(Read)),
			Proves: "a name with a dot, a blank, a plus sign, a percent sign or letters beyond ASCII reads as itself, or is refused",
			Cause:  "the path is decoded twice, as a form, or as a file name; what follows a dot or semicolon is cut off",
			Mend:   "decode each segment of the path once, by percent-decoding, and take the whole of it",
			Write: func(s *Scene) {
				var list []nameTried
				for _, odd := range oddNames {
					list = append(list, nameTried{odd.what, inQuotes("{id}" + odd.text), odd.first})
				}
				s.kept(list)
			},
		},
		{
			Name: "built-in-names", On: Read, Causes: []string{"absence/missing-read", "absence/malformed-id"}, Source: notFound, Requires: needs(can(Read), known),
			Proves: "words that objects of a programming language know of themselves are no items",
			Cause:  "items are looked up in a plain object, whose built-in properties are found too",
			Mend:   "look up in a map, or own properties only",
			Write: func(s *Scene) {
				s.Parents()
				for _, word := range builtIn {
					claims := []line{expect("status not 5xx"), expect("status 3xx or 4xx")}
					if itself := s.ifNamed(syntax.Quoted(word)); !itself.none() {
						// A name that a user has given is one.
						claims[1] = itself
					}
					s.step("ask for "+word, append([]line{send("GET", replaceID(s.parented(s.Item), word))}, claims...)...)
				}
			},
		},
		{
			Name: "long-names", On: Read, Causes: []string{"absence/missing-read", "absence/malformed-id"}, Source: "RFC 9110 §15.5.15", Requires: can(Read),
			Proves: "a name that is far too long is not found, or refused: no error of the service's own",
			Cause:  "the name goes to a file system or a column as it is",
			Mend:   "bound names, and answer 404 or 414",
			Write: func(s *Scene) {
				ask(s, expect("status 4xx"), [2]string{"a name of 300 letters", `{repeat("n", 300)}`}, [2]string{"a name of 4,000 letters", `{repeat("n", 4000)}`})
			},
		},
		{
			Name: "broken-escapes", On: Read, Causes: []string{"absence/missing-read", "absence/malformed-id"}, Source: "RFC 3986 §2.1, RFC 9112 §3", Requires: can(Read),
			Proves: "a path whose percent-encoding is broken, or is not UTF-8, is refused or not found",
			Cause:  "decoding fails where nobody looks",
			Mend:   "answer 400 when the path cannot be decoded",
			Write: func(s *Scene) {
				// These two are not URIs: an answer to them is only recommended (RFC 9112 §3).
				ask(s, prefer("status 4xx"), [2]string{"a percent sign alone", "no-such%"}, [2]string{"letters in place of digits", "no-such%zz"})
				ask(s, expect("status 4xx"), [2]string{"half a character", "no-such%C3"}, [2]string{"an overlong encoding", "no-such%C0%AE"})
			},
		},
	}
}
