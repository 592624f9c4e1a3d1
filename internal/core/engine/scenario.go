package engine

import (
	"context"
	"fmt"
	"net/http/cookiejar"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"usualpath/internal/core/custody"
	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/mask"
	"usualpath/internal/core/project"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// flow is one scenario while it runs.
type flow struct {
	env *environment
	job job
	ctx context.Context
	// reading says which answers that are not JSON are read as values.
	reading expect.Reading
	emit    func(event.Event)
	names   *scope.Scope
	world   *scope.World
	// title is the title with the values of its names.
	title    string
	observed map[string]*syntax.Observe
	order    []string
	// headers are the scenario's own request lines, for all its steps.
	headers []*syntax.Statement
	jar     *cookiejar.Jar
	// replies are the answers of earlier steps, by title.
	replies map[string]*expect.Reply
	// repeats are those after `again`, in order, of the steps whose repeats a
	// claim names; repeated are those steps, once they are known.
	repeats  map[string][]*expect.Reply
	repeated map[string]bool
	last     *expect.Reply
	index    int
	verdict  event.Verdict
	// why says why nothing, or not all, could be judged.
	why string
	// binders are the steps that bind a name, for messages about blocked ones.
	binders map[string]string
	// patient is one that waits for a service that says when to come again.
	patient bool
	// calls is how deep routines are nested.
	calls int
	// needs are the scenario's own `need` lines, for all its answers.
	needs []*syntax.Statement
	// halted is set once a `need` was missed: nothing more can be told.
	halted string
	// lacked says which step lacked a value first.
	lacked string
	// guards are the lists whose members are not ours to write to; refused says
	// what a guard refused.
	guards  []*syntax.Observe
	refused string
	// care is what is known of whose the items are.
	care *custody.Scenario
	// left is why the first step that was left out was.
	left string
	// sent are the names of members that were sent, where sentOnly says that they matter.
	sent     sentNames
	sentOnly bool
	// around is set while steps run that the user puts around each scenario.
	around bool
	// unnamed is set when a create does not tell what it has made.
	unnamed bool
	// unknown says which request had no answer and may have been carried out: what counts then
	// cannot be told. between is set where a connection was closed before it.
	unknown string
	between bool
	// wrote is set once it has been told that this sends more than reads.
	wrote bool
	// late is told after the scenario.
	late []event.Event
	// latest is what was observed after the last request, while nothing has been sent
	// since then.
	latest map[string]*custody.Sight
	// judged counts the expectations that were held against an answer.
	judged, requests int
}

// scenario runs one job.
func (r *environment) scenario(ctx context.Context, j job, emit func(event.Event)) {
	s, events := r.beside(ctx, j, emit)
	if s.job.s.Check != nil && s.between {
		// What was closed between requests says nothing of what was asked: now that is known,
		// each write has a connection of its own.
		s, events = r.beside(ctx, j, emit)
	}
	if s.job.s.Check != nil && j.beside && (s.verdict == event.Failed || s.verdict == event.Blocked || s.verdict == event.Warned || s.care.Disturbed() || awaitsRefusal(s.job.s.Check.ID) && conflicted(events)) {
		// What missed beside others may be theirs, and so may what was refused: only what it
		// does alone counts.
		r.gate.Lock()
		j.alone = true
		s, events = r.under(ctx, j, emit)
		r.gate.Unlock()
	}
	for _, e := range events {
		emit(e)
	}
	r.concludes(s)
	j.over.Store(true)
	r.tellFound(emit)
}

// awaitsRefusal tells whether a check takes any refusal for the one that it waits for.
func awaitsRefusal(id string) bool {
	return strings.HasPrefix(id, "limits/") || strings.HasPrefix(id, "input/") && !strings.Contains(id, "unique")
}

// conflicted tells whether something was refused because of what is there (RFC 9110
// §15.5.10): others may have made that.
func conflicted(events []event.Event) bool {
	return slices.ContainsFunc(events, func(e event.Event) bool {
		st, ok := e.(*event.StepFinished)
		return ok && slices.ContainsFunc(st.Sent, func(s event.Sent) bool { return s.Exchange.Answer != nil && s.Exchange.Answer.Status == 409 })
	})
}

// beside runs a job while others run.
func (r *environment) beside(ctx context.Context, j job, emit func(event.Event)) (*flow, []event.Event) {
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
		r.mu.Unlock()
	}
}

// play runs one job; closely, because of a doubt, with a look at what was there
// before around each request that writes, and with other random values than the
// first time.
func (r *environment) play(ctx context.Context, j job, closely *custody.Doubt, emit func(event.Event)) *flow {
	key := j.randomKey()
	if closely != nil || j.alone {
		key += "\x00once more"
	}
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

// flow is a scenario that has not begun; of those with the same key and seed the random values are
// the same.
func (r *environment) flow(ctx context.Context, j job, key string, emit func(event.Event)) *flow {
	s := &flow{env: r, job: j, ctx: ctx, emit: emit, patient: j.patient, verdict: event.Held, guards: guardsOf(j.s), replies: map[string]*expect.Reply{},
		observed: map[string]*syntax.Observe{}, binders: map[string]string{}}
	s.world = &scope.World{Rand: scope.Seeded(r.o.Seed, key), Now: r.o.Now,
		ReadFile: func(name string) ([]byte, error) { return r.p.ReadFile(j.s.File, name) }, Secret: r.mask}
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

func (s *flow) about() string {
	for _, st := range s.job.s.Head {
		if a, ok := st.Body.(*syntax.About); ok && a.Text != nil {
			text, err := s.names.Text(a.Text.Template)
			if err == nil {
				return text
			}
		}
	}
	return ""
}

// prepare binds the names that are known before the first step.
func (s *flow) prepare() error {
	f := s.job.s.File
	s.names = scope.New(s.world)
	for n, v := range s.env.p.Let {
		s.names.Bind(n, v)
	}
	for n, v := range s.job.values {
		s.names.Bind(n, v)
	}
	for _, l := range s.env.p.Layers(f) {
		s.names = s.names.Inner()
		for _, st := range l.Statements {
			if err := s.define(st, l.File); err != nil {
				return err
			}
		}
	}
	s.names = s.names.Inner()
	s.title = s.job.s.Raw()
	if s.job.title != "" {
		s.title = s.job.title
	}
	if err := s.bindCase(); err != nil {
		return err
	}
	for _, st := range s.job.s.Head {
		if err := s.define(st, f); err != nil {
			return err
		}
		switch b := st.Body.(type) {
		case *syntax.Read:
			s.reading.XML = s.reading.XML || b.What == "xml"
			s.reading.Text = s.reading.Text || b.What == "text"
		case *syntax.Header, *syntax.Auth:
			s.headers = append(s.headers, st)
		case syntax.Claiming:
			s.needs = append(s.needs, st)
		}
	}
	for _, d := range s.env.p.Defaults() {
		if set, ok := d.Body.(*syntax.Cookies); ok {
			if set.On {
				// cookiejar.New without options does not fail.
				s.jar, _ = cookiejar.New(nil)
			} else {
				s.jar = nil
			}
		}
	}
	if s.job.s.Title != nil && s.job.title == "" {
		title, err := s.names.Text(s.job.s.Title.Template)
		if err != nil {
			return fmt.Errorf("the title: %w", err)
		}
		s.title = title
	}
	for _, list := range [][]*syntax.Statement{s.job.s.Steps, s.job.s.Afterwards} {
		for _, st := range list {
			s.noteBinders(st, syntax.StepTitle(st))
		}
	}
	return nil
}

func (s *flow) noteBinders(st *syntax.Statement, title string) {
	for _, b := range syntax.Bindings(st) {
		if s.binders[b.Name] == "" {
			s.binders[b.Name] = title
		}
	}
	for _, c := range st.Children {
		s.noteBinders(c, title)
	}
}

func (s *flow) bindCase() error {
	if s.job.row == 0 {
		return nil
	}
	object, row := s.job.s.Cases.At(s.job.row - 1)
	if object != nil {
		var err error
		if row, err = s.names.Value(object); err != nil {
			return fmt.Errorf("row %d: %w", s.job.row, err)
		}
	}
	for i, n := range row.Names {
		s.names.Bind(n, row.Items[i])
	}
	return nil
}

// define takes in a let, secret or observation.
func (s *flow) define(st *syntax.Statement, f *project.File) error {
	switch b := st.Body.(type) {
	case *syntax.Let:
		if v, given := s.env.p.Let[b.Name]; given && !f.Derived() {
			s.names.Bind(b.Name, v)
			return nil
		}
		if b.Env == "" {
			s.names.Define(b.Name, b.Value)
			return nil
		}
		if text, ok := s.getenv(b.Env); ok {
			s.names.Bind(b.Name, value.NewString(text))
		} else if b.Or != nil {
			s.names.Define(b.Name, b.Or)
		} else {
			return fmt.Errorf("the environment variable %s of `%s` is not set; `or VALUE` gives a default", b.Env, b.Name)
		}
	case *syntax.Secret:
		return s.secret(b, f)
	case *syntax.Observe:
		if _, twice := s.observed[b.Name]; !twice {
			s.order = append(s.order, b.Name)
		}
		s.observed[b.Name] = b
		s.sentOnly = s.sentOnly || b.SentOnly
	}
	return nil
}

func (s *flow) getenv(name string) (string, bool) {
	if s.env.o.Getenv == nil {
		return "", false
	}
	return s.env.o.Getenv(name)
}

// tellShort says once a run that a secret is short.
func (s *flow) tellShort(name, text string) {
	if utf8.RuneCountInString(text) >= mask.Free {
		return
	}
	s.env.mu.Lock()
	told := s.env.short[name]
	s.env.short[name] = true
	s.env.mu.Unlock()
	if !told {
		s.late = append(s.late, &event.Notice{Text: fmt.Sprintf("the secret `%s` has fewer than %d characters: it is hidden only where it stands by itself", name, mask.Free)})
	}
}

func (s *flow) secret(b *syntax.Secret, f *project.File) error {
	text := ""
	if b.File != nil {
		name, _ := b.File.Template.Plain()
		data, err := s.env.p.ReadFile(f, name)
		if err != nil {
			return fmt.Errorf("secret `%s`: %w", b.Name, err)
		}
		text = strings.TrimRight(string(data), "\r\n")
	} else {
		var ok bool
		if text, ok = s.getenv(b.Env); !ok {
			return fmt.Errorf("secret `%s`: the environment variable %s is not set", b.Name, b.Env)
		}
	}
	if !s.env.mask.Add(text) {
		return fmt.Errorf("secret `%s` has fewer than %d characters, and cannot be hidden", b.Name, mask.Shortest)
	}
	s.tellShort(b.Name, text)
	s.names.Bind(b.Name, value.NewString(text))
	return nil
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

// surround begins or ends the steps that the user puts around each scenario.
func (s *flow) surround(on bool) { s.around, s.care.Around = on, on }

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

func (s *flow) finish(e *event.StepFinished) {
	s.requests += len(e.Sent)
	if e.Verdict == event.Skipped && s.left == "" {
		s.left = e.Why
	}
	if e.Verdict != event.NotReached || s.verdict == event.Held {
		s.verdict = event.Worse(s.verdict, e.Verdict)
	}
	s.emit(e)
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
