package resource

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"usualpath/internal/core/syntax"
)

// absent makes a name for an item that never was. Where clients choose names
// it is one that the list does not have.
func (s *Scene) absent() {
	if s.ByName() {
		s.Parents()
		s.turns()
		s.Let("nobody", inQuotes(s.chosen(1)))
		if listed(s.Resource) == "" && s.paged() == "" {
			s.step("nobody has this name", s.ask(List, ""), need("status 200"), need(s.InList("nobody")+" count 0"))
		}
		return
	}
	s.nobody()
}

// notThere looks that what never was is not there: only then is it written to.
func (s *Scene) notThere(id string) {
	s.step("look that it is not there", s.ask(Read, id), need("status "+s.GoneStatus()))
}

func (s *Scene) deleted() {
	s.make(1)
	s.removed()
	if s.Supports(Read) {
		s.readBack("wait until it is gone", append([]line{when("status 202" + of("remove it")), s.inTime()}, s.goneLines("need")...)...)
	}
}

// above is what asks for the item that a collection is under, by its identity's name.
func (s *Scene) above() *Scene {
	p := *s.Under
	p.Header = ""
	return &Scene{Resource: &p, check: s.check}
}

// wholeReplace tells why of several replaces it cannot be told which one an
// item is.
func wholeReplace(r *Resource) string {
	if r.Remake == nil || len(r.Remake.Fields) == 0 || r.Remake.Text == turned(r.Remake.Text, "other") || r.Reads != "" || !r.Remake.json() {
		return "`remake` does not differ by {turn}"
	}
	return ""
}

// copiesOfRemake names as many bodies as are sent at once, each worked out once.
func (s *Scene) copiesOfRemake() []string {
	s.Let("start", s.SomeTurn())
	var all []string
	for i := range copies {
		name := fmt.Sprintf("copy_%d", i+1)
		s.Let(name, s.Turned(s.Remake.Text, fmt.Sprintf("start + %d", i+1)))
		all = append(all, "{"+name+"}")
	}
	return all
}

// replacedAlone writes the first of the copies, and gives the condition that the
// item is as it says then: a service may keep a member, or take its time.
func (s *Scene) replacedAlone() line {
	s.step("replace it", s.ask(Replace, "id"), bodyLine(s.Remake, "{copy_1}"), need("status 2xx"))
	s.readBack("read it", need("status 200"), keep("alone from "+s.Subject()))
	return when("{alone} is " + s.whole("copy_1"))
}

// wholes are the shapes of an item that is one of the copies.
func (s *Scene) wholes() []string {
	var out []string
	for i := range copies {
		out = append(out, s.whole(fmt.Sprintf("copy_%d", i+1)))
	}
	return out
}

// written changes the first item, by whichever way there is.
func (s *Scene) written(title string, lines ...line) {
	if s.Supports(Amend) && s.Amend != nil {
		s.amended(title, lines...)
		return
	}
	s.replaced(title, lines...)
}

// halfABody is JSON that ends in the middle of a string.
const halfABody = `{ "name": "half`

// refusal is what must be said of what is refused: a status that fits, and
// nothing changed. What always fits does so whatever the resource says of invalid bodies.
func (s *Scene) refusal(otherwise string, always ...string) []line {
	return []line{expect("status " + strings.Join(append([]string{s.refused(otherwise)}, always...), " or ")), s.unchanged("")}
}

// rawBody is the example as text, so that it can be what JSON cannot: with half
// a surrogate pair in one member, or with more behind the last one. Names in it
// stand for their values.
func (s *Scene) rawBody(odd, more string) line {
	var parts []string
	for _, f := range s.Make.Fields {
		text := s.Turned(f.Text, "turn")
		if f.Name == odd {
			text = s.Turned(`"Tern \ud800 {turn}"`, "turn")
		}
		parts = append(parts, syntax.Quoted(f.Name)+": "+text)
	}
	raw := strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(s.Make.wrapped("{ " + strings.Join(parts, ", ") + more + " }"))
	return at(detail, `text "`+raw+`"`+as(s.media()))
}

// naming is a regular expression that finds a member's name, in capitals or not.
func naming(members ...string) string {
	var b strings.Builder
	quoted := make([]string, len(members))
	for i, m := range members {
		quoted[i] = regexp.QuoteMeta(m)
	}
	for _, r := range strings.Join(quoted, "|") {
		switch {
		case r == '/':
			b.WriteString(`\/`)
		case unicode.IsPrint(r):
			b.WriteRune(r)
		default:
			fmt.Fprintf(&b, `\x{%x}`, r)
		}
	}
	return "/" + b.String() + "/i"
}

// replaced writes a PUT over the first item.
func (s *Scene) replaced(title string, lines ...line) {
	s.Let("remade", s.example(s.Remake, 0))
	s.step(title, append([]line{s.ask(Replace, "id"), bodyLine(s.Remake, "{remade}")}, lines...)...)
}

// amended writes a PATCH of the first item.
func (s *Scene) amended(title string, lines ...line) {
	text := s.example(s.Amend, 0)
	if called().MatchString(text) {
		// Worked out once.
		s.Let("change", text)
		text = "{change}"
	}
	s.step(title, append([]line{s.ask(Amend, "id"), s.patch(text)}, lines...)...)
}

// removed writes a DELETE of the first item that must have worked.
func (s *Scene) removed(lines ...line) {
	s.step("remove it", append([]line{s.ask(Delete, "id"), need("status 2xx")}, lines...)...)
}

// readBack reads the first item.
func (s *Scene) readBack(title string, lines ...line) {
	s.step(title, append([]line{s.ask(Read, "id")}, lines...)...)
}

// settled reads the item; after 202 it gives the service some time.
func (s *Scene) settled(after, title string, lines ...line) {
	s.readBack(title, append([]line{when("status not 202" + of(after))}, lines...)...)
	s.readBack(title+", in time", append([]line{when("status 202" + of(after)), s.inTime()}, lines...)...)
}

// told is a change of members, with a number of its own in another text where it takes the last one
// away by which an item of this run can be told; nil where no other can tell it.
func (s *Scene) told(change map[string]*string) map[string]*string {
	telling := func(f Field) bool {
		if text, changed := change[f.Name]; changed {
			return text != nil && (Field{Text: *text}).telling()
		}
		return f.telling()
	}
	if s.Disposable || s.Under != nil || s.ByName() || slices.ContainsFunc(s.Make.Fields, telling) || !slices.ContainsFunc(s.Make.Fields, Field.telling) {
		return change
	}
	for _, f := range s.texts() {
		text := strings.TrimSuffix(f.Text, `"`) + ` {turn}"`
		if _, changed := change[f.Name]; changed || !s.ReadsAsSent(f.Name) || slices.Contains(s.Unique, f.Name) || s.Identifies(f.Name) {
			continue
		}
		if t := s.taken(f.Name); t != nil {
			if held, known := fits(t.Shape, text); known && !held {
				continue
			}
		}
		out := maps.Clone(change)
		out[f.Name] = &text
		return out
	}
	return nil
}

// sets writes a request that gives one member of the first item a value.
func (s *Scene) sets(way Operation, title, member, text string, lines ...line) {
	body := "{ " + syntax.Quoted(member) + ": " + text + " }"
	if way == Replace {
		body = s.Turned(s.changing().object(map[string]*string{member: &text}), "turn")
	}
	s.step(title, append([]line{s.ask(way, "id"), s.sends(way, body)}, lines...)...)
}

// took reads the first item after a member of it was set, and gives the
// condition that the member has the value now.
func (s *Scene) took(member, name, value string) line {
	s.readBack("read its "+member, keep("now_"+name+" from "+s.inItem(MemberPath(member))).ifThere())
	return when("{now_" + name + "} is " + value)
}

// whole is the shape of an item that is as a body of `remake` said.
func (s *Scene) whole(name string) string {
	var parts []string
	for _, f := range s.Remake.Fields {
		if s.ReadsAsSent(f.Name) {
			parts = append(parts, syntax.Quoted(f.Name)+": "+memberOf(name, f.Name))
		}
	}
	return "{ " + strings.Join(append(parts, "..."), ", ") + " }"
}

// copies is how many requests race.
const copies = 8

// leaveAll takes away all that was made at once.
func (s *Scene) leaveAll(after string) {
	if !s.Supports(Delete) {
		return
	}
	for i := copies; i >= 1; i-- {
		one := fmt.Sprintf("nth(ids, %d)", i)
		s.arrives(fmt.Sprintf("wait for number %d", i), after, one)
		s.cleanup(fmt.Sprintf("leave nothing behind: %d", i), s.ask(Delete, one))
	}
}
