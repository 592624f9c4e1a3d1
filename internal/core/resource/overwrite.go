package resource

import (
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

// hasEmptied tells why an example has no member that can be emptied.
func (r *Resource) hasEmptied(e *Example) string {
	if e != nil && e.json() && slices.ContainsFunc(e.Fields, func(f Field) bool { return r.readsAsSent(f.Name) && len(r.emptied(f)) > 0 }) {
		return ""
	}
	return "the example has no member that can be zero, empty or false"
}

// emptiedBy writes each member of an example with a value that is easily taken
// for none. Where the write says that it was done, the value before is gone:
// what is read may be what was sent, or nothing, or a default.
func (s *script) emptiedBy(e *Example, before string, write func(title, member, text string) string) {
	for _, f := range e.Fields {
		if !s.readsAsSent(f.Name) {
			continue
		}
		for _, text := range s.emptied(f) {
			title := write(text+" for "+f.Name, f.Name, text)
			s.readBack("read "+f.Name+" after "+text, when("status 200 or 201 or 204"+of(title)), need("status 200"), expect(s.subject()+" is { "+quoted(f.Name)+"?: not "+memberOf(before, f.Name)+", ... }"))
		}
	}
}

// secondChange is a member that can be amended beside those of `amend`, with
// another value than `make` gives it; nil for none.
func (r *Resource) secondChange() *Field {
	if r.Remake == nil || r.Amend == nil || r.Make == nil {
		return nil
	}
	for i, f := range r.Remake.Fields {
		was := r.Make.field(f.Name)
		if was != nil && was.Text != f.Text && r.Amend.field(f.Name) == nil && !slices.Contains(r.Unique, f.Name) && r.readsAsSent(f.Name) {
			return &r.Remake.Fields[i]
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

// both is what an item shows after the amend and the second one.
func (s *script) both() line {
	return s.covers("expect", "{ "+strings.Join(append(s.amendments(), quoted(s.secondChange().Name)+": {second}"), ", ")+" }")
}

// except of all that the service may move by itself, in an item's answer.
func (s *script) moving() string {
	var out []string
	for _, n := range s.Assigned {
		if p := memberPath(n); p != s.identity() {
			out = append(out, s.inItem(p))
		}
	}
	for _, p := range s.Volatile {
		out = append(out, s.inItem(p))
	}
	if len(out) == 0 {
		return ""
	}
	return " except " + strings.Join(out, ", ")
}

// overwriteChecks are about what a write leaves of the one before it.
func overwriteChecks() []Check {
	const put, patch = "RFC 9110 §9.3.4", "RFC 7396 §2"
	amends := needs(makes, can("amend", "read"), written, amendsObject, amendDiffers, mergePatch)
	return []Check{
		{
			Name: "replace-empties", Causes: []string{"lifecycle/replace-takes-effect"}, On: "replace", Source: put,
			Without: needs(makes, can("replace", "read"), written, func(r *Resource) string { return r.hasEmptied(r.Remake) }),
			Proves:  "zero, no text and false are written over what was there, or refused",
			Cause:   "values that count as false are handled as if they were not sent",
			Mend:    "tell what is absent from what is zero, empty or false",
			Write: func(s *script) {
				s.make(1)
				s.replaced("replace it", need("status 2xx"))
				s.emptiedBy(s.Remake, "remade", func(title, member, text string) string {
					title = "replace it with " + title
					s.step(title, send("PUT", s.at("id")), bodyLine(s.Remake, s.turned(s.Remake.object(map[string]*string{member: &text}), "turn")), expect("status not 5xx"))
					return title
				})
			},
		},
		{
			Name: "amend-empties", Causes: []string{"lifecycle/amend-merges"}, On: "amend", Source: patch,
			Without: needs(makes, can("amend", "read"), written, mergePatch, func(r *Resource) string { return r.hasEmptied(r.Make) }),
			Proves:  "zero, no text and false in a merge patch are written over what was there, or refused",
			Cause:   "values that count as false are handled as if they were not sent",
			Mend:    "tell what is absent from what is zero, empty or false",
			Write: func(s *script) {
				s.make(1)
				s.emptiedBy(s.Make, "made", func(title, member, text string) string {
					title = "amend it with " + title
					s.step(title, send("PATCH", s.at("id")), s.patch("{ "+quoted(member)+": "+text+" }"), expect("status not 5xx"))
					return title
				})
			},
		},
		{
			Name: "replace-after-amend", Causes: []string{"lifecycle/replace-takes-effect", "lifecycle/amend-merges"}, On: "replace", Source: put,
			Without: needs(amends, can("replace"), replaceDiffers),
			Proves:  "a replace after an amend is the whole item again",
			Cause:   "amendments are kept beside the item, and laid over it for ever",
			Mend:    "apply an amendment to the stored item, once",
			Write: func(s *script) {
				s.make(1)
				s.amended("amend it", need("status 2xx"))
				s.replaced("replace it", need("status 2xx"))
				s.settled("replace it", "read it back", expect("status 200"), s.shows("expect", "remade"))
			},
		},
		{
			Name: "amend-after-replace", Causes: []string{"lifecycle/replace-takes-effect", "lifecycle/amend-merges"}, On: "amend", Source: patch,
			Without: needs(amends, can("replace"), replaceDiffers, func(r *Resource) string {
				if len(r.Remake.Fields) == 0 || !r.Remake.json() || r.Reads != "" {
					return "`remake` is not written out as an object, or does not read as it was sent"
				}
				return ""
			}),
			Proves: "an amend after a replace changes the item as it was replaced, and not as it was made",
			Cause:  "the patch is applied to an older copy",
			Mend:   "load the item as it is stored now",
			Write: func(s *script) {
				s.make(1)
				s.replaced("replace it", need("status 2xx"))
				s.amended("amend it", need("status 2xx"))
				parts := s.amendments()
				for _, f := range s.Remake.Fields {
					if s.Amend.field(f.Name) == nil && s.readsAsSent(f.Name) {
						parts = append(parts, quoted(f.Name)+": "+memberOf("remade", f.Name))
					}
				}
				s.settled("amend it", "read it back", expect("status 200"), s.covers("expect", "{ "+strings.Join(parts, ", ")+" }"))
			},
		},
		{
			Name: "amends-add-up", Causes: []string{"lifecycle/amend-merges"}, On: "amend", Source: patch,
			Without: needs(amends, amendsTwo),
			Proves:  "two amends of different members leave both changed",
			Cause:   "each patch is applied to the item as it was made, or as a cache still has it",
			Mend:    "load the item as it is stored now, apply the patch, and store the result",
			Write: func(s *script) {
				s.make(1)
				f := s.secondChange()
				s.let("second", s.turned(f.Text, "turn"))
				s.amended("amend it", need("status 2xx"))
				s.sets("amend", "amend "+f.Name, f.Name, "{second}", need("status 2xx"))
				s.settled("amend "+f.Name, "read it back", expect("status 200"), s.both())
			},
		},
		{
			Name: "create-overwrites-none", Causes: []string{"lifecycle/created-are-distinct", "repeat/read-is-stable"}, On: "create", Source: "RFC 9110 §9.3.3", Without: needs(posts, can("read"), written, identityMember),
			Proves: "a create whose body gives the identity of another item does not write over that item",
			Cause:  "the whole body is stored under the identity in it",
			Mend:   "give identities out, or refuse one that is taken with 409",
			Write: func(s *script) {
				s.make(1)
				theirs := "{id}"
				s.readBack("read it", need("status 200"))
				s.attempt("make one that says it is the first", bodyLine(s.Make, s.turned(s.Make.object(map[string]*string{strings.TrimPrefix(s.identity(), "$."): &theirs}), later(1))), expect("status not 5xx"))
				s.readBack("the first is what it was", expect("status 200"), expect(`body same as "read it"`+s.moving()))
			},
		},
	}
}
