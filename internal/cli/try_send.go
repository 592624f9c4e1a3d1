package cli

import (
	"context"
	"fmt"
	"os"
	"slices"

	"usualpath/internal/core/engine"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/syntax"
	"usualpath/internal/draft"
	"usualpath/internal/report"
	"usualpath/internal/runner"
)

// try is the request that the flags and arguments say.
func (f *tryFlags) try(args []string) (*runner.Try, error) {
	timeout, err := syntax.ParseDuration(f.timeout)
	if err != nil || timeout <= 0 {
		return nil, usage("--timeout "+f.timeout+" is not a duration", "write --timeout 200ms, 5s or 2m")
	}
	size, err := syntax.ParseSize(f.maxBody)
	if err != nil {
		return nil, usage("--max-body "+f.maxBody+" is not a size", "write --max-body 10KiB or 64MiB")
	}
	let, err := outside(f.let)
	if err != nil {
		return nil, err
	}
	return &runner.Try{
		Typed:       &draft.Typed{Method: args[0], Target: args[1], Header: f.header, Query: f.query, JSON: f.json, Text: f.text, Follow: f.follow},
		Environment: environmentOf(f.env), Let: let,
		Engine: engine.Options{Base: f.base, Allow: f.allow, Timeout: timeout, MaxBody: size, Seed: engine.NewSeed(), Tool: agent(), Getenv: os.LookupEnv},
		Repeat: f.repeat, Without: f.without, Into: f.into, Step: f.step, Scenario: f.scenario}, nil
}

// tryOnce sends it, and shows the answers and what differs between them.
func (a *app) tryOnce(ctx context.Context, f *tryFlags, t *runner.Try) error {
	ctx, _, stop := a.interruptible(ctx, &t.Engine)
	defer stop()
	d, err := t.Send(ctx)
	if err != nil {
		return a.fault(err)
	}
	s := a.style(a.out)
	report.Answer(a.out, d.First, s, f.verbose)
	if len(d.Again) > 0 {
		fmt.Fprintf(a.out, "\n%s\n", s.Strong(fmt.Sprintf("sent %d times", len(d.Again)+1)))
		a.differences(report.Spread(d.First, d.Again))
	}
	for _, w := range f.without {
		if x := d.Without[w]; x != nil {
			fmt.Fprintf(a.out, "\n%s\n", s.Strong("without "+w))
			a.differences(report.Spread(d.First, []*exchange.Exchange{x}))
		}
	}
	if f.into != "" {
		filed, err := t.File(d)
		if err != nil {
			return a.fault(err)
		}
		fmt.Fprintf(a.out, "\n%s\n", s.Strong(fmt.Sprintf("filed into %s, line %d", f.into, filed.Line)))
		for _, l := range filed.Added {
			fmt.Fprintf(a.out, "  %s %s\n", s.Faint("+"), report.Clean(l, false))
		}
		for _, n := range slices.Compact(filed.Notes) {
			fmt.Fprintf(a.out, "  %s\n", n)
		}
	}
	switch {
	case d.First.Failure == nil:
		return nil
	case d.First.Failure.Kind == exchange.Interrupted:
		return &exit{code: exitInterrupted}
	case d.First.Failure.Kind == exchange.BadRequest || d.First.Failure.Kind == exchange.HostRefused:
		return &exit{code: exitUsage}
	}
	return &exit{code: exitUnreachable}
}

func (a *app) differences(lines []string) {
	if len(lines) == 0 {
		fmt.Fprintln(a.out, "  the same answer")
	}
	for _, l := range lines {
		fmt.Fprintf(a.out, "  %s\n", report.Clean(l, false))
	}
}
