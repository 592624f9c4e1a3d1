package resource

import (
	"fmt"
	"strings"
)

// anew holds a step back when the service was not started anew.
var anew = when("status not 5xx of \"start the service anew\"")

func raceChecks() []Check {
	const atOnce = "RFC 9110 §9.2"
	return append([]Check{
		{
			Name: "creates-together", Causes: []string{"lifecycle/created-is-listed"}, On: Create, Requires: needs(posts, listed), Source: atOnce,
			Proves: "creates at the same time make as many items as they say, each with an identity of its own",
			Cause:  "the next id is read and written in two steps",
			Mend:   "let the store draw the id",
			Write: func(s *Scene) {
				s.Observe(false)
				s.Parents()
				s.Let("start", "{random_int(100000, 899999)}")
				body := s.Turned(s.Make.Text, "start + turn")
				if s.Make.As == "" && called().MatchString(s.Make.Text) {
					// Copies draw the same: what functions give is another for each of these.
					var each []string
					for n := range copies {
						each = append(each, s.Turned(s.Make.Text, fmt.Sprintf("start + %d", n+1)))
					}
					s.Let("bodies", "["+strings.Join(each, ", ")+"]")
					body = "{nth(bodies, turn)}"
				}
				s.step("make eight at once", s.ask(Create, ""), bodyLine(s.Make, body), together(copies),
					keep("every ids from "+s.IdentitySource()), expect("status not 5xx"), expect(fmt.Sprintf("%s gains %d when status 200 or 201", s.Observed(), copies)))
				s.leaveAll("make eight at once")
			},
		},
		{
			Name: "deletes-together", Causes: []string{"lifecycle/deleted-is-gone", "lifecycle/delete-answers"}, On: Delete, Requires: needs(makes, can(Delete, Read)), Source: atOnce,
			Proves: "deletes of one item at the same time remove it, and nothing else, without an error of the service's own",
			Cause:  "the item is looked up first, and is gone by the time it is removed",
			Mend:   "remove in one step, and answer according to what was removed",
			Write: func(s *Scene) {
				if s.Observe(false) {
					s.observeOthers("id")
				}
				s.makeAmong()
				if !s.Disposable && !s.ByName() {
					// All but one of them find nothing: what is found in its place must be seen.
					s.nobody()
					s.notThere("nobody")
				}
				lines := []line{s.ask(Delete, "id"), together(copies), expect("status not 5xx"), expect("at least 1 status 2xx")}
				if s.watched && s.Header == "" {
					lines = append(lines, expect("others unchanged"))
				}
				s.step("remove it eight times at once", lines...)
				s.readBack("it is gone", s.goneLines("expect")...)
			},
		},
		{
			Name: "replaces-together", Causes: []string{"lifecycle/replace-takes-effect"}, On: Replace, Source: atOnce,
			Requires: needs(makes, can(Replace, Read), wholeReplace),
			Proves:   "of replaces at the same time one remains, whole",
			Cause:    "members are written one after the other",
			Mend:     "write the whole item in one step",
			Write: func(s *Scene) {
				s.make(1)
				// Each is worked out once: what is read is held against what was sent.
				s.Let("copies", "["+strings.Join(s.copiesOfRemake(), ", ")+"]")
				whole := s.replacedAlone()
				s.step("replace it eight times at once", whole, s.ask(Replace, "id"), bodyLine(s.Remake, "{nth(copies, turn)}"), together(copies),
					expect("status not 5xx"), expect("at least 1 status 2xx"))
				s.readBack("read what remains", whole, expect("status 200"), expect(s.Subject()+" is "+strings.Join(s.wholes(), " or ")))
			},
		},
		{
			Name: "unique-together", Causes: []string{"input/duplicate-unique"}, On: Create, Source: atOnce,
			Requires: needs(posts, listed, written, func(r *Resource) string {
				if len(r.Unique) == 0 {
					return "no member is `unique`"
				}
				return ""
			}),
			Proves: "creates at the same time with the same unique member make one item",
			Cause:  "checking whether it exists and storing it are two steps",
			Mend:   "let the store enforce it",
			Write: func(s *Scene) {
				s.Observe(false)
				s.Parents()
				s.Let("start", "{random_int(100000, 899999)}")
				s.Let("made", s.Turned(s.Make.Text, "start"))
				change := map[string]*string{}
				same := memberOf("made", s.Unique[0])
				change[s.Unique[0]] = &same
				s.step("make eight at once", s.ask(Create, ""), bodyLine(s.Make, s.Turned(s.Make.object(change), "start + turn")), together(copies),
					keep("every ids from "+s.IdentitySource()), expect("status not 5xx"), expect("exactly 1 status 2xx"), expect(s.Observed()+" gains 1"+s.atOnce()))
				s.leaveAll("make eight at once")
			},
		},
	}, besideOthers(atOnce)...)
}

func durabilityChecks() []Check {
	// lives makes items in every way, starts the service anew, and looks.
	lives := func(s *Scene, how, word string) {
		s.make(2)
		if s.Supports(Replace) {
			s.replaced("replace the first", need("status 2xx"))
		}
		s.readBack("read the first", need("status 200"))
		s.step("read the second", s.ask(Read, "other"), need("status 200"))
		gone := s.Supports(Delete) && !s.ByName()
		if gone {
			s.makeOne(2)
			s.step("remove the third", s.ask(Delete, "third"), need("status 2xx"))
		}
		// A run that has not started the service leaves this step out, and with it
		// those that look back at it.
		s.step("start the service anew", startAnew(how), s.ask(Read, "id"), need("status not 5xx"))
		s.readBack("the first is as it was", append([]line{anew, says(word, "status 200")}, s.asSent(word, "read the first", nil)...)...)
		s.step("the second is as it was", append([]line{anew, s.ask(Read, "other"), says(word, "status 200")}, s.asSent(word, "read the second", nil)...)...)
		if gone {
			s.step("the third is gone", append([]line{anew, s.ask(Read, "third")}, s.goneLines(word)...)...)
		}
	}
	return []Check{
		{
			Name: "survives-restart", On: Create, Requires: needs(makes, can(Read)), Source: "RFC 9110 §15.3",
			Proves: "what was made, replaced and deleted is so after the service has been stopped and started again",
			Cause:  "data is kept in memory, or written only now and then",
			Mend:   "write before answering",
			Write:  func(s *Scene) { lives(s, "restart", "expect") },
		},
		{
			Name: "survives-kill", Causes: []string{"durability/survives-restart"}, On: Create, Level: "should", Requires: needs(makes, can(Read)), Source: "RFC 9110 §15.3",
			Proves: "what was answered is so after the service has been killed without warning",
			Cause:  "data is written only when the service shuts down in order",
			Mend:   "write before answering",
			Write:  func(s *Scene) { lives(s, "kill", "prefer") },
		},
		{
			Name: "ids-after-restart", On: Create, Requires: needs(posts, can(Read), named), Source: "RFC 9110 §9.3.3",
			Proves: "an item that is made after a restart has an identity that no other has",
			Cause:  "ids are counted in memory",
			Mend:   "keep the count with the data",
			Write: func(s *Scene) {
				s.make(1)
				there := line{}
				if listed(s.Resource) == "" {
					s.step("what is there", s.ask(List, ""), need("status 200"), keep("there from "+s.Members+strings.TrimPrefix(s.By, "$")).ifThere())
					there = expect("{there} lacks {other}")
				}
				s.step("start the service anew", startAnew("restart"), s.ask(Read, "id"), need("status 200"))
				s.makeOne(1, anew, expect("{other} is not {id}"), there)
				s.readBack("the first is as it was", anew, expect("status 200"), s.shows("expect", "made"))
			},
		},
	}
}
