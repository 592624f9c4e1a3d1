package resource

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/syntax"
)

func setupChecks() []Check {
	return []Check{{
		Name: "examples-work", Requires: makes,
		Proves: "the resource's own examples are taken, so that its other checks mean something",
		Cause:  "the example in the resource statement does not fit the service, or the service is not there",
		Mend:   "send the example by hand with usualpath try, and mend `make`, `identity` (in list …, in create …), `item` or `supports`",
		Write: func(s *Scene) {
			s.Parents()
			s.turns()
			if s.ByName() {
				s.makeOne(0)
				s.lookAtTypes()
				return
			}
			kept := s.keepID("id")
			if !s.Supports(Read) && !s.Supports(Replace) && !s.Supports(Amend) && !s.Supports(Delete) {
				kept = kept.ifThere()
			}
			s.Let("made", s.example(s.Make, 0))
			s.step("make one", s.ask(Create, ""), bodyLine(s.Make, "{made}"), need(s.fine()), kept)
			s.Leave("id")
			s.arrives("wait for it", "make one", "id", when("{id} exists"))
			// Where the paths are not what the resource says, that is told after one item.
			const there = "status not 404 and not 405 and not 501"
			if listed(s.Resource) == "" && s.paged() == "" && s.Supports(Read) {
				s.step("find it in the list", s.ask(List, ""), s.filtered())
				s.readBack("read what the list shows", when(s.InList("id")+" count 1"+of("find it in the list")), need(there))
			}
			s.lookAtTypes()
			if s.Supports(Delete) && s.Supports(Read) {
				s.readBack("read it")
				s.step("remove it", when("status 200"+of("read it")), s.ask(Delete, "id"), need(there))
			}
		},
	}}
}

// typeWords are the types of values as shapes name them.
var typeWords = map[syntax.NodeKind]string{syntax.String: "string", syntax.Number: "number", syntax.True: "boolean", syntax.False: "boolean", syntax.Array: "array", syntax.Object: "object"}

// lookAtTypes lets the probe see which members read as another type than they are sent.
func (s *Scene) lookAtTypes() {
	kind := "object"
	if s.As == "text" {
		kind = "string"
	}
	if s.Supports(Read) && s.Reads == "" && (len(s.Make.Fields) > 0 || s.As == "text") {
		s.readBack("look at its types", need("status not 405 and not 501"))
		s.readBack("look at them again", when("status 200"+of("look at its types")), when(s.Subject()+" is "+kind+of("look at its types")), s.covers("prefer", "{made}"))
	}
}

func lifecycleChecks() []Check {
	return slices.Concat([]Check{
		{
			Name: "list-is-a-list", Anyway: true, On: List, Requires: can(List), Source: "RFC 9110 §9.3.1",
			Proves: "the collection answers 200 with a list, also when it holds none or one",
			Cause:  "a query result of one row is unwrapped, or a result of none becomes null",
			Mend:   "always encode the list itself; start it as an empty array",
			Write: func(s *Scene) {
				s.Parents()
				s.step("read the list", s.ask(List, ""), expect("status "+s.accepts("list", "200")), s.isList())
				if s.Creates() && (s.Under != nil || s.FilterName != "") {
					s.make(1)
					s.step("read a list of few", s.ask(List, ""), s.filtered(), expect("status "+s.accepts("list", "200")), s.isList())
				}
				if one := s.page(1, 0); one != nil {
					s.step("read a page of one", slices.Concat([]line{s.ask(List, "")}, one, []line{expect("status " + s.accepts("list", "200")), s.isList()})...)
				}
			},
		},
		{
			Name: "create-answers", Anyway: true, On: Create, Requires: posts, Source: "RFC 9110 §15.3.2",
			Proves: "a create answers 201, or another success where the resource says so",
			Cause:  "the handler leaves the framework's default of 200",
			Mend:   "answer 201 with Location, or write `answers create 200` if that is what clients rely on",
			Write: func(s *Scene) {
				claims := []line{expect("status " + s.accepts("create", "2xx"))}
				if _, ok := s.Answers["create"]; !ok {
					claims = append(claims, prefer("status 201"))
				}
				s.attempt("make one", append([]line{bodyLine(s.Make, s.example(s.Make, 0))}, claims...)...)
			},
		},
		{
			Name: "create-locates", Anyway: true, On: Create, Level: "should", Requires: posts, Source: "RFC 9110 §10.2.2, §15.3.2",
			Proves: "the answer to a create says which item it made: by Location, which goes with 201, or in its body",
			Cause:  "the handler answers before it knows the id",
			Mend:   "send Location, or the item with its identity",
			Write: func(s *Scene) {
				s.Parents()
				s.turns()
				claims := []line{s.ask(Create, ""), bodyLine(s.Make, s.example(s.Make, 0)), expect(s.fine()), s.keepID("stray1").ifThere()}
				switch {
				case s.InCreate != "":
					claims = append(claims, prefer(s.InCreate+" exists when header Location missing"))
				case s.Identity != "" && s.CreateHeader == "":
					claims = append(claims, prefer(s.inItem(s.Identity)+" exists when header Location missing"))
				case s.CreateHeader != "":
					claims = append(claims, prefer("header "+s.CreateHeader+" exists when header Location missing"))
				default:
					claims = append(claims, prefer("header Location exists"))
				}
				// Without it, 201 says that the collection itself was made (RFC 9110 §15.3.2).
				claims = append(claims, prefer("header Location exists when status 201"))
				s.step("make one", claims...)
				s.Leave("stray1")
				s.arrives("wait for it", "make one", "stray1", when("{stray1} exists"))
			},
		},
		{
			Name: "location-leads-there", Causes: []string{"lifecycle/create-keeps-values"}, On: Create, Requires: needs(posts, can(Read)), Source: "RFC 9110 §10.2.2",
			Proves: "Location of a create leads to what was made",
			Cause:  "the path is built from another id, or from the address behind a proxy",
			Mend:   "build Location from the stored item and the request's own path",
			Write: func(s *Scene) {
				s.make(1, keep("place from header Location if there"))
				s.step("follow its Location", when("header Location exists of \"make one\""), send("GET", "{place}"), expect("status 200"),
					s.shows("expect", "made").unlessAPage(), prefer(`header Content-Type is not "text/html" when header Content-Type exists`))
			},
		},
		{
			Name: "create-keeps-values", On: Create, Requires: needs(makes, can(Read), written), Source: "RFC 9110 §9.3.3, RFC 8259 §8",
			Proves: "what was sent is what is read back: every member, whatever text or number it holds",
			Cause:  "a column that is too short, a character set that is too small, a number that passes through a float, text escaped when it is stored",
			Mend:   "store what was sent, refuse what cannot be stored, and escape only where text is shown",
			Write:  func(s *Scene) { s.keepsValues() },
		},
		{
			Name: "types-are-kept", On: Create, Level: "usual", Requires: needs(makes, can(Read), written, func(r *Resource) string {
				if r.Reads != "" || len(r.Make.Fields) == 0 || !r.Make.json() {
					return "an item does not read as it is written"
				}
				return ""
			}), Source: "RFC 9110 §3.2",
			Proves: "members read as the JSON type that was sent: a number as a number, a text as a text",
			Cause:  "a column or a serializer of another type",
			Mend:   "keep the types, or say in `reads { … }` how members read",
			Write: func(s *Scene) {
				s.make(1)
				lines := []line{need("status 200")}
				for _, f := range s.Make.Fields {
					if of := typeWords[f.Kind]; of != "" {
						at := s.inItem(MemberPath(f.Name))
						lines = append(lines, prefer(at+" is "+of+" or null when "+at+" exists"))
					}
				}
				s.readBack("read it back", lines...)
			},
		},
		{
			Name: "create-echo-agrees", Causes: []string{"lifecycle/create-keeps-values"}, On: Create, Requires: needs(makes, can(Read), written), Source: "RFC 9110 §9.3.3",
			Proves: "an answer that shows what was made shows what is then read",
			Cause:  "the handler answers with what it was sent, and not with what it stored",
			Mend:   "answer with the stored item",
			Write: func(s *Scene) {
				s.make(1)
				// What the service keeps beside what was sent is its own, and may be said in two ways.
				s.readBack("read it back", append([]line{when(s.Subject() + " is object of \"make one\""), need("status 200")}, s.asSent("expect", "make one", nil)...)...)
			},
		},
		{
			Name: "created-is-listed", Causes: []string{"lifecycle/list-is-a-list"}, On: Create, Requires: needs(makes, listed),
			Proves: "the list gains exactly the item that was made", Source: "RFC 9110 §9.3.3",
			Cause: "the list is cached, filtered or limited; or one request is stored twice",
			Mend:  "write once, and drop what was cached",
			Write: func(s *Scene) {
				s.Observe(false)
				s.make(1, expect(s.Observed()+" gains 1"+s.atOnce()))
				s.step("find it in the list", s.ask(List, ""), s.filtered(), need("status 200"), s.onFirstPage())
			},
		},
		{
			Name: "created-are-distinct", Alone: true, Causes: []string{"lifecycle/create-keeps-values"}, On: Create, Requires: needs(makes, can(Read)), Source: "RFC 9110 §9.3.3",
			Proves: "creates one after the other make items of their own, each readable by its own identity",
			Cause:  "ids are derived from a count, a time or a part of the body",
			Mend:   "draw ids from a sequence or at random, and store under a key that must be new",
			Write: func(s *Scene) {
				s.make(1)
				s.makeOne(1, s.another("other", "id"))
				s.makeOne(2, s.another("third", "id"), s.another("third", "other"))
				s.readBack("read the first", expect("status 200"), s.shows("expect", "made"))
				s.step("read the second", s.ask(Read, "other"), expect("status 200"), s.shows("expect", "made_other"))
				s.step("read the third", s.ask(Read, "third"), expect("status 200"), s.shows("expect", "made_third"))
			},
		},
		{
			Name: "assigned-is-assigned", On: Create, Level: "usual", Source: "RFC 9110 §9.3.3",
			Requires: needs(posts, written, can(Read), func(r *Resource) string {
				if len(r.Assigned) == 0 {
					return "no member is `assigned`"
				}
				return ""
			}),
			Proves: "a member that the service assigns cannot be set by a client",
			Cause:  "the whole body is bound to the stored item",
			Mend:   "take only the members that clients may set",
			Write:  func(s *Scene) { s.assigned() },
		},
		{
			Name: "read-agrees-with-list", On: List, Level: "usual", Requires: needs(listed, can(Read), func(r *Resource) string {
				if r.By == "$" {
					return "the list shows identities only"
				}
				return ""
			}), Source: "RFC 9110 §9.3.1",
			Proves: "an item in the list and the item by itself say the same in the members that both have",
			Cause:  "the two are built by different queries",
			Mend:   "build both from one representation",
			Write: func(s *Scene) {
				s.have()
				s.step("read the list", s.ask(List, ""), s.filtered(), need("status 200"))
				s.readBack("read the item", when(s.InList("id")+" exists of \"read the list\""), need("status 200"),
					prefer(s.Subject()+" agrees with "+s.InList("id")+" of \"read the list\""+s.except()))
			},
		},
		{
			Name: "replace-answers", On: Replace, Requires: needs(makes, can(Replace)), Source: "RFC 9110 §9.3.4",
			Proves: "PUT on an item that is there answers 200 or 204",
			Cause:  "create and replace share a handler that always answers the same",
			Mend:   "answer 200 with the item, or 204",
			Write: func(s *Scene) {
				s.make(1)
				s.replaced("replace it", expect("status "+s.accepts("replace", "200 or 202 or 204")))
			},
		},
		{
			Name: "replace-takes-effect", On: Replace, Requires: needs(makes, can(Replace, Read), replaceDiffers), Source: "RFC 9110 §9.3.4",
			Proves: "after PUT the item is what was sent",
			Cause:  "the handler answers with what it was sent and forgets to store it, or stores some members only",
			Mend:   "store the whole representation before answering",
			Write: func(s *Scene) {
				s.make(1)
				s.replaced("replace it", need("status 2xx"))
				s.settled("replace it", "read it back", expect("status 200"), s.shows("expect", "remade"), s.showsNothing(s.Remake))
			},
		},
		{
			Name: "replace-drops-omitted", Causes: []string{"lifecycle/replace-takes-effect"}, On: Replace, Level: "should", Source: "RFC 9110 §9.3.4",
			Requires: needs(makes, can(Replace, Read), written, func(r *Resource) string {
				if len(r.omitted()) == 0 {
					return "`remake` leaves out no member of `make`"
				}
				return ""
			}),
			Proves: "an optional member that PUT leaves out is gone, or back to its default",
			Cause:  "PUT is handled as if it were PATCH",
			Mend:   "replace the whole item; offer PATCH for partial changes",
			Write: func(s *Scene) {
				s.make(1)
				s.replaced("replace it without "+strings.Join(s.omitted(), ", "), need("status 2xx"))
				var parts []string
				for _, n := range s.omitted() {
					parts = append(parts, syntax.Quoted(n)+"?: not "+memberOf("made", n))
				}
				s.readBack("read it back", need("status 200"), prefer(s.Subject()+" is { "+strings.Join(parts, ", ")+", ... }"))
			},
		},
		{
			Name: "replace-hits-one", Causes: []string{"lifecycle/replace-takes-effect"}, On: Replace, Requires: needs(makes, can(Replace), listed), Source: "RFC 9110 §9.3.4",
			Proves: "PUT changes the one item that it names, and no other",
			Cause:  "the condition of the update is missing or wrong, or PUT appends",
			Mend:   "update by the identity in the path",
			Write: func(s *Scene) {
				s.Observe(false)
				s.observeOthers("id")
				s.makeAmong()
				s.replaced("replace the first", need("status 2xx"), expect(s.Observed()+" changes 0..1"), expect("others unchanged"))
			},
		},
		{
			Name: "replace-keeps-identity", Alone: true, Causes: []string{"lifecycle/created-are-distinct"}, On: Replace, Requires: needs(makes, can(Replace, Read), identityMember), Source: "RFC 9110 §9.3.4",
			Proves: "another identity inside the body of a PUT is refused or disregarded; nothing moves",
			Cause:  "the body's id wins over the path's",
			Mend:   "take the identity from the path only",
			Write: func(s *Scene) {
				s.make(2)
				// Only a name that the client chose may be shown elsewhere than in the item.
				s.readBack("read it", need("status 200"))
				shown := ""
				if s.ByName() {
					shown = " when " + s.idPath() + " is {id}" + of("read it")
				}
				member := s.memberOfItem()
				theirs := "{other}"
				body := s.Turned(s.Remake.Text, "turn")
				if len(s.Remake.Fields) > 0 {
					body = s.Turned(s.Remake.object(map[string]*string{member: &theirs}), "turn")
				}
				s.step("replace it under another identity", s.ask(Replace, "id"), bodyLine(s.Remake, body), expect("status not 5xx"))
				s.readBack("it is where it was", expect("status 200"), expect(s.idPath()+" same as "+s.idPath()+of("read it")+shown))
				s.step("the other is what it was", s.ask(Read, "other"), expect("status 200"), s.shows("expect", "made_other"))
			},
		},
		{
			Name: "amend-answers", On: Amend, Requires: needs(makes, can(Amend)), Source: "RFC 5789 §2",
			Proves: "PATCH answers 200 or 204",
			Cause:  "the handler redirects, or answers as for a create",
			Mend:   "answer 200 with the item, or 204",
			Write: func(s *Scene) {
				s.make(1)
				s.amended("amend it", expect("status "+s.accepts("amend", "200 or 202 or 204")))
			},
		},
		{
			Name: "amend-merges", On: Amend, Requires: needs(makes, can(Amend, Read), amendsObject, amendDiffers), Source: "RFC 7396 §2",
			Proves: "after PATCH the members that were named are changed, and no others",
			Cause:  "the patch is bound to an empty item and stored whole, or only answered, or its media type is not read",
			Mend:   "load the item, apply the patch, store the result; answer 415 for a type that is not read (`amend … as application/json` sends another)",
			Write: func(s *Scene) {
				s.make(1)
				s.readBack("read it", need("status 200"))
				s.amended("amend it", need("status 2xx"))
				lines := []line{expect("status 200")}
				if covers := s.amendments(); len(covers) > 0 {
					lines = append(lines, s.covers("expect", "{ "+strings.Join(covers, ", ")+" }"))
				}
				s.settled("amend it", "read it back", append(lines, s.asSent("expect", "read it", s.Amend)...)...)
			},
		},
		{
			Name: "amend-null-removes", Causes: []string{"lifecycle/amend-merges"}, On: Amend, Level: "should", Source: "RFC 7396 §2",
			Requires: needs(makes, can(Amend, Read), written, mergePatch, func(r *Resource) string {
				switch {
				case r.Amend.Media == "application/json":
					return "what null means in a body of application/json is the service's to say"
				case len(r.optional()) == 0:
					return "`make` has no optional member"
				}
				return ""
			}),
			Proves: "null in a merge patch takes an optional member away",
			Cause:  "null and absent are the same to the decoder",
			Mend:   "tell the two apart, and remove what is null",
			Write: func(s *Scene) {
				s.make(1)
				n := s.optional()[0].Name
				s.step("take "+n+" away", s.ask(Amend, "id"), s.patch("{ "+syntax.Quoted(n)+": null }"), expect("status not 5xx"))
				s.readBack("read it back", when("status 2xx"+of("take "+n+" away")), need("status 200"), prefer(s.Subject()+" is { "+syntax.Quoted(n)+"?: not "+memberOf("made", n)+", ... }"))
			},
		},
		{
			Name: "amend-hits-one", Causes: []string{"lifecycle/amend-merges"}, On: Amend, Requires: needs(makes, can(Amend), listed), Source: "RFC 5789 §2",
			Proves: "PATCH changes the one item that it names, and no other",
			Cause:  "the condition of the update is missing or wrong",
			Mend:   "update by the identity in the path",
			Write: func(s *Scene) {
				s.Observe(false)
				s.observeOthers("id")
				s.makeAmong()
				s.amended("amend the first", need("status 2xx"), expect(s.Observed()+" changes 0..1"), expect("others unchanged"))
			},
		},
		{
			Name: "delete-answers", On: Delete, Requires: needs(makes, can(Delete)), Source: "RFC 9110 §9.3.5",
			Proves: "DELETE answers 200, 202, 204 or 205",
			Cause:  "the handler redirects to the list, or answers as for a create",
			Mend:   "answer 204, or 200 with what was removed",
			Write: func(s *Scene) {
				s.make(1)
				s.step("remove it", s.ask(Delete, "id"), expect("status "+s.accepts("delete", "200 or 202 or 204 or 205")))
			},
		},
		{
			Name: "deleted-is-gone", Causes: []string{"absence/missing-read"}, On: Delete, Requires: needs(makes, can(Delete, Read)), Source: "RFC 9110 §9.3.5, §15.5.5",
			Proves: "what was deleted is not there any more",
			Cause:  "the delete is rolled back, or sets a mark that reads do not look at",
			Mend:   "answer once the item is gone; let reads leave out what is marked as deleted",
			Write: func(s *Scene) {
				s.make(1)
				s.removed()
				s.settled("remove it", "it is gone", s.goneLines("expect")...)
			},
		},
		{
			Name: "deleted-is-unlisted", Causes: []string{"lifecycle/deleted-is-gone"}, On: Delete, Requires: needs(makes, can(Delete), listed, leavesNothing), Source: "RFC 9110 §9.3.5",
			Proves: "the list loses exactly the item that was deleted",
			Cause:  "the condition of the delete is missing or wrong, or the list is cached",
			Mend:   "delete by the identity in the path, and drop what was cached",
			Write: func(s *Scene) {
				s.Observe(false)
				s.observeOthers("id")
				s.makeAmong()
				s.removed(expect(s.Observed()+" loses 1 when status not 202"), expect("others unchanged"))
			},
		},
		{
			Name: "deleted-stays-gone", Causes: []string{"lifecycle/deleted-is-gone"}, On: Delete, Source: "RFC 9110 §9.3.5",
			Requires: needs(makes, can(Delete, Read), func(r *Resource) string {
				if !r.Supports(Replace) && !r.Supports(Amend) {
					return "nothing can be written to a deleted item"
				}
				return ""
			}),
			Proves: "PUT, PATCH and DELETE do not bring a deleted item back",
			Cause:  "writes look for an item by a query that also finds deleted ones",
			Mend:   "let writes find what reads find",
			Write: func(s *Scene) {
				s.make(1)
				s.removed()
				if s.Supports(Replace) && !s.ByName() {
					s.replaced("replace it")
				}
				if s.Supports(Amend) {
					s.amended("amend it")
				}
				s.step("remove it again", s.ask(Delete, "id"))
				still := s.goneLines("expect")
				if s.Supports(Replace) && !s.ByName() {
					// A PUT that says it has made an item anew may do so.
					still = append([]line{when("status not 201" + of("replace it"))}, still...)
				}
				s.settled("remove it", "it is gone still", still...)
			},
		},
		{
			Name: "id-is-not-reused", Alone: true, On: Create, Level: "usual", Requires: needs(posts, can(Delete), named), Source: "RFC 9110 §9.3.5",
			Proves: "an item that is made after a delete gets a fresh identity",
			Cause:  "the next id is one more than the highest that is there",
			Mend:   "draw ids from a sequence that never goes back",
			Write: func(s *Scene) {
				s.make(1)
				s.removed()
				s.makeOne(1, prefer("{other} is not {id}"))
			},
		},
		{
			Name: "total-counts", Alone: true, Causes: []string{"lifecycle/created-is-listed"}, On: List, Level: "should",
			Requires: needs(makes, listed, can(Delete), func(r *Resource) string {
				if r.Total == "" {
					return "no total is declared"
				}
				return ""
			}),
			Proves: "the total that the list tells goes up by one with a create, and down again with a delete",
			Cause:  "it counts the page, is cached, or leaves out what the list does not show",
			Mend:   "count what the list would show if it were whole, in the same transaction",
			Write: func(s *Scene) {
				s.Parents()
				s.step("read the total", s.ask(List, ""), need("status 200"), keep("total from "+s.Total))
				s.make(1)
				s.step("read it after a create", when("status not 202"+of("make one")), s.ask(List, ""), need("status 200"), prefer(s.Total+" is {total + 1}"))
				s.removed()
				after := s.Total + " is {total}"
				if s.Gone != "" {
					// What is kept in a state may be counted.
					after += " or {total + 1}"
				}
				s.step("read it after a delete", when("status not 202"+of("remove it")), s.ask(List, ""), need("status 200"), prefer(after))
			},
		},
		{
			Name: "filter-selects", Causes: []string{"lifecycle/created-is-listed", "lifecycle/list-is-a-list"}, On: List, Requires: needs(makes, listed, filters), Source: "RFC 9110 §9.3.1",
			Proves: "the filter gives what matches, and nothing else",
			Cause:  "the query parameter is not read, or compared in another form than it is stored",
			Mend:   "read the parameter, and compare it with the stored value",
			Write: func(s *Scene) {
				s.make(2)
				lines := []line{s.ask(List, ""), s.filtered(), expect("status 200"), expect(s.InList("id") + " count 1"), expect(s.InList("other") + " count 1")}
				if s.filtersOne() {
					lines[4] = expect(s.InList("other") + " count 0")
				}
				if f := s.Make.field(s.FilterName); f != nil && s.ReadsAsSent(f.Name) && s.By != "$" {
					lines = append(lines, expect(s.Members+" every { "+syntax.Quoted(s.FilterName)+": "+memberOf("made", s.FilterName)+", ... }"))
				}
				if s.paged() == "" {
					s.step("ask for those", lines...)
					return
				}
				s.step("ask for those", append(lines[:3:3], lines[5:]...)...)
			},
		},
		{
			Name: "filter-none", Causes: []string{"lifecycle/filter-selects"}, On: List, Requires: needs(can(List), filters), Source: "RFC 9110 §15.5.5",
			Proves: "a filter that matches nothing gives an empty list: no error, no null",
			Cause:  "nothing found is handled as not found",
			Mend:   "answer 200 with an empty list; not found is for the path, not for the query",
			Write: func(s *Scene) {
				s.Parents()
				value := `"{upper(random_text(2))}{random_text(10)}"`
				if n := strings.Trim(s.FilterFor, "0123456789."); n == "" {
					value = "987654321"
				}
				s.step("ask for what no item has", s.ask(List, ""), queryLine(s.FilterName, value), expect("status 200 or 400 or 422"),
					s.listIf200(), expect(s.Members+" count 0 when status 200"))
			},
		},
		{
			Name: "paging-covers", Causes: []string{"lifecycle/created-is-listed", "lifecycle/list-is-a-list"}, On: List, Source: "RFC 9110 §9.3.1",
			Requires: needs(makes, listed, pages, func(r *Resource) string {
				if r.filtersOne() {
					return "the filter selects one item only"
				}
				if r.Mapped {
					return "the members of an object have no order"
				}
				return ""
			}),
			Proves: "walking the pages visits each item once",
			Cause:  "pages are counted from another number, or their order is not fixed",
			Mend:   "order by a key that is unique, and cut at offset",
			Write: func(s *Scene) {
				s.Observe(false)
				s.make(3, expect(s.Observed()+" gains 1"+s.atOnce()))
				page := func(query []line) []line {
					return slices.Concat([]line{s.ask(List, ""), s.filtered()}, query, []line{expect("status 200"), expect(s.Members + " count ..2")})
				}
				s.step("the first page", append(page(s.page(2, 0)), need(s.Members+" count 2"), keep("page from "+s.Members+strings.TrimPrefix(s.By, "$")))...)
				s.step("the second page", append(page(s.page(2, 1)), expect(s.Members+" count 1.."), expect(s.ListAt+"[0]"+s.inEntry()+" is not {nth(page, 1)} when "+s.Members+" count 1.."), expect(s.ListAt+"[0]"+s.inEntry()+" is not {nth(page, 2)} when "+s.Members+" count 1.."))...)
				if s.Paging.By == "offset" {
					one := []line{queryLine(s.Paging.Names[0], "2"), queryLine(s.Paging.Names[1], "1")}
					s.step("one further on", append(page(one), expect(s.ListAt+"[0]"+s.inEntry()+" is {nth(page, 2)}"))...)
				}
			},
		},
	}, overwriteChecks(), listChecks())
}

// assigned makes an item with values for what the service assigns: for the
// identity that of an item which is gone, so that its form is right.
func (s *Scene) assigned() {
	s.make(1)
	change := map[string]*string{}
	for _, n := range s.Assigned {
		text := `"1999-12-31T23:59:59Z"`
		if s.Identifies(n) && s.Supports(Delete) {
			text = "{id}"
		}
		change[n] = &text
	}
	if s.Supports(Delete) {
		s.removed()
		// Who gives free names again gives it to the next one.
		s.makeOne(1)
	}
	s.attempt("make one that assigns itself", bodyLine(s.Make, s.Turned(s.Make.object(change), later(2))), expect("status not 5xx"))
	var parts []string
	for _, n := range s.Assigned {
		if s.Identifies(n) && !s.Supports(Delete) {
			continue
		}
		parts = append(parts, syntax.Quoted(n)+"?: not "+*change[n])
	}
	if len(parts) == 0 {
		return
	}
	s.step("read what came of it", when(s.fine()+of("make one that assigns itself")), when("{"+s.stray()+"} exists"), s.ask(Read, s.stray()), need("status 200"), prefer(s.Subject()+" is { "+strings.Join(parts, ", ")+", ... }"))
}

// textVariants are texts that careless services do not keep. None has a slash: where
// the text names the item, few services could be asked for it again, or rid of it.
var textVariants = []struct{ what, text string }{
	{"long text", "A name that is a good deal longer than most {turn}"},
	{"accents", "Sørine Åse Čapek Łódź {turn}"},
	{"emoji", "Puffin 🐧🚢 {turn}"},
	{"right-to-left text", "سفينة النورس {turn}"},
	{"combining marks", "Cafe\\u0301 Zo\\u0308e {turn}"},
	{"markup", "<b>Gull<br> & Tern {turn}"},
	{"quotes", "O'Hare \\\"Auk\\\" \\\\ {turn}"},
	{"inner spaces", "Two  spaces {turn}"},
}

var numberVariants = []string{"0", "-1", "9007199254740991", "0.1", "12.3456789"}

func (s *Scene) keepsValues() {
	s.make(1)
	s.readBack("read it back", expect("status 200"), s.shows("expect", "made"), s.showsNothing(s.Make))
	k := 1
	try := func(what, name, value string) {
		change := s.told(map[string]*string{name: &value})
		if change == nil {
			return
		}
		k++
		title := what + " in " + name
		body := fmt.Sprintf("sent_%d", k)
		s.Let(body, s.Turned(s.Make.object(change), later(k)))
		s.attempt(title, bodyLine(s.Make, "{"+body+"}"), expect("status not 5xx"))
		id := s.stray()
		shown := s.covers("expect", "{ "+syntax.Quoted(name)+": "+memberOf(body, name)+" }")
		if value == "null" || value == `""` {
			// What null or no text stands for is the service's to say: nothing, or a
			// default.
			shown = line{}
		}
		s.step("read "+title, when(s.fine()+of(title)), s.ask(Read, id), expect("status 200"), shown)
	}
	for _, f := range s.Make.Fields {
		if !s.ReadsAsSent(f.Name) {
			continue
		}
		switch f.Kind {
		case syntax.String:
			for _, v := range textVariants {
				try(v.what, f.Name, `"`+v.text+`"`)
			}
			if !slices.Contains(s.Unique, f.Name) && !s.Identifies(f.Name) {
				try("nothing", f.Name, `""`)
			}
		case syntax.Number:
			for _, v := range numberVariants {
				if !s.Make.json() {
					break
				}
				try(v, f.Name, v)
			}
		}
	}
	for _, f := range s.optional() {
		if s.ReadsAsSent(f.Name) && s.Make.json() {
			try("null", f.Name, "null")
		}
	}
}
