package resource

import "strings"

// inParent tells why the item's path does not say what the item is below.
func inParent(r *Resource) string {
	if strings.Contains(r.Item, "{"+r.Under.Name+".") {
		return ""
	}
	return "the item's path does not name what it is below"
}

// withParent tells why nothing can be said about an item whose parent is
// removed.
func withParent(r *Resource) string {
	switch p := r.Under; {
	case !p.Supports(Delete) || !p.Supports(Read):
		return "what it is below cannot be removed, or not be looked for"
	case p.KeepsChildren:
		return "what it is below keeps its children"
	case p.Gone != "":
		return "what it is below keeps a state"
	}
	return ""
}

// removeAbove removes what the collection is under, and looks that it is gone.
func (s *Scene) removeAbove() {
	p, id := s.above(), s.Under.Name+"_id"
	const remove = "remove what it is below"
	s.step(remove, p.revised(&s.body, p.ask(Delete, id))...)
	s.step("look that it is gone", when("status 200 or 204"+of(remove)), p.ask(Read, id))
}

// goneAbove holds a step back unless what it is below is gone. Deleting what
// Has children may be refused.
var goneAbove = when("status 404 or 410" + of("look that it is gone"))

// orphanChecks are about items below an item that is deleted, or is another.
func orphanChecks() []Check {
	const notFound = "RFC 9110 §15.5.5"
	return []Check{
		{
			Name: "orphan-read", On: Read, Level: "usual", Requires: needs(nested, makes, can(Read), withParent), Source: notFound,
			Proves: "what was below a deleted item cannot be read any more",
			Cause:  "the delete removes the one row, and what refers to it is left",
			Mend:   "remove what is below with it, or write `keeps children` where it is meant to stay",
			Write: func(s *Scene) {
				s.make(1)
				s.removeAbove()
				s.readBack("read what was below it", goneAbove, prefer("status "+s.GoneStatus()))
			},
		},
		{
			Name: "orphan-write", Causes: []string{"absence/missing-parent"}, On: Create, Requires: needs(nested, makes, withParent, inParent), Source: notFound,
			Proves: "nothing can be made or changed below an item that was deleted",
			Cause:  "the write looks for the child only, or for nothing at all",
			Mend:   "look the parent up in the same transaction",
			Write: func(s *Scene) {
				s.make(1)
				s.removeAbove()
				if posts(s.Resource) == "" {
					s.attempt("make one below it", goneAbove, bodyLine(s.Make, s.example(s.Make, 1)), expect("status 3xx or 4xx"))
				}
				if s.Supports(Replace) && s.Remake != nil {
					s.replaced("replace what was below it", goneAbove, expect("status 3xx or 4xx"))
				}
				if s.Supports(Amend) && s.Amend != nil {
					s.amended("amend what was below it", goneAbove, expect("status 3xx or 4xx"))
				}
			},
		},
		{
			Name: "children-stay-apart", Alone: true, Causes: []string{"absence/missing-read"}, On: List, Requires: needs(nested, makes, listed), Source: "RFC 9110 §9.3.1",
			Proves: "what is below one item does not show below another, nor below one that is made after the first was deleted",
			Cause:  "children are selected by their own identity only, or stay behind under an identity that is given again",
			Mend:   "select by parent and child, and remove the children with the parent",
			Write: func(s *Scene) {
				s.make(1)
				beside, anew := s.Under.Name+"_beside", s.Under.Name+"_anew"
				s.apart(beside, "beside it")
				if s.Supports(Delete) && s.Supports(Read) && inParent(s.Resource) == "" {
					// Where a read finds nothing, a delete has nothing to find.
					s.step("remove it below the one beside it", when("status 404 or 410"+of("read it below the one beside it")), send("DELETE", s.below(s.at("id"), beside)))
					s.readBack("it is where it was", expect("status 200"))
				}
				if withParent(s.Resource) == "" {
					s.removeAbove()
					s.apart(anew, "made anew")
				}
			},
		},
	}
}

// below is a path with another item in place of the one that it is under.
func (s *Scene) below(path, as string) string {
	return strings.ReplaceAll(path, "{"+s.Under.Name+"_", "{"+as+"_")
}

// apart makes another item to be under, and looks that the first one's child
// is not there.
func (s *Scene) apart(as, which string) {
	s.parentOf(s.Under, as)
	// Two that have one identity are told elsewhere.
	two := when("{" + as + "_id} is not {" + s.Under.Name + "_id}")
	if which == "made anew" {
		two = line{}
	}
	// A list of all, wherever they are, is in its right.
	if below := s.below(s.list(), as); below != s.list() {
		s.step("list below the one "+which, two, send("GET", below), need("status 200"), expect(s.InList("id")+" count 0"))
	}
	if s.Supports(Read) && inParent(s.Resource) == "" {
		s.step("read it below the one "+which, two, send("GET", s.below(s.at("id"), as)), expect("status 3xx or 4xx"))
	}
}
