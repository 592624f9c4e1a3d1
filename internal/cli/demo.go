package cli

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/signal"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"usualpath/examples"
	"usualpath/internal/core/engine"
	"usualpath/internal/core/project"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/source"
	"usualpath/internal/harbour"
)

func (a *app) demo() *cobra.Command {
	f := &runFlags{timeout: "10s", maxBody: "16MiB"}
	var faults []string
	c := &cobra.Command{
		Use: "demo", Short: "Run the full example on the built-in harbour service",
		Long: `Starts the harbour, a small service that ships with the tool, on a free port of
this machine, runs the example scenarios against it, and says how to go on.
With --fault the harbour does one thing wrong, and the run shows it.`,
		Example: `  usualpath demo
  usualpath demo --fault deleted-still-there
  usualpath demo serve --seed-data --listen 127.0.0.1:4710`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if !c.Flags().Changed("seed") {
				f.seed = engine.NewSeed()
			}
			return a.runDemo(c.Context(), f, faults)
		},
	}
	f.choose(c)
	completeChecks(c)
	c.Flags().StringArrayVar(&faults, "fault", nil, "what the harbour does wrong (repeatable; demo serve --list-faults lists them)")
	completeFaults(c)
	c.AddCommand(a.serve())
	return c
}

func (a *app) runDemo(ctx context.Context, f *runFlags, faults []string) (err error) {
	if err := harbour.CheckFaults(faults); err != nil {
		return noFault(err)
	}
	folder, err := os.MkdirTemp("", "usualpath-demo-*")
	if err != nil {
		return &exit{code: exitBroken, message: err.Error()}
	}
	defer func() {
		if e := os.RemoveAll(folder); e != nil && err == nil {
			err = &exit{code: exitBroken, message: e.Error()}
		}
	}()
	if err := unpack(folder); err != nil {
		return &exit{code: exitBroken, message: "the example cannot be unpacked: " + err.Error()}
	}
	data := filepath.Join(folder, "data")
	process := &harbourProcess{o: harbour.Options{SeedData: true, Faults: faults, Data: data}}
	if process.s, err = harbour.Start(process.o); err != nil {
		return &exit{code: exitUnreachable, message: err.Error()}
	}
	defer func() {
		if e := process.s.Close(); e != nil && err == nil {
			err = &exit{code: exitBroken, message: "the harbour did not end: " + e.Error()}
		}
	}()
	f.base, f.process = process.s.URL, process
	// Shown as they are in the example project.
	p, list := resource.Load([]string{folder}, project.Options{Shown: filepath.Base, Thorough: f.thorough, Wanted: f.wanted()})
	st := a.style(a.out)
	if f.quiet == 0 {
		with := ""
		if len(faults) > 0 {
			with = ", with the fault " + strings.Join(faults, ", ")
		}
		fmt.Fprintf(a.out, "the harbour of Gull Point listens at %s%s\n\n", process.s.URL, with)
	}
	suffix := ""
	for _, x := range faults {
		suffix += " --fault " + x
	}
	err = a.runProject(ctx, p, list, f, func(_, option, value string) string {
		return "usualpath demo" + suffix + " " + option + " " + quoteArg(value)
	})
	if f.quiet == 0 {
		a.next(st.Arrow(), faults)
	}
	return err
}

// next says how to go on after a demo.
func (a *app) next(arrow string, faults []string) {
	lines := []string{
		"usualpath demo --fault deleted-still-there        what a failure looks like",
		"usualpath demo serve --seed-data --listen 127.0.0.1:4710",
		"                                                  the harbour by itself, to try things on",
		"usualpath try GET http://127.0.0.1:4710/boats     one request, and what is noteworthy",
	}
	if len(faults) > 0 {
		lines = []string{
			"usualpath demo                                    the same without the fault",
			"usualpath demo serve --list-faults                all that can be made to go wrong",
		}
	}
	fmt.Fprintf(a.out, "\nnext\n")
	for _, l := range lines {
		if strings.HasPrefix(l, " ") {
			fmt.Fprintf(a.out, "    %s\n", l)
			continue
		}
		fmt.Fprintf(a.out, "  %s %s\n", arrow, l)
	}
}

// noFault tells of a name that no fault has, and of the nearest that there is.
func noFault(err error) error {
	hint := "usualpath demo serve --list-faults says what there is"
	var unknown *harbour.UnknownFault
	if errors.As(err, &unknown) {
		var all []string
		for _, f := range harbour.Faults() {
			all = append(all, f.Name)
		}
		if n := source.Nearest(unknown.Name, all); n != "" {
			hint = "did you mean --fault " + n + "? " + hint
		}
	}
	return usage(err.Error(), hint)
}

// unpack writes the example project into a folder.
func unpack(folder string) error {
	return fs.WalkDir(examples.Files, ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		to := filepath.Join(folder, name)
		if d.IsDir() {
			return os.MkdirAll(to, 0o755)
		}
		data, err := examples.Files.ReadFile(name)
		if err != nil {
			return err
		}
		return os.WriteFile(to, data, 0o644)
	})
}

func (a *app) serve() *cobra.Command {
	var o harbour.Options
	list := false
	c := &cobra.Command{
		Use: "serve", Short: "Only start the harbour service, until it is interrupted",
		Example: `  usualpath demo serve --seed-data --listen 127.0.0.1:4710
  usualpath demo serve --fault put-appends
  usualpath demo serve --list-faults`,
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			if list {
				for _, f := range harbour.Faults() {
					fmt.Fprintf(a.out, "%-24s %s\n", f.Name, f.Says)
				}
				return nil
			}
			if err := harbour.CheckFaults(o.Faults); err != nil {
				return noFault(err)
			}
			ctx, stop := signal.NotifyContext(context.Background(), stopSignals...)
			defer stop()
			s, err := harbour.Start(o)
			if err != nil {
				return &exit{code: exitUnreachable, message: err.Error()}
			}
			fmt.Fprintf(a.out, "the harbour of Gull Point listens at %s\n", s.URL)
			<-ctx.Done()
			if err := s.Close(); err != nil {
				return &exit{code: exitBroken, message: "the harbour did not end well: " + err.Error()}
			}
			return nil
		},
	}
	fl := c.Flags()
	fl.StringVar(&o.Listen, "listen", "127.0.0.1:0", "host and port; port 0 takes a free one")
	fl.StringVar(&o.Data, "data", "", "the folder that keeps the data (default: a temporary one)")
	fl.BoolVar(&o.SeedData, "seed-data", false, "fill an empty store with a dozen boats and berths")
	fl.StringArrayVar(&o.Faults, "fault", nil, "what the harbour does wrong (repeatable)")
	fl.BoolVar(&list, "list-faults", false, "list the faults and end")
	completeFaults(c)
	return c
}
