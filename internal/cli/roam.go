package cli

import (
	"context"
	"fmt"

	"github.com/spf13/cobra"

	"usualpath/internal/core/engine"
	"usualpath/internal/core/project"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/roam"
	"usualpath/internal/core/syntax"
	"usualpath/internal/runner"
)

func (a *app) roam() *cobra.Command {
	f := &runFlags{level: "must"}
	c := &cobra.Command{
		Use: "roam [PATH…]", Short: "Walk off the usual path",
		RunE: func(c *cobra.Command, args []string) error {
			if !c.Flags().Changed("seed") {
				f.seed = engine.NewSeed()
			}
			if len(args) == 0 {
				args = []string{"."}
			}
			p, list := resource.Load(args, project.Options{Environment: environmentOf(f.env)})
			o := &roam.Options{Steps: f.steps, Clients: f.clients, Items: f.items}
			var err error
			if o.For, err = syntax.ParseDuration(f.roamFor); err != nil {
				return err
			}
			return a.runRoam(c.Context(), p, list, f, o)
		},
	}
	fl := c.Flags()
	fl.StringVar(&f.env, "env", "", "the environment of project.upath to use (else USUALPATH_ENV)")
	fl.StringVar(&f.base, "base", "", "the base URL, whatever the files say")
	fl.StringVar(&f.roamFor, "for", "30s", "how long to roam: 30s, 5m")
	fl.Uint64Var(&f.seed, "seed", 0, "seed of random values (default: a new one, which is printed)")
	fl.IntVar(&f.clients, "clients", 4, "how many clients work at once, for a part of the time")
	fl.IntVar(&f.steps, "steps", 0, "end after this many steps")
	fl.IntVar(&f.items, "items", 30, "the most items that are alive at once")
	fl.StringVar(&f.timeout, "timeout", "10s", "how long an exchange may take: 200ms, 5s, 2m")
	fl.StringVar(&f.maxBody, "max-body", "16MiB", "the longest answer body that is accepted")
	fl.StringSliceVar(&f.resources, "resource", nil, "walk these resources only")
	fl.BoolVar(&f.stopEarly, "stop-early", false, "end after the first finding")
	return c
}

func (a *app) runRoam(ctx context.Context, p *project.Project, list []*resource.Resource, f *runFlags, o *roam.Options) error {
	f.workers = 1
	c, err := a.config(p, list, f)
	if err != nil {
		return err
	}
	c.Roam, c.RoamAlone = o, true
	ctx, _, stop := a.interruptible(ctx, &c.Engine)
	defer stop()
	done, err := runner.Run(ctx, *c, runner.View{})
	if done == nil {
		return a.fault(err)
	}
	out := done.Roam
	for _, x := range out.Findings {
		fmt.Fprintf(a.out, "%s (%d of %d, once %v, met %d times, after %s)\n%s\n\n%s\n", x.Title, x.Shows, x.Tries, x.Once, x.Times, x.After, x.About, x.Text)
	}
	fmt.Fprintf(a.out, "%+v\n", out.Progress)
	fmt.Fprintf(a.out, "%+v\n", out.Unwalked)
	for _, g := range out.Grids {
		fmt.Fprintf(a.out, "%s %v pairs %d of %d\n", g.Resource, g.Columns, g.Pairs, g.Of)
		for _, r := range g.Rows {
			fmt.Fprintf(a.out, "  %-10s %v\n", r.Operation, r.Cells)
		}
	}
	return verdict(done)
}
