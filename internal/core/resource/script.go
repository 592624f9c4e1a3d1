package resource

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// script writes one derived scenario, as text of the language.
type script struct {
	*Resource
	check *Check
	level string
	// observes come before the steps, and so do the lets; after is the clean-up.
	observes    []string
	lets        []binding
	body, after []step
	strays      int
	// watched is set once the list, or an item, is observed.
	watched bool
	// had is set once there is an item to start from.
	had bool
	// tried is the title of the last attempt, whose item is still to be removed.
	tried string
	// pending are lines for the start of the next step: names that need what an
	// earlier step keeps.
	pending []line
}

func (s *script) step(title string, lines ...line) {
	s.body = append(s.body, step{title, append(s.pending, lines...)})
	s.pending = nil
}

// cleanup adds a step that runs whatever happened before. Later ones come
// first: what depends on an item goes before the item.
func (s *script) cleanup(title string, lines ...line) {
	s.after = append([]step{{title, lines}}, s.after...)
}

func (s *script) let(name, text string) {
	b := binding{name, text}
	switch {
	case slices.Contains(s.lets, b):
	case strings.HasPrefix(text, "{random_int("):
		// Others are made of it.
		s.lets = append([]binding{b}, s.lets...)
	default:
		s.lets = append(s.lets, b)
	}
}

// bound tells whether a name has been given a value before the steps.
func (s *script) bound(name string) bool {
	return slices.ContainsFunc(s.lets, func(b binding) bool { return b.name == name })
}

// soon binds a name at the start of the next step.
func (s *script) soon(name, text string) { s.pending = append(s.pending, letLine(name, text)) }

// writes tells whether some step sends what may change the state.
func (s *script) writes() bool {
	return slices.ContainsFunc(slices.Concat(s.body, s.after), func(st step) bool {
		return slices.ContainsFunc(st.lines, func(l line) bool {
			return l.place == request && !slices.ContainsFunc([]string{"GET", "HEAD", "OPTIONS", invented}, func(m string) bool { return strings.HasPrefix(l.text, "send "+m+" ") })
		})
	})
}

// text is the whole scenario.
func (s *script) text() string {
	var b strings.Builder
	title := s.Name + " " + s.check.ID()
	if s.level != s.check.Level {
		title += ", " + s.level
	}
	fmt.Fprintf(&b, "scenario %s\n", quoted(title))
	fmt.Fprintf(&b, "  about %s\n", quoted(s.check.Because()))
	fmt.Fprintf(&b, "  check %s of %s on %s", s.check.ID(), s.Name, s.check.Operation(s.Resource))
	if s.level != "must" {
		b.WriteString(" level " + s.level)
	}
	b.WriteString("\n  need status not 429 and not 503\n")
	for _, l := range s.Lines {
		b.WriteString("  " + l + "\n")
	}
	if s.writes() {
		b.WriteString(s.guards())
	}
	b.WriteString(strings.Join(s.observes, ""))
	rest := ""
	for _, st := range slices.Concat(s.body, s.after) {
		rest += st.text()
	}
	for i, l := range s.lets {
		// A let that nothing uses would only be in the way.
		used := mentions(rest, l.name) || slices.ContainsFunc(s.lets[i+1:], func(later binding) bool { return mentions(later.text, l.name) })
		if used {
			b.WriteString("  let " + l.name + " = " + l.text + "\n")
		}
	}
	for _, st := range s.body {
		b.WriteString(st.text())
	}
	if len(s.after) > 0 {
		b.WriteString("\nafterwards")
		for _, st := range s.after {
			b.WriteString(st.text())
		}
	}
	return b.String()
}

// at is the item's path for the item that a name stands for.
func (s *script) at(id string) string {
	item := strings.ReplaceAll(s.parented(s.Item), "{id}", "{"+id+"}")
	if s.Header != "" && s.Resource.Item == s.Resource.Collection+"/{id}" {
		return "{" + id + "}"
	}
	return item
}

// coll is the path of the collection.
func (s *script) coll() string { return s.parented(s.Collection) }

// parented puts the parent's names into a path.
func (s *script) parented(path string) string {
	for p := s.Under; p != nil; p = p.Under {
		path = strings.ReplaceAll(path, "{"+p.Name+".", "{"+p.Name+"_")
	}
	return path
}

// inItem is a path that is relative to an item, in the item's own answer.
func (r *Resource) inItem(path string) string { return r.Content + strings.TrimPrefix(path, "$") }

// idPath is where an answer shows the item's identity; "" where that is not
// known.
func (r *Resource) idPath() string {
	if r.By == "" {
		return ""
	}
	return r.inItem(r.By)
}

// keepID keeps the identity of what an answer shows.
func (r *Resource) keepID(name string) line { return keep(name + " from " + r.identitySource()) }

// identitySource is where the answer to a create tells the item's identity.
func (r *Resource) identitySource() string {
	if r.Header != "" {
		return "header " + r.Header
	}
	return r.inItem(r.Identity)
}

// names of the items that a scenario makes, in turn.
var itemNames = []string{"id", "other", "third", "fourth"}
var madeNames = []string{"made", "made_other", "made_third", "made_fourth"}
var ordinals = []string{"one", "another", "a third", "a fourth"}

// later is {turn} for the item number k, from 0.
func later(k int) string {
	if k == 0 {
		return "turn"
	}
	return fmt.Sprintf("turn + %d", k)
}

// turns makes {turn} known: two digits where the client names the item, so
// that short names do; six elsewhere, so that earlier data does not matter.
func (s *script) turns() {
	lo, hi := 100_000, 899_999
	if s.makesByName() {
		lo, hi = 10, 85
	}
	s.let("turn", fmt.Sprintf("{random_int(%d, %d)}", lo, hi))
}

// example is a body for item number k.
func (s *script) example(e *Example, k int) string { return turned(e.Text, later(k)) }

// bodyLine sends a JSON value, with the media type of the example.
func bodyLine(e *Example, text string) line {
	if e == nil {
		return jsonBody(text, "")
	}
	return jsonBody(text, e.Media)
}

// chosen is the name that the client gives to item number k.
func (s *script) chosen(k int) string { return turned(s.Chosen, later(k)) }

// parent makes what the collection belongs to.
func (s *script) parent() {
	if s.Under == nil || s.bound(s.Under.Name+"_turn") {
		return
	}
	p := s.Under
	up := &script{Resource: p, check: s.check}
	up.parent()
	s.lets = append(s.lets, up.lets...)
	s.body = append(s.body, up.body...)
	id := p.Name + "_id"
	turn := p.Name + "_turn"
	lo, hi := 100_000, 899_999
	if p.makesByName() {
		lo, hi = 10, 85
	}
	s.let(turn, fmt.Sprintf("{random_int(%d, %d)}", lo, hi))
	body := bodyLine(p.Make, turned(p.Make.Text, turn))
	at := strings.ReplaceAll(up.parented(p.Item), "{id}", "{"+id+"}")
	if p.Header != "" {
		at = "{" + id + "}"
	}
	if p.makesByName() {
		name := turned(p.Chosen, turn)
		s.step("find a free place for one of "+p.Name, send("GET", strings.ReplaceAll(up.parented(p.Item), "{id}", name)), need("status 404 or 410"))
		s.step("make one of "+p.Name, letLine(id, inQuotes(name)), send("PUT", at), body, need("status 2xx"))
	} else {
		s.step("make one of "+p.Name, send("POST", up.parented(p.Collection)), body, need("status 2xx"), p.keepID(id))
	}
	s.after = append(s.after, up.after...)
	if p.Supports("delete") {
		s.cleanup("take one of "+p.Name+" away", send("DELETE", at))
	}
}

// make makes the items 0 to n-1, as what a check starts from: where it fails,
// the check is blocked. Lines are added to the last one's step.
func (s *script) make(n int, lines ...line) {
	s.parent()
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
func (s *script) makeAmong() {
	s.parent()
	s.turns()
	for _, k := range []int{1, 0, 2} {
		s.makeOne(k)
	}
}

func (s *script) makeOne(k int, lines ...line) {
	s.had = true
	id, made := itemNames[k], madeNames[k]
	s.let(made, s.example(s.Make, k))
	if s.makesByName() {
		s.free(k)
		s.step("make "+ordinals[k], append([]line{letLine(id, inQuotes(s.chosen(k))), send("PUT", s.at(id)), bodyLine(s.Make, "{"+made+"}"), need("status 2xx")}, lines...)...)
	} else {
		s.step("make "+ordinals[k], append([]line{send("POST", s.coll()), bodyLine(s.Make, "{"+made+"}"), need("status 2xx"), s.keepID(id)}, lines...)...)
	}
	s.leave(id)
}

// attempted is the number of the item that attempts are about, where the client
// names it.
const attempted = 9

// stray is the name of what the last attempt made.
func (s *script) stray() string {
	if s.makesByName() {
		return "place"
	}
	return fmt.Sprintf("stray%d", s.strays)
}

// free looks whether a chosen name is still to be had, so that nothing of the
// user's is written over.
func (s *script) free(k int) {
	title := "find a free place"
	switch {
	case k == attempted:
		title += " to try"
	case k > 0:
		title += " for " + ordinals[k]
	}
	s.step(title,
		send("GET", strings.ReplaceAll(s.parented(s.Item), "{id}", s.chosen(k))), need("status 404 or 410"))
}

// leave cleans an item up.
func (s *script) leave(id string) {
	if s.Supports("delete") {
		s.cleanup("leave nothing behind"+map[bool]string{true: "", false: ": " + id}[id == "id"], send("DELETE", s.at(id)))
	}
}

// have makes an item, or finds one in the list where none can be made.
func (s *script) have() {
	if s.had {
		return
	}
	s.had = true
	if s.creates() {
		s.make(1)
		return
	}
	s.parent()
	s.step("look at the list", send("GET", s.coll()), need("status 200"), need(s.Members+" count 1.."), keep("ids from "+s.Members+strings.TrimPrefix(s.By, "$")))
	s.soon("id", "{nth(ids, 1)}")
}

// nobody is an identity that no item has: not that of one that is there, as far
// as a list was looked at.
func (s *script) nobody() {
	s.have()
	if s.creates() {
		s.soon("nobody", "{another(id)}")
		return
	}
	s.soon("nobody", "{another(id, ids)}")
}

// attempt tries to make an item that must not be made. What is made all the
// same is taken away again.
func (s *script) attempt(title string, lines ...line) {
	s.retract()
	s.strays++
	s.tried = title
	stray := s.stray()
	if s.makesByName() {
		if s.strays == 1 {
			s.parent()
			s.turns()
			s.free(attempted)
			lines = append([]line{letLine("place", inQuotes(s.chosen(attempted))), send("PUT", s.at("place"))}, lines...)
			s.leave("place")
		} else {
			lines = append([]line{send("PUT", s.at("place"))}, lines...)
		}
		s.step(title, lines...)
		return
	}
	s.parent()
	s.turns()
	all := append([]line{send("POST", s.coll())}, lines...)
	// What is made is known before anything is claimed.
	claims := slices.IndexFunc(all, func(l line) bool { return l.place == claim })
	if claims < 0 {
		claims = len(all)
	}
	s.step(title, slices.Insert(all, claims, s.keepID(stray).ifThere())...)
	if s.Supports("delete") {
		s.cleanup("take away what came of: "+title, when("status 2xx of "+quoted(title)), send("DELETE", s.at(stray)))
	}
}

// retract takes away what the last attempt has made, so that the next one is
// answered for itself.
func (s *script) retract() {
	if s.tried == "" || !s.Supports("delete") {
		return
	}
	there := line{}
	if !s.makesByName() {
		there = when("{" + s.stray() + "} exists")
	}
	s.step("take away what came of: "+s.tried, when("status 2xx"+of(s.tried)), there, send("DELETE", s.at(s.stray())))
	s.tried = ""
}

// accepts is the statuses that `answers` names, or those given.
func (r *Resource) accepts(what, otherwise string) string {
	if text, ok := r.Answers[what]; ok {
		return text
	}
	return otherwise
}

// gone are the statuses of what is not there.
func (r *Resource) gone() string { return r.accepts("missing", "404 or 410") }

// refused are the statuses of what must be refused.
func (r *Resource) refused(otherwise string) string { return r.accepts("invalid", otherwise) }

// observe makes the list part of the state; loose leaves out what the service
// assigns, which may move with each write.
func (s *script) observe(loose bool) bool {
	if s.watched {
		return true
	}
	if !s.Supports("list") || s.By == "" {
		return false
	}
	s.watched = true
	s.observes = append(s.observes, "  observe "+s.observed()+" at "+s.coll()+s.listing("")+s.ignoring(loose, func(p string) string { return p })+s.paged()+"\n")
	return true
}

// observed is the name of the observation.
func (s *script) observed() string {
	if syntax.Reserved(s.Name) {
		return s.Name + "_list"
	}
	return s.Name
}

// observeOthers makes all but one item a part of the state.
func (s *script) observeOthers(id string) bool {
	if !s.Supports("list") || s.By == "" || s.Header != "" {
		return false
	}
	s.observes = append(s.observes, "  observe others at "+s.coll()+s.listing("{"+id+"}")+s.ignoring(false, func(p string) string { return p })+s.paged()+"\n")
	return true
}

// observeItem makes one item by itself a part of the state.
func (s *script) observeItem(id string, loose bool) {
	if s.Supports("read") {
		s.observes = append(s.observes, "  observe item at "+s.at(id)+s.ignoring(loose, s.inItem)+"\n")
	}
}

// guards are the lists whose members must not be written to, those of the
// parents among them.
func (s *script) guards() string {
	out := ""
	if s.Under != nil {
		out = (&script{Resource: s.Under}).guards()
	}
	switch {
	case s.Disposable:
	case s.Supports("list") && s.By != "":
		out += "  guard " + s.coll() + s.listing("") + s.ignoring(true, func(p string) string { return p }) + s.paged() + "\n"
	default:
		out += "  guard " + s.coll() + "\n"
	}
	return out
}

func (s *script) listing(without string) string {
	out := ""
	if s.Members != "$[*]" {
		out = " in " + s.ListAt
	}
	out += " by " + s.By
	if without != "" {
		out += " without " + without
	}
	return out
}

func (s *script) ignoring(loose bool, place func(string) string) string {
	var list []string
	for _, p := range s.Volatile {
		list = append(list, place(p))
	}
	if loose {
		for _, n := range s.Assigned {
			if p := memberPath(n); p != s.By {
				list = append(list, place(p))
			}
		}
	}
	if len(list) == 0 {
		return ""
	}
	return " ignoring " + strings.Join(list, ", ")
}

func (s *script) paged() string {
	if len(s.Paging) == 2 {
		return " paging " + strings.Join(s.Paging, ", ")
	}
	return ""
}

// memberPath is the JSONPath of a member by name.
func memberPath(name string) string {
	if syntax.IsName(name) {
		return "$." + name
	}
	return "$[" + value.QuoteName(name) + "]"
}

// unchanged expects the state to be what it was, where any is observed.
func (s *script) unchanged(when string) line {
	if !s.watched && len(s.observes) == 0 {
		return line{}
	}
	return expect(strings.TrimSpace("state unchanged " + when))
}

// shows says of an answer, with expect or prefer, that it shows what was sent
// under a name.
func (s *script) shows(word, made string) line {
	if s.Reads != "" {
		return says(word, s.subject()+" is "+s.Reads)
	}
	e := s.exampleOf(made)
	if len(s.Hidden) == 0 || e == nil || len(e.Fields) == 0 {
		return s.covers(word, "{"+made+"}")
	}
	var parts []string
	for _, f := range e.Fields {
		if !slices.Contains(s.Hidden, f.Name) {
			parts = append(parts, quoted(f.Name)+": "+memberOf(made, f.Name))
		}
	}
	return s.covers(word, "{ "+strings.Join(parts, ", ")+" }")
}

func (s *script) exampleOf(made string) *Example {
	if strings.HasPrefix(made, "remade") {
		return s.Remake
	}
	return s.Make
}

// covers expects the item in an answer to have members of these values.
func (s *script) covers(word, want string) line {
	if s.Content == "$" {
		return says(word, "body covers "+want)
	}
	return says(word, s.Content+" contains "+want)
}

// subject is the item in its own answer.
func (s *script) subject() string {
	if s.Content == "$" {
		return "body"
	}
	return s.Content
}

// only is the item of a scenario in the list: a JSONPath.
func (s *script) only(id string) string {
	return s.ListAt + "[?@" + strings.TrimPrefix(s.By, "$") + " == {" + id + "}]"
}

// text members of the example that may hold any text, those that must be there
// first.
func (r *Resource) texts() []Field {
	var first, rest []Field
	for _, f := range r.Make.Fields {
		if f.Kind != syntax.String || slices.Contains(r.Hidden, f.Name) {
			continue
		}
		if slices.Contains(r.Required, f.Name) || slices.Contains(r.Unique, f.Name) {
			first = append(first, f)
		} else {
			rest = append(rest, f)
		}
	}
	return append(first, rest...)
}

// optional are the members of the example that may be left out.
func (r *Resource) optional() []Field {
	var out []Field
	for _, f := range r.Make.Fields {
		if !slices.Contains(r.Required, f.Name) && !slices.Contains(r.Unique, f.Name) && !slices.Contains(r.Hidden, f.Name) {
			out = append(out, f)
		}
	}
	return out
}
