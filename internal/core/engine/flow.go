package engine

import (
	"context"
	"fmt"
	"net/http/cookiejar"
	"strings"
	"unicode/utf8"

	"usualpath/internal/core/custody"
	"usualpath/internal/core/event"
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
	// kept is where names of what ran once for all are bound.
	kept  *scope.Scope
	world *scope.World
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

// flow is a scenario that has not begun; of those with the same key and seed the random values are
// the same.
func (r *environment) flow(ctx context.Context, j job, key string, emit func(event.Event)) *flow {
	s := &flow{env: r, job: j, ctx: ctx, emit: emit, patient: j.patient, verdict: event.Held, guards: guardsOf(j.s), replies: map[string]*expect.Reply{},
		observed: map[string]*syntax.Observe{}, binders: map[string]string{}}
	s.world = &scope.World{Rand: scope.Seeded(r.o.Seed, key), Now: r.o.Now,
		ReadFile: func(name string) ([]byte, error) { return r.p.ReadFile(j.s.File, name) }, Secret: r.mask}
	return s
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
	s.kept = s.names
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

// surround begins or ends the steps that the user puts around each scenario.
func (s *flow) surround(on bool) { s.around, s.care.Around = on, on }

// guardsOf are the guarded lists of a scenario's head.
func guardsOf(s *project.Scenario) []*syntax.Observe {
	var out []*syntax.Observe
	for _, st := range s.Head {
		if g, ok := st.Body.(*syntax.Guard); ok {
			out = append(out, g.Of)
		}
	}
	return out
}

// repeatedBy keeps an answer after `again` where a claim of the scenario asks for
// such a one: of the others there may be many.
func (f *flow) repeatedBy(title string, r *expect.Reply) {
	if f.repeated == nil {
		f.repeated, f.repeats = map[string]bool{}, map[string][]*expect.Reply{}
		for _, st := range f.job.s.Steps {
			for _, c := range st.Children {
				if b, ok := c.Body.(syntax.Claiming); ok {
					if s := b.Claimed().Predicate.Source; s != nil && s.Repeat != nil {
						f.repeated[syntax.TitleText(s.Title)] = true
					}
				}
			}
		}
	}
	if f.repeated[title] {
		f.repeats[title] = append(f.repeats[title], r)
	}
}

// answer is the last answer of a step, or one of those after `again`.
func (f *flow) answer(title string, repeat int) *expect.Reply {
	switch list := f.repeats[title]; {
	case repeat == 0:
		return f.replies[title]
	case repeat <= len(list):
		return list[repeat-1]
	}
	return nil
}
