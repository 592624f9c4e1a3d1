package resource

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/syntax"
)

func described(r *Resource) string {
	if r.Takes == nil {
		return "the resource does not say what it `takes`"
	}
	return ""
}

func someEdges(usual bool) func(r *Resource) string {
	return func(r *Resource) string {
		if len(r.edgeCases(usual)) == 0 {
			return "what it `takes` has no limits of this kind"
		}
		return ""
	}
}

func someBeyond(r *Resource) string {
	if len(r.beyondCases()) == 0 {
		return "what it `takes` has no limits"
	}
	return ""
}

// changes tells whether the examples show that an operation changes a member: what
// a service keeps as it is, it need not refuse.
func (r *Resource) changes(e *Example, member string) bool {
	if e == nil {
		return false
	}
	f := e.field(member)
	return f != nil && !r.Make.sets(*f)
}

func (r *Resource) changeable(list []memberCase, e *Example) []memberCase {
	return slices.DeleteFunc(slices.Clone(list), func(c memberCase) bool {
		return c.text == "" || !r.changes(e, c.member) || MemberPath(c.member) == r.identity()
	})
}

// readsCase says of an answer that it shows the value of a case; no line where it
// need not.
func (s *Scene) readsCase(word string, c memberCase, sent string) line {
	if !s.ReadsAsSent(c.member) && (c.reads != asInstant || !s.asInstants(c.member)) {
		return line{}
	}
	at := s.inItem(MemberPath(c.member))
	switch c.reads {
	case asSent:
		return s.covers(word, "{ "+syntax.Quoted(c.member)+": "+memberOf(sent, c.member)+" }")
	case asNull:
		return says(word, s.Subject()+" is { "+syntax.Quoted(c.member)+"?: not "+syntax.Quoted("null")+", ... }")
	case asInstant:
		return says(word, at+" is within 0s of "+memberOf(sent, c.member))
	case anyCase:
		return says(word, at+" is "+strings.ToLower(c.text)+" or "+strings.ToUpper(c.text))
	}
	return line{}
}

// edge tries to make an item with a value on a limit, and reads it back.
func (s *Scene) edge(i int, c memberCase, word string) {
	change := s.told(c.sets())
	if change == nil {
		return
	}
	sent := fmt.Sprintf("sent_%d", i+1)
	s.Let(sent, s.Turned(s.Make.object(change), later(i)))
	taken := says(word, s.fine()+s.orTaken(c))
	lines := []line{bodyLine(s.Make, "{"+sent+"}"), taken}
	if c.like != "" {
		plain := c.member + " is " + strings.Trim(c.like, `"`)
		s.attempt(plain, bodyLine(s.Make, s.Turned(s.Make.object(map[string]*string{c.member: &c.like}), later(i+mostEdges))))
		lines = append([]line{when(s.fine() + of(plain))}, lines...)
	}
	byDefault, left := fmt.Sprintf("default_%d", i+1), s.told(map[string]*string{c.member: nil})
	read := c.reads == asNull && s.Supports(Read) && s.ReadsAsSent(c.member) && left != nil
	if read {
		// What nothing stands for is the service's to say: leaving the member out tells it.
		without := "what " + c.member + " is by default"
		s.attempt(without, bodyLine(s.Make, s.Turned(s.Make.object(left), later(i+mostEdges))))
		s.step("read it: "+without, when(s.fine()+of(without)), s.ask(Read, s.stray()), keep(byDefault+" from "+s.inItem(MemberPath(c.member))).ifThere())
	}
	s.attempt(c.title(), lines...)
	reads := s.readsCase(word, c, sent)
	look := func(title string, also, reads line) {
		s.step(title+c.title(), when(s.fine()+of(c.title())), also, s.ask(Read, s.stray()), says(word, "status 200"), reads)
	}
	switch {
	case !s.Supports(Read) || reads.none():
	case read:
		shape := func(of string) line {
			return says(word, s.Subject()+" is { "+syntax.Quoted(c.member)+"?: "+of+", ... }")
		}
		look("read it: ", when("{"+byDefault+"} missing"), shape("null"))
		look("read it beside its default: ", when("{"+byDefault+"} exists"), shape("null or {"+byDefault+"}"))
	default:
		look("read it: ", line{}, reads)
	}
}

// limitChecks are about values on the limits of what a body may hold, and one step
// beyond.
func limitChecks() []Check {
	const bad = "RFC 9110 §15.5.1"
	limits := needs(makes, written, described)
	return []Check{
		{
			Name: "edge-is-taken", Causes: []string{"lifecycle/create-keeps-values"}, On: Create, Requires: needs(limits, someEdges(false)), Source: bad,
			Proves: "every value on a limit is taken, and stored exactly",
			Cause:  "a limit that is off by one, a column that is shorter, text that is trimmed, numbers that are rounded",
			Mend:   "take what the description allows, and store it as it came",
			Write: func(s *Scene) {
				for i, c := range s.edgeCases(false) {
					s.edge(i, c, "expect")
				}
			},
			SofterLevel: "usual",
			Softer: func(s *Scene) {
				for i, c := range s.edgeCases(true) {
					s.edge(i, c, "prefer")
				}
			},
		},
		{
			Name: "beyond-is-refused", Causes: []string{"input/wrong-type", "input/missing-member"}, On: Create, Requires: needs(limits, someBeyond), Source: bad,
			Proves: "a value one step beyond a limit is refused, and changes nothing",
			Cause:  "a limit that is off by one, or that only the user interface knows",
			Mend:   "check every limit where the body is read, and answer 400 or 422",
			Write: func(s *Scene) {
				s.Observe(false)
				for i, c := range s.beyondCases() {
					s.attempt(c.title(), append([]line{bodyLine(s.Make, s.Turned(s.Make.object(c.sets()), later(i)))}, s.refusal("4xx")...)...)
				}
			},
			SofterLevel: "usual",
			Softer: func(s *Scene) {
				named := map[string]bool{}
				for i, c := range s.beyondCases() {
					if !named[c.member] {
						named[c.member] = true
						s.attempt(c.title(), bodyLine(s.Make, s.Turned(s.Make.object(c.sets()), later(i))), prefer("text contains "+syntax.Quoted(c.member)+" when status 4xx"))
					}
				}
			},
		},
		{
			Name: "on-replace", Causes: []string{"limits/edge-is-taken", "limits/beyond-is-refused", "lifecycle/replace-takes-effect"}, On: Replace, Source: bad,
			Requires: needs(limits, can(Replace), func(r *Resource) string {
				if len(r.changeable(append(r.edgeCases(false), r.beyondCases()...), r.Remake)) == 0 {
					return "`remake` changes no member that has limits"
				}
				return ""
			}),
			Proves: "the same limits hold when an item is replaced",
			Cause:  "replacing goes another way than creating, with checks of its own",
			Mend:   "check bodies in one place",
			Write: func(s *Scene) {
				s.Observe(false)
				s.observeItem("id", false)
				s.make(1)
				for _, c := range s.changeable(s.beyondCases(), s.Remake) {
					s.step("replace it: "+c.title(), append([]line{s.ask(Replace, "id"), bodyLine(s.Remake, s.Turned(s.Remake.object(c.sets()), "turn"))}, s.refusal("4xx")...)...)
				}
				for i, c := range s.changeable(s.edgeCases(false), s.Remake) {
					s.changed(i, c, Replace, s.Remake.object(c.sets()))
				}
			},
		},
		{
			Name: "on-amend", Causes: []string{"limits/edge-is-taken", "limits/beyond-is-refused", "lifecycle/amend-merges"}, On: Amend, Source: "RFC 5789 §2, " + bad[4:],
			Requires: needs(limits, can(Amend), amendsObject, mergePatch, func(r *Resource) string {
				if len(r.changeable(append(r.edgeCases(false), r.beyondCases()...), r.Amend)) == 0 {
					return "`amend` changes no member that has limits"
				}
				return ""
			}),
			Proves: "the same limits hold when an item is amended, and a change of which one part is refused is refused whole",
			Cause:  "members of a patch are stored one after the other, each with checks of its own or none",
			Mend:   "apply the patch first, check the whole, then store",
			Write: func(s *Scene) {
				s.Observe(false)
				s.observeItem("id", false)
				s.make(1)
				for _, c := range s.changeable(s.beyondCases(), s.Amend) {
					s.step("amend it: "+c.title(), append([]line{s.ask(Amend, "id"), s.patch(s.Turned(s.Amend.object(c.sets()), "turn"))}, s.refusal("4xx")...)...)
				}
				for i, c := range s.changeable(s.edgeCases(false), s.Amend) {
					s.changed(i, c, Amend, "{ "+syntax.Quoted(c.member)+": "+c.text+" }")
				}
			},
		},
		{
			Name: "pairs", Causes: []string{"limits/edge-is-taken"}, On: Create, Source: bad,
			Requires: needs(limits, func(r *Resource) string {
				if len(r.pairs()) == 0 {
					return "fewer than two members have limits"
				}
				return ""
			}),
			Proves: "values on limits are stored exactly together, too: each pair of them stands in some body",
			Cause:  "two members share a column, a buffer or a limit",
			Mend:   "look at members one by one, and say rules between them in the description",
			Write: func(s *Scene) {
				for i, row := range s.pairs() {
					s.pair(i, row)
				}
			},
		},
		{
			Name: "several-at-once", Causes: []string{"limits/beyond-is-refused"}, On: Create, Level: "usual", Source: "RFC 9457 §3",
			Requires: needs(limits, func(r *Resource) string {
				if len(r.oneEach(r.beyondCases())) < 2 {
					return "fewer than two members have limits"
				}
				return ""
			}),
			Proves: "a body with several faults is refused, and the answer names one of them, or all",
			Cause:  "what is wrong is looked for one member at a time, and the second error comes where nobody looks",
			Mend:   "gather what is wrong, and say it in one answer",
			Write: func(s *Scene) {
				s.Observe(false)
				all := s.oneEach(s.beyondCases())
				all = all[:min(len(all), 3)]
				change := map[string]*string{}
				var names []string
				for i := range all {
					change[all[i].member] = &all[i].text
					names = append(names, all[i].member)
				}
				lines := []line{prefer("status " + s.refused("4xx")), s.unchanged("when status 4xx"), prefer("text matches " + naming(names...) + " when status 4xx")}
				s.attempt("several members are beyond their limits", append([]line{bodyLine(s.Make, s.Turned(s.Make.object(change), "turn"))}, lines...)...)
			},
		},
		{
			Name: "unknown-member", On: Create, Level: "usual", Requires: needs(limits, sendsJSON), Source: "RFC 8259 §4",
			Proves: "a member that nobody knows is refused or disregarded, a member in another case or twice is no error of the service's own",
			Cause:  "names are put into queries or objects as they come, or compared without regard to case",
			Mend:   "refuse members that are not described, or leave them out as a whole",
			Write:  unknownMembers,
		},
		{
			Name: "deep-and-wide", Causes: []string{"limits/unknown-member"}, On: Create, Level: "usual", Requires: needs(limits, sendsJSON), Source: "RFC 8259 §9",
			Proves: "a body that is nested 900 levels deep, has 1,000 members, a number of 400 digits or a leap second is taken or refused, without an error of the service's own",
			Cause:  "a stack, a column or a type that overflows",
			Mend:   "bound depth, members and digits, and answer 400 or 413",
			Write: func(s *Scene) {
				s.Let("deep", `"{repeat("[", 900)}{repeat("]", 900)}"`)
				s.Let("digits", `"{repeat("9", 400)}"`)
				s.attempt("900 levels deep", s.rawBody("", ", \"gull_deep\": {deep}"), prefer("status not 5xx"))
				s.attempt("a number of 400 digits", s.rawBody("", ", \"gull_digits\": {digits}"), prefer("status not 5xx"))
				wide := "{members(1000)}"
				s.attempt("1,000 members", bodyLine(s.Make, s.Turned(s.Make.object(map[string]*string{"gull_wide": &wide}), "turn")), prefer("status not 5xx"))
				// RFC 3339 §5.6 allows second 60, and many do not take it, which is legal.
				second := `"2028-06-30T23:59:60Z"`
				for _, t := range s.Takes {
					if t.Shape.Kind == syntax.Type && t.Shape.Text == "datetime" {
						s.attempt("a leap second in "+t.Name, bodyLine(s.Make, s.Turned(s.Make.object(map[string]*string{t.Name: &second}), "turn")), prefer("status not 5xx"))
					}
				}
			},
		},
	}
}

// changed writes a value on a limit to the first item, and reads it back.
func (s *Scene) changed(i int, c memberCase, o Operation, body string) {
	title := o.String() + " it: " + c.title()
	sent := fmt.Sprintf("sent_%d", i+1)
	s.Let(sent, s.Turned(body, "turn"))
	taken := expect("status 2xx" + s.orTaken(c))
	lines := []line{s.ask(o, "id"), s.sends(o, "{"+sent+"}"), taken}
	if c.like != "" {
		plain := strings.TrimSuffix(title, c.title()) + c.member + " is " + strings.Trim(c.like, `"`)
		s.sets(o, plain, c.member, c.like)
		lines = append([]line{when("status 2xx" + of(plain))}, lines...)
	}
	s.step(title, lines...)
	if reads := s.readsCase("expect", c, sent); !reads.none() && s.Supports(Read) {
		s.readBack("read it: "+title, when("status 2xx"+of(title)), expect("status 200"), reads)
	}
}

// oneEach is the first case of each member.
func (r *Resource) oneEach(list []memberCase) []memberCase {
	var out []memberCase
	for _, c := range list {
		if !slices.ContainsFunc(out, func(o memberCase) bool { return o.member == c.member }) {
			out = append(out, c)
		}
	}
	return out
}

func unknownMembers(s *Scene) {
	s.Observe(false)
	extra := `"gull {turn}"`
	for i, name := range []string{"gull_unknown", "__proto__"} {
		title := "with the member " + name
		sent := fmt.Sprintf("sent_%d", i+1)
		s.Let(sent, s.Turned(s.Make.object(map[string]*string{name: &extra}), later(i)))
		status := prefer("status not 5xx")
		if s.open {
			status = prefer("status 2xx")
		}
		s.attempt(title, bodyLine(s.Make, "{"+sent+"}"), status, s.unchanged("when status 4xx"))
		if s.Supports(Read) && !s.open {
			// Taken, it is left out as a whole, or kept as a whole.
			s.step("read it "+title, when(s.fine()+of(title)), s.ask(Read, s.stray()), prefer("status 200"), prefer(s.Subject()+" is { "+syntax.Quoted(name)+"?: "+memberOf(sent, name)+", ... }"))
		}
	}
	texts := s.texts()
	if len(texts) == 0 {
		return
	}
	name := texts[0].Name
	if other := swapCase(name); other != name && s.taken(other) == nil {
		title := name + " in the other case, too"
		s.Let("sent_3", s.Turned(s.Make.object(map[string]*string{other: &extra}), later(2)))
		s.attempt(title, bodyLine(s.Make, "{sent_3}"), prefer("status not 5xx"), s.unchanged("when status 4xx"))
		if s.Supports(Read) && s.ReadsAsSent(name) {
			s.step("read it "+title, when(s.fine()+of(title)), s.ask(Read, s.stray()), prefer("status 200"), s.covers("prefer", "{ "+syntax.Quoted(name)+": "+memberOf("sent_3", name)+" }"))
		}
	}
	s.attempt(name+" twice", s.rawBody("", ", "+syntax.Quoted(name)+": \"Tern {turn} again\""), prefer("status not 5xx"), s.unchanged("when status 4xx"))
}
