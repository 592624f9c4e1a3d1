package resource

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/syntax"
)

// malformed are bodies that are not JSON, as text of the language.
var malformed = []struct {
	what, text string
	// extension marks what a lenient parser may read.
	extension bool
}{
	{"cut off in the middle", halfABody, false},
	{"single quotes", `{ 'name': 'Tern' }`, true},
	{"a bare word", `tern`, false},
	{"two documents", `{} {}`, false},
}

// refusedOrKept tries to make an item of what is not one. A store may keep any bytes under the type that
// they were sent with: then it shows them as they are, which is told as a warning.
func (s *Scene) refusedOrKept(title string, body line, refused, same string) {
	if !s.Supports(Read) {
		s.attempt(title, body, expect("status "+refused), s.unchanged(""))
		return
	}
	nowhere := line{}
	if !s.ByName() {
		// What was made of it is read back, where the answer says which item that is.
		nowhere = expect("status " + refused + " when {" + fmt.Sprintf("stray%d", s.strays+1) + "} missing")
	}
	s.attempt(title, body, expect(s.fine()+" or "+refused), nowhere, prefer("status "+refused), s.unchanged("when status 4xx"))
	s.step("read what came of "+title, when(s.fine()+of(title)), when("{"+s.stray()+"} exists"), s.ask(Read, s.stray()), expect("status 200"), expect(same))
}

func inputChecks() []Check {
	const bad = "RFC 9110 §15.5.1"
	membersOf := func(r *Resource) []Field {
		var out []Field
		for _, n := range append(slices.Clone(r.Required), r.OnCreate...) {
			if f := r.Make.field(n); f != nil {
				out = append(out, *f)
			}
		}
		return out
	}
	required := needs(makes, written, func(r *Resource) string {
		if len(membersOf(r)) == 0 {
			return "no member is `required`"
		}
		return ""
	})
	null := "null"
	// changed tries the example with one member changed, on create and replace.
	changed := func(s *Scene, what string, change *string, claims ...line) {
		s.Observe(false)
		for i, f := range membersOf(s.Resource) {
			s.attempt("make one "+what+" "+f.Name, append([]line{bodyLine(s.Make, s.Turned(s.Make.object(map[string]*string{f.Name: change}), later(i)))}, claims...)...)
		}
		if !s.Supports(Replace) || s.Remake == nil || len(s.Remake.Fields) == 0 || s.ByName() {
			return
		}
		s.make(1)
		for _, f := range membersOf(s.Resource) {
			if s.Remake.field(f.Name) == nil || slices.Contains(s.OnCreate, f.Name) {
				continue
			}
			s.step("replace it "+what+" "+f.Name, append([]line{s.ask(Replace, "id"), bodyLine(s.Remake, s.Turned(s.Remake.object(map[string]*string{f.Name: change}), "turn"))}, claims...)...)
		}
	}
	return append([]Check{
		{
			Name: "malformed-json", On: Create, Requires: needs(makes, sendsJSON), Source: bad,
			Proves: "a body that is not JSON is refused, and changes nothing",
			Cause:  "a lenient parser, or an exception that nobody catches",
			Mend:   "parse by RFC 8259, and answer 400 when that fails",
			Write: func(s *Scene) {
				s.Observe(false)
				// A parser may take extensions of JSON (RFC 8259 §9): what can be read in one
				// way only is a warning.
				lenient := []line{expect("status not 5xx"), prefer("status " + s.refused("400 or 422")), s.unchanged("when status 4xx")}
				for _, m := range malformed {
					if m.extension {
						s.attempt(m.what, append([]line{textBody(m.text, s.media())}, lenient...)...)
						continue
					}
					s.refusedOrKept(m.what, textBody(m.text, s.media()), s.refused("400 or 422"), "text is "+syntax.Quoted(m.text))
				}
				if len(s.Make.Fields) > 0 {
					s.attempt("a trailing comma", append([]line{s.rawBody("", ",")}, lenient...)...)
				}
			},
		},
		{
			Name: "empty-body", Causes: []string{"input/malformed-json"}, On: Create, Requires: needs(makes, sendsSomething), Source: bad,
			Proves: "no body at all is refused where members are required, and changes nothing",
			Cause:  "an empty body counts as an object without members",
			Mend:   "answer 400 when there is nothing to read",
			Write: func(s *Scene) {
				s.Observe(false)
				if len(s.Required)+len(s.OnCreate) > 0 {
					s.attempt("send nothing", append([]line{textBody("", s.media())}, s.refusal("400 or 411 or 415 or 422")...)...)
					return
				}
				// Where nothing is required, nothing may be enough.
				s.attempt("send nothing", textBody("", s.media()), expect("status not 5xx"), s.unchanged("when status 4xx"))
			},
		},
		{
			Name: "wrong-media-type", Causes: []string{"lifecycle/create-keeps-values"}, On: Create, Requires: needs(makes, can(Read), sendsJSON), Source: "RFC 9110 §15.5.16",
			Proves: "a body of another type is refused with 415, or handled exactly as what it is",
			Cause:  "the type is not looked at, or the body is read as a form",
			Mend:   "answer 415 for types that are not read",
			Write: func(s *Scene) {
				s.Observe(false)
				k := 0
				for _, one := range [][2]string{{"JSON that says it is text", "text/plain"}, {"JSON without a type", ""}} {
					title := one[0]
					body := fmt.Sprintf("sent_%d", k+1)
					s.Let(body, s.example(s.Make, k))
					lines := []line{jsonBody(s.Make.wrapped("{"+body+"}"), one[1])}
					if one[1] == "" {
						lines = append(lines, withoutHeader("Content-Type"))
					}
					lines = append(lines, expect(s.fine()+" or 415 or 400 or 422"), prefer("status 415 or 400 or 422"), s.unchanged("when status 4xx"))
					s.attempt(title, lines...)
					id := s.stray()
					s.step("read what came of "+title, when(s.fine()+of(title)), s.ask(Read, id), expect("status 200"), s.shows("expect", body))
					k++
				}
				const xml = "<boat><name>Tern</name></boat>"
				s.refusedOrKept("XML that says it is JSON", textBody(xml, s.media()), s.refused("400 or 422")+" or 415", "text is "+syntax.Quoted(xml))
			},
		},
		{
			Name: "missing-member", On: Create, Requires: required, Source: bad,
			Proves: "a body without a required member is refused, on create and on replace, and changes nothing",
			Cause:  "what is missing becomes a default",
			Mend:   "tell absent from empty, and answer 400 or 422",
			Write:  func(s *Scene) { s.Observe(false); changed(s, "without", nil, s.refusal("400 or 422")...) },
		},
		{
			Name: "null-member", Causes: []string{"input/missing-member"}, On: Create, Requires: needs(required, sendsJSON), Source: bad,
			Proves: "null for a required member is refused, and changes nothing",
			Cause:  "null counts as absent, and absent as a default",
			Mend:   "answer 400 or 422",
			Write:  func(s *Scene) { s.Observe(false); changed(s, "with null for", &null, s.refusal("400 or 422")...) },
		},
		{
			Name: "wrong-type", On: Create, Requires: needs(makes, written, sendsJSON), Source: bad,
			Proves: "a value of another JSON type is refused, or kept as it was sent: never bent until it fits",
			Cause:  "the decoder or the database converts",
			Mend:   "check the type before storing",
			Write: func(s *Scene) {
				s.Observe(false)
				for i, f := range s.Make.Fields {
					wrong, ok := s.Make.wrongOf(f)
					if t := s.taken(f.Name); ok && t != nil {
						// What it takes is said: a value of another type may be one of several.
						held, known := fits(t.Shape, strings.ReplaceAll(wrong, "{turn}", "12345"))
						ok = known && !held
					}
					if !ok {
						continue
					}
					title := f.Name + " is a word"
					if f.Kind == syntax.String {
						title = f.Name + " is a number"
					}
					text := s.Turned(s.Make.object(map[string]*string{f.Name: &wrong}), later(i))
					wrong = s.Turned(wrong, later(i))
					if !s.Supports(Read) || !s.ReadsAsSent(f.Name) {
						s.attempt(title, append([]line{bodyLine(s.Make, text)}, s.refusal("400 or 422")...)...)
						continue
					}
					// A store without a schema may take any type, as long as it keeps it.
					s.attempt(title, bodyLine(s.Make, text), expect(s.fine()+" or 409 or "+s.refused("400 or 422")), prefer("status "+s.refused("400 or 422")), s.unchanged("when status 4xx"))
					id := s.stray()
					kept := s.covers("expect", "{ "+syntax.Quoted(f.Name)+": "+wrong+" }")
					switch f.Kind {
					case syntax.String:
						// A number may be taken for the text of its digits: nothing is lost.
						kept = expect(s.Subject() + " is { " + syntax.Quoted(f.Name) + ": " + wrong + " or \"" + wrong + "\", ... }")
					case syntax.Array:
						// One in place of a list may be taken for a list of one: nothing is bent.
						kept = expect(s.Subject() + " is { " + syntax.Quoted(f.Name) + ": " + wrong + " or [" + wrong + "], ... }")
					}
					s.step("read what came of "+title, when(s.fine()+of(title)), s.ask(Read, id), expect("status 200"), kept)
				}
			},
		},
		{
			Name: "wrong-container", Causes: []string{"input/malformed-json"}, On: Create, Requires: needs(makes, sendsJSON), Source: bad,
			Proves: "a text, a number or null in place of the object is refused, and so is an array unless it makes several",
			Cause:  "the decoder opens arrays, or makes an empty object of anything",
			Mend:   "answer 400 when the body is not an object",
			Write: func(s *Scene) {
				s.Observe(false)
				for _, one := range [][2]string{{"an array", "[" + s.example(s.Make, 0) + "]"}, {"a text", `"a word"`}, {"a number", "7"}, {"null", "null"}} {
					title := one[0] + " in place of the object"
					if one[0] == "an array" || one[0] == "null" && len(s.Required)+len(s.OnCreate) == 0 {
						// An array may make several, and null may be as good as nothing.
						s.attempt(title, bodyLine(s.Make, one[1]), expect("status not 5xx"), prefer("status "+s.refused("400 or 422")), s.unchanged("when status 4xx"))
						continue
					}
					s.refusedOrKept(title, bodyLine(s.Make, one[1]), s.refused("400 or 422"), s.Subject()+" is "+one[1])
				}
			},
		},
		{
			Name: "names-the-member", Causes: []string{"input/missing-member"}, On: Create, Level: "usual", Requires: required, Source: "RFC 9457 §3",
			Proves: "a refusal says which member is at fault",
			Cause:  "one message for all that can be wrong",
			Mend:   "name the member, in the detail or in an extension member",
			Write: func(s *Scene) {
				for i, f := range membersOf(s.Resource) {
					s.attempt("make one without "+f.Name, bodyLine(s.Make, s.Turned(s.Make.object(map[string]*string{f.Name: nil}), later(i))), prefer("text matches "+naming(f.Name)+" when status 4xx"))
				}
			},
		},
		{
			Name: "duplicate-unique", On: Create, Source: "RFC 9110 §15.5.10",
			Requires: needs(makes, written, notByName, func(r *Resource) string {
				if len(r.Unique) == 0 {
					return "no member is `unique`"
				}
				return ""
			}),
			Proves: "a second item with the same value of a unique member is refused",
			Cause:  "there is no constraint, or it is only checked on create",
			Mend:   "let the store enforce it, and answer 409",
			Write: func(s *Scene) {
				s.Observe(false)
				s.make(1)
				for i, n := range s.Unique {
					same := memberOf("made", n)
					s.attempt("make another with the same "+n, append([]line{bodyLine(s.Make, s.Turned(s.Make.object(map[string]*string{n: &same}), later(i+1)))}, s.refusal("409 or 422 or 400", "409")...)...)
				}
			},
		},
		{
			Name: "refused-changes-nothing", Causes: []string{"input/malformed-json", "repeat/read-is-safe", "repeat/read-is-stable"}, On: Replace, Source: bad,
			Requires: needs(makes, sendsJSON, func(r *Resource) string {
				if r.Supports(Replace) || r.Supports(Amend) {
					return ""
				}
				return "nothing can be written to an item"
			}),
			Proves: "a write that is refused leaves everything as it was",
			Cause:  "members are stored one after the other, and the error comes in the middle",
			Mend:   "check everything first, then store, in one transaction",
			Write: func(s *Scene) {
				s.Observe(false)
				s.observeItem("id", false)
				s.make(1)
				if s.Supports(Replace) {
					s.step("replace it with half a body", s.ask(Replace, "id"), textBody(halfABody, s.media()), s.unchanged("when status 4xx"), expect("status not 5xx"))
					s.step("replace it with a list", s.ask(Replace, "id"), bodyLine(s.Remake, "[]"), s.unchanged("when status 4xx"), expect("status not 5xx"))
				}
				if s.Supports(Amend) {
					s.step("amend it with half a body", s.ask(Amend, "id"), textBody(halfABody, s.patchMedia()), s.unchanged("when status 4xx"), expect("status not 5xx"))
				}
				s.attempt("make half a one", textBody(halfABody, s.media()), s.unchanged("when status 4xx"), expect("status not 5xx"))
			},
		},
		{
			Name: "odd-text-survives", On: Create, Source: "RFC 8259 §8",
			Requires: needs(makes, written, func(r *Resource) string {
				if len(r.texts()) == 0 {
					return "`make` has no text"
				}
				return ""
			}),
			Proves: "odd text is stored as it was sent or refused; the service does not stumble over it",
			Cause:  "the database refuses NUL, or the encoder a lone surrogate",
			Mend:   "check text where it comes in, and answer 400 or 422",
			Write: func(s *Scene) {
				name := s.texts()[0].Name
				for i, one := range [][2]string{{"control characters", `"Tern \u0007\u001b {turn}"`}, {"NUL", `"Tern \u0000 {turn}"`}, {"10,000 characters", `"{repeat("x", 10000)}{turn}"`}} {
					title := one[0] + " in " + name
					body := fmt.Sprintf("sent_%d", i+1)
					s.Let(body, s.Turned(s.Make.object(map[string]*string{name: &one[1]}), later(i)))
					s.attempt(title, bodyLine(s.Make, "{"+body+"}"), expect("status not 5xx"))
					id := s.stray()
					if s.Supports(Read) && s.ReadsAsSent(name) {
						s.step("read "+title, when(s.fine()+of(title)), s.ask(Read, id), expect("status 200"), s.covers("expect", "{ "+syntax.Quoted(name)+": "+memberOf(body, name)+" }"))
					}
				}
				if !s.Make.json() {
					return
				}
				s.attempt("half of a surrogate pair in "+name, s.rawBody(name, ""), expect("status not 5xx"))
			},
		},
		{
			Name: "big-body", On: Create, Level: "usual", Source: "RFC 9110 §15.5.14",
			Requires: needs(makes, written, func(r *Resource) string {
				if len(r.texts()) == 0 {
					return "`make` has no text"
				}
				return ""
			}),
			Proves: "a text of a mebibyte is stored or refused, soon, without an error of the service's own",
			Cause:  "the limit of a column or a buffer ends in an exception",
			Mend:   "bound the body, and answer 413",
			Write: func(s *Scene) {
				name := s.texts()[0].Name
				big := `"{repeat("x", 1048570)}{turn}"`
				s.attempt("a mebibyte in "+name, bodyLine(s.Make, s.Turned(s.Make.object(map[string]*string{name: &big}), "turn")), prefer("status not 5xx"))
			},
		},
		{
			Name: "content-coding", Causes: []string{"input/wrong-media-type"}, On: Create, Requires: needs(makes, sendsJSON), Source: "RFC 9110 §8.4, §15.5.16",
			Proves: "a body in a content coding that nobody knows is refused, or read as it is: no error of the service's own",
			Cause:  "decoding fails where nobody looks",
			Mend:   "answer 415 for codings that are not read",
			Write: func(s *Scene) {
				// A server may refuse a coding, and need not (RFC 9110 §8.4).
				s.Observe(false)
				s.attempt("a coding that nobody knows", headerLine("Content-Encoding: x-gull-feathers"), bodyLine(s.Make, s.example(s.Make, 0)), expect("status not 5xx"), s.unchanged("when status 4xx"))
				s.attempt("what says it is compressed, and is not", headerLine("Content-Encoding: gzip"), bodyLine(s.Make, s.example(s.Make, 1)), expect("status not 5xx"), s.unchanged("when status 4xx"))
			},
		},
	}, uniqueChecks()...)
}
