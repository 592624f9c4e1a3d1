package roam

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"usualpath/internal/core/event"
	"usualpath/internal/core/history"
	"usualpath/internal/core/resource"
)

// meeting is what clients did at once, as a scenario.
type meeting struct {
	g     *ground
	kind  string
	f     history.Finding
	item  *item
	calls []*call
	began time.Time
	// only are those that are left, nil before any is left out.
	only []*call
	// choice says which call of each client is sent: one that contradicts the others,
	// the first, or the last.
	choice int
}

// replaysOfMeeting is how often what clients did is replayed, to tell how often it shows.
const replaysOfMeeting = 20

// triesOfOne is after how many replays without a sign of it other calls are chosen.
const triesOfOne = 6

// tell notes what several clients have shown. It is told once it shows again: in a
// replay, or in another round.
func (r *ring) tell(f history.Finding, it *item, h history.History) {
	g := r.g
	key := string(f.What) + "|" + causeOf(f)
	one := g.met[key]
	if one == nil {
		if f.What == history.Broken {
			f.Calls = beside(f.Calls[0], h.Calls)
		}
		found := &Finding{Resource: g.r.Name, Kind: Kind(f.What), Title: g.meetingTitle(f), After: time.Since(g.o.begun), Warns: f.Warns, Rows: rows(f.Calls, h.Final)}
		one = &met{f: found, found: f, way: &meeting{g: g, kind: r.kind, f: f, item: it, calls: r.calls, began: r.epoch}}
		g.met[key] = one
	}
	one.rounds++
	one.f.Times, one.f.Rounds = one.rounds, one.rounds
	if one.f.Text != "" || g.d.Ended() {
		return
	}
	if one.f.Tries == 0 {
		until := time.Now().Add(g.o.patience())
		if one.way.byOne(h) {
			delete(g.met, key)
			return
		}
		for total := 0; total < replaysOfMeeting && time.Now().Before(until) && !g.d.Ended(); total++ {
			if one.f.Shows == 0 && total > 0 && total%triesOfOne == 0 && one.way.choice < 2 {
				// Other calls of the same round may meet more often.
				one.way.choice++
				one.f.Tries = 0
			}
			one.f.Tries++
			if one.way.plays(nil) {
				one.f.Shows++
			}
		}
		if one.f.Shows == 0 {
			one.way.choice, one.f.Tries = 0, replaysOfMeeting
		}
	}
	if one.f.Shows == 0 && one.rounds < 2 {
		return
	}
	if one.f.Shows*2 > one.f.Tries {
		one.way.fewer(time.Now().Add(g.o.patience()))
	}
	one.f.About = "what several clients did at once is explained by no order of it"
	g.tell.together(one.f, one.way)
}

// beside are a call and those that were under way with it.
func beside(c history.Call, calls []history.Call) []history.Call {
	out := []history.Call{c}
	for _, o := range calls {
		if o.Client != c.Client && o.Begin < c.End && c.Begin < o.End {
			out = append(out, o)
		}
	}
	return out
}

// causeOf tells findings of one name apart: by what was answered with 5xx, and by
// whether a delete or a tag has to do with it.
func causeOf(f history.Finding) string {
	if f.What == history.Broken {
		return fmt.Sprint(f.Calls[0].Kind)
	}
	return fmt.Sprint(slices.ContainsFunc(f.Calls, func(c history.Call) bool { return c.Kind == history.Delete }),
		slices.ContainsFunc(f.Calls, func(c history.Call) bool { return c.IfMatch != "" }))
}

// rows draw calls in order of time.
func rows(calls []history.Call, final *history.Final) []event.Moment {
	var out []event.Moment
	clients := 0
	for _, c := range calls {
		clients = max(clients, c.Client)
		what := map[history.Kind]string{history.Create: "create", history.Replace: "replace", history.Merge: "amend", history.Delete: "delete", history.Read: "read"}[c.Kind]
		if len(c.Members) > 0 && c.Kind != history.Read {
			what += " " + membersText(c.Members)
		}
		if c.IfMatch != "" {
			what += " if " + c.IfMatch
		}
		answer := "no answer"
		if c.Status > 0 {
			answer = fmt.Sprint(c.Status)
		}
		if c.Kind == history.Read && len(c.Members) > 0 {
			answer += " " + membersText(c.Members)
		}
		out = append(out, event.Moment{At: c.Begin.Microseconds(), Client: c.Client, Text: what}, event.Moment{At: c.End.Microseconds(), Client: c.Client, Text: answer, Answer: true})
	}
	slices.SortStableFunc(out, func(a, b event.Moment) int {
		switch {
		case a.At != b.At:
			return int(a.At - b.At)
		case a.Answer && !b.Answer:
			return -1
		}
		return 0
	})
	open := make([]bool, clients)
	for i := range out {
		// A bar stands beside the rows while an answer is awaited, its own included.
		open[out[i].Client-1] = true
		out[i].Open = slices.Clone(open)
		if out[i].Answer {
			open[out[i].Client-1] = false
		}
	}
	if final != nil && len(out) > 0 {
		text := "in the end: not there"
		if final.There {
			text = "in the end: " + membersText(final.Members)
		}
		out = append(out, event.Moment{At: out[len(out)-1].At, Text: text, Open: make([]bool, clients)})
	}
	return out
}

func membersText(m history.Members) string {
	var names []string
	for n := range m {
		names = append(names, n)
	}
	slices.Sort(names)
	var parts []string
	for _, n := range names {
		parts = append(parts, n+" "+shown(m[n]))
	}
	return strings.Join(parts, ", ")
}

// byOne replays what the clients did as one client would, one call after another. What
// shows then is no matter of several, and is told as such.
func (m *meeting) byOne(h history.History) bool {
	g := m.g
	if h.Final == nil || !h.Final.There || len(m.f.Calls) == 0 || m.kind == "tag" || m.kind == "name" {
		return false
	}
	var calls []*call
	for _, c := range m.calls {
		if c.kind != history.Read && c.x != nil && c.x.Answer != nil {
			calls = append(calls, c)
		}
	}
	slices.SortStableFunc(calls, func(a, b *call) int { return a.x.Start.Compare(b.x.Start) })
	made := &move{seq: 1, op: opCreate, class: plain, item: m.item.n, turn: m.item.turn, status: 201}
	for _, f := range g.r.Make.Fields {
		made.fields = append(made.fields, field{f.Name, f.Text, made.turn})
	}
	d := &doubt{kind: Unwritten, item: m.item, want: map[string]cell{}, before: map[string]cell{}}
	t := &trial{g: g, d: d, moves: []*move{made}}
	for i, c := range calls {
		one := *c.m
		one.seq = i + 2
		t.moves = append(t.moves, &one)
		if one.status/100 != 2 {
			continue
		}
		t.last, d.move = &one, &one
		for _, f := range one.fields {
			if v, watched := c.members[f.name]; watched {
				d.want[f.name] = cell{v: v, field: f, seq: one.seq}
			}
		}
	}
	for n := range d.want {
		if !same(d.want[n].v, h.Final.Members[n]) {
			d.members = append(d.members, n)
		}
	}
	slices.Sort(d.members)
	if t.last == nil || len(d.members) == 0 || !t.follows() || g.found[d.key()] != nil {
		return false
	}
	t.moves = t.moves[:slices.Index(t.moves, t.last)+1]
	for range 2 {
		if shows, _ := t.plays(); !shows {
			return false
		}
	}
	f := &Finding{Kind: d.kind, Resource: g.r.Name, Times: 1, After: time.Since(g.o.begun)}
	d.observed = "with one client: " + strings.Join(d.members, ", ")
	g.found[d.key()] = f
	g.settle(f, t.shrunk(time.Now().Add(g.o.persistence()), false), nil)
	return true
}

// each is one call a client: those that contradict each other where they can be told,
// else the first.
func (m *meeting) each() []*call {
	if m.only != nil {
		return m.only
	}
	var out []*call
	calls := slices.Clone(m.calls)
	if m.choice == 2 {
		slices.Reverse(calls)
	}
	for _, c := range calls {
		if c.kind == history.Read || m.choice == 0 && m.of(c) < 0 {
			continue
		}
		if !slices.ContainsFunc(out, func(o *call) bool { return o.client == c.client }) {
			out = append(out, c)
		}
	}
	if len(out) > 1 {
		return out
	}
	for _, c := range m.calls {
		if c.kind != history.Read && !slices.ContainsFunc(out, func(o *call) bool { return o.client == c.client }) {
			out = append(out, c)
		}
	}
	return out
}

// fewer leaves out clients that it does not take, as far as replays tell.
func (m *meeting) fewer(until time.Time) {
	for i := len(m.each()) - 1; i >= 0; i-- {
		list := m.each()
		if len(list) <= 2 || time.Now().After(until) || m.g.d.Ended() {
			return
		}
		was := m.only
		m.only = slices.Delete(slices.Clone(list), i, i+1)
		shows := false
		for range 3 {
			shows = shows || m.plays(nil)
		}
		if !shows {
			m.only = was
		}
	}
}

// of is the place of a call among those that contradict each other, -1 for none.
func (m *meeting) of(c *call) int {
	return slices.IndexFunc(m.f.Calls, func(h history.Call) bool {
		if h.Client != c.client+1 || h.Kind != c.kind || len(h.Members) != len(c.members) {
			return false
		}
		for n, v := range h.Members {
			if !same(v, c.members[n]) {
				return false
			}
		}
		return true
	})
}

// scene writes what the clients did as requests that are sent at once.
func (m *meeting) scene() *resource.Scene {
	r := m.g.r
	w := r.Scene()
	w.Parents()
	turns(w, r)
	list := m.each()
	id := name(1)
	// The numbers of telling values begin anew.
	numbers := map[int]int{m.item.turn: 0}
	turn := func(k int) int {
		if _, known := numbers[k]; !known {
			numbers[k] = len(numbers)
		}
		return numbers[k]
	}
	fields := func(list []field) []field {
		var out []field
		for _, f := range list {
			f.turn = turn(f.turn)
			out = append(out, f)
		}
		return out
	}
	broken := expects("status not 5xx", "a request that can be understood is served or refused (RFC 9110 §15.6)")
	if m.kind == "make" || m.kind == "unique" || m.kind == "key" {
		var bodies []string
		for _, c := range list {
			bodies = append(bodies, bodyText(r, fields(c.m.fields)))
		}
		w.Let("bodies", "["+strings.Join(bodies, ", ")+"]")
		x := resource.Request{Title: fmt.Sprintf("%d clients make one at once", len(bodies))}
		observed := r.Lists()
		if observed {
			w.Observe()
		}
		x.Lines = append(x.Lines, "keep every ids from "+r.IdentitySource(), broken)
		effect := fmt.Sprintf("%s gains %d when status 2xx", r.Observed(), len(bodies))
		because := "each create that is acknowledged makes an item (RFC 9110 §9.3.3)"
		if m.kind == "unique" {
			x.Lines = append(x.Lines, expects("exactly 1 status 2xx", "what is unique has one owner"))
			effect, because = r.Observed()+" gains 1", "what is unique has one owner"
		}
		if m.kind == "key" {
			w.Let("key", "{uuid()}")
			x.Header = []string{"Idempotency-Key: {key}"}
			effect, because = r.Observed()+" gains 1", "what is sent again with its key is done once"
		}
		if observed {
			x.Lines = append(x.Lines, expects(effect, because))
		}
		w.MakeTogether(len(bodies), "bodies", x)
		for i := len(bodies); i > 0; i-- {
			w.LeaveNth("ids", i)
		}
		return w
	}
	var methods, bodies []string
	for _, c := range list {
		methods = append(methods, map[op]string{opReplace: `"PUT"`, opAmend: `"PATCH"`, opDelete: `"DELETE"`, opCreate: `"PUT"`}[c.m.op])
		bodies = append(bodies, bodyText(r, fields(c.m.fields)))
	}
	if m.kind == "name" {
		w.Let(id, quotedRaw(r.Turned(r.Chosen, number(0))))
		w.Read(id, resource.Request{Title: "look that nothing is there", Lines: []string{"need status 404 or 410"}})
	} else {
		start := &move{seq: 1, op: opCreate, class: plain, item: 1, turn: 0}
		for _, f := range r.Make.Fields {
			start.fields = append(start.fields, field{f.Name, f.Text, 0})
		}
		start.write(w, r, id, "make item 1", "need status 2xx")
	}
	x := resource.Request{Title: fmt.Sprintf("%d clients write at once", len(list)), Lines: []string{broken}}
	if m.kind == "tag" {
		w.Read(id, resource.Request{Title: "read item 1", Lines: []string{"need status 200", "keep tag from header ETag"}})
		x.Header = []string{"If-Match: {tag}"}
		x.Lines = append(x.Lines, expects("at most 1 status 2xx", "of writes that demand the same state one is done (RFC 9110 §13.1.1)"))
	}
	if m.kind == "name" {
		x.Lines = append(x.Lines, expects("at most 1 status 201", "201 says that something new was made (RFC 9110 §15.3.2)"))
	}
	if m.kind == "merge" || m.kind == "mixed" && m.f.What != history.Broken {
		x.Lines = append(x.Lines, "need status 2xx")
	}
	w.Let("methods", "["+strings.Join(methods, ", ")+"]")
	w.Let("bodies", "["+strings.Join(bodies, ", ")+"]")
	w.Together(id, len(list), "methods", "bodies", x)
	if m.kind == "name" {
		w.Leave(id)
	}
	if claims := m.claims(list, fields); len(claims) > 0 {
		w.Read(id, resource.Request{Title: "read what remains", Lines: claims})
	}
	return w
}

// claims are what must hold once all is quiet, whatever the order was.
func (m *meeting) claims(list []*call, fields func([]field) []field) []string {
	r := m.g.r
	text := func(c *call, n string) string {
		for _, f := range fields(c.m.fields) {
			if f.name == n {
				return r.Turned(f.text, number(f.turn))
			}
		}
		return ""
	}
	if slices.ContainsFunc(list, func(c *call) bool { return c.kind == history.Delete }) {
		if m.f.What == history.CameBack {
			return []string{expects("status "+r.GoneStatus(), "what was deleted is gone, and an amend or a replace of it makes nothing (RFC 9110 §9.3.5)")}
		}
		return nil
	}
	if m.kind == "tag" || m.f.What == history.Broken {
		return nil
	}
	out := []string{expects("status 200", "")}
	if m.f.What == history.Vanished {
		return out
	}
	// Of several writes of a member the last one stays, whichever it was.
	written := map[string][]string{}
	var names []string
	for _, c := range list {
		for _, f := range c.m.fields {
			if _, watched := c.members[f.name]; !watched {
				continue
			}
			if !slices.Contains(names, f.name) {
				names = append(names, f.name)
			}
			if v := text(c, f.name); !slices.Contains(written[f.name], v) {
				written[f.name] = append(written[f.name], v)
			}
		}
	}
	if m.f.What == history.Torn {
		var wholes []string
		for _, c := range list {
			var parts []string
			for _, n := range names {
				if v := text(c, n); v != "" {
					parts = append(parts, resource.Quoted(n)+": "+v)
				}
			}
			if len(parts) == len(names) {
				wholes = append(wholes, "{ "+strings.Join(parts, ", ")+", ... }")
			}
		}
		if len(wholes) == len(list) {
			return append(out, expects(r.Subject()+" is "+strings.Join(wholes, " or "), "of writes at once one stays, whole"))
		}
	}
	for _, n := range names {
		out = append(out, expects(r.InItem(n)+" is "+strings.Join(written[n], " or "), "a write that was acknowledged is there, or another one over it (RFC 9110 §9.3)"))
	}
	return out
}

// plays runs the scenario once, and tells whether it shows there.
func (m *meeting) plays(emit func(event.Event)) bool {
	text := m.scene().Text(m.g.meetingTitle(m.f), "a trial")
	s, err := m.g.d.Scenario(m.g.r.File, "roam", text)
	if err != nil {
		panic("roam cannot read its own scenario: " + err.Error() + "\n" + text)
	}
	requests := 0
	verdict, _ := m.g.d.Play(s, 0, m.g.tell.again(), func(e event.Event) {
		if st, ok := e.(*event.StepFinished); ok {
			requests += len(st.Sent)
		}
		if emit != nil {
			emit(e)
		}
	})
	m.g.o.addTrial(requests)
	return verdict == event.Failed
}

// together tells what several clients have shown.
func (t *teller) together(f *Finding, m *meeting) {
	sc := m.scene()
	f.Text, f.Steps = canonical(sc.Text(f.Title, f.About)), sc.Size()
	t.all = append(t.all, f)
	t.o.progress.Found = len(t.all)
	id := firstFound + len(t.all)
	st := &event.StepFinished{Scenario: id, Index: 1, Title: "several clients at once", File: m.g.r.File.Source.Name, Line: m.g.r.File.Line(m.g.r.Statement), Verdict: event.Failed, Requests: len(m.calls)}
	verdict := event.Failed
	switch {
	case f.Warns:
		verdict = event.Warned
	case f.Once:
		verdict = event.Blocked
	}
	st.Verdict = verdict
	for _, c := range m.calls {
		if c.x != nil {
			st.Took = max(st.Took, c.x.Start.Add(c.x.Timing.Total).Sub(m.began))
			st.Sent = append(st.Sent, event.Sent{Role: event.Copy, N: c.client + 1, Exchange: c.x})
		}
	}
	finding := event.Finding{Verdict: verdict, Line: st.Line, Expected: "some order of these calls explains what they were answered, and what is there in the end",
		Observed: []string{string(m.f.What) + members(m.f.Member)}, Because: "calls that overlap act as if one came after the other", Sent: -1}
	if m.f.What == history.Broken {
		finding.Expected, finding.Because = "status not 5xx for what several clients send at once", "a request that can be understood is served or refused (RFC 9110 §15.6)"
	}
	st.Findings = []event.Finding{finding}
	t.d.Emit(&event.ScenarioStarted{ID: id, File: st.File, Line: st.Line, Title: f.Title, Pattern: f.Title, About: f.About, Found: f.event()})
	t.d.Emit(st)
	t.d.Emit(&event.ScenarioFinished{Scenario: id, Verdict: verdict, Steps: 1, Requests: len(st.Sent), Took: st.Took})
	if verdict == event.Failed {
		t.d.Fails()
	}
}

// pending tells what several clients have shown once, and not again.
func (t *teller) pending(grounds []*ground) {
	for _, g := range grounds {
		for _, m := range g.met {
			if m.f.Text != "" || m.f.Tries == 0 && !m.f.Warns {
				continue
			}
			m.f.Once = !m.f.Warns
			m.f.About = "what several clients did at once is explained by no order of it"
			t.together(m.f, m.way)
		}
	}
}

func members(name string) string {
	if name == "" {
		return ""
	}
	return ": " + name
}
