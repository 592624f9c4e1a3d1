package resource

// tells tells why it is not seen which value a unique member has.
func tells(r *Resource) string {
	if f := r.uniqueMember(); r.Supports(Read) && f != nil && r.ReadsAsSent(f.Name) {
		return ""
	}
	return "the unique member is not read as it was sent"
}

// rename gives the first item a value of its unique member that no other has,
// and gives the condition that it has it then: a service may refuse to change
// such a member, or keep it.
func (s *Scene) rename(f *Field) line {
	s.Let("free", s.Turned(f.Text, later(5)))
	title := "give it another " + f.Name
	s.sets(s.ways()[0], title, f.Name, "{free}", expect("status not 5xx"))
	return s.took(f.Name, "free", "{free}")
}

// takes tries to make an item with a value of the unique member.
func (s *Scene) takes(title string, f *Field, text string, lines ...line) {
	s.attempt(title, append([]line{bodyLine(s.Make, s.Turned(s.Make.object(map[string]*string{f.Name: &text}), later(2)))}, lines...)...)
}

// uniqueChecks are about unique values while items come, change and go.
func uniqueChecks() []Check {
	const conflict = "RFC 9110 §15.5.10"
	return []Check{
		{
			Name: "unique-on-change", Causes: []string{"input/duplicate-unique"}, On: Replace, Source: conflict, Requires: needs(makes, written, isUnique, changesOne),
			Proves: "a change to a unique value that another item has is refused, and a value that an item was changed to is taken",
			Cause:  "uniqueness is checked on create only, or against a list that writes do not keep",
			Mend:   "let the store enforce it",
			Write: func(s *Scene) {
				f := s.uniqueMember()
				s.Observe(false)
				s.make(2)
				for _, way := range s.ways() {
					title := way.String() + " it with the " + f.Name + " of the other"
					s.sets(way, title, f.Name, memberOf("made_other", f.Name), expect("status not 5xx"), s.unchanged("when status 4xx"))
					if tells(s.Resource) == "" {
						// A service may keep the member as it is; what counts is what is there then.
						s.readBack("read it after "+way.String(), when("status 2xx"+of(title)), need("status 200"), expect(s.inItem(MemberPath(f.Name))+" is not "+memberOf("made_other", f.Name)))
					}
				}
				if tells(s.Resource) == "" {
					renamed := s.rename(f)
					s.takes("make one with the "+f.Name+" that it has now", f, "{free}", append(s.refusal("409 or 422 or 400"), renamed)...)
				}
			},
		},
		{
			Name: "unique-own-value", Causes: []string{"repeat/replace-is-idempotent"}, On: Replace, Source: conflict, Requires: needs(makes, written, isUnique, changesOne),
			Proves: "an item's own unique value is no conflict for itself",
			Cause:  "the check for duplicates finds the item that is written to",
			Mend:   "leave the item itself out of the check",
			Write: func(s *Scene) {
				f := s.uniqueMember()
				s.make(1)
				for _, way := range s.ways() {
					s.sets(way, way.String()+" it with its own "+f.Name, f.Name, memberOf("made", f.Name), expect("status not 409 and not 5xx"))
				}
			},
		},
		{
			Name: "unique-freed-by-change", On: Create, Level: "should", Source: conflict, Requires: needs(makes, written, isUnique, tells, changesOne),
			Proves: "a unique value is free again when its item was changed to another",
			Cause:  "values are remembered when they come, and not forgotten when they go",
			Mend:   "let the store enforce it, on what is stored now",
			Write: func(s *Scene) {
				f := s.uniqueMember()
				s.make(1)
				renamed := s.rename(f)
				s.takes("make one with the "+f.Name+" that it had", f, memberOf("made", f.Name), renamed, prefer("status not 409 and not 422 and not 400"))
			},
		},
		{
			Name: "unique-freed-by-delete", On: Create, Level: "usual", Source: conflict, Requires: needs(makes, written, isUnique, can(Delete), leavesNothing),
			Proves: "a unique value is free again when its item was deleted",
			Cause:  "deleted items are kept, and still count",
			Mend:   "leave deleted items out of the constraint",
			Write: func(s *Scene) {
				f := s.uniqueMember()
				s.make(1)
				s.removed()
				gone := when("status not 202" + of("remove it"))
				if s.Supports(Read) {
					s.readBack("look that it is gone")
					gone = when("status 404 or 410")
				}
				s.takes("make one with the "+f.Name+" of the deleted one", f, memberOf("made", f.Name), gone, prefer("status not 409 and not 422 and not 400"))
			},
		},
	}
}
