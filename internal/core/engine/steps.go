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

func (t *step) send(d *builder, copies []*builder, g *round) {
	if d.retry != nil {
		t.retry(d, g)
		return
	}
	role := event.Main
	if len(copies) > 1 {
		role = event.Copy
	}
	t.sendOnce(copies, &attempt{round: g, role: role})
}

// retry sends until all that is expected holds, or the time is over: what does not hold before that
// may hold by then, so the last try is when it is.
func (t *step) retry(d *builder, g *round) {
	every := d.retry.Every.D
	if every == 0 {
		every = 100 * time.Millisecond
	}
	deadline := time.Now().Add(d.retry.For.D)
	kept, halted := *t.e, t.in.halted
	for n := 1; ; n++ {
		// What an earlier try missed does not count.
		*t.e, t.in.halted = kept, halted
		left := time.Until(deadline)
		t.e.Sent = append([]event.Sent(nil), t.e.Sent...)
		t.sendOnce([]*builder{d}, &attempt{round: g, role: event.Retry, n: n})
		kept.Sent, kept.Requests = t.e.Sent, t.e.Requests
		if t.e.Verdict == event.Held || t.e.Verdict == event.Warned || t.e.Verdict == event.Skipped || d.unsafe != "" || left <= 0 || t.in.ctx.Err() != nil || t.env.stopped() {
			if t.e.Verdict == event.Failed {
				t.e.Why = fmt.Sprintf("tried %d times in %s", n, d.retry.For.Raw)
			}
			return
		}
		// Only the first and the last try are told.
		if len(kept.Sent) > 1 {
			kept.Sent = kept.Sent[:1]
		}
		t.sleep(max(0, min(every, time.Until(deadline))))
	}
}
