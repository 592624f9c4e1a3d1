package engine

import (
	"context"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"
	"time"

	"usualpath/internal/core/custody"
	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/project"
	"usualpath/internal/core/syntax"
)

// scenario runs one job.
func (r *environment) scenario(ctx context.Context, j job, emit func(event.Event)) {
	s, events := r.unclosed(ctx, j, emit, r.beside)
	others := j.beside && !s.job.alone && (s.verdict == event.Failed || s.verdict == event.Blocked || s.verdict == event.Warned || s.care.Disturbed() || s.job.s.Check != nil && awaitsRefusal(s.job.s.Check.ID) && refused(events, 409))
	if s.job.s.Check != nil && (others || s.verdict == event.Blocked && refused(events, 400, 409, 422)) {
		// What missed beside others may be theirs, and so may what was refused: only what it
		// does alone counts. What an earlier run has drawn may be taken for good: alone, others are drawn.
		r.gate.Lock()
		j.alone, j.anew = true, 2
		s, events = r.unclosed(ctx, j, emit, r.under)
		r.gate.Unlock()
	}
	for _, e := range events {
		emit(e)
	}
	r.concludes(s)
	j.over.Store(true)
	r.tellFound(emit)
}

// unclosed runs a job, and a check once more where a connection was closed between its requests: that says
// nothing of what was asked, and now that it is known each write has a connection of its own.
func (r *environment) unclosed(ctx context.Context, j job, emit func(event.Event), run func(context.Context, job, func(event.Event)) (*flow, []event.Event)) (*flow, []event.Event) {
	s, events := run(ctx, j, emit)
	if j.s.Check != nil && s.between {
		j.anew++
		s, events = run(ctx, j, emit)
	}
	return s, events
}

// awaitsRefusal tells whether a check takes any refusal for the one that it waits for.
func awaitsRefusal(id string) bool {
	return strings.HasPrefix(id, "limits/") || strings.HasPrefix(id, "input/") && !strings.Contains(id, "unique")
}

// refused tells whether something was refused with one of these: 409 says that it is because of
// what is there (RFC 9110 §15.5.10), which others may have made.
func refused(events []event.Event, by ...int) bool {
	return slices.ContainsFunc(events, func(e event.Event) bool {
		st, ok := e.(*event.StepFinished)
		return ok && slices.ContainsFunc(st.Sent, func(s event.Sent) bool {
			return s.Exchange.Answer != nil && slices.Contains(by, s.Exchange.Answer.Status)
		})
	})
}

// beside runs a job while others run; alone, once answers have come too late beside others.
func (r *environment) beside(ctx context.Context, j job, emit func(event.Event)) (*flow, []event.Event) {
	if r.crowded.Load() {
		r.gate.Lock()
		defer r.gate.Unlock()
		j.alone = true
		return r.under(ctx, j, emit)
	}
	r.gate.RLock()
	defer r.gate.RUnlock()
	return r.under(ctx, j, emit)
}

// under runs a job as one of those that are watched over. The events of a check
// beside others are given back, and not yet emitted.
func (r *environment) under(ctx context.Context, j job, emit func(event.Event)) (*flow, []event.Event) {
	var events []event.Event
	if j.s.Check != nil {
		emit = func(e event.Event) { events = append(events, e) }
	}
	r.care.Enters()
	s := r.play(ctx, j, nil, emit)
	r.care.Pause(ctx)
	r.care.Leaves()
	return s, events
}

// concludes notes what a scenario means for the others.
func (r *environment) concludes(s *flow) {
	check := r.checkOf(s.job.s)
	if s.job.s.Check != nil && s.job.s.Check.ID == Probe {
		r.paced(s)
	}
	if check != nil && check.ID == Probe && (s.verdict == event.Blocked || s.verdict == event.Failed) {
		r.shutOff(s.job.s.File, check, s.why)
		r.mu.Lock()
		r.unnamed[resourceKey(s.job.s.File, check)] = s.unnamed
		r.mu.Unlock()
	}
	if s.verdict == event.Failed || s.verdict == event.Blocked {
		r.mu.Lock()
		r.failed = true
		if check != nil && check.ID == leaksNothing && s.verdict == event.Failed {
			// It tells of that itself.
			of := resourceKey(s.job.s.File, check)
			delete(r.looksForLeaks, of)
			maps.DeleteFunc(r.leaks, func(_ string, one *leaked) bool { return one.of == of })
		}
		r.mu.Unlock()
	}
}

// play runs one job; closely, because of a doubt, with a look at what was there
// before around each request that writes, and with other random values than the
// first time.
func (r *environment) play(ctx context.Context, j job, closely *custody.Doubt, emit func(event.Event)) *flow {
	key := j.randomKey()
	if closely != nil {
		key += "\x00closely"
	}
	key += strings.Repeat("\x00anew", j.anew)
	f, s := j.s.File, r.flow(ctx, j, key, emit)
	s.watched(closely)
	start := time.Now()
	err := s.prepare()
	if err == nil && !s.rowChosen() {
		return s
	}
	check := r.checkOf(j.s)
	emit(&event.ScenarioStarted{ID: j.id, File: f.Source.Name, Line: j.s.Line(), Title: s.env.mask.text(s.title), Pattern: j.s.Raw(), About: s.about(), Tags: j.s.Tags, Check: check})
	why := ""
	blocked := r.blockedBy(f, check)
	if j.blocked != "" {
		blocked = j.blocked
	}
	switch {
	case blocked != "":
		s.verdict, why = event.Blocked, blocked
	case err != nil:
		s.unprepared(err)
	default:
		s.runSteps()
	}
	if check != nil && check.ID != Probe && s.verdict == event.Held && s.judged == 0 {
		s.verdict = event.Skipped
	}
	if s.left != "" && s.verdict == event.Held && s.requests == 0 {
		// Nothing was asked, so nothing held.
		s.verdict, why = event.Skipped, s.left
	}
	if s.refused != "" && (s.verdict == event.Held || s.verdict == event.NotReached) {
		s.verdict, why = event.Skipped, s.refused
	}
	if why == "" {
		why = s.halted
	}
	if why == "" {
		why = s.lacked
	}
	s.why = why
	emit(&event.ScenarioFinished{Scenario: j.id, Verdict: s.verdict, Took: time.Since(start), Steps: s.index, Requests: s.requests, Why: s.env.mask.text(why)})
	for _, e := range s.late {
		emit(e)
	}
	return s
}

// rowChosen tells whether --only means this row of a scenario with cases.
func (s *flow) rowChosen() bool {
	if len(s.env.o.Select.Only) == 0 || s.job.row == 0 {
		return true
	}
	for _, text := range s.env.o.Select.Only {
		if strings.Contains(strings.ToLower(s.title), strings.ToLower(text)) ||
			strings.Contains(strings.ToLower(s.job.s.Raw()), strings.ToLower(text)) {
			return true
		}
	}
	return false
}

// unprepared reports a scenario that could not even begin.
func (s *flow) unprepared(err error) {
	f := s.job.s.File
	e := &event.StepFinished{Scenario: s.job.id, Index: 1, Title: "prepare", File: f.Source.Name, Line: s.job.s.Line(), Verdict: event.Failed}
	e.Findings = []event.Finding{{Verdict: event.Failed, Line: s.job.s.Line(), Expected: "the names of the scenario have values", Observed: []string{err.Error()}, Sent: -1}}
	s.index = 1
	s.verdict = event.Failed
	s.finish(e)
}

// runSteps runs all the steps, and those that run whatever happened before,
// also when the tool itself has failed.
func (s *flow) runSteps() {
	f := s.job.s.File
	s.env.protect(func() {
		// The scenario's own lines are for its own steps.
		own := s.headers
		s.headers = nil
		s.surround(true)
		for _, l := range s.env.p.Before(f) {
			if s.job.s.Once {
				break
			}
			s.list(l.Statements, l.File, false)
		}
		s.headers, s.judged = own, 0
		s.surround(false)
		s.list(s.job.s.Steps, f, false)
	})
	s.env.protect(func() {
		s.surround(false)
		s.list(s.job.s.Afterwards, f, true)
		after := s.env.p.After(f)
		if s.job.s.Once {
			after = nil
		}
		judged := s.judged
		defer func() { s.judged = judged }()
		s.headers = nil
		s.surround(true)
		for i := len(after) - 1; i >= 0; i-- {
			s.list(after[i].Statements, after[i].File, true)
		}
	})
}

// list runs steps in order; routine calls are run in place.
func (s *flow) list(steps []*syntax.Statement, f *project.File, afterwards bool) {
	for _, st := range steps {
		switch b := st.Body.(type) {
		case *syntax.Step:
			s.one(st, f, afterwards)
		case *syntax.Do:
			s.do(st, b, f, afterwards)
		}
	}
}

// one runs a step, or says that it was not reached.
func (s *flow) one(st *syntax.Statement, f *project.File, afterwards bool) {
	s.index++
	e := &event.StepFinished{Scenario: s.job.id, Index: s.index, Title: syntax.StepTitle(st), File: f.Source.Name,
		Line: f.Line(st), Verdict: event.Held, Afterwards: afterwards}
	if !afterwards && (s.env.stopped() || s.halted != "") || s.ctx.Err() != nil || s.env.lost() {
		e.Verdict = event.NotReached
		s.finish(e)
		return
	}
	start := time.Now()
	t := &step{env: s.env, in: s, st: st, f: f, e: e}
	t.run()
	e.Took = time.Since(start)
	s.finish(e)
	s.watchService(e)
}

// dying is how long a process may take to end after its connections broke.
const dying = 200 * time.Millisecond

// watchService looks whether the service has ended by itself: what comes after
// that would only say that nobody answers.
func (s *flow) watchService(e *event.StepFinished) {
	if s.env.o.Service == nil {
		return
	}
	broken := false
	for _, x := range e.Sent {
		f := x.Exchange.Failure
		broken = broken || f != nil && (f.Kind == exchange.ClosedEarly || f.Kind == exchange.Reset || f.Kind == exchange.Refused)
	}
	dead, last := s.env.o.Service.Dead()
	// The end of a process is heard a little later than that of its connections.
	for end := time.Now().Add(dying); broken && !dead && time.Now().Before(end); dead, last = s.env.o.Service.Dead() {
		time.Sleep(5 * time.Millisecond)
	}
	if !dead {
		return
	}
	s.env.mu.Lock()
	first := !s.env.died
	s.env.died = true
	s.env.mu.Unlock()
	if first {
		s.emit(&event.Notice{Severe: true, Text: fmt.Sprintf("the service has ended by itself during step %q (%s:%d); its last output:\n%s", e.Title, e.File, e.Line, s.env.mask.text(last))})
	}
}

// do runs a routine's steps in place, in a scope of their own.
func (s *flow) do(st *syntax.Statement, d *syntax.Do, f *project.File, afterwards bool) {
	r, from := s.env.p.Routine(f, syntax.TitleText(d.Title))
	if r == nil || s.calls > 20 {
		return
	}
	outer := s.names
	inner := outer.Inner()
	for _, w := range d.With {
		v, err := outer.Value(w.Value)
		if err != nil {
			s.index++
			e := &event.StepFinished{Scenario: s.job.id, Index: s.index, Title: syntax.StepTitle(st), File: f.Source.Name,
				Line: f.Line(st), Verdict: event.Held, Afterwards: afterwards}
			(&step{env: s.env, in: s, st: st, f: f, e: e}).lacking(err)
			s.finish(e)
			return
		}
		inner.Bind(w.Name, v)
	}
	s.names = inner
	s.calls++
	s.list(r.Children, from, afterwards)
	s.calls--
	s.names = outer
	for _, c := range r.Children {
		g, ok := c.Body.(*syntax.Give)
		if !ok {
			continue
		}
		for _, n := range g.Names {
			if v, err := inner.Lookup(n.Name); err == nil {
				outer.Bind(n.Name, v)
			} else if s.binders[n.Name] == "" {
				s.binders[n.Name] = syntax.StepTitle(st)
			}
		}
	}
}

// paced notes whether a resource is slow to answer.
func (r *environment) paced(s *flow) {
	least := time.Duration(math.MaxInt64)
	for _, reply := range s.replies {
		if reply != nil && reply.Answer != nil {
			least = min(least, reply.Timing.Total)
		}
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	r.slow[resourceKey(s.job.s.File, r.checkOf(s.job.s))] = least >= slowly && least < math.MaxInt64
}

// slowly is how long each answer takes, at the least, from a service that is slow.
const slowly = 10 * time.Millisecond

// watched begins what is known of a scenario's own items.
func (s *flow) watched(closely *custody.Doubt) {
	j := s.job
	how := custody.How{Check: j.s.Check != nil, Guarded: len(s.guards) > 0, Elsewhere: slices.ContainsFunc(s.guards, func(o *syntax.Observe) bool { return o.Items != nil }), Patient: s.patient, Beside: j.beside && !j.alone, Closely: closely}
	s.care = s.env.care.Scenario(s.ctx, s.env.writer(j), how, &s.world.Drawn, func(text string) { s.emit(&event.Notice{Text: text}) })
}

// writer is a job as one that may write.
func (r *environment) writer(j job) custody.Writer {
	w := custody.Writer{ID: j.id, Name: j.s.Raw(), File: j.s.File.Source.Name, Line: j.s.Line(), Of: j}
	if j.over != nil {
		w.Over = j.over.Load
	}
	w.Again = func(ctx context.Context, d *custody.Doubt) (custody.Deed, bool) {
		var steps []*event.StepFinished
		s := r.play(ctx, j, d, func(e event.Event) {
			if st, ok := e.(*event.StepFinished); ok {
				steps = append(steps, st)
			}
		})
		deed := s.care.Deed()
		if deed == nil || deed.Index > len(steps) {
			return custody.Deed{}, false
		}
		st := steps[deed.Index-1]
		out := *deed
		out.Step, out.Name, out.File, out.Line, out.Sent = st.Title, fmt.Sprintf("step %q (%s:%d)", st.Title, st.File, st.Line), st.File, st.Line, st.Sent
		return out, true
	}
	return w
}
