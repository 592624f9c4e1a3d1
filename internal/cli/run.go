package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math"
	"net/url"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"usualpath/internal/core/engine"
	"usualpath/internal/core/project"
	"usualpath/internal/core/record"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/report/out"
	"usualpath/internal/runner"
)

// runFlags are the options of run, and of demo where they fit.
type runFlags struct {
	env, base, timeout, maxBody string
	let                         []string
	lines                       map[string][]int
	only, tags, skipTags        []string
	stopEarly, verbose          bool
	quiet                       int
	resources                   []string
	list                        string
	failed, thorough            bool
	accept                      bool
	checks, families            []string
	level                       string
	allow                       []string
	seed                        uint64
	workers                     int
	watch, history, remember    bool
	reports                     []string
	save, shard, balance        string
	against                     string
	coverage, readOnly, bare    bool
	least                       string
	// process is a service that the command itself has started.
	process engine.Process
	roam    roamFlags
}

// unsaid is a number of workers that was not given.
const unsaid = math.MinInt

func (f *runFlags) choose(c *cobra.Command) {
	fl := c.Flags()
	fl.StringArrayVar(&f.only, "only", nil, "run the scenarios whose title contains this text (repeatable)")
	fl.StringSliceVar(&f.tags, "tag", nil, "run the scenarios with one of these tags")
	fl.StringSliceVar(&f.skipTags, "skip-tag", nil, "skip the scenarios with one of these tags")
	fl.StringSliceVar(&f.checks, "check", nil, "run these derived checks, by family/name (repeatable)")
	fl.StringSliceVar(&f.families, "family", nil, "run the derived checks of these families")
	fl.StringSliceVar(&f.resources, "resource", nil, "run the derived checks of these resources")
	fl.BoolVar(&f.thorough, "thorough", false, "try more values and combinations where a resource says what it takes")
	fl.StringVar(&f.level, "level", "must", "the lowest level at which a miss fails the run: must, should or usual")
	f.outputs(fl)
	fl.StringVar(&f.against, "against", "", "hold every exchange against this OpenAPI document too, and show what of it was touched")
	fl.StringVar(&f.least, "coverage-min", "", "with --against: the share of its operations that must be touched, 80% or 0.8")
	fl.BoolVar(&f.coverage, "coverage", false, "show which operations of the resources, or of --against, were touched")
	fl.StringVar(&f.shard, "shard", "", "run the I-th of N parts of the suite, I/N")
	fl.StringVar(&f.balance, "balance", "", "with --shard: balance the parts by the durations in this record")
	fl.BoolVar(&f.stopEarly, "stop-early", false, "end the run after the first scenario that fails")
	fl.BoolVar(&f.readOnly, "read-only", false, "send GET, HEAD and OPTIONS only; what needs more is not applicable")
	fl.Uint64Var(&f.seed, "seed", 0, "seed of random values (default: a new one, which is printed)")
	fl.IntVar(&f.workers, "workers", unsaid, "how many scenarios may run side by side (default 1, or 4 for checks of a service that is slow to answer)")
	fl.Lookup("workers").DefValue = "0"
}

// outputs are the options about what a run is written to.
func (f *runFlags) outputs(fl *pflag.FlagSet) {
	fl.StringArrayVar(&f.reports, "report", nil, "write FORMAT=FILE or FORMAT=- : "+strings.Join(out.Formats(), ", ")+" (repeatable)")
	fl.StringVar(&f.save, "save", "", "write the run record to this file")
	fl.BoolVar(&f.bare, "show-credentials", false, "with -v on a terminal: show credentials in headers")
	fl.BoolVarP(&f.verbose, "verbose", "v", false, "show every exchange")
	fl.CountVarP(&f.quiet, "quiet", "q", "show only failures and the summary; twice, only the summary")
}

// surroundings are the options about where a run is sent, and with what.
func (f *runFlags) surroundings(fl *pflag.FlagSet) {
	fl.StringVar(&f.env, "env", "", "the environment of project.upath to use (else USUALPATH_ENV)")
	fl.StringArrayVar(&f.let, "let", nil, "bind a name from outside, NAME=VALUE, over what the files say (repeatable)")
	fl.StringVar(&f.base, "base", "", "the base URL, whatever the files say")
	fl.StringVar(&f.timeout, "timeout", "10s", "how long an exchange may take: 200ms, 5s, 2m")
	fl.StringVar(&f.maxBody, "max-body", "16MiB", "the longest answer body that is accepted")
	fl.StringArrayVar(&f.allow, "allow-host", nil, "another host, besides this machine, that requests may go to (repeatable)")
	fl.BoolVar(&f.history, "history", false, "keep the record below .usualpath, and tell what the last runs say")
}

func (a *app) run() *cobra.Command {
	f := &runFlags{roam: roamFlags{clients: 4, items: 30}}
	c := &cobra.Command{
		Use: "run [PATH…]", Short: "Run scenarios",
		Long: `Runs the scenarios of files, and of all .upath files below folders (default: this
folder); FILE:LINE runs what stands at a line. Every file is read and checked first: with a mistake in one of them,
nothing is sent at all.`,
		Example: `  usualpath run
  usualpath run boats.upath --base http://127.0.0.1:4710
  usualpath run . --tag smoke --only "absent" -v
  usualpath run boats.upath:12
  usualpath run --failed
  usualpath run . --list
  usualpath run boats.upath --check lifecycle/deleted-is-gone
  usualpath run . --against openapi.yaml
  usualpath run . --roam 20s
  usualpath run --watch`,
		RunE: func(c *cobra.Command, args []string) error {
			if !c.Flags().Changed("seed") {
				f.seed = engine.NewSeed()
			}
			if len(args) == 0 {
				args = []string{"."}
			}
			one := func(ctx context.Context, p *project.Project, list []*resource.Resource) error {
				if f.list != "" {
					return a.list(p, list, f)
				}
				return a.runProject(ctx, p, list, f, func(file, option, value string) string {
					return again(f, file, option, value)
				})
			}
			f.remember = true
			if f.list != "" && f.list != "text" && f.list != "json" {
				return usage("--list takes text or json, not "+f.list, "write --list, or --list=json")
			}
			if f.watch {
				return a.watch(c.Context(), args, f, one)
			}
			let, err := outside(f.let)
			if err != nil {
				return err
			}
			args, f.lines = atLines(args)
			p, list := resource.Load(args, project.Options{Environment: environmentOf(f.env), Let: let, Thorough: f.thorough, Wanted: f.wanted()})
			if err := notSecret(p); err != nil {
				return err
			}
			return one(c.Context(), p, list)
		},
	}
	f.choose(c)
	completeChecks(c)
	fl := c.Flags()
	f.surroundings(fl)
	fl.BoolVar(&f.watch, "watch", false, "run again when a file of the project or of the service changes")
	fl.StringVar(&f.roam.span, "roam", "", "after the checks, walk off the usual path of the resources for this long: 20s")
	fl.BoolVar(&f.failed, "failed", false, "run only what failed the last time")
	fl.StringVar(&f.list, "list", "", "say what would run, and send nothing: text or json")
	fl.Lookup("list").NoOptDefVal = "text"
	fl.BoolVar(&f.accept, "accept", false, "write baselines that are new or different")
	completeProject(c)
	return c
}

// again is the command that runs one scenario again.
func again(f *runFlags, file, option, value string) string {
	parts := []string{"usualpath run", quoteArg(file)}
	if f.env != "" {
		parts = append(parts, "--env "+quoteArg(f.env))
	}
	if f.base != "" {
		parts = append(parts, "--base "+quoteArg(f.base))
	}
	if f.thorough {
		parts = append(parts, "--thorough")
	}
	for _, l := range f.let {
		parts = append(parts, "--let "+quoteArg(l))
	}
	for _, h := range f.allow {
		parts = append(parts, "--allow-host "+quoteArg(h))
	}
	return strings.Join(append(parts, option+" "+quoteArg(value)), " ")
}

// quoteArg writes an argument so that a shell takes it as it is.
func quoteArg(s string) string {
	plain := s != ""
	for _, r := range s {
		if !(r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || strings.ContainsRune("/._-:=,@%+", r)) {
			plain = false
		}
	}
	switch {
	case plain:
		return s
	case !strings.ContainsAny(s, "\"\\$`!"):
		return `"` + s + `"`
	}
	return `'` + strings.ReplaceAll(s, `'`, `'\''`) + `'`
}

// checkBase wants a URL that requests can be sent to.
func checkBase(base string) error {
	if base == "" {
		return nil
	}
	u, err := url.Parse(base)
	switch {
	case err != nil || u.Host == "" && !strings.Contains(base, "://"):
		return usage(fmt.Sprintf("--base %s is not a URL", base), "write --base http://"+strings.TrimLeft(base, "/"))
	case u.Scheme != "http" && u.Scheme != "https":
		return usage(fmt.Sprintf("--base %s: unknown scheme %q", base, u.Scheme), "use http:// or https://")
	case u.Host == "":
		return usage(fmt.Sprintf("--base %s names no host", base), "write --base http://127.0.0.1:8080")
	case u.User != nil:
		return usage("--base "+u.Redacted()+": a user and password in a URL are not sent", "write `auth basic USER PASSWORD`, with a secret from the environment")
	case u.RawQuery != "" || u.Fragment != "":
		return usage(fmt.Sprintf("--base %s: a base URL has no query and no fragment", base), "")
	}
	return nil
}

// runProject runs what was read, and ends with the exit code.
func (a *app) runProject(ctx context.Context, p *project.Project, list []*resource.Resource, f *runFlags, again func(file, option, value string) string) error {
	c, err := a.config(p, list, f)
	if err != nil {
		return err
	}
	switch c.Straight() {
	case 0:
	case 1:
		// Standard output is the report's; what is for people goes beside it.
		beside := *a
		beside.out = a.err
		a = &beside
	default:
		return usage("only one of --report and --save can go to standard output", "give the others a file")
	}
	if tty, _ := terminal(a.out); tty {
		c.Engine.ShowCredentials = f.bare
	}
	ctx, interrupt, stop := a.interruptible(ctx, &c.Engine)
	defer stop()
	if c.Remember && os.Getenv("GITHUB_ACTIONS") == "true" {
		// A CI system that marks places in files by lines of the output.
		c.Annotations = &bytes.Buffer{}
	}
	s := a.show(f, again)
	s.text.closed = interrupt
	if c.RoamAlone {
		s.roams = c.Roam
	}
	saveMemory()
	done, err := runner.Run(ctx, *c, s.watching(a))
	if done == nil {
		return a.fault(err)
	}
	if e := s.end(a, done); e != nil {
		return e
	}
	if c.Annotations != nil {
		fmt.Fprint(a.out, c.Annotations.String())
	}
	if e := a.keepFound(f, list, done.Roam); e != nil {
		return e
	}
	if err != nil {
		return a.fault(err)
	}
	return verdict(done)
}

// verdict is the exit code of a run: of several the first below.
func verdict(done *runner.Outcome) error {
	c := done.Finished.Counts.Both()
	switch {
	case done.Finished.Interrupted:
		return &exit{code: exitInterrupted}
	case done.Finished.Unreachable, done.Finished.ServiceDied:
		return &exit{code: exitUnreachable}
	case c.All == 0 && done.Roam == nil:
		return usage("no scenario is chosen", "--only matches none of the rows")
	case c.Failed > 0 || done.Departs():
		return &exit{code: exitFailed}
	case c.Blocked > 0:
		return &exit{code: exitUnjudged}
	}
	return nil
}

// config is what the flags say of a run.
func (a *app) config(p *project.Project, list []*resource.Resource, f *runFlags) (*runner.Config, error) {
	o, err := f.options()
	if err != nil {
		return nil, err
	}
	c := &runner.Config{Project: p, Resources: list, Engine: *o, Process: f.process, Coverage: f.coverage, Save: f.save, History: f.history, Remember: f.remember, Failed: f.failed}
	if c.Roam, err = f.roaming(); err != nil {
		return nil, err
	}
	c.RoamAlone = f.roam.alone
	if into, err := filepath.Abs(f.roam.into); f.roam.into != "" && err == nil && p.Root != "" {
		if rel, err := filepath.Rel(p.Root, into); err != nil || strings.HasPrefix(rel, "..") {
			return nil, usage("--into "+f.roam.into+" is outside the project's folder, "+p.Root, "what is found there could not use the project's files")
		}
	}
	if c.Least, err = share(f.least); err != nil {
		return nil, err
	}
	if c.Least > 0 && f.against == "" && !f.coverage {
		return nil, usage("--coverage-min goes with --against, or with --coverage", "")
	}
	if f.against != "" {
		if c.Against, err = a.loadContract(f.against, "--against"); err != nil {
			return nil, err
		}
	}
	for _, text := range f.reports {
		r, err := runner.ParseReport(text)
		if err != nil {
			return nil, a.fault(err)
		}
		c.Reports = append(c.Reports, r)
	}
	return c, nil
}

// fault tells of a run that could not be, and gives its exit code.
func (a *app) fault(err error) error {
	var f *runner.Fault
	var told *exit
	if errors.As(err, &told) {
		return told
	}
	if !errors.As(err, &f) {
		return &exit{code: exitBroken, message: err.Error()}
	}
	if len(f.Mistakes) > 0 {
		a.diagnose(f.Mistakes, "; nothing was sent")
	}
	code := map[runner.Kind]int{runner.Usage: exitUsage, runner.Unreachable: exitUnreachable, runner.Broken: exitBroken, runner.Interrupted: exitInterrupted}[f.Kind]
	return &exit{code: code, message: f.Message, hint: f.Hint}
}

// checkNames wants checks, families and a level that there are. A check may be
// given by its name alone.
func checkNames(f *runFlags) error {
	for i, id := range f.checks {
		c := resource.Find(id)
		if c == nil {
			hint := "usualpath explain lists the checks"
			if n := source.Nearest(id, resource.IDs()); n != "" {
				hint = "did you mean " + n + "?"
			}
			return usage(fmt.Sprintf("there is no check %q", id), hint)
		}
		f.checks[i] = c.ID()
	}
	names, _ := resource.Families()
	for _, family := range f.families {
		if !slices.Contains(names, family) {
			return usage(fmt.Sprintf("there is no family %q", family), "there are "+strings.Join(names, ", "))
		}
	}
	if !slices.Contains(syntax.Levels, f.level) {
		return usage("--level takes must, should or usual, not "+f.level, "")
	}
	return nil
}

func (f *runFlags) options() (*engine.Options, error) {
	o := &engine.Options{Base: f.base, Select: engine.Selection{Only: f.only, Tags: f.tags, SkipTags: f.skipTags, Checks: f.checks, Families: f.families, Resources: f.resources, Lines: f.lines},
		StopEarly: f.stopEarly, ReadOnly: f.readOnly, Level: f.level, Allow: f.allow, Seed: f.seed, Workers: f.workers, Accept: f.accept, Tool: agent(), Getenv: os.LookupEnv}
	if err := checkBase(f.base); err != nil {
		return nil, err
	}
	if err := checkNames(f); err != nil {
		return nil, err
	}
	if err := f.deal(o); err != nil {
		return nil, err
	}
	if f.workers != unsaid && (f.workers < 1 || f.workers > 256) {
		return nil, usage("--workers takes a number from 1 to 256", "")
	}
	var err error
	if o.Timeout, err = syntax.ParseDuration(f.timeout); err != nil || o.Timeout <= 0 {
		return nil, usage("--timeout "+f.timeout+" is not a duration", "write --timeout 200ms, 5s or 2m")
	}
	if o.MaxBody, err = syntax.ParseSize(f.maxBody); err != nil || o.MaxBody <= 0 {
		return nil, usage("--max-body "+f.maxBody+" is not a size", "write --max-body 10KiB or 64MiB")
	}
	return o, nil
}

// deal reads --shard and --balance.
func (f *runFlags) deal(o *engine.Options) error {
	if f.shard == "" {
		if f.balance != "" {
			return usage("--balance goes with --shard", "write --shard 1/4 --balance run.jsonl")
		}
		return nil
	}
	var err error
	if o.Select.Shard, err = engine.ParseShard(f.shard); err != nil {
		return usage("--shard: "+err.Error(), "write --shard 1/4")
	}
	if f.balance != "" {
		if o.Select.Weights, err = record.Weights(f.balance); err != nil {
			return recordError(err)
		}
	}
	return nil
}

// endsWithin is how long a second interrupt waits for what is under way.
const endsWithin = 3 * time.Second

// interruptible makes the first interrupt end the run after the current step,
// and the second end it at once. The first function it gives is as good as a
// first interrupt.
func (a *app) interruptible(ctx context.Context, o *engine.Options) (context.Context, func(), func()) {
	if ctx == nil {
		ctx = context.Background()
	}
	ctx, cancel := context.WithCancel(ctx)
	soft := make(chan struct{})
	o.Stop = soft
	signals := make(chan os.Signal, 2)
	signal.Notify(signals, stopSignals...)
	ended, once := make(chan struct{}), sync.Once{}
	interrupt := func() { once.Do(func() { close(soft) }) }
	// What is read through a pipe that is closed ends with a word, not a signal.
	signal.Ignore(syscall.SIGPIPE)
	go func() {
		n := 0
		for {
			select {
			case <-signals:
				switch n++; n {
				case 1:
					interrupt()
					fmt.Fprintln(a.err, "interrupted: cleaning up; again to stop now")
				case 2:
					cancel()
					fmt.Fprintln(a.err, "stopping now")
					// Whatever is waited for: a pipe that nobody reads, a disk.
					time.AfterFunc(endsWithin, func() {
						select {
						case <-ended:
						default:
							os.Exit(exitInterrupted)
						}
					})
				}
			case <-ended:
				return
			}
		}
	}()
	return ctx, interrupt, func() {
		signal.Stop(signals)
		close(ended)
		cancel()
	}
}

// share reads a part of the whole, 80% or 0.8; 0 for "".
func share(text string) (float64, error) {
	if text == "" {
		return 0, nil
	}
	number, percent := strings.CutSuffix(text, "%")
	n, err := strconv.ParseFloat(number, 64)
	if percent {
		n /= 100
	}
	if err != nil || !(n >= 0 && n <= 1) {
		return 0, usage("--coverage-min "+text+" is not a share", "write --coverage-min 80%")
	}
	return n, nil
}
