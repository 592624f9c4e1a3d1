package resource

import (
	"strings"
)

// keyedMore are about idempotency keys in other places, and later.
func keyedMore() []Check {
	const draft = "Idempotency-Key draft §2"
	return []Check{
		{
			Name: "key-per-path", Causes: []string{"repeat/keys-are-separate"}, On: Create, Source: draft, Requires: needs(posts, keyed, nested, func(r *Resource) string {
				if strings.Contains(r.Collection, "{"+r.Under.Name+".") {
					return ""
				}
				return "the collection's path is the same for all"
			}),
			Proves: "the same Idempotency-Key on another path does not answer with what the first one made",
			Cause:  "answers are stored under the key alone",
			Mend:   "store answers under path and key, or refuse a key that was used elsewhere",
			Write: func(s *Scene) {
				s.Parents()
				s.turns()
				other := s.Under.Name + "_beside"
				s.parentOf(s.Under, other)
				s.Let("key", `"{uuid()}"`)
				key := headerLine("Idempotency-Key: {key}")
				s.step("make one", s.ask(Create, ""), key, bodyLine(s.Make, s.example(s.Make, 0)), need(s.fine()), s.keepID("id"))
				s.Leave("id")
				s.arrives("wait for it", "make one", "id")
				const elsewhere = "make one elsewhere with the same key"
				s.step(elsewhere, send("POST", s.below(s.coll(), other)), key, bodyLine(s.Make, s.example(s.Make, 1)), s.keepID("other").ifThere(), expect("status not 5xx"))
				s.step("list what is there", when("status 200 or 201"+of(elsewhere)), send("GET", s.below(s.list(), other)), need("status 200"), s.holds(1))
				if s.Supports(Delete) {
					s.cleanup("leave nothing behind elsewhere", when(s.fine()+of(elsewhere)), send("DELETE", s.below(s.at("other"), other)))
				}
			},
		},
		{
			Name: "key-says-what-was-said", Causes: []string{"repeat/key-replays"}, On: Create, Level: "usual", Source: draft, Requires: needs(posts, keyed, changesOne, can(Read)),
			Proves: "a repeat with the same Idempotency-Key gives the first answer again, also after the item has changed",
			Cause:  "the item is looked up anew when the key comes again",
			Mend:   "store the answer with the key",
			Write: func(s *Scene) {
				request := s.keyedCreate()
				s.step("make one", append(request, need(s.fine()), s.keepID("id"))...)
				s.Leave("id")
				s.arrives("wait for it", "make one", "id")
				s.had = true
				if s.ways()[0] == Replace && s.Remake != nil {
					s.replaced("change it", need("status 2xx"))
				} else {
					s.amended("change it", need("status 2xx"))
				}
				s.step("send the create again", append(request, prefer(`status same as "make one"`), prefer(`body same as "make one" when status 2xx`))...)
			},
		},
	}
}

// keyedCreate is a create under a key, the same each time that it is sent.
func (s *Scene) keyedCreate() []line {
	s.Parents()
	s.turns()
	s.Let("key", `"{uuid()}"`)
	s.Let("made", s.example(s.Make, 0))
	return []line{s.ask(Create, ""), headerLine("Idempotency-Key: {key}"), bodyLine(s.Make, "{made}")}
}

// keysTogether is one request, with one key, sent at the same time.
func keysTogether(atOnce string) Check {
	return Check{
		Name: "keys-together", Causes: []string{"repeat/key-replays"}, On: Create, Source: atOnce, Requires: needs(posts, keyed, listed),
		Proves: "requests with the same Idempotency-Key at the same time make one item",
		Cause:  "the key is stored after the item, and looked up before",
		Mend:   "take the key and make the item in one transaction",
		Write: func(s *Scene) {
			s.Observe(false)
			s.step("make one, eight times at once", append(s.keyedCreate(), together(copies),
				keep("every ids from "+s.IdentitySource()+" if there"), expect("status not 5xx"), expect("at least 1 status 2xx"), expect(s.Observed()+" gains 1"+s.atOnce()))...)
			s.leaveAll("make one, eight times at once")
		},
	}
}
