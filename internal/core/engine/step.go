package engine

import (
	"errors"
	"fmt"
	"strings"
	"time"

	"usualpath/internal/core/custody"
	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/project"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/syntax"
)

// step is one step while it runs.
type step struct {
	env *environment
	in  *flow
	st  *syntax.Statement
	f   *project.File
	e   *event.StepFinished
	// base is the URL that paths of this step are relative to.
	base string
	// now is the request under way; many tells that several copies of it are.
	now  *attempt
	many bool
	// own tells that what is sent is what the step says, and shut why no more is worth sending.
	own  bool
	shut string
	// sees is what its expectations may look at, and seesOf the attempt they are about.
	sees   *expect.Context
	seesOf *attempt
	// hint is what may be said of a member that the current expectation misses, and that no
	// item shows as it was sent.
	hint string
}

// round is a request and what is expected of it: the first with `send`, the
// others with `again`.
type round struct {
	request *syntax.Statement
	claims  []*syntax.Statement
}

func (t *step) sleep(d time.Duration) {
	t.in.latest = nil
	timer := time.NewTimer(d)
	defer timer.Stop()
	select {
	case <-timer.C:
	case <-t.in.ctx.Done():
	case <-t.env.o.Stop:
	}
}

func (t *step) lineOf(st *syntax.Statement) int { return t.f.Line(st) }

// lacking blocks a step that needs a value which was never kept, or which cannot
// be worked out: neither is the service's fault.
func (t *step) lacking(err error) {
	var unbound *scope.Unbound
	if !errors.As(err, &unbound) {
		t.found(event.Finding{Verdict: event.Blocked, Line: t.e.Line, Expected: "what the step needs can be worked out", Observed: []string{err.Error()}, Sent: -1})
		return
	}
	if t.e.Afterwards {
		if t.e.Verdict == event.Held {
			t.e.Verdict = event.Skipped
		}
		t.e.Why = "nothing to do: " + unbound.Error()
		return
	}
	t.e.Verdict = event.Worse(t.e.Verdict, event.Blocked)
	lack := "`" + unbound.Name + "`"
	if strings.Contains(unbound.Name, " ") {
		lack = unbound.Name
	}
	if by := t.in.binders[unbound.Name]; by != "" {
		lack += fmt.Sprintf(", which step %q should have kept", by)
	}
	for _, l := range t.e.Lacks {
		if l == lack {
			return
		}
	}
	t.e.Lacks = append(t.e.Lacks, lack)
	if t.in.lacked == "" {
		t.in.lacked = fmt.Sprintf("step %q lacks %s", t.e.Title, lack)
	}
}

// found adds a finding to the step.
func (t *step) found(f event.Finding) {
	t.e.Findings = append(t.e.Findings, f)
	t.e.Verdict = event.Worse(t.e.Verdict, f.Verdict)
}

// miss adds a claim that does not hold; one that was needed ends the scenario.
func (t *step) miss(f event.Finding) {
	t.found(f)
	if f.Verdict == event.Blocked {
		t.halts(f)
	}
}

// halts ends the scenario: what comes next needs what is not so.
func (t *step) halts(f event.Finding) {
	if !t.e.Afterwards {
		t.in.halted = fmt.Sprintf("step %q: %s was needed", t.e.Title, f.Expected)
		if len(f.Observed) > 0 {
			t.in.halted += ", found " + f.Observed[0]
		}
	}
}

func (t *step) findBase() error {
	if t.env.o.Base != "" {
		t.base = t.env.o.Base
		return nil
	}
	if b := t.env.p.Base(t.in.job.s.File); b != nil {
		text, err := t.in.names.Text(b)
		t.base = text
		return err
	}
	if t.env.o.Service != nil {
		t.base = t.env.o.Service.Base()
	}
	return nil
}

// attempt is a request sent once, or several copies of it at once, and what
// came of it.
type attempt struct {
	of    *step
	round *round
	role  event.Role
	// n numbers repeats and tries from 1; which says in words which one it is.
	n     int
	which string
	// replies are the answers of the copies; sent is the index of the first among
	// what the step has sent, -1 when nothing was sent for them.
	replies []*expect.Reply
	sent    int
	// before and after are the snapshots around it.
	before, after map[string]*custody.Sight
}

// withheld blocks a step whose request might reach more than it should.
func (t *step) withheld(r *exchange.Request, why string) {
	t.found(event.Finding{Verdict: event.Blocked, Line: t.e.Line, Expected: "a request that changes state names what it changes",
		Observed: []string{why + ": " + r.Method + " " + r.URL + " was not sent"}, Sent: -1})
	if t.in.job.s.Check != nil && !t.e.Afterwards {
		// What comes after it would be judged by a request that was not sent.
		t.in.halted = why
	}
	if t.in.lacked == "" {
		t.in.lacked = "step \"" + t.e.Title + "\" was not sent: " + why
	}
}

// refuse leaves a step out that a guard refuses, and what comes after it.
func (t *step) refuse(why string) {
	if c := t.in.job.s.Check; c != nil && c.ID == Probe && t.in.care.Wrote() && strings.HasPrefix(why, custody.NotOurs) && !strings.Contains(why, custody.Advice) {
		// What the create answers does not lead to what it made: so would all others.
		t.found(event.Finding{Verdict: event.Blocked, Line: t.e.Line, Expected: "the answer to a create leads to the item that was made",
			Observed: []string{strings.TrimPrefix(why, custody.NotOurs) + "; what was made is still there"}, Sent: -1})
		t.in.halted = strings.TrimPrefix(why, custody.NotOurs)
		return
	}
	t.e.Verdict, t.e.Why = event.Skipped, why
	if t.e.Afterwards {
		return
	}
	t.in.refused = why
	t.in.halted = why
}

// writesOnce tells of what runs once that it sends more than a run which only
// reads would.
func (t *step) writesOnce(method string) {
	if !t.in.wrote {
		t.in.wrote = true
		t.in.late = append(t.in.late, &event.Notice{Text: t.in.title + " sends " + method + ", although the run only reads"})
	}
}
