package resource

// driftText is text that careless services escape, unescape or trim.
const driftText = `"<b>Gull<br> &amp; Tern's \\\" %41 {turn}"`

// driftChecks are about the same write, many times.
func driftChecks() []Check {
	return []Check{
		{
			Name: "replace-does-not-drift", Causes: []string{"repeat/replace-is-idempotent", "repeat/read-is-stable", "lifecycle/create-keeps-values"}, On: Replace, Source: "RFC 9110 §9.2.2",
			Requires: needs(makes, can(Replace, Read), written, repeats, func(r *Resource) string {
				if r.Remake == nil || r.driftMember() == "" {
					return "`remake` has no text"
				}
				return ""
			}),
			Proves: "the same PUT many times leaves the item as the first one left it: nothing is appended, escaped or rounded again",
			Cause:  "what is stored is escaped once more with each write, or lists are joined to what is there",
			Mend:   "store what was sent, as it was sent",
			Write: func(s *Scene) {
				s.make(1)
				text := s.Turned(driftText, "turn")
				name := s.driftMember()
				s.Let("sent", s.Turned(s.Remake.object(map[string]*string{name: &text}), "turn"))
				body := []line{s.ask(Replace, "id"), bodyLine(s.Remake, "{sent}")}
				// Such a text may be refused; then there is nothing to repeat.
				done := when("status 200 or 201 or 204" + of("replace it"))
				s.step("replace it", append(body, expect("status not 5xx"))...)
				s.readBack("read it", done, need("status 200"))
				s.step("replace it four times more", append(body, done, againTimes(3))...)
				s.readBack("read it again", append([]line{done, expect("status 200")}, s.asSent("expect", "read it", nil)...)...)
			},
		},
		{
			Name: "reads-write-back", Causes: []string{"repeat/replace-does-not-drift", "lifecycle/replace-takes-effect"}, On: Replace, Level: "should", Source: "RFC 9110 §9.3.4",
			Requires: needs(makes, can(Replace, Read), written, repeats, func(r *Resource) string {
				if r.Reads != "" || !r.Make.json() {
					return "an item does not read as it is written"
				}
				return ""
			}),
			Proves: "what was read, written back as it is, changes nothing",
			Cause:  "reading and writing go through different forms",
			Mend:   "let what is read be what can be written",
			Write: func(s *Scene) {
				s.make(1)
				s.readBack("read it", need("status 200"), keep("before from "+s.Content))
				const back = "write back what was read"
				s.step(back, s.ask(Replace, "id"), bodyLine(s.Remake, "{before}"))
				s.readBack("read it again", append([]line{when("status 200 or 204" + of(back)), need("status 200")}, s.asSent("prefer", "read it", nil)...)...)
			},
		},
	}
}

// driftMember is a member of `remake` that may hold any text; "" for none.
func (r *Resource) driftMember() string {
	if r.Remake == nil || !r.Remake.json() {
		return ""
	}
	for _, f := range r.texts() {
		if r.Remake.field(f.Name) != nil && r.ReadsAsSent(f.Name) {
			return f.Name
		}
	}
	return ""
}
