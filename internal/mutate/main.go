// Mutate breaks the code of packages in small ways, one at a time, and tells which of them the
// packages' own tests do not notice.
//
//	go run ./internal/mutate ./internal/core/expect
//	go run ./internal/mutate -for 3m -since 20
//
// Without packages it takes those in which something is judged.
package main

import (
	"context"
	_ "embed"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"os/signal"
	"path"
	"slices"
	"strings"
	"time"

	"golang.org/x/tools/go/packages"
)

// judging are the packages in which verdicts are made, and parts those of which that is so of one
// file only.
var (
	judging = []string{"custody", "engine", "exchange", "expect", "history", "mask", "shape", "state", "value"}
	parts   = map[string]string{"engine": "judge.go"}
)

// equivalent lists mutants that change nothing that anybody could see, with the reason.
//
//go:embed equivalent.txt
var equivalent string

// Of the mutants of a package so many must be killed, and at most so many may be equivalent, of 100.
const (
	leastKilled    = 90
	mostEquivalent = 3
)

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run() error {
	limit := flag.Duration("for", 0, "how long it may take; 0 for as long as all needs")
	since := flag.Int("since", 0, "only the packages changed in so many commits, and one other by the date")
	only := flag.String("only", "", "only sites whose name holds this text")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	paths := flag.Args()
	if len(paths) == 0 {
		for _, name := range chosen(*since, time.Now()) {
			paths = append(paths, "./internal/core/"+name)
		}
	}
	list, err := packages.Load(&packages.Config{Context: ctx, Mode: packages.LoadSyntax}, paths...)
	if err != nil {
		return err
	}
	known, err := reasons(equivalent)
	if err != nil {
		return err
	}
	var until time.Time
	var bad []string
	for i, p := range list {
		if len(p.Errors) > 0 {
			return p.Errors[0]
		}
		if *limit > 0 {
			// What one package leaves of its time is for those after it.
			until = time.Now().Add(*limit / time.Duration(len(list)-i))
			*limit -= *limit / time.Duration(len(list)-i)
		}
		part := *only
		if part == "" && flag.NArg() == 0 {
			part = parts[path.Base(p.PkgPath)]
		}
		why, err := one(ctx, p, known[path.Base(p.PkgPath)], until, part, *only == "")
		if err != nil {
			return err
		}
		bad = append(bad, why...)
	}
	if len(bad) > 0 {
		return fmt.Errorf("%s", strings.Join(bad, "\n"))
	}
	return ctx.Err()
}

// one takes a package, whole or only what holds a text, and tells what is wrong with its tests.
func one(ctx context.Context, p *packages.Package, known map[string]string, until time.Time, only string, whole bool) ([]string, error) {
	out, err := os.MkdirTemp("", "mutate")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(out)
	b, err := prepare(ctx, p, out)
	if err != nil {
		return nil, err
	}
	name := path.Base(p.PkgPath)
	all := map[string]bool{}
	for _, s := range b.sites {
		all[s.name()] = true
	}
	b.sites = slices.DeleteFunc(b.sites, func(s *site) bool { return known[s.name()] != "" || !strings.Contains(s.name(), only) })
	if !until.IsZero() {
		// Of more than there is time for, others each day.
		seed := uint64(time.Now().Unix() / 86400)
		rand.New(rand.NewPCG(seed, 0)).Shuffle(len(b.sites), func(i, j int) { b.sites[i], b.sites[j] = b.sites[j], b.sites[i] })
	}
	dead, tried := 0, 0
	left := b.all(ctx, until, func(s *site, is fate) {
		tried++
		switch is {
		case killed:
			dead++
		case survived:
			fmt.Printf("%s:%d  %s\n", s.file, s.line, s.name())
		case unreached:
			fmt.Printf("%s:%d  %s  (no test of its own comes here)\n", s.file, s.line, s.name())
		}
	})
	var bad []string
	for _, n := range slices.Sorted(func(yield func(string) bool) {
		for n := range known {
			if !all[n] && !yield(n) {
				return
			}
		}
	}) {
		bad = append(bad, fmt.Sprintf("equivalent.txt: %s: there is no such mutant: %s", name, n))
	}
	if tried == 0 {
		return bad, nil
	}
	share := 100 * float64(dead) / float64(tried)
	fmt.Printf("%s: %d of %d killed (%.1f %%), %d equivalent, %d not tried\n", name, dead, tried, share, len(known), left)
	if left == 0 && whole && share < leastKilled {
		bad = append(bad, fmt.Sprintf("%s: its own tests kill less than %d %% of its mutants", name, leastKilled))
	}
	if 100*len(known) > mostEquivalent*len(all) {
		bad = append(bad, fmt.Sprintf("equivalent.txt: %s: %d of %d are more than %d %%", name, len(known), len(all), mostEquivalent))
	}
	return bad, nil
}

// chosen are the judging packages that were changed lately, and one other in turn.
func chosen(commits int, now time.Time) []string {
	if commits == 0 {
		return judging
	}
	text, err := exec.Command("git", "log", fmt.Sprintf("-%d", commits), "--name-only", "--format=", "--", "*.go").Output()
	if err != nil {
		// Without a history all are as good as changed.
		return judging
	}
	var out, rest []string
	for _, name := range judging {
		if strings.Contains(string(text), "internal/core/"+name+"/") {
			out = append(out, name)
		} else {
			rest = append(rest, name)
		}
	}
	if len(rest) > 0 {
		out = append(out, rest[now.YearDay()%len(rest)])
	}
	return out
}

// reasons reads the list of equivalent mutants: `PACKAGE NAME`, and the reason below it, indented.
func reasons(text string) (map[string]map[string]string, error) {
	out := map[string]map[string]string{}
	of, name := "", ""
	for n, line := range strings.Split(text, "\n") {
		switch {
		case strings.TrimSpace(line) == "" || strings.HasPrefix(line, "#"):
		case strings.HasPrefix(line, " "):
			if name == "" {
				return nil, fmt.Errorf("equivalent.txt:%d: a reason without a mutant", n+1)
			}
			out[of][name] += strings.TrimSpace(line) + " "
		default:
			var ok bool
			if of, name, ok = strings.Cut(line, " "); !ok {
				return nil, fmt.Errorf("equivalent.txt:%d: not PACKAGE NAME", n+1)
			}
			if out[of] == nil {
				out[of] = map[string]string{}
			}
		}
	}
	return out, nil
}
