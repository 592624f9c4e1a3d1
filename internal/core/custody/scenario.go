package custody

import (
	"context"
	"fmt"
	"path"
	"strings"
	"time"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// Step is the step of a scenario that is under way: what is asked of the service to know whose
// something is, is asked through it.
type Step interface {
	// About tells which step it is.
	About() About
	// Lists are the guarded lists of the scenario whose names have values, in its order.
	Lists() ([]List, error)
	// Look reads a list, all its pages; whole with what is ignored otherwise. What it reads comes
	// to Scenario.Saw.
	Look(l List, why string, whole bool) (*Sight, error)
	// Ask sends a request, with the patience that a check has.
	Ask(r *exchange.Request, why string) *exchange.Exchange
	// Item sends a request without a body to an item of a list; nil where none can be put together.
	Item(method string, l List, id, why string) *exchange.Exchange
	// Kept are what the step keeps of an answer and may be the name of an item.
	Kept(r *expect.Reply) []Kept
	// Wait waits, not longer than the run.
	Wait(d time.Duration)
	// Apart is a step like this one, as the scenario is now, that may be asked later.
	Apart() Step
}

// About is what messages tell of a step, and what matters of where it stands.
type About struct {
	// Name is its title with where it stands, "" for none; Index counts the steps of a scenario.
	Name  string
	Index int
	// Base is the URL that its paths are relative to.
	Base string
	// Afterwards marks a step that cleans up.
	Afterwards bool
}

// Kept is a value that a step keeps of an answer, in which line; Header tells that it is one of a
// header, and Path that it stands in the body.
type Kept struct {
	Value        *value.Value
	Header, Path bool
	Line         int
}

// Writer is a scenario that may write: what is told of it, and how it is run once more.
type Writer struct {
	ID int
	// Name is what it is called; File and Line are where it stands.
	Name, File string
	Line       int
	// Over tells that it has ended, nil where that does not matter.
	Over func() bool
	// Again runs it alone, with a close look at what a doubt is about, and tells which request
	// changed that.
	Again func(ctx context.Context, d *Doubt) (Deed, bool)
	// Of is what the run knows it by.
	Of any
}

// Scenario is what is known of one scenario while it runs. It is used by one goroutine at a time.
type Scenario struct {
	run   *Run
	ctx   context.Context
	by    Writer
	drawn *scope.Drawn
	tell  func(notice string)
	how   How
	// Around is set while steps run that the user puts around each scenario: they are not held to
	// what the scenario has made.
	Around bool
	// before are the guarded lists as they were before the first write.
	before map[List]*held
	own    owned
	// removed are the paths that this scenario has removed something from.
	removed map[string]bool
	// taken takes in what was made of items that cannot be shown to be of this run.
	taken func(names []string)
	// answered takes in what became of the requests that are under way.
	answered []func(answers []*expect.Reply, sent int)
	// deed is what was seen when this was run once more because of a doubt.
	deed      *Deed
	disturbed bool
}

// How is the way a scenario is run.
type How struct {
	// Check marks a derived one; Guarded one with guarded lists.
	Check, Guarded bool
	// Patient marks one of a walk that has no end of its own.
	Patient bool
	// Beside tells that others may be under way.
	Beside bool
	// Closely is why it is run once more, nil for none.
	Closely *Doubt
}

// held is what a list held before the first write: identities in lower case, nil where it could
// not be read.
type held struct {
	sight *Sight
	ids   map[string]bool
}

// Scenario begins one.
func (r *Run) Scenario(ctx context.Context, by Writer, how How, drawn *scope.Drawn, tell func(notice string)) *Scenario {
	return &Scenario{run: r, ctx: ctx, by: by, how: how, drawn: drawn, tell: tell, before: map[List]*held{}, own: newOwned(), removed: map[string]bool{}}
}

// Apart is a scenario for what looks on after this one has ended: nothing is its own.
func (s *Scenario) Apart() *Scenario {
	how := s.how
	how.Guarded = false
	return s.run.Scenario(s.ctx, s.by, how, s.drawn, s.tell)
}

// strict tells whether the step may write to nothing but what its scenario has made.
func (s *Scenario) strict() bool { return s.how.Guarded && !s.Around }

// Crowded tells whether other scenarios may be under way.
func (s *Scenario) Crowded() bool { return s.how.Beside && s.how.Closely == nil }

// Disturbed tells that others have changed what this scenario has made.
func (s *Scenario) Disturbed() bool { return s.disturbed }

// Deed is the request that changed what the doubt is about, nil for none.
func (s *Scenario) Deed() *Deed { return s.deed }

// turn is a scenario at one of its steps.
type turn struct {
	*Scenario
	Step
}

// NotOurs begins the reason why a request is not sent.
const NotOurs = "not applicable: this may touch what is not ours: "

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
	return t.claimed(answers)
}

// Learn notes what an answer to a read tells of whose something is.
func (s *Scenario) Learn(r *expect.Reply) { (&turn{Scenario: s}).learn(r) }

// remember notes what a scenario has removed, and what it has made again.
func (t *turn) remember(answers []*expect.Reply) {
	if !t.how.Guarded {
		return
	}
	for _, r := range answers {
		if r != nil && r.Answer != nil && r.Answer.Status/100 == 2 && known(r.Request.Method) {
			t.removed[ExactPath(r.Request.URL)] = r.Request.Method == "DELETE" && r.Answer.Status != 202
		}
	}
}

// was tells whether an identity stood in a list before the first write.
func (s *Scenario) was(list, id string) bool {
	for l, h := range s.before {
		if l.Path == list && h.ids[strings.ToLower(id)] {
			return true
		}
	}
	return false
}

// False is a claim of an answer that cannot be true.
type False struct {
	// Line is where it is kept, Answer the place of the answer, and Name what it names.
	Line, Answer int
	Name         string
}

// claimed tells of an answer to a create that names, as what it has made, an item that was there
// before (RFC 9110 §15.3.2).
func (t *turn) claimed(answers []*expect.Reply) *False {
	if !t.how.Guarded {
		return nil
	}
	lists, err := t.Lists()
	if err != nil {
		return nil
	}
	for _, l := range lists {
		for i, r := range answers {
			if r == nil || r.Answer == nil || r.Answer.Status/100 != 2 || r.Request.Method != "POST" || PlainPath(r.Request.URL) != l.Path {
				continue
			}
			for _, k := range t.Kept(r) {
				id := strings.ToLower(k.Value.Plain())
				if k.Header {
					id = path.Base(PlainPath(k.Value.Plain()))
				}
				// What is named as made may be removed again, whatever was there before it.
				for name := range t.removed {
					if strings.ToLower(path.Base(name)) == id {
						delete(t.removed, name)
					}
				}
				if h := t.before[l]; r.Answer.Status == 201 && h != nil && h.ids[id] {
					return &False{Line: k.Line, Answer: i, Name: k.Value.Plain()}
				}
			}
		}
	}
	return nil
}

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
		taken, ok := t.run.book.Take(readable(l, lists).kind(), len(requests), t.drawn.In(string(r.Body)))
		if !ok {
			return fmt.Sprintf("%s%s %s: %d items that cannot be shown to be of this run have been made there; it goes on with a `{turn}` in a member of `make` that the list or the item shows, or with `disposable`", NotOurs, r.Method, r.URL, MostUnproven)
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
		if r == nil || r.Answer == nil || r.Answer.Status/100 != 2 {
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
