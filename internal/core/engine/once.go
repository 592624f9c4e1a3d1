package engine

import (
	"context"
	"fmt"
	"slices"

	"usualpath/internal/core/event"
	"usualpath/internal/core/project"
	"usualpath/internal/core/value"
)

// firstOnce numbers what runs once for all others.
const firstOnce = 2_000_000

// needed are the preludes whose names a scenario needs, in order.
func (r *environment) needed(s *project.Scenario) []*project.Prelude {
	all := r.p.Preludes(s.File)
	if len(all) == 0 {
		return nil
	}
	mentions := r.p.Mentions(s)
	return slices.DeleteFunc(all, func(one *project.Prelude) bool {
		return one.Scenario == s || !slices.ContainsFunc(one.Keeps, func(n string) bool { return mentions[n] })
	})
}

// stale tells whether values of a prelude are older than it says they hold.
func (r *environment) stale(one *project.Prelude) bool {
	have := r.once.of(one)
	return have != nil && one.Every > 0 && r.o.Now().Sub(have.at) > one.Every
}

// unready tells whether something has to run before a job, and whether nothing
// may run beside it.
func (r *environment) unready(j job) (some, alone bool) {
	for _, one := range r.needed(j.s) {
		alone = alone || r.stale(one)
		some = some || alone || r.once.of(one) == nil
	}
	return some, alone
}

// ready runs what a scenario needs to have run, and gives the names that it
// keeps, or why they have no values.
func (r *environment) ready(ctx context.Context, s *project.Scenario, emit func(event.Event)) (map[string]*value.Value, string) {
	var out map[string]*value.Value
	why := ""
	for _, one := range r.needed(s) {
		have := r.once.of(one)
		if have == nil || r.stale(one) {
			have = r.prelude(ctx, one, emit)
		}
		if have.failed != "" && why == "" {
			why = have.failed
		}
		for n, v := range have.values {
			if out == nil {
				out = map[string]*value.Value{}
			}
			out[n] = v
		}
	}
	return out, why
}

// prelude runs a `before all`.
func (r *environment) prelude(ctx context.Context, one *project.Prelude, emit func(event.Event)) *prelude {
	// Known before it runs: it may not need itself.
	r.once.set(one, &prelude{at: r.o.Now()})
	have := &prelude{at: r.o.Now(), values: r.given(one)}
	if len(have.values) == 0 {
		r.runPrelude(ctx, one, have, emit)
	}
	r.once.set(one, have)
	return have
}

// runPrelude runs the steps of a prelude.
func (r *environment) runPrelude(ctx context.Context, one *project.Prelude, have *prelude, emit func(event.Event)) {
	title := fmt.Sprintf("before all %q", one.Raw())
	before, why := r.ready(ctx, one.Scenario, emit)
	s := r.play(ctx, job{planned: planned{s: one.Scenario, id: r.once.number()}, title: title, values: before, blocked: why}, nil, emit)
	r.concludes(s)
	for _, name := range one.Keeps {
		if v, err := s.names.Lookup(name); err == nil {
			have.values[name] = v
		}
	}
	if s.verdict == event.Failed || s.verdict == event.Blocked {
		have.failed = title + " has failed"
	}
}

// given are the values of a prelude that need no run of it: all of them come from
// outside, or nothing is sent and their names stand for them.
func (r *environment) given(one *project.Prelude) map[string]*value.Value {
	out := map[string]*value.Value{}
	for _, n := range one.Keeps {
		switch v, given := r.p.Let[n]; {
		case given:
			out[n] = v
		case r.o.Unsent:
			out[n] = value.NewString("{" + n + "}")
		default:
			return map[string]*value.Value{}
		}
	}
	return out
}

// finales runs the `after all` of all files of which something has run.
func (r *environment) finales(ctx context.Context, emit func(event.Event)) {
	var list []*project.Scenario
	for _, f := range r.once.ran {
		for _, one := range r.p.Finales(f) {
			if !slices.Contains(list, one) {
				list = append(list, one)
			}
		}
	}
	// What is around others comes after them.
	slices.SortStableFunc(list, func(a, b *project.Scenario) int {
		rank := func(s *project.Scenario) int {
			if s.File == r.p.Config {
				return 1
			}
			return 0
		}
		return rank(a) - rank(b)
	})
	for _, one := range list {
		if ctx.Err() != nil || r.lost() {
			return
		}
		values := map[string]*value.Value{}
		for _, p := range r.p.Preludes(one.File) {
			if have := r.once.of(p); have != nil {
				for n, v := range have.values {
					values[n] = v
				}
			}
		}
		r.concludes(r.play(ctx, job{planned: planned{s: one, id: r.once.number()}, title: "after all", values: values}, nil, emit))
	}
}
