package engine

import (
	"context"
	"errors"
	"fmt"
	"net/url"
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

// asking is a step as custody asks through it.
type asking struct{ *step }

func (t asking) About() custody.About {
	out := custody.About{Index: t.e.Index, Base: t.base, Afterwards: t.e.Afterwards}
	if t.e.Title != "" {
		out.Name = fmt.Sprintf("step %q (%s:%d)", t.e.Title, t.e.File, t.e.Line)
	}
	return out
}

// Lists are the guarded lists whose names have values.
func (t asking) Lists() ([]custody.List, error) {
	var out []custody.List
	for n, o := range t.in.guards {
		target, err := t.in.names.Target(o.At)
		var unbound *scope.Unbound
		if errors.As(err, &unbound) {
			continue
		}
		if err != nil {
			return nil, err
		}
		r, err := (&builder{method: "GET", target: target}).request(t.base)
		if err != nil {
			return nil, err
		}
		l := t.list(n, o)
		l.Path = custody.PlainPath(r.URL)
		out = append(out, l)
	}
	return out, nil
}

// list is an observation as a list, the guarded ones first.
func (t asking) list(n int, o *syntax.Observe) custody.List {
	return custody.List{N: n, Host: custody.HostOf(t.base), Written: o.At.Raw, Keyed: o.By != nil}
}

// observed is an observation of the scenario as a list.
func (t asking) observed(name string) custody.List {
	for i, n := range t.in.order {
		if n == name {
			return t.list(len(t.in.guards)+i, t.in.observed[n])
		}
	}
	return custody.List{}
}

// of is what reads a list.
func (t asking) of(l custody.List) *syntax.Observe {
	if i := l.N - len(t.in.guards); i >= 0 {
		return t.in.observed[t.in.order[i]]
	}
	return t.in.guards[l.N]
}

func (t asking) Look(l custody.List, why string, whole bool) (*custody.Sight, error) {
	o := *t.of(l)
	if whole {
		o.Ignoring = nil
	}
	return t.look(why, &o)
}

func (t asking) Ask(r *exchange.Request, why string) *exchange.Exchange {
	x := t.patiently(r).Exchange
	t.env.note(x)
	t.e.Sent = append(t.e.Sent, event.Sent{Role: event.Observation, Name: why, Exchange: x})
	return x
}

func (t asking) Item(method string, l custody.List, id, why string) *exchange.Exchange {
	d := &builder{method: method, timeout: t.env.o.Timeout}
	if t.findBase() != nil || d.layers([][]*syntax.Statement{t.env.p.Defaults(), t.in.headers}, t.in.names, t.env.p, t.f) != nil {
		return nil
	}
	target, err := t.in.names.Target(t.of(l).At)
	if err != nil {
		return nil
	}
	target, _, _ = strings.Cut(target, "?")
	d.target = strings.TrimSuffix(target, "/") + "/" + url.PathEscape(id)
	r, err := d.request(t.base)
	if err != nil {
		return nil
	}
	x := t.env.client.Do(t.in.ctx, r)
	t.e.Sent = append(t.e.Sent, event.Sent{Role: event.Observation, Name: why, Exchange: x})
	return x
}

func (t asking) Kept(r *expect.Reply) []custody.Kept {
	if t.now == nil {
		return nil
	}
	var out []custody.Kept
	for _, st := range t.now.round.claims {
		k, ok := st.Body.(*syntax.Keep)
		if !ok {
			continue
		}
		if v, err := t.context(r, t.now).Keep(k); err == nil && custody.CanName(v) {
			out = append(out, custody.Kept{Value: v, Header: k.From == "header", Path: k.Path != nil, Line: t.lineOf(st)})
		}
	}
	return out
}

func (t asking) Wait(d time.Duration) { t.sleep(d) }

// Apart is a step of its own, in a scenario as it is now: that of the check is told when it is
// asked, and its lines are put away.
func (t asking) Apart() custody.Step {
	again, in := *t.step, *t.in
	in.care = t.in.care.Apart()
	again.e, again.in, again.sees, again.now = &event.StepFinished{}, &in, nil, nil
	return asking{&again}
}

// watched begins what is known of a scenario's own items.
func (s *flow) watched(closely *custody.Doubt) {
	j := s.job
	how := custody.How{Check: j.s.Check != nil, Guarded: len(s.guards) > 0, Patient: s.patient, Beside: j.beside && !j.alone, Closely: closely}
	s.care = s.env.care.Scenario(s.ctx, s.env.writer(j), how, &s.world.Drawn, func(text string) { s.emit(&event.Notice{Text: text}) })
}

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

// firstHarm numbers what is found beside the scenarios of the plan.
const firstHarm = 1_000_000

// harmed tells of harm as a scenario of its own; checks of the resources concerned are not run.
func (r *environment) harmed(h *custody.Harm) {
	id := firstHarm + h.Number
	f := event.Finding{Verdict: event.Failed, Line: h.Line, Expected: "what was there before stays as it is", Observed: h.Observed,
		Because: "a request changes what it names, and nothing else (RFC 9110 §9.3)", Sent: h.At}
	for _, by := range h.By {
		if j := by.Of.(job); j.s.Check != nil {
			r.shutOff(j.s.File, r.checkOf(j.s), h.Why())
		}
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	r.failed = true
	r.found = append(r.found, &event.ScenarioStarted{ID: id, File: h.File, Line: h.Line, Title: h.List + ": what was there before is left alone", Pattern: h.Of},
		&event.StepFinished{Scenario: id, Index: 1, Title: h.Step, File: h.File, Line: h.Line, Verdict: event.Failed, Findings: []event.Finding{f}, Sent: h.Sent},
		&event.ScenarioFinished{Scenario: id, Verdict: event.Failed, Steps: 1, Requests: len(h.Sent)})
}

// tellFound passes on what was found beside the scenarios of the plan.
func (r *environment) tellFound(emit func(event.Event)) {
	r.mu.Lock()
	found := r.found
	r.found = nil
	r.mu.Unlock()
	for _, e := range found {
		emit(e)
	}
}
