package main

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"golang.org/x/tools/go/packages"
)

// bench holds the test binary of one package with all its sites in it.
type bench struct {
	p     *packages.Package
	dir   string
	out   string
	sites []*site
	tests []test
}

// test is a test of the package: how long it takes, and which sites it reaches.
type test struct {
	name    string
	took    time.Duration
	reaches map[int]bool
}

// mostTries bounds how often a package is compiled without what does not compile.
const mostTries = 40

// prepare compiles a package with its sites, and sees which test reaches which.
func prepare(ctx context.Context, p *packages.Package, out string) (*bench, error) {
	b := &bench{p: p, dir: filepath.Dir(p.GoFiles[0]), out: out}
	var err error
	if b.sites, err = find(p, os.ReadFile); err != nil {
		return nil, err
	}
	for range mostTries {
		var at []place
		if at, err = b.compile(ctx); err == nil {
			return b, b.trace(ctx)
		}
		if len(at) == 0 {
			return nil, err
		}
		b.sites = slices.DeleteFunc(b.sites, func(s *site) bool {
			return slices.ContainsFunc(at, func(p place) bool { return p.file == filepath.Base(s.file) && p.line == s.line })
		})
	}
	return nil, err
}

type place struct {
	file string
	line int
}

var placed = regexp.MustCompile(`(?m)([^\s/]+\.go):(\d+):\d+: `)

// compile gives the places of what does not compile.
func (b *bench) compile(ctx context.Context) ([]place, error) {
	replace := map[string]string{}
	put := func(file string, text []byte) error {
		to := filepath.Join(b.out, filepath.Base(file))
		replace[file] = to
		return os.WriteFile(to, text, 0o600)
	}
	for _, file := range b.p.CompiledGoFiles {
		src, err := os.ReadFile(file)
		if err != nil {
			return nil, err
		}
		here := slices.DeleteFunc(slices.Clone(b.sites), func(s *site) bool { return s.file != file })
		if err := put(file, woven(src, here)); err != nil {
			return nil, err
		}
	}
	if err := put(filepath.Join(b.dir, "switches_of_mutants.go"), []byte(strings.Replace(switches, "PACKAGE", b.p.Name, 1))); err != nil {
		return nil, err
	}
	overlay, err := json.Marshal(map[string]any{"Replace": replace})
	if err != nil {
		return nil, err
	}
	name := filepath.Join(b.out, "overlay.json")
	if err := os.WriteFile(name, overlay, 0o600); err != nil {
		return nil, err
	}
	text, err := exec.CommandContext(ctx, "go", "test", "-c", "-vet=off", "-gcflags=-e", "-overlay", name, "-o", b.binary(), b.p.PkgPath).CombinedOutput()
	if err == nil {
		return nil, nil
	}
	var at []place
	for _, m := range placed.FindAllStringSubmatch(string(text), -1) {
		n, _ := strconv.Atoi(m[2])
		at = append(at, place{m[1], n})
	}
	return at, fmt.Errorf("%s: %w\n%s", b.p.PkgPath, err, text)
}

func (b *bench) binary() string { return filepath.Join(b.out, "own.test") }

// trace runs each test by itself.
func (b *bench) trace(ctx context.Context) error {
	list, err := b.command(ctx, time.Minute, "-test.list", "^(Test|Fuzz)").Output()
	if err != nil {
		return fmt.Errorf("%s: its tests cannot be listed: %w", b.p.PkgPath, err)
	}
	for _, name := range strings.Fields(string(list)) {
		seen := filepath.Join(b.out, name+".seen")
		c := b.command(ctx, 2*time.Minute, "-test.run", "^"+name+"$")
		c.Env = append(c.Env, "MUTANT_TRACE="+seen)
		start := time.Now()
		if text, err := c.CombinedOutput(); err != nil {
			return fmt.Errorf("%s: %s does not pass on the code as it is: %w\n%s", b.p.PkgPath, name, err, text)
		}
		one := test{name: name, took: time.Since(start), reaches: map[int]bool{}}
		data, err := os.ReadFile(seen)
		if err != nil && !errors.Is(err, os.ErrNotExist) {
			return err
		}
		for s := bufio.NewScanner(bytes.NewReader(data)); s.Scan(); {
			n, _ := strconv.Atoi(s.Text())
			one.reaches[n] = true
		}
		b.tests = append(b.tests, one)
	}
	// Quick ones first: most mutants fall at the first test that reaches them.
	slices.SortStableFunc(b.tests, func(a, c test) int { return int(a.took - c.took) })
	return nil
}

// command runs the tests; what takes more memory than a test needs is a mutant that never ends.
func (b *bench) command(ctx context.Context, limit time.Duration, args ...string) *exec.Cmd {
	ctx, cancel := context.WithTimeout(ctx, limit)
	c := exec.CommandContext(ctx, "sh", append([]string{"-c", `ulimit -v 6000000; exec "$0" "$@"`, b.binary(), "-test.failfast"}, args...)...)
	c.Cancel = func() error { defer cancel(); return c.Process.Kill() }
	c.WaitDelay = time.Second
	c.Dir, c.Env = b.dir, os.Environ()
	return c
}

// fate is what becomes of a mutant.
type fate int

const (
	killed fate = iota
	survived
	unreached
)

// kills tells whether a test of the package notices that a site is broken.
func (b *bench) kills(ctx context.Context, s *site) fate {
	var names []string
	limit := 5 * time.Second
	for _, t := range b.tests {
		if t.reaches[s.id] {
			names = append(names, t.name)
			limit += 5 * t.took
		}
	}
	if len(names) == 0 {
		return unreached
	}
	c := b.command(ctx, limit, "-test.run", "^("+strings.Join(names, "|")+")$")
	c.Env = append(c.Env, "MUTANT="+strconv.Itoa(s.id))
	if c.Run() != nil {
		return killed
	}
	return survived
}

// all breaks sites one after another, two at a time, until the time is over; it tells of each, and
// gives how many were left out.
func (b *bench) all(ctx context.Context, until time.Time, tell func(*site, fate)) (left int) {
	var mu sync.Mutex
	var work sync.WaitGroup
	next := make(chan *site)
	for range 2 {
		work.Go(func() {
			for s := range next {
				is := b.kills(ctx, s)
				if ctx.Err() != nil {
					return
				}
				mu.Lock()
				tell(s, is)
				mu.Unlock()
			}
		})
	}
	for _, s := range b.sites {
		if ctx.Err() != nil || !until.IsZero() && time.Now().After(until) {
			left++
			continue
		}
		select {
		case next <- s:
		case <-ctx.Done():
			left++
		}
	}
	close(next)
	work.Wait()
	return left
}
