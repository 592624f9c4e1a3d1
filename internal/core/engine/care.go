package engine

import (
	"fmt"
	"net/url"
	"slices"
	"strings"
	"time"

	"usualpath/internal/core/custody"
	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
)

// asking is a step as custody asks through it.
type asking struct{ *step }

func (t asking) About() custody.About {
	return custody.About{Index: t.e.Index, Base: t.base, Afterwards: t.e.Afterwards, Stranger: t.stranger()}
}

// stranger tells whether a step gives up the credentials that others have.
func (t asking) stranger() bool {
	var own []*syntax.Statement
	if t.st != nil {
		own = t.st.Children
	}
	if t.now != nil && t.now.round.request != nil {
		own = slices.Concat(own, t.now.round.request.Children)
	}
	return slices.ContainsFunc(own, func(st *syntax.Statement) bool {
		a, ok := st.Body.(*syntax.Auth)
		return ok && (a.Scheme == "none" || t.in.job.s.Check != nil)
	})
}

func (t asking) Lists() ([]custody.List, error) { return t.lists() }

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
	of := t.of(l)
	at := of.At
	if of.Items != nil {
		at = of.Items
	}
	target, err := t.in.names.Target(at)
	if err != nil {
		return nil
	}
	if target, _, _ = strings.Cut(target, "?"); of.Items == nil {
		target = strings.TrimSuffix(target, "/") + "/*"
	}
	d.target = strings.Replace(target, "*", url.PathEscape(id), 1)
	r, err := d.request(t.base)
	if err != nil {
		return nil
	}
	x := t.patiently(r).Exchange
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

// context is what expectations of the current request may look at. It is the step's
// own, and good until the next one is asked for.
func (t *step) context(reply *expect.Reply, at *attempt) *expect.Context {
	if t.sees == nil {
		t.sees = &expect.Context{
			Until:    t.in.ctx,
			Step:     t.in.answer,
			ReadFile: func(name string) ([]byte, error) { return t.env.p.ReadFile(t.f, name) },
			Baseline: t.baseline,
		}
	}
	if t.seesOf != at || t.sees.Effect == nil {
		t.sees.Effect, t.seesOf = at.effect, at
	}
	if c := t.in.job.s.Check; t.sees.Form == nil && c != nil && (c.ID == Probe || t.in.job.s.File.Derived() && c.ID != typesKept) {
		t.sees.Form = t.form
	}
	t.sees.Reply, t.sees.Names, t.sees.Observed = reply, t.in.names, t.in.order
	return t.sees
}

// effect is the difference that an observation shows; nil where none was made.
func (at *attempt) effect(name string) (*state.Delta, error) {
	if at == nil || at.of == nil {
		return nil, nil
	}
	b, a := at.before[name], at.after[name]
	if b == nil || a == nil {
		return nil, nil
	}
	for _, s := range []*custody.Sight{b, a} {
		if s.Problem != "" {
			return nil, fmt.Errorf("%s could not be observed: %s", name, s.Problem)
		}
	}
	d := state.Between(b.S, a.S)
	in := at.of.in
	if o := in.observed[name]; o != nil && o.SentOnly && !in.sent.all {
		d = d.Of(in.sent.names)
	}
	return in.care.Explained(asking{at.of}, d, at.of.observed(name), b, a), nil
}

// partly tells whether a claim is about a list that shows a changing part of what is there.
func (t *step) partly(b *syntax.Expectation) bool {
	names := t.in.order
	if b.Subject.Kind == "observation" {
		names = nil
		for _, o := range b.Observations() {
			names = append(names, o.Name)
		}
	}
	return slices.ContainsFunc(names, func(n string) bool {
		return t.in.observed[n] != nil && t.env.care.Partly(t.observed(n))
	})
}
