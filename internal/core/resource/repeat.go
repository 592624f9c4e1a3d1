package resource

import (
	"fmt"
	"slices"

	"usualpath/internal/core/syntax"
)

// readsOnly reads an item and the list over and over, and says that nothing changes.
func (s *Scene) readsOnly(word string) {
	s.have()
	still := line{}
	if s.Observe(false); !s.unchanged("").none() {
		still = says(word, "state unchanged")
	}
	for _, m := range []string{"GET", "HEAD", "OPTIONS"} {
		s.step(m+" the item, twice", send(m, s.at("id")), still, again(), still)
	}
	if s.Supports(List) {
		s.step("GET the list, twice", s.ask(List, ""), still, again(), still)
	}
}

func repeatChecks() []Check {
	return slices.Concat(driftChecks(), []Check{
		{
			Name: "read-is-safe", On: Read, Requires: can(Read), Source: "RFC 9110 §9.2.1",
			Proves: "GET, HEAD and OPTIONS change nothing, however often they are sent",
			Cause:  "a counter, a mark of the last visit, or a repair on reading",
			Mend:   "keep such figures out of what clients see, or declare them `volatile`",
			Write: func(s *Scene) {
				s.sentOnly = true
				s.readsOnly("expect")
			},
			// What the service counts by itself is no harm that the client asked for.
			Softer:      func(s *Scene) { s.readsOnly("prefer") },
			SofterLevel: "usual",
		},
		{
			Name: "read-is-stable", Causes: []string{"repeat/read-is-safe"}, On: Read, Level: "usual", Requires: can(Read), Source: "RFC 9110 §9.2.1",
			Proves: "two reads with no write between them say the same",
			Cause:  "a time, a random value or a counter in the representation",
			Mend:   "leave it out, or declare it `volatile`",
			Write: func(s *Scene) {
				s.have()
				s.readBack("read it", need("status 200"))
				s.readBack("read it again", need("status 200"), prefer(s.Subject()+" same as "+s.source("read it")+s.except()))
			},
		},
		{
			Name: "replace-is-idempotent", Causes: []string{"lifecycle/replace-takes-effect", "lifecycle/replace-hits-one", "repeat/read-is-safe", "repeat/read-is-stable"}, On: Replace, Requires: needs(makes, can(Replace), repeats), Source: "RFC 9110 §9.2.2",
			Proves: "the same PUT once more leaves everything as the first one left it",
			Cause:  "PUT appends or counts up, or the repeat is refused as a duplicate of itself",
			Mend:   "write the representation that was sent, and compare with other items only",
			Write: func(s *Scene) {
				s.sentOnly = true
				s.Observe(true)
				s.observeItem("id", true)
				s.make(1)
				s.replaced("replace it, three times", need("status 2xx"), againTimes(2), expect("status not 5xx and not 409"), s.unchanged(""))
				if s.Remake != s.Make {
					// With members that the other body leaves out; some of them may be for creates only.
					s.step("put back what was made, three times", s.ask(Replace, "id"), bodyLine(s.Make, "{made}"), expect("status not 5xx"), againTimes(2), expect("status not 5xx"), s.unchanged("when status 2xx"))
				}
			},
		},
		{
			Name: "put-create-is-idempotent", On: Create, Requires: needs(chooses, repeats), Source: "RFC 9110 §9.3.4",
			Proves: "PUT of a new item answers 201, of the same item again 200 or 204, and there is one",
			Cause:  "create and replace share a handler that always answers the same",
			Mend:   "check whether the item exists, and answer accordingly",
			Write: func(s *Scene) {
				s.sentOnly = true
				s.Observe(true)
				gains := line{}
				if s.watched {
					gains = expect(s.Observed() + " gains 1" + s.atOnce())
				}
				s.attempt("put it, twice", bodyLine(s.Make, s.example(s.Make, 0)), expect("status "+s.accepts("create", "201")), gains,
					again(), expect("status "+s.accepts("replace", "200 or 202 or 204 or 205 or 412")), s.unchanged(""))
			},
		},
		{
			Name: "delete-is-idempotent", Causes: []string{"lifecycle/deleted-is-gone"}, On: Delete, Requires: needs(makes, can(Delete)), Source: "RFC 9110 §9.2.2",
			Proves: "the second DELETE finds nothing or succeeds, and changes nothing",
			Cause:  "the handler relies on a row that is gone",
			Mend:   "answer 404 or 204 when there is nothing to remove",
			Write: func(s *Scene) {
				s.Observe(false)
				s.make(1)
				s.step("remove it, twice", s.ask(Delete, "id"), need("status 2xx"), again(), expect("status "+s.accepts("repeat delete", "4xx or 2xx")), s.unchanged(""))
			},
		},
		{
			Name: "amend-repeat", Causes: []string{"lifecycle/amend-merges", "repeat/read-is-safe", "repeat/read-is-stable"}, On: Amend, Level: "usual", Requires: needs(makes, can(Amend), mergePatch, repeats), Source: "RFC 7396 §1",
			Proves: "the same merge patch twice leaves what once left",
			Cause:  "the patch is added to what is there",
			Mend:   "set the members that the patch names",
			Write: func(s *Scene) {
				s.sentOnly = true
				s.Observe(true)
				s.observeItem("id", true)
				s.make(1)
				same := line{}
				if !s.unchanged("").none() {
					same = prefer("state unchanged")
				}
				s.amended("amend it, twice", need("status 2xx"), again(), prefer("status 2xx"), same)
			},
		},
		{
			Name: "post-makes-another", Causes: []string{"lifecycle/created-is-listed"}, On: Create, Level: "usual", Requires: needs(posts, can(Read)), Source: "RFC 9110 §9.3.3",
			Proves: "the same POST twice makes two items, or the second is refused and makes none",
			Cause:  "a duplicate is refused after it was stored, or silently given the first one's identity",
			Mend:   "check before storing, in one transaction",
			Write: func(s *Scene) {
				s.Observe(false)
				s.make(1)
				claims := []line{bodyLine(s.Make, "{made}"), prefer(s.fine() + " or 4xx")}
				if s.watched {
					claims = append(claims, prefer(s.Observed()+" gains 1 when status 201"), prefer(s.Observed()+" unchanged when status 4xx"))
				}
				s.attempt("send the same again", claims...)
				s.step("read the second", when(s.fine()+of("send the same again")), when("{"+s.stray()+"} exists"), s.ask(Read, s.stray()), prefer("status 200"))
			},
		},
		{
			Name: "key-replays", On: Create, Requires: needs(posts, keyed), Source: "Idempotency-Key draft §2",
			Proves: "the same Idempotency-Key with the same body gives the same answer, and makes one item",
			Cause:  "the key is not looked at, or forgotten before the answer is lost",
			Mend:   "store the answer under the key together with the item",
			Write: func(s *Scene) {
				s.Observe(false)
				request := s.keyedCreate()
				s.step("make one", append(request, need(s.fine()), s.keepID("id"))...)
				s.arrives("wait for it", "make one", "id")
				s.step("send it again with the same key", append(request, s.replayed("make one")...)...)
				s.Leave("id")
			},
		},
		{
			Name: "key-differs", Causes: []string{"repeat/key-replays"}, On: Create, Requires: needs(posts, keyed, varies), Source: "Idempotency-Key draft §2.7",
			Proves: "the same Idempotency-Key with another body is refused, and makes nothing",
			Cause:  "the key alone is looked up",
			Mend:   "store a digest of the body under the key, and answer 422 when it differs",
			Write: func(s *Scene) {
				s.Observe(false)
				s.Parents()
				s.turns()
				s.Let("key", `"{uuid()}"`)
				key := headerLine("Idempotency-Key: {key}")
				s.step("make one", s.ask(Create, ""), key, bodyLine(s.Make, s.example(s.Make, 0)), need(s.fine()), s.keepID("id"))
				s.Leave("id")
				s.arrives("wait for it", "make one", "id")
				s.attempt("send another with the same key", key, bodyLine(s.Make, s.Turned(s.Make.object(s.told(s.varied())), later(1))), expect("status 4xx"), s.unchanged(""))
			},
		},
		{
			Name: "keys-are-separate", On: Create, Requires: needs(posts, keyed), Source: "Idempotency-Key draft §2",
			Proves: "two keys make two items, and the first key is still known after the second",
			Cause:  "answers are stored under the path alone",
			Mend:   "store answers under path and key",
			Write: func(s *Scene) {
				s.Observe(false)
				s.Parents()
				s.turns()
				gains := line{}
				if s.watched {
					gains = expect(s.Observed() + " gains 1" + s.atOnce())
				}
				for k := range 2 {
					key := fmt.Sprintf("key_%d", k+1)
					s.Let(key, `"{uuid()}"`)
					s.Let(madeNames[k], s.example(s.Make, k))
					claims := []line{s.ask(Create, ""), headerLine("Idempotency-Key: {" + key + "}"), bodyLine(s.Make, "{"+madeNames[k]+"}"), need(s.fine()), s.keepID(itemNames[k]), gains}
					if k == 1 {
						claims = append(claims, expect("{other} is not {id}"))
					}
					s.step("make "+ordinals[k]+" with a key of its own", claims...)
					s.Leave(itemNames[k])
					s.arrives("wait for "+ordinals[k], "make "+ordinals[k]+" with a key of its own", itemNames[k])
				}
				s.step("send the first again with its key", append([]line{s.ask(Create, ""), headerLine("Idempotency-Key: {key_1}"), bodyLine(s.Make, "{made}")}, s.replayed("make one with a key of its own")...)...)
			},
		},
	}, keyedMore())
}

// varies tells why there is no other body.
func varies(r *Resource) string {
	if len(r.Make.Fields) > 0 && (r.varied() != nil || turned(r.Make.Text, "other") != r.Make.Text || called().MatchString(r.Make.Text)) {
		return ""
	}
	return "`make` is the same for each item, and has no text that may be another"
}

// replayed says of the answer to a create with a key that it is that of an earlier step, which made
// the first item.
func (s *Scene) replayed(step string) []line {
	claims := []line{expect("status same as " + syntax.Quoted(step)), s.unchanged("")}
	if s.Identity != "" && s.InCreate+s.CreateHeader == "" {
		claims = append(claims, expect(s.idPath()+" is {id} when body is any"))
	}
	return claims
}
