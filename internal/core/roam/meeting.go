package roam

import (
	"fmt"
	"maps"
	"slices"
	"time"

	"usualpath/internal/core/event"
	"usualpath/internal/core/history"
)

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
		found := &Finding{Resource: g.r.Name, Kind: Kind(f.What), Title: g.meetingTitle(f), Warns: f.Warns, Rows: rows(f.Calls, h.Final)}
		one = &met{f: found, way: &meeting{g: g, kind: r.kind, f: f, item: it, calls: r.calls, began: r.epoch}}
		g.met[key] = one
	}
	one.f.Times++
	if one.f.Text != "" || one.dropped || g.d.Ended() {
		return
	}
	if one.f.Tries == 0 {
		until := time.Now().Add(g.o.patience())
		if one.way.byOne(h) {
			one.f.Tries, one.dropped = replaysOfMeeting, true
		}
		for total := 0; !one.dropped && total < replaysOfMeeting && time.Now().Before(until) && !g.d.Ended(); total++ {
			if one.f.Shows == 0 && total > 0 && total%triesOfOne == 0 && one.way.choice < 2 {
				// Other calls of the same round may meet more often.
				one.way.choice++
				one.f.Tries = 0
			}
			one.f.Tries++
			if one.way.plays() {
				one.f.Shows++
			}
		}
		if one.f.Shows == 0 {
			one.way.choice, one.f.Tries = 0, replaysOfMeeting
		}
	}
	if one.dropped {
		return
	}
	if one.f.Shows == 0 && one.f.Times < 2 {
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

// byOne replays what the clients did as one client would, one call after another: as they
// began, and as they ended. What shows then is no matter of several, and is told as such, or
// not at all.
func (m *meeting) byOne(h history.History) bool {
	if h.Final == nil || !h.Final.There || len(m.f.Calls) == 0 || m.kind == "tag" || m.kind == "name" {
		return false
	}
	began := func(a, b *call) int { return a.x.Start.Compare(b.x.Start) }
	ended := func(a, b *call) int {
		return a.x.Start.Add(a.x.Timing.Total).Compare(b.x.Start.Add(b.x.Timing.Total))
	}
	var calls []*call
	for _, c := range m.calls {
		if c.kind != history.Read && c.x != nil && c.x.Answer != nil {
			calls = append(calls, c)
		}
	}
	for _, order := range []func(a, b *call) int{began, ended} {
		slices.SortStableFunc(calls, order)
		if m.inOrder(calls, h.Final.Members) {
			return true
		}
	}
	return false
}

// inOrder tells whether a value that was lost, of those that were there in the end, is lost as
// well when one client makes these calls.
func (m *meeting) inOrder(calls []*call, final history.Members) bool {
	g := m.g
	made := &move{seq: 1, op: opCreate, class: plain, item: m.item.n, turn: m.item.turn, status: 201}
	made.fields = fieldsOf(g.r.Make, made.turn)
	moves := []*move{made}
	want := map[string]cell{}
	var last *move
	for i, c := range calls {
		one := *c.m
		one.seq = i + 2
		moves = append(moves, &one)
		if one.status/100 != 2 {
			continue
		}
		last = &one
		for _, f := range one.fields {
			if v, watched := c.members[f.name]; watched {
				want[f.name] = cell{v: v, field: f, seq: one.seq}
			}
		}
	}
	if last == nil {
		return false
	}
	moves = moves[:slices.Index(moves, last)+1]
	for _, name := range slices.Sorted(maps.Keys(want)) {
		if name != m.f.Member && same(want[name].v, final[name]) {
			// What several clients have shown is about another.
			continue
		}
		d := &doubt{kind: Unwritten, item: m.item, want: want, before: map[string]cell{}, move: last, members: []string{name}}
		t := &trial{g: g, d: d, moves: moves, last: last}
		if !t.follows() || g.found[d.key()] != nil || !t.again(2) {
			continue
		}
		if !t.alone(made) {
			// The service has a rule that ties these members: no finding at all.
			return true
		}
		f := &Finding{Kind: d.kind, Resource: g.r.Name, Times: 1}
		d.observed = "with one client: " + name
		g.found[d.key()] = f
		g.settle(f, t.shrunk(time.Now().Add(g.o.persistence()), false))
		return true
	}
	return false
}

// again tells whether each of some replays shows it.
func (t *trial) again(times int) bool {
	for range times {
		if shows, _ := t.plays(); !shows {
			return false
		}
	}
	return true
}

// alone tells whether each write by itself, to a fresh item, is kept, and leaves alone
// what it does not name.
func (t *trial) alone(made *move) bool {
	for _, n := range t.d.members {
		var setter *move
		for _, m := range t.moves {
			one := *t.d
			one.members = []string{n}
			way := &trial{g: t.g, d: &one, moves: []*move{made, m}}
			switch {
			case m.seq == t.d.want[n].seq:
				setter = m
			case setter != nil && m.op == opAmend && m.status/100 == 2:
				first := *made
				first.fields = slices.Clone(made.fields)
				for _, f := range setter.fields {
					if f.name == n {
						first.set(n, f.text)
					}
				}
				c := one.want[n]
				c.seq = first.seq
				one.want = map[string]cell{n: c}
				way.moves = []*move{&first, m}
			default:
				continue
			}
			if _, clean := way.plays(); !clean {
				return false
			}
		}
	}
	return true
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
			shows = shows || m.plays()
		}
		if !shows {
			m.only = was
		}
	}
}

// plays runs the scenario once, and tells whether it shows there.
func (m *meeting) plays() bool {
	return m.g.play(m.scene()) == event.Failed
}

// together tells what several clients have shown.
func (t *teller) together(f *Finding, m *meeting) {
	sc := m.scene()
	f.Title = t.title(f.Title)
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
		finding.Expected, finding.Because = "status not 5xx for what several clients send at once", servedOrRefused
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
		for _, key := range slices.Sorted(maps.Keys(g.met)) {
			m := g.met[key]
			if m.f.Text != "" || m.dropped || m.f.Tries == 0 && !m.f.Warns {
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

func (g *ground) meetingTitle(f history.Finding) string {
	out := fmt.Sprintf("%s: %s, with several clients", g.r.Name, f.What)
	if f.Member != "" {
		out += ": " + f.Member
	}
	return out
}
