package resource

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// Scene writes a way through items of a resource as a scenario, as text of the language: that of a
// derived check, or one of the caller's.
type Scene struct {
	*Resource
	// All binds names too that no step uses.
	All   bool
	check *Check
	level string
	// of tells items of another origin apart, in the title.
	of string
	// head are lines for the scenario's head.
	head []string
	// observes come before the steps, and so do the lets; after is the clean-up.
	observes    []string
	lets        []binding
	body, after []step
	strays      int
	// watched is set once the list, or an item, is observed.
	watched bool
	// sentOnly has observations look at members that were sent.
	sentOnly bool
	// had is set once there is an item to start from.
	had bool
	// revisions counts the reads of revisions.
	revisions int
	// left are the items that are cleaned up already.
	left []string
	// tried is the title of the last attempt, whose item is still to be removed.
	tried string
	// pending are lines for the start of the next step: names that need what an
	// earlier step keeps.
	pending []line
}

func (s *Scene) step(title string, lines ...line) {
	now := len(s.body)
	lines = s.revised(&s.body, lines...)
	if len(s.body) > now {
		s.body[now].lines = append(s.pending, s.body[now].lines...)
	} else {
		lines = append(s.pending, lines...)
	}
	s.pending = nil
	s.body = append(s.body, step{title, lines})
}

// cleanup adds a step that runs whatever happened before. Later ones come
// first: what depends on an item goes before the item.
func (s *Scene) cleanup(title string, lines ...line) {
	var before []step
	lines = s.revised(&before, lines...)
	s.after = slices.Concat(before, []step{{title, lines}}, s.after)
}

func (s *Scene) Let(name, text string) {
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
func (s *Scene) bound(name string) bool {
	return slices.ContainsFunc(s.lets, func(b binding) bool { return b.name == name })
}

// soon binds a name at the start of the next step.
func (s *Scene) soon(name, text string) { s.pending = append(s.pending, letLine(name, text)) }

// writes tells whether some step sends what may change the state.
func (s *Scene) writes() bool {
	return slices.ContainsFunc(slices.Concat(s.body, s.after), func(st step) bool {
		return slices.ContainsFunc(st.lines, func(l line) bool {
			return l.place == request && !slices.Contains([]string{"GET", "HEAD", "OPTIONS", invented}, l.method)
		})
	})
}

// text is a derived check's scenario.
func (s *Scene) text() string {
	s.nameBodies()
	title := s.Name + " " + s.check.ID()
	if s.level != s.check.Level {
		title += ", " + s.level
	}
	if s.of != "" {
		title += ", " + s.of
	}
	line := "  check " + s.check.ID() + " of " + s.Name + " on " + s.check.Operation(s.Resource).String()
	if s.level != "must" {
		line += " level " + s.level
	}
	line += "\n"
	guards := ""
	if s.writes() {
		guards = s.guards()
	}
	return s.scenario(title, s.check.Because(), line, guards)
}

// Text is the whole scenario, which keeps away from what was there before.
func (s *Scene) Text(title, about string) string { return s.scenario(title, about, "", s.guards()) }

func (s *Scene) scenario(title, about, check, guards string) string {
	var b strings.Builder
	b.WriteString("scenario " + syntax.Quoted(title) + "\n  about " + syntax.Quoted(about) + "\n" + check + "  need status not 429 and not 503\n")
	if s.check.Alone {
		b.WriteString("  alone\n")
	}
	for _, l := range slices.Concat(s.head, s.Lines) {
		b.WriteString("  " + l + "\n")
	}
	b.WriteString(guards + strings.Join(s.observes, "") + s.rest())
	return b.String()
}

// rest is the scenario from its lets on.
func (s *Scene) rest() string {
	var steps, b strings.Builder
	for _, st := range s.body {
		steps.WriteString(st.text())
	}
	for i, st := range s.after {
		if i == 0 {
			steps.WriteString("\nafterwards")
		}
		steps.WriteString(st.text())
	}
	for i, l := range s.lets {
		// A let that nothing uses would only be in the way.
		used := func() bool {
			return mentions(steps.String(), l.name) || slices.ContainsFunc(s.lets[i+1:], func(later binding) bool { return mentions(later.text, l.name) })
		}
		if s.All || used() {
			b.WriteString("  let " + l.name + " = " + l.text + "\n")
		}
	}
	return b.String() + steps.String()
}

// at is the item's path for the item that a name stands for.
func (s *Scene) at(id string) string {
	item := strings.ReplaceAll(s.parented(s.Item), "{id}", "{"+id+"}")
	if s.byURL() {
		return "{" + id + "}"
	}
	return item
}

// byURL tells whether items are known by the URL that a create answers with: not where bodies name
// them.
func (r *Resource) byURL() bool {
	return r.Header != "" && r.Item == r.Collection+"/{id}" && !slices.ContainsFunc([]*Example{r.Make, r.Remake, r.Amend}, func(e *Example) bool { return e != nil && strings.Contains(e.Text, "{id}") })
}

// coll is the path of the collection.
func (s *Scene) coll() string { return s.parented(s.Collection) }

// list is the path at which the items are listed.
func (s *Scene) list() string {
	if s.ListPath != "" {
		return s.parented(s.ListPath)
	}
	return s.coll()
}

// parented puts the names of items of other resources into a text.
func (r *Resource) parented(path string) string {
	for _, p := range r.outer() {
		path = strings.ReplaceAll(path, "{"+p.Name+".", "{"+p.Name+"_")
	}
	return path
}

// outer are the resources of which an item is made first: those that it is
// under, and those that its examples and paths name, with theirs.
func (r *Resource) outer() []*Resource {
	var out []*Resource
	for _, p := range r.before() {
		for _, one := range append(p.outer(), p) {
			if !slices.Contains(out, one) {
				out = append(out, one)
			}
		}
	}
	return out
}

// before are the resources that it names itself.
func (r *Resource) before() []*Resource {
	if r.Under == nil {
		return r.Needs
	}
	return append([]*Resource{r.Under}, r.Needs...)
}

// inItem is a path that is relative to an item, in the item's own answer.
func (r *Resource) inItem(path string) string {
	return r.Content + strings.TrimPrefix(r.relative(path), "$")
}

// idPath is where an answer shows the item's identity; "" where that is not
// known.
func (r *Resource) idPath() string {
	if id := r.identity(); id != "" {
		return r.inItem(id)
	}
	return ""
}

// ifNamed says of a success that it shows the item of an identity; nothing where that cannot
// be told. A name that the client chose need not be shown in the item itself.
func (s *Scene) ifNamed(id string) line {
	name := s.memberOfItem()
	if strings.HasPrefix(id, "{") && s.spelled() {
		id += " or {number(" + strings.Trim(id, "{}") + ")}"
	}
	switch {
	case s.idPath() == "":
		return line{}
	case !s.ByName():
		return expect(s.idPath() + " is " + id + " when status 2xx")
	case name == "" || s.Make == nil || len(s.Make.Fields) == 0:
		return line{}
	}
	return expect(s.Subject() + " is { " + syntax.Quoted(name) + "?: " + id + ", ... } when status 2xx")
}

// identity is the JSONPath of the identity in the item itself; "" where that is
// not known.
func (r *Resource) identity() string {
	if r.As == "text" || r.As == "xml" && r.Identity == "" {
		// A text has no members, and a list in XML shows other elements than an item.
		return ""
	}
	if r.Identity != "" || r.listedBy {
		return r.Identity
	}
	return r.By
}

// keepID keeps the identity of what an answer shows.
func (r *Resource) keepID(name string) line { return keep(name + " from " + r.IdentitySource()) }

// IdentitySource is where the answer to a create tells the item's identity.
func (r *Resource) IdentitySource() string {
	switch {
	case r.CreateHeader != "":
		return "header " + r.CreateHeader + " last segment"
	case r.InCreate != "":
		return r.InCreate
	case r.byURL():
		return "header " + r.Header
	case r.Header != "":
		return "header " + r.Header + " last segment"
	}
	// A create may answer without the item: then Location leads to it.
	return r.inItem(r.Identity) + " or header Location last segment"
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

// turns makes {turn} known: two digits where the client names the item by a letter and a
// number, so that short names do; six elsewhere, so that earlier data does not matter.
func (s *Scene) turns() {
	s.Let("turn", s.SomeTurn())
}

// SomeTurn is where the numbers of items that are made begin.
func (r *Resource) SomeTurn() string {
	if r.ByName() && len(inBraces().ReplaceAllString(r.Chosen, "")) < 2 {
		return "{random_int(10, 85)}"
	}
	return "{random_int(100000, 899999)}"
}

// example is a body for item number k.
func (s *Scene) example(e *Example, k int) string { return s.Turned(e.Text, later(k)) }

// Turned is a text of the resource with another expression in place of {turn},
// and with the items of other resources that are made first.
func (r *Resource) Turned(text, by string) string { return r.parented(turned(text, by)) }

// bodyLine sends a JSON value, with the media type of the example.
func bodyLine(e *Example, text string) line {
	if e == nil {
		return jsonBody(text, "")
	}
	switch e.As {
	case "text":
		return at(detail, "text "+text+as(e.Media))
	case "xml":
		text = e.wrap(text)
	}
	return jsonBody(e.wrapped(text), e.Media)
}

// chosen is the name that the client gives to item number k.
func (s *Scene) chosen(k int) string { return s.Turned(s.Chosen, later(k)) }

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
		if p.Item == p.Collection+"/{id}" {
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

// attempted is the number of the item that attempts are about, where the client
// names it.
const attempted = 9

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

// fine are the statuses of a create that made something: any success, and a redirect where the
// resource says that creates answer so (RFC 9110 §15.4.4).
func (r *Resource) fine() string {
	if slices.ContainsFunc(strings.Fields(r.Answers["create"]), func(word string) bool { return word[0] == '3' }) {
		return "status 2xx or " + r.Answers["create"]
	}
	return "status 2xx"
}

// Took tells whether a status says that a create made something.
func (r *Resource) Took(status int) bool {
	return status/100 == 2 || status/100 == 3 && r.answers("create", status)
}

// Missing tells whether the resource says that a status is that of what is not there.
func (r *Resource) Missing(status int) bool { return r.answers("missing", status) }

// answers tells whether a line `answers` names a status, or its class.
func (r *Resource) answers(what string, status int) bool {
	words := strings.Fields(r.Answers[what])
	return slices.Contains(words, strconv.Itoa(status)) || slices.Contains(words, fmt.Sprintf("%dxx", status/100))
}

// accepts is the statuses that `answers` names, or those given.
func (r *Resource) accepts(what, otherwise string) string {
	if text, ok := r.Answers[what]; ok {
		return text
	}
	return otherwise
}

// goneLines say of an answer that what was deleted is not there, or is what a
// deleted item may still be.
func (s *Scene) goneLines(word string) []line {
	if s.Gone == "" {
		return []line{says(word, "status "+s.GoneStatus())}
	}
	return []line{says(word, "status "+s.GoneStatus()+" or 200"), says(word, s.Subject()+" is "+s.Gone+" when status 200")}
}

// GoneStatus are the statuses of what is not there.
func (r *Resource) GoneStatus() string { return r.accepts("missing", "404 or 410") }

// refused are the statuses of what must be refused.
func (r *Resource) refused(otherwise string) string { return r.accepts("invalid", otherwise) }

// Observe makes the list part of the state; loose leaves out what the service
// assigns, which may move with each write.
func (s *Scene) Observe(loose bool) bool {
	if s.watched {
		return true
	}
	if !s.Supports(List) || s.By == "" {
		return false
	}
	s.watched = true
	s.observes = append(s.observes, "  observe "+s.Observed()+" at "+s.list()+s.listing("")+s.ignoring(loose, func(p string) string { return p })+s.sent()+s.paged()+"\n")
	return true
}

// sent leaves what the service keeps beside what was sent out of account, where the check
// is about repeats: a time or a version may move with each (RFC 9110 §9.2.2).
func (s *Scene) sent() string {
	if s.sentOnly {
		return " sent only"
	}
	return ""
}

// Observed is the name of the observation.
func (r *Resource) Observed() string {
	if syntax.Reserved(r.Name) {
		return r.Name + "_list"
	}
	return r.Name
}

// observeOthers makes all but one item a part of the state.
func (s *Scene) observeOthers(id string) bool {
	if !s.Supports(List) || s.By == "" || s.Header != "" {
		return false
	}
	s.observes = append(s.observes, "  observe others at "+s.list()+s.listing("{"+id+"}")+s.ignoring(false, func(p string) string { return p })+s.paged()+"\n")
	return true
}

// observeItem makes one item by itself a part of the state.
func (s *Scene) observeItem(id string, loose bool) {
	if s.Supports(Read) {
		s.observes = append(s.observes, "  observe item at "+s.at(id)+s.ignoring(loose, s.inItem)+s.sent()+"\n")
	}
}

// guards are the lists whose members must not be written to, those of the
// parents among them.
func (s *Scene) guards() string {
	out := ""
	for _, p := range append(s.outer(), s.Resource) {
		one := &Scene{Resource: p}
		switch {
		case p.Disposable:
			continue
		case p.Supports(List) && p.By != "":
			out += "  guard " + one.list() + one.listing("") + one.ignoring(true, func(p string) string { return p }) + one.items(one.list()) + one.paged() + "\n"
			if p.ListPath == "" {
				continue
			}
			fallthrough
		default:
			out += "  guard " + one.coll() + one.items(one.coll()) + "\n"
		}
	}
	return out
}

// items is where one item is, where that is not below its list.
func (s *Scene) items(list string) string {
	if at := strings.Replace(s.parented(s.Item), "{id}", "*", 1); at != list+"/*" {
		return " items " + at
	}
	return ""
}

func (s *Scene) listing(without string) string {
	out := ""
	if s.XML != "" {
		out = " in xml " + syntax.XPathText(s.XML) + " by xml " + s.byXML
		if without != "" {
			out += " without " + without
		}
		return out
	}
	if within := s.Within(); within != "" {
		out = " in " + within
	}
	if s.MembersIfThere {
		out += " if there"
	}
	out += " by " + s.By
	if without != "" {
		out += " without " + without
	}
	return out
}

func (s *Scene) ignoring(loose bool, place func(string) string) string {
	var list []string
	for _, p := range s.Volatile {
		list = append(list, place(p))
	}
	if loose {
		for _, n := range s.Assigned {
			if p := MemberPath(n); p != s.By {
				list = append(list, place(p))
			}
		}
	}
	if len(list) == 0 {
		return ""
	}
	return " ignoring " + strings.Join(list, ", ")
}

func (s *Scene) paged() string {
	if text := syntax.PagingText(s.Paging); text != "" {
		return " " + text
	}
	return ""
}

// page are the query lines of the page number n, from 0, of a size; nil where
// pages cannot be asked for.
func (s *Scene) page(size, n int) []line {
	p := s.Paging
	switch {
	case p == nil || len(p.Names) != 2:
		return nil
	case p.By == "offset":
		return []line{queryLine(p.Names[0], strconv.Itoa(size)), queryLine(p.Names[1], strconv.Itoa(size*n))}
	}
	return []line{queryLine(p.Names[0], strconv.Itoa(size)), queryLine(p.Names[1], strconv.Itoa(p.From+n))}
}

// MemberPath is the JSONPath of a member by name.
func MemberPath(name string) string {
	if syntax.IsName(name) {
		return "$." + name
	}
	return "$[" + value.QuoteName(name) + "]"
}

// unchanged expects the state to be what it was, where any is observed.
func (s *Scene) unchanged(when string) line {
	if !s.watched && len(s.observes) == 0 {
		return line{}
	}
	return expect(strings.TrimSpace("state unchanged " + when))
}

// shows says of an answer, with expect or prefer, that it shows what was sent
// under a name.
func (s *Scene) shows(word, made string) line {
	e := s.exampleOf(made)
	if s.Reads != "" && (!s.ReadsSome || e == nil || len(e.Fields) == 0) {
		return says(word, s.Subject()+" is "+s.Reads)
	}
	form := e != nil && !e.json()
	if s.Reads == "" && !form && (e == nil || len(e.Fields) == 0 || !slices.ContainsFunc(e.Fields, func(f Field) bool { return !s.ReadsAsSent(f.Name) || f.nothing() })) {
		return s.covers(word, "{"+made+"}")
	}
	var parts []string
	times := false
	for _, f := range e.Fields {
		if f.Kind == syntax.String && s.asInstants(f.Name) {
			parts = append(parts, syntax.Quoted(f.Name)+": datetime within 0s of "+memberOf(made, f.Name))
			times = true
			continue
		}
		// A form has texts only: what else it may read as is not known.
		if s.ReadsAsSent(f.Name) && !f.nothing() && (!form || f.Kind == syntax.String) {
			parts = append(parts, syntax.Quoted(f.Name)+": "+memberOf(made, f.Name))
		}
	}
	if s.Reads == "" && times {
		return says(word, s.Subject()+" is { "+strings.Join(append(parts, "..."), ", ")+" }")
	}
	if s.Reads == "" {
		return s.covers(word, "{ "+strings.Join(parts, ", ")+" }")
	}
	// Its own members by the shape, all others as they were sent.
	inner := strings.TrimSpace(strings.TrimSuffix(strings.TrimSuffix(strings.TrimSpace(s.Reads), "}"), " "))
	inner = strings.TrimSuffix(strings.TrimSpace(strings.TrimSuffix(inner, "...")), ",")
	return says(word, s.Subject()+" is "+strings.TrimSpace(inner)+strings.Join(append([]string{""}, append(parts, "...")...), ", ")+" }")
}

// showsNothing says of lists and objects that are sent without anything in them that they show
// nothing, or not at all.
func (s *Scene) showsNothing(e *Example) line {
	if e == nil || !e.json() {
		return line{}
	}
	var parts []string
	for _, f := range e.Fields {
		if empty := map[syntax.NodeKind]string{syntax.Array: "[]", syntax.Object: "{ }"}[f.Kind]; empty != "" && f.nothing() && s.ReadsAsSent(f.Name) {
			parts = append(parts, syntax.Quoted(f.Name)+"?: "+empty+" or null")
		}
	}
	if len(parts) == 0 {
		return line{}
	}
	return expect(s.Subject() + " is { " + strings.Join(append(parts, "..."), ", ") + " }")
}

// ReadsAsSent tells whether a member is read as it was sent.
func (r *Resource) ReadsAsSent(name string) bool {
	if slices.Contains(r.Hidden, name) || slices.Contains(r.Assigned, name) || slices.Contains(r.Volatile, MemberPath(name)) {
		return false
	}
	return !slices.Contains(r.instants, name) && r.saysNothingOf(name)
}

// saysNothingOf tells whether `reads` leaves a member to be read as it was sent.
func (r *Resource) saysNothingOf(name string) bool {
	return r.Reads == "" || r.ReadsSome && !slices.Contains(r.readMembers, name)
}

// asInstants tells whether a member reads as the same instant as was sent, however it is
// written (RFC 3339 §5.1).
func (r *Resource) asInstants(name string) bool {
	return slices.Contains(r.instants, name) && !slices.Contains(r.Hidden, name) && !slices.Contains(r.Assigned, name) && !slices.Contains(r.Volatile, MemberPath(name)) && r.saysNothingOf(name)
}

func (s *Scene) exampleOf(made string) *Example {
	if strings.HasPrefix(made, "remade") {
		return s.Remake
	}
	return s.Make
}

// covers expects the item in an answer to have members of these values.
func (s *Scene) covers(word, want string) line {
	if s.Content == "$" {
		return says(word, "body covers "+want)
	}
	return says(word, s.Content+" contains "+want)
}

// Subject is the item in its own answer.
func (r *Resource) Subject() string {
	if r.Content == "$" {
		return "body"
	}
	return r.Content
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
		if !r.Identifies(f.Name) && !slices.Contains(r.Required, f.Name) && !slices.Contains(r.OnCreate, f.Name) && !slices.Contains(r.Unique, f.Name) && !slices.Contains(r.Hidden, f.Name) {
			out = append(out, f)
		}
	}
	return out
}
