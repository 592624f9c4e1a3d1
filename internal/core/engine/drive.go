package engine

import (
	"fmt"

	"slices"

	"sync/atomic"

	"usualpath/internal/core/event"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/project"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// Seed is the seed of the run.
func (d *Drive) Seed() uint64 { return d.env.o.Seed }

// Ended tells that nothing more should be sent: the run was interrupted, the service has
// ended, or it has been told that something which was there before is gone.
func (d *Drive) Ended() bool {
	return d.env.ended() || d.ctx.Err() != nil || d.env.care.Told()
}

// Unreached tells that not one request of the run has been answered, and some have
// found nobody.
func (d *Drive) Unreached() bool {
	d.env.mu.Lock()
	defer d.env.mu.Unlock()
	return !d.env.answered && d.env.unreached > 3
}

// Harmed tells that something which was there before the run has been seen to change.
func (d *Drive) Harmed() bool { return d.env.care.Harmed() }

// Suspect names the scenario that may have changed what was there before: at the end
// of the run it is played once more, closely, and only what changes again is told.
func (d *Drive) Suspect(s *project.Scenario) {
	d.env.care.Suspect(d.env.writer(job{planned: planned{s: s}, patient: true, over: &atomic.Bool{}}))
}

// Restarts tells whether the run can start the service anew.
func (d *Drive) Restarts() bool { return d.env.o.Service != nil }

// Left is how many items were made and not seen to go.
func (d *Drive) Left() int { return d.env.care.Left() }

// Emit tells an event of the run. Sessions may be run side by side.
func (d *Drive) Emit(e event.Event) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.env.o.Emit(e)
}

// Fails makes the run one that has failed, for those who ask whether to stop early.
func (d *Drive) Fails() {
	d.env.mu.Lock()
	d.env.failed = true
	d.env.mu.Unlock()
}

// job makes a scenario one to run; what it needs to have run has been run then.
func (d *Drive) job(s *project.Scenario, id int) job {
	j := job{planned: planned{s: s, id: id}}
	// It is written as the run goes on, and one of many: what has run is the file that
	// it uses.
	for _, from := range s.File.Uses {
		d.env.once.began(from)
	}
	j.values, j.blocked = d.env.ready(d.ctx, s, d.env.o.Emit)
	return j
}

// Scenario reads a scenario that uses a file of the project; name is where its steps
// say that they stand.
func (d *Drive) Scenario(from *project.File, name, text string) (*project.Scenario, error) {
	return d.env.p.Scenario(from, name, text)
}

// Play runs a scenario, telling its events to emit. Among several runs of one
// scenario, again tells their random values apart.
func (d *Drive) Play(s *project.Scenario, id, again int, emit func(event.Event)) event.Verdict {
	j := d.job(s, id)
	j.again, j.patient = again, true
	d.env.care.Enters()
	defer d.env.care.Leaves()
	return d.env.play(d.ctx, j, nil, emit).verdict
}

// Session is a scenario whose steps are not known beforehand.
type Session struct {
	flow   *flow
	last   *event.StepFinished
	looked int
}

// Session begins a scenario; its own steps are put aside, and Run says what is done
// in their place. Of sessions with the same key and seed the random values are the same.
func (d *Drive) Session(s *project.Scenario, key string) (*Session, error) {
	j := d.job(s, 0)
	if j.blocked != "" {
		return nil, fmt.Errorf("%s", j.blocked)
	}
	out := &Session{}
	f := d.env.flow(d.ctx, j, key, nil)
	f.patient = true
	f.emit = func(e event.Event) {
		switch e := e.(type) {
		case *event.StepFinished:
			out.last = e
		case *event.Notice:
			d.Emit(e)
		}
	}
	f.watched(nil)
	out.flow = f
	return out, f.prepare()
}

// Look reads an observation that the scenario declares, all its pages; problem says
// why it could not be read.
func (s *Session) Look(name string) (*state.Snapshot, string) {
	f := s.flow
	o := f.observed[name]
	if o == nil {
		return nil, "there is no observation " + name
	}
	s.last = nil
	t := f.asks()
	found, err := t.look(name, o)
	s.looked = len(t.e.Sent)
	switch {
	case err != nil:
		return nil, err.Error()
	case found.Problem != "":
		return nil, found.Problem
	}
	return found.S, ""
}

// asks is a step that only asks.
func (s *flow) asks() *step {
	return &step{env: s.env, in: s, f: s.job.s.File, e: &event.StepFinished{}}
}

// Forget drops what is known of lists that are gone with what they were below, and of
// what was asked for: all that this session has made is removed.
func (d *Drive) Forget(s *Session) {
	if t := s.flow.asks(); t.findBase() == nil {
		s.flow.care.Forget(asking{t})
	}
}

// Looked is how many requests the last look needed.
func (s *Session) Looked() int { return s.looked }

// Lend makes what this session has made, and its names, those of another one too. What
// was there before is read first: what the other makes is not to be taken for it.
func (s *Session) Lend(to *Session, names ...string) {
	if t := s.flow.asks(); t.findBase() == nil {
		s.flow.care.Lend(asking{t}, to.flow.care)
		to.flow.guards = s.flow.guards
	}
	for _, n := range names {
		if v := s.Lookup(n); v != nil {
			to.Bind(n, v)
		}
	}
}

// Return makes what this session has made, while it was lent another one's items, that
// other one's too, so that it can remove it.
func (s *Session) Return(to *Session) {
	s.flow.care.Return(to.flow.care)
}

// Value works out a value in the session's names.
func (s *Session) Value(n *syntax.Node) (*value.Value, error) { return s.flow.names.Value(n) }

// Bind gives a name a value for the steps that follow.
func (s *Session) Bind(name string, v *value.Value) { s.flow.names.Bind(name, v) }

// Lookup is the value of a name, nil where it has none.
func (s *Session) Lookup(name string) *value.Value {
	v, err := s.flow.names.Lookup(name)
	if err != nil {
		return nil
	}
	return v
}

// Forget takes a name's value away, so that it is not mistaken for a new one.
func (s *Session) Forget(name string) { s.flow.names.Unbind(name) }

// Answer is what came of steps: that of the last request, nil where it was not sent;
// then why says what kept it.
type Answer struct {
	Reply *expect.Reply
	Step  *event.StepFinished
	Why   string
	// Requests counts all that was sent, what was looked at too.
	Requests int
}

// Around runs the steps that the user puts around each scenario: before the first
// of the session's own, or after the last.
func (s *Session) Around(afterwards bool) string {
	f := s.flow
	file := f.job.s.File
	own := f.headers
	f.headers = nil
	f.surround(true)
	defer func() {
		f.headers, f.halted = own, ""
		f.surround(false)
	}()
	layers := f.env.p.Before(file)
	if afterwards {
		layers = f.env.p.After(file)
		slices.Reverse(layers)
	}
	for _, l := range layers {
		f.list(l.Statements, l.File, afterwards)
	}
	return f.halted
}

// Run runs steps, one after another. Afterwards marks those that clean up: they
// run whatever has happened, and though the run is to end.
func (s *Session) Run(steps []*syntax.Statement, afterwards bool) Answer {
	f := s.flow
	f.halted, f.refused, f.lacked, f.index = "", "", "", 0
	var out Answer
	for _, st := range steps {
		s.last, f.last = nil, nil
		f.env.protect(func() { f.one(st, f.job.s.File, afterwards) })
		f.late = nil
		if s.last == nil {
			out.Why = "the step could not be run"
			return out
		}
		out.Step = s.last
		out.Requests += len(s.last.Sent)
		out.Reply, out.Why = f.last, f.halted
		if out.Reply == nil {
			if out.Why == "" {
				out.Why = s.last.Why
			}
			if out.Why == "" && len(s.last.Lacks) > 0 {
				out.Why = "there is no value for " + s.last.Lacks[0]
			}
			if out.Why == "" && len(s.last.Findings) > 0 && len(s.last.Findings[0].Observed) > 0 {
				out.Why = s.last.Findings[0].Observed[0]
			}
			if out.Why == "" {
				out.Why = "nothing was sent"
			}
		}
	}
	return out
}
