package resource

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/syntax"
)

// byName is the need that an item is made under its name. When it is tried first, it says what
// may be missing.
func (s *Scene) byName() line {
	member := s.memberOfItem()
	if s.check.Name != "examples-work" || s.Make.Name != "" || !s.Make.json() || len(s.Make.Fields) == 0 || !syntax.IsName(member) || s.Make.Has(member) {
		return need("status 2xx")
	}
	return need("status 2xx because \"the service may want the name in the body too, as `" + member + "`\"")
}

// turns makes {turn} known: two digits where the client names the item by a letter and a
// number, so that short names do; six elsewhere, so that earlier data does not matter.
func (s *Scene) turns() {
	s.Let("turn", s.SomeTurn())
}

// Parents makes what the collection belongs to.
func (s *Scene) Parents() {
	for _, p := range s.outer() {
		if !s.bound(p.Name + "_turn") {
			s.parentOf(p, p.Name)
		}
	}
}

// parentOf makes one item of another resource, under names that begin as given.
func (s *Scene) parentOf(p *Resource, as string) {
	up := &Scene{Resource: p, check: s.check}
	id, turn, one := as+"_id", as+"_turn", "one of "+p.Name
	if as != p.Name {
		one = "another of " + p.Name + ", " + as
	}
	s.Let(turn, p.SomeTurn())
	body := bodyLine(p.Make, up.Turned(p.Make.Text, turn))
	at, kept := id, []line{p.keepID(id)}
	if p.Header != "" {
		// The URL is the item's; what is below it goes by its last segment.
		kept = []line{keep(id + " from header " + p.Header + " last segment")}
		if p.Item == p.below() {
			at = id + "_at"
			kept = append(kept, p.keepID(at))
		}
	}
	if p.ByName() {
		s.Let(id, inQuotes(up.Turned(p.Chosen, turn)))
		s.step("find a free place for "+one, up.ask(Read, at), need("status "+p.GoneStatus()))
		s.step("make "+one, up.ask(Create, at), body, need("status 2xx"))
	} else {
		s.step("make "+one, append([]line{up.ask(Create, ""), body, need(up.fine())}, kept...)...)
	}
	if p.Supports(Delete) {
		var before []step
		lines := up.revised(&before, up.ask(Delete, at))
		s.after = slices.Concat(before, []step{{"take " + one + " away", lines}}, s.after)
	}
}

// make makes the items 0 to n-1, as what a check starts from: where it fails,
// the check is blocked. Lines are added to the last one's step.
func (s *Scene) make(n int, lines ...line) {
	s.Parents()
	s.turns()
	for k := range n {
		var extra []line
		if k == n-1 {
			extra = lines
		}
		s.makeOne(k, extra...)
	}
}

// makeAmong makes the first item between two others, so that a write which
// hits a neighbour is seen.
func (s *Scene) makeAmong() {
	s.Parents()
	s.turns()
	for _, k := range []int{1, 0, 2} {
		s.makeOne(k)
	}
}

func (s *Scene) makeOne(k int, lines ...line) {
	s.had = true
	id, made := itemNames[k], madeNames[k]
	s.Let(made, s.example(s.Make, k))
	if s.ByName() {
		s.Let(id, inQuotes(s.chosen(k)))
		s.free(k, id)
		s.step("make "+ordinals[k], append([]line{s.ask(Create, id), bodyLine(s.Make, "{"+made+"}"), s.byName()}, lines...)...)
	} else {
		s.step("make "+ordinals[k], append([]line{s.ask(Create, ""), bodyLine(s.Make, "{"+made+"}"), need(s.fine()), s.keepID(id)}, lines...)...)
	}
	s.arrives("wait for "+ordinals[k], "make "+ordinals[k], id)
	s.Leave(id)
}

// arrives waits until what a create has made is there, where that may take a while.
func (s *Scene) arrives(title, after, id string, also ...line) {
	if s.Ready != "" && s.Supports(Read) {
		s.step(title, append(append([]line{when("status 202" + of(after))}, also...), s.ask(Read, id), s.inTime(), need("status 200"))...)
	}
}

// atOnce is the condition of what shows right after a create; nothing where all
// does.
func (s *Scene) atOnce() string {
	if s.Ready == "" {
		return ""
	}
	return " when status 200 or 201"
}

// inTime repeats a request until what was answered 202 shows.
func (s *Scene) inTime() line {
	if s.Ready != "" {
		return retry("for " + s.Ready + " every 100ms")
	}
	return retry("for 5s every 100ms")
}

// another says of two identities that the service has given that they are two.
func (s *Scene) another(id, than string) line {
	if s.ByName() {
		return line{}
	}
	return expect("{" + id + "} is not {" + than + "}")
}

// stray is the name of what the last attempt made.
func (s *Scene) stray() string {
	if s.ByName() {
		return "place"
	}
	return fmt.Sprintf("stray%d", s.strays)
}

// free looks whether a chosen name is still to be had, so that nothing of the
// user's is written over.
func (s *Scene) free(k int, id string) {
	title := "find a free place"
	switch {
	case k == attempted:
		title += " to try"
	case k > 0:
		title += " for " + ordinals[k]
	}
	s.step(title, s.ask(Read, id), need("status "+s.GoneStatus()))
}

// Leave cleans an item up.
func (s *Scene) Leave(id string) {
	if slices.Contains(s.left, id) {
		return
	}
	s.left = append(s.left, id)
	if s.Supports(Delete) {
		s.cleanup("leave nothing behind"+map[bool]string{true: "", false: ": " + strings.ReplaceAll(id, "_", " ")}[id == "id"], s.ask(Delete, id))
	}
}

// have makes an item, or finds one in the list where none can be made.
func (s *Scene) have() {
	if s.had {
		return
	}
	s.had = true
	if s.Creates() {
		s.make(1)
		return
	}
	s.Parents()
	s.step("look at the list", s.ask(List, ""), need("status 200"), need(s.Members+" count 1.."), keep("ids from "+s.Members+strings.TrimPrefix(s.By, "$")))
	s.soon("id", "{nth(ids, 1)}")
}

// nobody is an identity that no item has: not that of one that is there, as far
// as a list was looked at.
func (s *Scene) nobody() {
	s.have()
	if s.Creates() {
		s.soon("nobody", "{another(id)}")
		return
	}
	s.soon("nobody", "{another(id, ids)}")
}

// attempt tries to make an item that must not be made. What is made all the
// same is taken away again.
func (s *Scene) attempt(title string, lines ...line) {
	s.retract()
	s.strays++
	s.tried = title
	stray := s.stray()
	if s.ByName() {
		if s.strays == 1 {
			s.Parents()
			s.turns()
			s.Let("place", inQuotes(s.chosen(attempted)))
			s.free(attempted, "place")
			s.Leave("place")
		}
		s.step(title, append([]line{s.ask(Create, "place")}, lines...)...)
		return
	}
	s.Parents()
	s.turns()
	all := append([]line{s.ask(Create, "")}, lines...)
	// What is made is known before anything is claimed.
	claims := slices.IndexFunc(all, func(l line) bool { return l.place == claim })
	if claims < 0 {
		claims = len(all)
	}
	s.step(title, slices.Insert(all, claims, s.keepID(stray).ifThere())...)
	s.arrives("wait for what came of: "+title, title, stray, when("{"+stray+"} exists"))
	if s.Supports(Delete) {
		s.cleanup("take away what came of: "+title, when(s.fine()+of(title)), s.ask(Delete, stray))
	}
}

// retract takes away what the last attempt has made, so that the next one is
// answered for itself.
func (s *Scene) retract() {
	if s.tried == "" || !s.Supports(Delete) {
		return
	}
	there := line{}
	if !s.ByName() {
		there = when("{" + s.stray() + "} exists")
	}
	s.step("take away what came of: "+s.tried, when(s.fine()+of(s.tried)), there, s.ask(Delete, s.stray()))
	s.tried = ""
}
