// Package custody keeps a run safe: it judges whose an item is, what this run has made and what
// was there before. It is asked before requests are sent (Scenario.May), and told that they were
// (Scenario.Sent) and what was answered (Scenario.Answered); lists that were read come to it by
// Scenario.Saw. It knows requests, answers and lists, and neither steps nor statements.
package custody

import (
	"fmt"
	"net/url"
	"strings"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
)

// May tells why requests that a step is about to send at once must not be sent, or "". It asks
// the service for what it needs to know. Whoever is told "" calls Sent or asks once more.
func (s *Scenario) May(step Step, requests ...*exchange.Request) (why string, err error) {
	t := &turn{s, step}
	for _, r := range requests {
		if why, err = t.hold(r); why != "" || err != nil {
			return why, err
		}
	}
	return t.unproven(requests), nil
}

// Sent notes requests that are about to be sent.
func (s *Scenario) Sent(step Step, requests []*exchange.Request) {
	t := &turn{s, step}
	s.run.ledger.mu.Lock()
	s.asked = s.run.ledger.clock
	s.run.ledger.mu.Unlock()
	writes := false
	for _, r := range requests {
		t.sends(r)
		writes = writes || !syntax.SafeMethod(r.Method)
	}
	if s.taken != nil {
		s.answered = append(s.answered, t.took)
	}
	closely := t.lookClosely(writes)
	theirs := t.announces(requests)
	s.answered = append(s.answered, theirs, closely)
}

// Answered notes what came of the requests that Sent was told of: the answers of their copies, and
// the places of the first of them in what the step has sent. It tells of a claim that cannot be
// true, nil for none.
func (s *Scenario) Answered(step Step, answers []*expect.Reply, sent []event.Sent, first int) *False {
	t := &turn{s, step}
	for _, x := range sent {
		t.wrote(x)
	}
	t.remember(answers)
	for _, r := range answers {
		t.learn(r)
		t.claim(r)
	}
	t.enter(answers)
	done := s.answered
	s.answered = nil
	for _, f := range done {
		f(answers, first)
	}
	wrong := t.claimed(answers)
	for _, r := range answers {
		if wrong == nil {
			t.provesNow(r)
		}
	}
	return wrong
}

// provesNow looks, in a walk, whether what a create has made is of this run, where nothing in it was
// drawn: its list may not show all that is there any more once the walk has gone on.
func (t *turn) provesNow(r *expect.Reply) {
	if !t.how.Patient || t.how.Elsewhere || !t.strict() || !took(r) || r.Request.Method != "POST" {
		return
	}
	where, _ := t.named(r)
	c, named := t.own.of(strings.ToLower(where))
	u, err := url.Parse(r.Request.URL)
	lists, unknown := t.Lists()
	if !named || c.drawn || err != nil || unknown != nil {
		return
	}
	u.Path, u.RawPath, u.RawQuery = where, "", ""
	// What keeps it from being proven is told when it is written to.
	_ = t.foreign(&exchange.Request{Method: "PUT", URL: u.String(), Header: r.Request.Header, Timeout: r.Request.Timeout}, strings.ToLower(where), lists)
}

// Learn notes what an answer to a read tells of whose something is.
func (s *Scenario) Learn(r *expect.Reply) { (&turn{Scenario: s}).learn(r) }

// unproven bounds what is made that cannot be shown to be of this run: it tells why a create is
// not sent.
func (t *turn) unproven(requests []*exchange.Request) string {
	r := requests[0]
	if !t.strict() || r.Method != "POST" || t.taken != nil {
		return ""
	}
	lists, err := t.Lists()
	if err != nil {
		return ""
	}
	for _, l := range lists {
		if l.Path != PlainPath(r.URL) {
			continue
		}
		kind, drawn := readable(l, lists).kind(), t.drawn.In(string(r.Body))
		if t.how.Patient && !drawn && !t.run.book.Proves(kind) {
			// A walk has other moves.
			return NotOurs + "nothing would show that what it makes is of this run: " + r.Method + " " + r.URL
		}
		taken, ok := t.run.book.Take(kind, len(requests), drawn)
		if !ok {
			return fmt.Sprintf("%s%s %s: %d items that cannot be shown to be of this run have been made there; it goes on with a `{turn}` in a member of `make` that the list or the item shows, or with `disposable`", NotOurs, r.Method, r.URL, mostUnproven)
		}
		t.taken = taken
		return ""
	}
	return ""
}

// took takes in the names of what was made and cannot be shown to be of this run.
func (t *turn) took(answers []*expect.Reply, first int) {
	var names []string
	for n, r := range answers {
		if !took(r) {
			continue
		}
		_, id := t.named(r)
		if id == "" {
			id = fmt.Sprint(t.by.ID, t.About().Index, first, n)
		}
		names = append(names, id)
	}
	t.taken(names)
	t.taken = nil
}

// Effects notes what lists showed around requests, by the names of their observations.
func (s *Scenario) Effects(answers []*expect.Reply, before, after map[string]*Sight) {
	if s.Crowded() {
		for _, a := range after {
			s.run.others.settled(s, a)
		}
	}
	s.lost(answers, before, after)
}

// Explained is a difference between two sights of a list without what others have done, or what
// came and went in the part of it that is shown: l is the list, the zero List where it is not one.
func (s *Scenario) Explained(step Step, d *state.Delta, l List, before, after *Sight) *state.Delta {
	t := &turn{s, step}
	if s.Crowded() {
		t.disturbs(before)
		d = t.unexplained(d, before, after)
	}
	return t.withoutSlid(d, l, before, after)
}
