package resource

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/syntax"
)

// emptied are values that careless code takes for none, by kind of member.
func (r *Resource) emptied(f Field) []string {
	var out []string
	switch f.Kind {
	case syntax.Number:
		out = append(out, "0")
	case syntax.True:
		out = append(out, "false")
	case syntax.String:
		if !slices.Contains(r.Unique, f.Name) {
			out = append(out, `""`)
		}
	}
	return slices.DeleteFunc(out, func(text string) bool { return text == f.Text })
}

// beforeAmend are the members of `make` that `amend` changes.
func (r *Resource) beforeAmend() []Field {
	var out []Field
	for _, f := range r.differing(r.Amend) {
		out = append(out, *r.Make.field(f.Name))
	}
	return out
}

// besideAmend are the members that `remake` changes, and `amend` does not name.
func (r *Resource) besideAmend() []Field {
	return slices.DeleteFunc(r.differing(r.Remake), func(f Field) bool { return r.Amend != nil && r.Amend.field(f.Name) != nil })
}

func hasEmptied(of func(*Resource) []Field) func(*Resource) string {
	return func(r *Resource) string {
		if slices.ContainsFunc(of(r), func(f Field) bool { return len(r.emptied(f)) > 0 }) {
			return ""
		}
		return "no member that the examples change can be zero, empty or false"
	}
}

// emptiedBy writes a member, which was changed to a value, with others that are
// easily taken for none. Where the write says that it was done, the value before
// is gone: what is read may be what was sent, or nothing, or a default. A member
// that a service does not change is its own affair.
func (s *Scene) emptiedBy(f Field, before string, changes line, write func(title, member, text string, lines ...line)) {
	for _, text := range s.emptied(f) {
		title := text + " for " + f.Name
		write(title, f.Name, text, changes, expect("status not 5xx"))
		s.readBack("read it after "+title, when("status 200 or 201 or 204"+of(title)), need("status 200"), expect(s.Subject()+" is { "+syntax.Quoted(f.Name)+"?: not "+before+", ... }"))
	}
}

// secondChange is a member that can be amended beside those of `amend`, with
// another value than `make` gives it; nil for none.
func (r *Resource) secondChange() *Field {
	for _, f := range r.besideAmend() {
		if r.Amend != nil && !slices.Contains(r.Unique, f.Name) {
			return &f
		}
	}
	return nil
}

func amendsTwo(r *Resource) string {
	if r.secondChange() != nil && r.Amend.json() {
		return ""
	}
	return "`remake` changes no member beside those of `amend`"
}

// amends amends one member to a value, which gets a name, and gives the condition
// that it is changed: a service may refuse to, or keep it.
func (s *Scene) amends(f Field, value string) line {
	title := "amend " + f.Name
	s.Let(value, s.Turned(f.Text, "turn"))
	s.sets(Amend, title, f.Name, "{"+value+"}", expect("status not 5xx"))
	return s.took(f.Name, value, "{"+value+"}")
}

// both is what an item shows after the amend and the second one.
func (s *Scene) both() line {
	return s.covers("expect", "{ "+strings.Join(append(s.amendments(), syntax.Quoted(s.secondChange().Name)+": {second}"), ", ")+" }")
}

// overwriteChecks are about what a write leaves of the one before it.
func overwriteChecks() []Check {
	const put, patch = "RFC 9110 §9.3.4", "RFC 7396 §2"
	amends := needs(makes, can(Amend, Read), written, amendsObject, amendDiffers, mergePatch)
	return []Check{
		{
			Name: "replace-empties", Causes: []string{"lifecycle/replace-takes-effect"}, On: Replace, Source: put,
			Requires: needs(makes, can(Replace, Read), written, hasEmptied(func(r *Resource) []Field { return r.differing(r.Remake) })),
			Proves:   "zero, no text and false are written over what was there, or refused",
			Cause:    "values that count as false are handled as if they were not sent",
			Mend:     "tell what is absent from what is zero, empty or false",
			Write: func(s *Scene) {
				s.make(1)
				s.replaced("replace it", need("status 2xx"))
				for i, f := range s.differing(s.Remake) {
					before := memberOf("remade", f.Name)
					s.emptiedBy(f, before, s.took(f.Name, fmt.Sprintf("value_%d", i+1), before), func(title, member, text string, lines ...line) {
						s.sets(Replace, title, member, text, lines...)
					})
				}
			},
		},
		{
			Name: "amend-empties", Causes: []string{"lifecycle/amend-merges"}, On: Amend, Source: patch,
			Requires: needs(makes, can(Amend, Read), written, mergePatch, hasEmptied(func(r *Resource) []Field { return append(r.beforeAmend(), r.besideAmend()...) })),
			Proves:   "zero, no text and false in a merge patch are written over what was there, or refused",
			Cause:    "values that count as false are handled as if they were not sent",
			Mend:     "tell what is absent from what is zero, empty or false",
			Write: func(s *Scene) {
				s.make(1)
				amend := func(title, member, text string, lines ...line) { s.sets(Amend, title, member, text, lines...) }
				// That these can be amended is said; of others it is seen.
				for _, f := range s.beforeAmend() {
					s.emptiedBy(f, memberOf("made", f.Name), line{}, amend)
				}
				for i, f := range s.besideAmend() {
					value := fmt.Sprintf("value_%d", i+1)
					s.emptiedBy(f, "{"+value+"}", s.amends(f, value), amend)
				}
			},
		},
		{
			Name: "replace-after-amend", Causes: []string{"lifecycle/replace-takes-effect", "lifecycle/amend-merges"}, On: Replace, Source: put,
			Requires: needs(amends, can(Replace), replaceDiffers),
			Proves:   "a replace after an amend is the whole item again",
			Cause:    "amendments are kept beside the item, and laid over it for ever",
			Mend:     "apply an amendment to the stored item, once",
			Write: func(s *Scene) {
				s.make(1)
				s.amended("amend it", need("status 2xx"))
				s.replaced("replace it", need("status 2xx"))
				s.settled("replace it", "read it back", expect("status 200"), s.shows("expect", "remade"))
			},
		},
		{
			Name: "amend-after-replace", Causes: []string{"lifecycle/replace-takes-effect", "lifecycle/amend-merges"}, On: Amend, Source: patch,
			Requires: needs(amends, can(Replace), replaceDiffers, func(r *Resource) string {
				if len(r.Remake.Fields) == 0 || !r.Remake.json() || r.Reads != "" {
					return "`remake` is not written out as an object, or does not read as it was sent"
				}
				return ""
			}),
			Proves: "an amend after a replace changes the item as it was replaced, and not as it was made",
			Cause:  "the patch is applied to an older copy",
			Mend:   "load the item as it is stored now",
			Write: func(s *Scene) {
				s.make(1)
				s.replaced("replace it", need("status 2xx"))
				s.amended("amend it", need("status 2xx"))
				parts := s.amendments()
				for _, f := range s.Remake.Fields {
					if s.Amend.field(f.Name) == nil && s.ReadsAsSent(f.Name) {
						parts = append(parts, syntax.Quoted(f.Name)+": "+memberOf("remade", f.Name))
					}
				}
				s.settled("amend it", "read it back", expect("status 200"), s.covers("expect", "{ "+strings.Join(parts, ", ")+" }"))
			},
		},
		{
			Name: "amends-add-up", Causes: []string{"lifecycle/amend-merges"}, On: Amend, Source: patch,
			Requires: needs(amends, amendsTwo),
			Proves:   "two amends of different members leave both changed",
			Cause:    "each patch is applied to the item as it was made, or as a cache still has it",
			Mend:     "load the item as it is stored now, apply the patch, and store the result",
			Write: func(s *Scene) {
				s.make(1)
				changes := s.amends(*s.secondChange(), "second")
				s.amended("amend it", changes, need("status 2xx"))
				s.settled("amend it", "read it back", changes, expect("status 200"), s.both())
			},
		},
		{
			Name: "create-overwrites-none", Causes: []string{"lifecycle/created-are-distinct", "repeat/read-is-stable"}, On: Create, Source: "RFC 9110 §9.3.3, §15.3.2", Requires: needs(posts, can(Read), written, identityMember),
			Proves: "a create that says it made an item, or that is refused, has not written over the item whose identity its body gives",
			Cause:  "the whole body is stored under the identity in it",
			Mend:   "give identities out, or refuse one that is taken with 409",
			Write:  func(s *Scene) { s.overwrites("expect", "201 or 4xx or 5xx") },
			// What POST means is the resource's own: one that says 200 may be an update.
			SofterLevel: "usual", Softer: func(s *Scene) { s.overwrites("prefer", "200 or 202 or 204") },
		},
	}
}

// overwrites writes a create that names another item, and looks at that one where it was
// answered so.
func (s *Scene) overwrites(word, answered string) {
	const title = "make one that says it is the first"
	s.make(1)
	theirs := "{id}"
	s.readBack("read it", need("status 200"))
	s.attempt(title, bodyLine(s.Make, s.Turned(s.Make.object(map[string]*string{s.memberOfItem(): &theirs}), later(1))), expect("status not 5xx"))
	s.readBack("the first is what it was", append([]line{when("status " + answered + of(title)), says(word, "status 200")}, s.asSent(word, "read it", nil)...)...)
}
