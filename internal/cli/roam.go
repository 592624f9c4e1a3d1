package cli

import (
	"fmt"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"usualpath/internal/core/engine"
	"usualpath/internal/core/event"
	"usualpath/internal/core/project"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/roam"
	"usualpath/internal/core/syntax"
)

// roamFlags say how long and how wide to roam.
type roamFlags struct {
	span                  string
	clients, steps, items int
	into                  string
	// alone leaves out all scenarios and checks.
	alone bool
}

// usualSpan is how long roam goes on by itself.
const usualSpan = "30s"

func (f *roamFlags) choose(fl *pflag.FlagSet) {
	fl.IntVar(&f.clients, "clients", 4, "how many clients work at once, for a part of the time; 1 for one only")
	fl.IntVar(&f.steps, "steps", 0, "end after this many steps, whatever the time; 0 for no end")
	fl.IntVar(&f.items, "items", 30, "how many items may be alive at once, at most 500")
	fl.StringVar(&f.into, "into", "", "add the scenarios that are found to this file")
}

func (a *app) roam() *cobra.Command {
	f := &runFlags{level: "must", roam: roamFlags{alone: true}}
	c := &cobra.Command{
		Use: "roam [PATH…]", Short: "Walk off the usual path of resources, and bring back what breaks",
		Long: `Sends what no check thinks of: long ways through a few items, many items, values on
limits, names that are free again, several clients at once. It remembers what the
service has acknowledged, and holds it to that. What contradicts itself is replayed
on fresh items, made as short as it can be, and told as a scenario that fails until
it is mended. What was there before is left alone, and all that is made is removed.

With one client and --steps, the same seed walks the same way on the same fresh
service. The exit code is 1 when something was found, and 5 when something was seen
that did not show again.`,
		Example: `  usualpath roam
  usualpath roam boats.upath --for 5m --clients 4 --seed 7 --into found.upath
  usualpath roam boats.upath --clients 1 --steps 2000 --resource boats
  usualpath run --roam 20s`,
		RunE: func(c *cobra.Command, args []string) error {
			if !c.Flags().Changed("seed") {
				f.seed = engine.NewSeed()
			}
			if c.Flags().Changed("steps") && !c.Flags().Changed("for") {
				f.roam.span = ""
			}
			if len(args) == 0 {
				args = []string{"."}
			}
			let, err := outside(f.let)
			if err != nil {
				return err
			}
			p, list := resource.Load(args, project.Options{Environment: environmentOf(f.env), Let: let})
			if err := notSecret(p); err != nil {
				return err
			}
			return a.runProject(c.Context(), p, list, f, func(file, option, value string) string { return again(f, file, option, value) })
		},
	}
	fl := c.Flags()
	fl.StringVar(&f.roam.span, "for", usualSpan, "how long to roam: 30s, 5m, 1h")
	f.roam.choose(fl)
	fl.Uint64Var(&f.seed, "seed", 0, "seed of the walks (default: a new one, which is printed)")
	fl.StringSliceVar(&f.resources, "resource", nil, "roam these resources only")
	fl.BoolVar(&f.stopEarly, "stop-early", false, "end after the first finding")
	f.outputs(fl)
	f.workers = 1
	f.surroundings(fl)
	completeProject(c)
	return c
}

// roaming is what the flags say of roaming; nil for none.
func (f *runFlags) roaming() (*roam.Options, error) {
	r := &f.roam
	if !r.alone && r.span == "" {
		return nil, nil
	}
	o := &roam.Options{Steps: r.steps, Clients: r.clients, Items: r.items, File: "roam"}
	if r.span != "" {
		var err error
		if o.For, err = syntax.ParseDuration(r.span); err != nil || o.For < time.Second {
			option := "--for"
			if !r.alone {
				option = "--roam"
			}
			return nil, usage(option+" "+r.span+" is not how long to roam", "write a duration of 1s or more: 30s, 5m")
		}
	}
	switch {
	case r.clients < 1 || r.clients > 64:
		return nil, usage("--clients takes a number from 1 to 64", "")
	case r.items < 1 || r.items > 500:
		return nil, usage("--items takes a number from 1 to 500", "")
	case r.steps < 0:
		return nil, usage("--steps takes a number from 1, or 0 for no end", "")
	}
	if r.into != "" {
		if filepath.Ext(r.into) != project.Extension {
			return nil, usage("--into "+r.into+" is not a scenario file", "its name ends in "+project.Extension)
		}
		o.File = r.into
	}
	return o, nil
}

// keepFound adds what was found to a file, and says so.
func (a *app) keepFound(f *runFlags, list []*resource.Resource, out *roam.Outcome) error {
	if f.roam.into == "" || out == nil {
		return nil
	}
	n, err := addFound(f.roam.into, list, out.Findings)
	if err != nil {
		return usage("the scenarios cannot be kept: "+err.Error(), "")
	}
	if n > 0 {
		fmt.Fprintf(a.out, "%s added to %s; run it with usualpath run %s\n", event.Count(n, "scenario"), f.roam.into, quoteArg(f.roam.into))
	}
	return nil
}
