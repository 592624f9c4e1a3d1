package resource

import (
	"strings"

	"usualpath/internal/core/syntax"
)

// besideOthers are about requests of several kinds at the same time.
func besideOthers(atOnce string) []Check {
	return []Check{
		keysTogether(atOnce),
		{
			Name: "amends-together", Causes: []string{"lifecycle/amends-add-up"}, On: Amend, Source: "RFC 5789 §2", Requires: needs(makes, can(Amend, Read), written, amendsObject, amendDiffers, mergePatch, amendsTwo, repeats),
			Proves: "amends of different members at the same time are both kept",
			Cause:  "the item is loaded, changed and stored whole, while another does the same",
			Mend:   "change the members in one step, or refuse the later write with 409",
			Write: func(s *Scene) {
				s.make(1)
				f := s.secondChange()
				text := s.example(s.Amend, 0)
				s.Let("change", text)
				// Which media type is read is found out here, too.
				changes := s.amends(*f, "second")
				s.sets(Amend, "amend "+f.Name+" to what it was", f.Name, memberOf("made", f.Name), changes, expect("status not 5xx"))
				var all []string
				for i := range copies {
					all = append(all, []string{"{change}", "{ " + syntax.Quoted(f.Name) + ": {second} }"}[i%2])
				}
				s.Let("patches", "["+strings.Join(all, ", ")+"]")
				const at = "amend two members at once"
				s.step(at, changes, s.ask(Amend, "id"), s.patch("{nth(patches, turn)}"), together(copies), expect("status not 5xx"), keep("every answered from status"))
				s.readBack("read it back", changes, when("{answered} every 200 or 204"), expect("status 200"), s.both())
			},
		},
		{
			Name: "deletes-say-once", Causes: []string{"race/deletes-together"}, On: Delete, Level: "should", Source: atOnce, Requires: needs(makes, can(Delete, Read), repeats, leavesNothing),
			Proves: "of deletes of one item at the same time one says that it removed it, where a second delete says that it did not",
			Cause:  "looking the item up and removing it are two steps",
			Mend:   "answer according to what was removed",
			Write: func(s *Scene) {
				s.make(2)
				const alone = "remove the other, twice"
				s.step(alone, s.ask(Delete, "other"), need("status 2xx"), again(), keep("twice from status"))
				s.readBack("it is still there", need("status 200"))
				s.step("remove it eight times at once", when("{twice} is 404 or 410"), s.ask(Delete, "id"), together(copies), expect("status not 5xx"), prefer("exactly 1 status 2xx"))
			},
		},
		{
			Name: "reads-beside-replaces", Causes: []string{"race/replaces-together", "lifecycle/replace-takes-effect"}, On: Replace, Source: atOnce, Requires: needs(makes, written, can(Replace, Read), repeats, wholeReplace),
			Proves: "a read beside replaces shows the item before or after, never a half",
			Cause:  "members are written one after the other, or the item is taken away before it is written anew",
			Mend:   "write the whole item in one step",
			Write: func(s *Scene) {
				s.make(1)
				all := s.copiesOfRemake()
				s.Let("copies", "["+strings.Join(all, ", ")+"]")
				whole := s.replacedAlone()
				var methods, parts []string
				for i := range copies {
					methods = append(methods, []string{`"PUT"`, `"GET"`}[i%2])
				}
				for _, f := range s.Remake.Fields {
					if s.ReadsAsSent(f.Name) {
						parts = append(parts, syntax.Quoted(f.Name)+": any")
					}
				}
				s.Let("methods", "["+strings.Join(methods, ", ")+"]")
				s.step("read it while it is replaced", whole, send("{nth(methods, turn)}", s.at("id")), bodyLine(s.Remake, "{nth(copies, turn)}"), together(copies),
					expect("status not 5xx and not 404 and not 410"),
					expect(s.Subject()+" is "+strings.Join(s.wholes(), " or ")+" when "+s.Subject()+" is { "+strings.Join(append(parts, "..."), ", ")+" }"))
			},
		},
		{
			Name: "one-put-makes-it", Causes: []string{"repeat/put-create-is-idempotent"}, On: Replace, Level: "should", Source: "RFC 9110 §9.3.4", Requires: needs(makes, chooses, repeats),
			Proves: "of PUTs of one new name at the same time one says that it made the item",
			Cause:  "looking whether it is there and writing it are two steps",
			Mend:   "answer 201 to the one that made it, and 200 or 204 to the others, or refuse those",
			Write: func(s *Scene) {
				s.make(1)
				s.Let("place", inQuotes(s.chosen(attempted)))
				s.free(attempted, "place")
				s.Let("made_place", s.example(s.Make, attempted))
				s.step("put it eight times at once", when("status 201"+of("make one")), s.ask(Create, "place"), bodyLine(s.Make, "{made_place}"), together(copies), expect("status not 5xx"), prefer("exactly 1 status 201"))
				s.Leave("place")
			},
		},
	}
}
