package resource

import (
	"strings"

	"usualpath/internal/core/syntax"
)

func replaceID(item, id string) string { return strings.ReplaceAll(item, "{id}", id) }

func changes(r *Resource) string {
	if r.Supports(Amend) || r.Supports(Replace) {
		return ""
	}
	return "nothing can be written to an item"
}

func preconditionChecks() []Check {
	tagged := when("header ETag exists of \"read it\"")
	return []Check{
		{
			Name: "etag-is-stable", On: Read, Requires: needs(makes, can(Read), changes), Source: "RFC 9110 §8.8.3",
			Proves: "the tag of an item stays while the item does, and changes when it changes",
			Cause:  "the tag is made of a time, of the id, or at random",
			Mend:   "make it of the stored representation, or of a version that counts up",
			Write: func(s *Scene) {
				s.make(1)
				s.readBack("read it", need("status 200"), keep("tag from header ETag if there"), keep("before from body"))
				s.readBack("read it again", tagged, need("status 200"), expect("header ETag is \"{tag}\" when body is {before}"))
				s.written("change it", tagged, need("status 2xx"))
				s.readBack("read it changed", tagged, need("status 200"), expect("header ETag is not \"{tag}\" when body is not {before}"))
			},
		},
		{
			Name: "not-modified", Causes: []string{"precondition/etag-is-stable"}, On: Read, Requires: needs(makes, can(Read), changes), Source: "RFC 9110 §13.1.2",
			Proves: "If-None-Match with the current tag answers 304 without a body, with another tag 200",
			Cause:  "the header is not looked at, or answers 304 whatever it says",
			Mend:   "compare it with the tag of the representation that would be sent",
			Write: func(s *Scene) {
				s.make(1)
				s.readBack("read it", need("status 200"), keep("tag from header ETag if there"))
				s.readBack("read it again", need("status 200"))
				s.readBack("ask with its tag", tagged, when("header ETag is \"{tag}\" of \"read it again\""), headerLine("If-None-Match: {tag}"), expect("status 304"), expect("body empty"))
				s.readBack("ask with another tag", tagged, headerLine(`If-None-Match: "no-such-tag"`), expect("status 200"))
			},
		},
		{
			Name: "stale-write-refused", Causes: []string{"repeat/read-is-safe", "repeat/read-is-stable"}, On: Replace, Source: "RFC 9110 §13.1.1",
			Requires: needs(makes, can(Read), func(r *Resource) string {
				if changes(r) != "" && !r.Supports(Delete) {
					return "nothing can be written to an item"
				}
				return ""
			}),
			Proves: "a write with a tag that is not the current one is refused, and changes nothing",
			Cause:  "If-Match is not looked at, so that what others wrote in between is lost",
			Mend:   "compare before writing, in the same transaction",
			Write: func(s *Scene) {
				s.Observe(false)
				s.observeItem("id", false)
				s.make(1)
				s.readBack("read it", need("status 200"))
				// If-Match compares strongly: a weak tag is one for caches (RFC 9110 §8.8.3.2).
				tagged := when(`header ETag matches /^"/` + of("read it"))
				stale := headerLine(`If-Match: "no-such-tag"`)
				refused := []line{expect("status 412 or 409 or 428"), prefer("status 412"), s.unchanged("")}
				if s.Supports(Replace) {
					s.replaced("replace it", append([]line{tagged, stale}, refused...)...)
				}
				if s.Supports(Amend) {
					s.amended("amend it", append([]line{tagged, stale}, refused...)...)
				}
				if s.Supports(Delete) {
					s.step("remove it", append([]line{tagged, s.ask(Delete, "id"), stale}, refused...)...)
				}
			},
		},
		{
			Name: "current-write-taken", Causes: []string{"precondition/etag-is-stable"}, On: Replace, Source: "RFC 9110 §13.1.1",
			Requires: needs(makes, can(Read), changes, repeats),
			Proves:   "a write that names the current tag is not refused because of it",
			Cause:    "the tag is compared without its quotes, or with that of another representation",
			Mend:     "compare with the tag that a read sends",
			Write: func(s *Scene) {
				s.make(1)
				s.readBack("read it", need("status 200"), keep("tag from header ETag if there"))
				s.readBack("read it again", need("status 200"))
				s.written("change it with its tag", when(`header ETag matches /^"/`+of("read it")), when("header ETag is \"{tag}\""+of("read it again")), when("header Content-Encoding missing"+of("read it")),
					headerLine("If-Match: {tag}"), expect("status not 412 and not 5xx"))
			},
		},
		{
			Name: "create-only", On: Replace, Level: "should", Requires: needs(makes, can(Replace, Read)), Source: "RFC 9110 §13.1.2",
			Proves: "PUT with If-None-Match: * does not write over what is there",
			Cause:  "the header is not looked at",
			Mend:   "answer 412 when there is such an item",
			Write: func(s *Scene) {
				s.make(1)
				s.readBack("read it", need("status 200"))
				s.replaced("put it only if it is new", tagged, headerLine("If-None-Match: *"), prefer("status 412"))
			},
		},
	}
}

// noAuth sends no credentials.
var noAuth = at(detail, "auth none")

func accessChecks() []Check {
	declared := func(r *Resource) string {
		if r.Auth != "" {
			return ""
		}
		return "no `auth` is declared"
	}
	// without sends each operation with other credentials, or none.
	without := func(s *Scene, credentials line) {
		s.Observe(false)
		s.have()
		// 404 hides what is there (RFC 9110 §15.5.4).
		refused := func(o Operation) []line {
			return []line{credentials, expect("status 401 or 403 or 404 because \"the resource has `auth`, and no line `public " + o.String() + "`\""), expect("header WWW-Authenticate exists when status 401")}
		}
		secret := line{}
		if s.Creates() && len(s.Make.Fields) > 0 {
			// Only what no other text is likely to hold tells that something is shown.
			for _, f := range s.texts() {
				if f.telling() && syntax.IsName(f.Name) {
					secret = expect("text lacks \"" + memberOf("made", f.Name) + "\"")
					break
				}
			}
		}
		if s.guarded(List) {
			s.step("list", append(append([]line{s.ask(List, "")}, refused(List)...), secret)...)
		}
		if s.guarded(Read) {
			s.readBack("read", append(refused(Read), secret)...)
		}
		if posts(s.Resource) == "" && s.guarded(Create) {
			s.attempt("create", append(append([]line{credentials, bodyLine(s.Make, s.example(s.Make, 1))}, refused(Create)[1:]...), s.unchanged(""))...)
		}
		if s.guarded(Replace) && s.Creates() {
			s.replaced("replace", append(refused(Replace), s.unchanged(""))...)
		}
		if s.guarded(Amend) && s.Creates() {
			s.amended("amend", append(refused(Amend), s.unchanged(""))...)
		}
		if s.guarded(Delete) && s.Creates() {
			s.step("delete", append(append([]line{s.ask(Delete, "id")}, refused(Delete)...), s.unchanged(""))...)
		}
	}
	return []Check{
		{
			Name: "no-credentials", On: Read, Requires: declared, Source: "RFC 9110 §15.5.2, §11.6.1",
			Proves: "without credentials each operation is refused, with WWW-Authenticate beside 401, does nothing and shows nothing",
			Cause:  "a route was added beside the ones that are guarded",
			Mend:   "guard everything, and list what is open",
			Write:  func(s *Scene) { without(s, noAuth) },
		},
		{
			Name: "wrong-credentials", Causes: []string{"access/no-credentials"}, On: Read, Requires: declared, Source: "RFC 9110 §15.5.2, §11.6.1",
			Proves: "with credentials that nobody has each operation is refused, with WWW-Authenticate beside 401, does nothing and shows nothing",
			Cause:  "the presence of a token is checked, and not the token",
			Mend:   "look the token up",
			Write: func(s *Scene) {
				wrong := at(detail, `auth bearer "nobody-{random_text(16)}"`)
				switch scheme := strings.Fields(s.Auth); scheme[1] {
				case "basic":
					wrong = at(detail, `auth basic "nobody" "nothing"`)
				case "header":
					wrong = at(detail, "auth header "+scheme[2]+` "nobody-{random_text(16)}"`)
				}
				without(s, wrong)
			},
		},
		{
			Name: "refusal-hides-existence", Causes: []string{"access/no-credentials"}, On: Read, Level: "usual", Requires: needs(declared, can(Read), func(r *Resource) string {
				if !r.guarded(Read) {
					return "reading needs no credentials"
				}
				return ""
			}), Source: "RFC 9110 §15.5.4",
			Proves: "without credentials an item that is there and one that is not answer alike",
			Cause:  "the item is looked up before the credentials",
			Mend:   "look at the credentials first",
			Write: func(s *Scene) {
				s.nobody()
				s.readBack("ask for one that is there", noAuth, need("status 4xx"))
				s.step("ask for one that is not", s.ask(Read, "nobody"), noAuth, prefer("status same as \"ask for one that is there\""))
			},
		},
	}
}
