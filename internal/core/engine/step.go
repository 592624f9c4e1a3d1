package engine

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"usualpath/internal/core/event"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/project"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
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
	// now is the request under way.
	now *attempt
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

func (t *step) run() {
	var rounds []*round
	for _, c := range t.st.Children {
		switch b := c.Body.(type) {
		case *syntax.When:
			if !t.applies(c, b) {
				return
			}
		case *syntax.Pause:
			t.sleep(b.For.D)
		case *syntax.Restart, *syntax.Kill:
			if !t.process(c) {
				return
			}
		case *syntax.Let:
			if err := t.in.define(c, t.f); err != nil {
				t.lacking(err)
				return
			}
		case *syntax.Send, *syntax.Again:
			rounds = append(rounds, &round{request: c})
		case syntax.Claiming, *syntax.Keep:
			if len(rounds) == 0 {
				rounds = append(rounds, &round{})
			}
			last := rounds[len(rounds)-1]
			last.claims = append(last.claims, c)
		}
	}
	t.rounds(rounds)
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

// applies judges a `when`; a step that it leaves out says why.
func (t *step) applies(st *syntax.Statement, w *syntax.When) bool {
	reply := t.in.last
	if w.Of != nil {
		reply = t.in.replies[syntax.TitleText(w.Of)]
	}
	out := expect.Check(t.context(reply, nil), &w.Claim)
	if out.Err != nil {
		t.lacking(out.Err)
		return false
	}
	if !out.Held {
		t.e.Verdict = event.Skipped
		t.e.Why = "not applicable: " + syntax.ClaimText(w.Claim) + " does not hold"
	}
	return out.Held
}

// process restarts or kills the service.
func (t *step) process(st *syntax.Statement) bool {
	line := t.lineOf(st)
	if t.env.o.Service == nil {
		t.e.Verdict = event.Skipped
		t.e.Why = "not applicable: this run has not started the service itself (a `service` in " + project.ConfigName + ", and no --base)"
		return false
	}
	if err := t.env.o.Service.Restart(t.in.ctx, syntax.Is[*syntax.Kill](st)); err != nil {
		verdict := event.Failed
		var cannot interface{ CannotTell() bool }
		if errors.As(err, &cannot) && cannot.CannotTell() {
			verdict, t.in.halted = event.Blocked, err.Error()
		}
		t.miss(event.Finding{Verdict: verdict, Line: line, Expected: "the service starts again", Observed: strings.Split(err.Error(), "\n"), Sent: -1})
		return false
	}
	t.env.client.Forget()
	t.in.latest = nil
	return true
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
	if f.Verdict == event.Blocked && !t.e.Afterwards {
		t.in.halted = fmt.Sprintf("step %q: %s was needed", t.e.Title, f.Expected)
		if len(f.Observed) > 0 {
			t.in.halted += ", found " + f.Observed[0]
		}
	}
}

// rounds sends the step's request and its repeats, and judges each.
func (t *step) rounds(rounds []*round) {
	if len(rounds) == 0 {
		return
	}
	var d *builder
	for i, g := range rounds {
		if t.in.ctx.Err() != nil || t.in.halted != "" && !t.e.Afterwards {
			return
		}
		switch {
		case g.request == nil:
			t.judge(g.claims, &attempt{round: g, replies: []*expect.Reply{t.in.last}, sent: -1})
			continue
		case i == 0:
			first, copies, err := t.first(g.request)
			if err != nil {
				t.lacking(err)
				return
			}
			d = first
			t.send(d, copies, g)
		default:
			if !t.repeat(d, g) {
				return
			}
		}
	}
}

// first puts the step's request together, as many times as it is sent at once.
func (t *step) first(st *syntax.Statement) (*builder, []*builder, error) {
	send := st.Body.(*syntax.Send)
	if err := t.findBase(); err != nil {
		return nil, nil, err
	}
	put := func(names *scope.Scope) (*builder, error) {
		method, err := methodOf(send, names)
		if err != nil {
			return nil, err
		}
		d := &builder{method: method, timeout: t.env.o.Timeout, copies: 1}
		if err := d.layers([][]*syntax.Statement{t.env.p.Defaults(), t.in.headers, st.Children}, names, t.env.p, t.f); err != nil {
			return nil, err
		}
		target, err := names.Target(send.Target)
		d.target = target
		if err == nil && !syntax.SafeMethod(method) {
			d.unsafe = names.Unsafe(send.Target)
		}
		if send.Named != nil && (method == "GET" || method == "HEAD") {
			// The body is that of the others.
			d.body, d.hasBody, d.media, d.form, d.parts = nil, false, "", nil, nil
		}
		return d, err
	}
	together := slices.ContainsFunc(st.Children, syntax.Is[*syntax.Together])
	names := t.in.names
	if together {
		names = names.Inner()
		names.Bind("turn", value.NewInt(1))
	}
	mark := t.in.world.Rand.Mark()
	d, err := put(names)
	if err != nil || d.copies == 1 {
		return d, []*builder{d}, err
	}
	// Each copy draws the same random values: it is the same request.
	var all []*builder
	for n := range d.copies {
		t.in.world.Rand.Back(mark)
		names.Bind("turn", value.NewInt(int64(n+1)))
		one, err := put(names)
		if err != nil {
			return nil, nil, err
		}
		all = append(all, one)
	}
	return d, all, nil
}

// methodOf is the method of a request: as written, or a name's value.
func methodOf(send *syntax.Send, names *scope.Scope) (string, error) {
	if send.Named == nil {
		return send.Method, nil
	}
	v, err := names.Expr(send.Named)
	if err != nil {
		return "", err
	}
	if v.Kind != value.String || !syntax.IsMethod(v.Text) {
		return "", fmt.Errorf("{%s} is not a method: %s", send.Named.Raw, value.Cut(v.String(), 40))
	}
	return v.Text, nil
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

// repeat sends the request of a round after `again`.
func (t *step) repeat(d *builder, g *round) bool {
	again := g.request.Body.(*syntax.Again)
	times := 1
	if again.Times != nil {
		v, err := t.in.names.Value(again.Times)
		n, ok := 0, false
		if err == nil {
			n, ok = v.Int()
		}
		if err == nil && (!ok || n < 1 || n > 1_000_000) {
			err = fmt.Errorf("again takes a whole number from 1 to 1000000, not %s", v)
		}
		if err != nil {
			t.lacking(err)
			return false
		}
		times = n
	}
	next := d.copy()
	if err := next.layer(g.request.Children, t.in.names, t.env.p, t.f); err != nil {
		t.lacking(err)
		return false
	}
	*d = *next
	for n := range times {
		if t.in.ctx.Err() != nil {
			return false
		}
		which := "the repeat"
		if times > 1 {
			which = fmt.Sprintf("repeat %d of %d", n+1, times)
		}
		t.sendOnce([]*builder{d}, &attempt{round: g, role: event.Repeat, n: n + 1, which: which})
		if times > 3 && t.e.Verdict == event.Failed {
			// The rest would say the same again.
			return true
		}
	}
	return true
}
