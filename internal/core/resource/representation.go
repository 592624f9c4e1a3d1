package resource

import (
	"fmt"
	"slices"

	"usualpath/internal/core/syntax"
)

// anError is what an answer that is an error looks like from the inside.
const anError = `{ "error": not null, ... } or { "errors": not null, ... } or { "success": false, ... } or { "status": "fail" or "error" or integer 400..599, ... }`

// refusal is a request that is refused: of what is not there, of what cannot be read, of what cannot be
// done.
type refusal struct {
	title string
	lines []line
	// makes marks one that may make an item all the same.
	makes bool
}

func (s *Scene) refusals() (out []refusal) {
	if s.Supports(Read) && (s.Creates() || s.Supports(List)) {
		s.absent()
		out = append(out, refusal{"what is not there", []line{s.ask(Read, "nobody")}, false})
	}
	if s.Creates() && s.Make.json() {
		out = append(out, refusal{"what is not JSON", []line{textBody(halfABody, s.media())}, true})
	}
	if s.Creates() && len(s.Make.Fields) > 0 && len(s.Required) > 0 {
		out = append(out, refusal{"what lacks a member", []line{bodyLine(s.Make, s.Turned(s.Make.object(map[string]*string{s.Required[0]: nil}), later(1)))}, true})
	}
	method := invented
	if s.Disposable {
		method = "PATCH"
	}
	return append(out, refusal{"what cannot be done", []line{send(method, s.coll()), jsonBody("{}", "")}, false})
}

// asks writes a refusal, with claims about it.
func (s *Scene) asks(r refusal, title string, claims ...line) {
	lines := append(slices.Clone(r.lines), claims...)
	if r.makes {
		s.attempt(title, lines...)
		return
	}
	s.step(title, lines...)
}

// offPath writes all of them, with claims about each.
func (s *Scene) offPath(claims func() []line) {
	for _, r := range s.refusals() {
		s.asks(r, r.title, claims()...)
	}
}

func representationChecks() []Check {
	return []Check{
		alsoCheck(),
		{
			Name: "type-is-declared", On: Read, Level: "should", Source: "RFC 9110 §8.3",
			Proves: "a body has a Content-Type, and one that fits it",
			Cause:  "the framework guesses the type, or a handler writes bytes",
			Mend:   "set Content-Type wherever a body is written",
			Write: func(s *Scene) {
				typed := []line{prefer("header Content-Type exists when text matches /./"), prefer("header Content-Type matches /json/i when body is object or array")}
				s.have()
				if s.Supports(List) {
					s.step("read the list", append([]line{s.ask(List, ""), need("status 200")}, typed...)...)
				}
				if s.Supports(Read) {
					s.readBack("read the item", append([]line{need("status 200")}, typed...)...)
				}
				s.offPath(func() []line { return typed })
			},
		},
		{
			Name: "json-is-json", Causes: []string{"representation/type-is-declared"}, On: Read, Source: "RFC 8259",
			Proves: "what says it is JSON is one JSON document, in UTF-8, without members that appear twice",
			Cause:  "JSON is concatenated as text, or encoded in another character set",
			Mend:   "let a JSON encoder write it",
			Write: func(s *Scene) {
				valid := []line{expect("body json when header Content-Type matches /json/i")}
				s.have()
				if s.Supports(List) {
					s.step("read the list", append([]line{s.ask(List, ""), need("status 200")}, valid...)...)
				}
				if s.Supports(Read) {
					s.readBack("read the item", append([]line{need("status 200")}, valid...)...)
				}
				s.offPath(func() []line { return valid })
			},
		},
		{
			Name: "no-content-has-none", On: Delete, Source: "RFC 9110 §6.4.1, §8.6, §15.3.5",
			Requires: needs(makes, func(r *Resource) string {
				if r.Supports(Delete) || r.Supports(Replace) || r.Supports(Read) {
					return ""
				}
				return "nothing here answers without a body"
			}),
			Proves: "204, 304 and answers to HEAD have no body, and 204 no length",
			Cause:  "bytes are written behind the header section",
			Mend:   "answer 200 where there is something to say",
			Write: func(s *Scene) {
				none := expect("body empty when status 204 or 205 or 304")
				s.make(1, none)
				if s.Supports(Read) {
					s.step("only its head", s.ask(Head, "id"), expect("body empty"))
					s.readBack("read it", need("status 200"), keep("tag from header ETag if there"))
					s.readBack("read it if it has changed", when("header ETag exists of \"read it\""), headerLine("If-None-Match: {tag}"), none)
				}
				if s.Supports(Replace) {
					s.replaced("replace it", none, expect("header Content-Length missing when status 204"))
				}
				if s.Supports(Amend) {
					s.amended("amend it", none)
				}
				if s.Supports(Delete) {
					s.step("remove it", s.ask(Delete, "id"), none, expect("header Content-Length missing when status 204"))
				}
			},
		},
		{
			Name: "success-means-success", Causes: []string{"absence/missing-read", "input/malformed-json", "input/missing-member"}, On: Read, Source: "RFC 9110 §15.3",
			Proves: "a success carries no error inside",
			Cause:  "errors are caught, worded and sent with the default status",
			Mend:   "answer with the status that the words are about",
			Write: func(s *Scene) {
				fine := expect("body is not " + anError + " when status 2xx")
				s.offPath(func() []line { return []line{fine} })
			},
		},
		{
			Name: "status-agrees", Causes: []string{"absence/missing-read", "input/malformed-json"}, On: Read, Source: "RFC 9457 §3.1.2",
			Proves: "a status that is repeated in the body of an error is the answer's own",
			Cause:  "the body is made in one place, the status set in another",
			Mend:   "make both from one value",
			Write: func(s *Scene) {
				n := 0
				s.offPath(func() []line {
					n++
					code := fmt.Sprintf("code%d", n)
					return []line{keep(code + " from status"), expect("$.status is {" + code + "} when body is { \"status\": integer 100..599, ... }")}
				})
			},
		},
		{
			Name: "errors-look-alike", Causes: []string{"absence/missing-read", "absence/missing-explains", "input/malformed-json"}, On: Read, Level: "usual", Source: "RFC 9457", Requires: func(r *Resource) string {
				if r.Supports(Read) && (r.Creates() || r.Supports(List)) {
					return ""
				}
				return "there is no first error to compare with"
			},
			Proves: "all errors of the resource have one form",
			Cause:  "some are made by handlers, some by the framework",
			Mend:   "make all of them in one place",
			Write: func(s *Scene) {
				all := s.refusals()
				s.asks(all[0], all[0].title, need("status 4xx"))
				for _, r := range all[1:] {
					// What is answered without a body, or not refused, has no form to compare.
					s.asks(r, r.title)
					s.asks(r, r.title+", again", when("body is any"+of(all[0].title)), when("status 4xx"+of(r.title)), when("text matches /./"+of(r.title)),
						prefer("body resembles "+syntax.Quoted(all[0].title)+" when status 4xx"))
				}
			},
		},
		{
			Name: "errors-leak-nothing", Causes: []string{"absence/missing-is-not-html"}, On: Read, Source: "RFC 9457 §5",
			Proves: "no answer shows the inside of the service: no stack trace, no path of its source, no SQL, no secret",
			Cause:  "exceptions are sent to clients, as on a developer's machine",
			Mend:   "log the details, and send an id to find them by",
			Write: func(s *Scene) {
				s.offPath(func() []line { return []line{expect("body leaks nothing")} })
				if s.Supports(Read) {
					s.step("an odd identity", send("GET", s.parented(replaceID(s.Item, "%27"))), expect("body leaks nothing"))
				}
				if s.Creates() && len(s.Make.Fields) > 0 {
					for i, f := range s.Make.Fields {
						if wrong, ok := s.Make.wrongOf(f); ok {
							s.attempt(f.Name+" is of another type", bodyLine(s.Make, s.Turned(s.Make.object(map[string]*string{f.Name: &wrong}), later(i))), expect("body leaks nothing"))
						}
					}
				}
				if posts(s.Resource) == "" && len(s.Unique) > 0 {
					s.Let("made", s.example(s.Make, 0))
					s.attempt("make the same twice", bodyLine(s.Make, "{made}"), expect("body leaks nothing"))
				}
			},
		},
		{
			Name: "accept-is-heard", On: Read, Level: "should", Requires: can(Read), Source: "RFC 9110 §12.5.1",
			Proves: "Accept of a type that is offered gives that type; of one that is not, 406 or the default",
			Cause:  "the header is not looked at, or an unknown type ends in an exception",
			Mend:   "choose among what is offered, and answer 406 or the default",
			Write: func(s *Scene) {
				s.have()
				s.readBack("read it as it comes", need("status 200"))
				s.readBack("read it as JSON", headerLine("Accept: application/json"), prefer("status 200 or 406"), prefer("header Content-Type matches /json/i when status 200"))
				s.readBack("read it as nothing that is known", headerLine("Accept: application/x-gull-feathers"), expect("status not 5xx"), prefer("status 200 or 406"))
			},
		},
		{
			Name: "vary-is-said", On: Read, Level: "usual", Requires: can(Read), Source: "RFC 9110 §12.5.5",
			Proves: "an answer that depends on Accept says so in Vary",
			Cause:  "the type is chosen, and caches are forgotten",
			Mend:   "send Vary: Accept",
			Write: func(s *Scene) {
				s.have()
				s.readBack("read it as JSON", headerLine("Accept: application/json"), need("status not 5xx"))
				for _, t := range []string{"application/xml", "text/csv"} {
					s.readBack("read it as "+t, headerLine("Accept: "+t), prefer(`header Vary matches /accept|\*/i when header Content-Type is "`+t+`"`))
				}
			},
		},
		{
			Name: "single-is-object", Causes: []string{"lifecycle/create-keeps-values"}, On: Read, Requires: can(Read), Source: "RFC 9110 §9.3.1",
			Proves: "an item by itself is one object, never an array of one",
			Cause:  "the result of the query is encoded as it came",
			Mend:   "take the one item out before encoding",
			Write: func(s *Scene) {
				s.have()
				s.readBack("read it", need("status 200"), expect(s.Subject()+" is object"))
			},
		},
		{
			Name: "any-accept", Causes: []string{"representation/accept-is-heard"}, On: Read, Requires: can(Read), Source: "RFC 9110 §12.5.1",
			Proves: "whatever Accept asks for, in whatever form, is no error of the service's own",
			Cause:  "the header is taken apart by hand, or what is asked for has no writer",
			Mend:   "let a library read Accept, and answer 406 or the default",
			Write: func(s *Scene) {
				s.have()
				s.readBack("read it", need("status 200"))
				for _, one := range [][2]string{{"anything", "*/*"}, {"any text, or else anything", "text/*, */*;q=0.1"}, {"a page", "text/html, application/xhtml+xml, application/xml;q=0.9, */*;q=0.8"}, {"nothing at all", "*/*;q=0"},
					{"no JSON", "application/json;q=0"}, {"a weight that is not a number", "application/json;q=high"}, {"what is not a type", "boats"}, {"only commas", ",,;,"}, {"a type in quotes", `"application/json"`}, {"another character set", "application/json; charset=utf-16"}} {
					s.readBack("accept "+one[0], headerLine("Accept: "+one[1]), expect("status not 5xx"))
				}
			},
		},
		{
			Name: "range-is-right", On: Read, Requires: can(Read), Source: "RFC 9110 §14.2, §15.3.7",
			Proves: "where ranges are offered, 206 gives the bytes that were asked for and says which",
			Cause:  "Accept-Ranges is sent by a layer that does not cut",
			Mend:   "send Accept-Ranges: none, or let a library serve ranges",
			Write: func(s *Scene) {
				s.have()
				plain := headerLine("Accept-Encoding: identity")
				s.readBack("read it", plain, need("status 200"))
				offered := when(`header Accept-Ranges is "bytes"` + of("read it"))
				s.readBack("its first four bytes", offered, plain, headerLine("Range: bytes=0-3"), expect("status 206 or 200 or 416"), expect("header Content-Range matches /^bytes 0-3\\// when status 206"), expect("size under 5B when status 206"))
				s.readBack("what is beyond its end", offered, plain, headerLine("Range: bytes=99999999-"), expect("status 416 or 200"))
			},
		},
	}
}
