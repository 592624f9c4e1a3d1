// Package engine runs scenarios: it orders them, sends their requests, judges
// what comes back, and tells all of it as events. It knows no report.
package engine

import (
	"context"
	"crypto/rand"
	"encoding/binary"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/project"
)

// Process is the service under test, when the run has started it.
type Process interface {
	// Base is where it listens.
	Base() string
	// Restart stops it and starts it again; with kill it gets no warning.
	Restart(ctx context.Context, kill bool) error
	// Dead tells that it has ended by itself, and with what last words.
	Dead() (bool, string)
}

// Options choose what runs and how.
type Options struct {
	// Base overrides every other base URL.
	Base string
	// Only, Tags and SkipTags choose scenarios: by a part of the title or of
	// "file: title", by tag.
	Only           []string
	Tags, SkipTags []string
	// Checks and Families choose derived checks, by id and by family.
	Checks, Families []string
	// Level is the lowest level whose miss fails: must, should or usual.
	Level string
	// Shard runs the I-th of N parts of the suite; zero for all of it. Weights
	// are how long scenarios took before, by file and title.
	Shard   Shard
	Weights map[string]time.Duration
	// Begins is told of each request before it is sent, with secrets masked; it
	// may be called from several goroutines at once.
	Begins func(request string)
	// StopEarly ends the run after the first scenario that fails.
	StopEarly bool
	// Timeout bounds an exchange that sets none of its own.
	Timeout time.Duration
	// Allow are hosts beside loopback that may be spoken to.
	Allow   []string
	MaxBody int64
	Seed    uint64
	Workers int
	// Accept writes baselines that are new or different.
	Accept bool
	Tool   string
	// Service is set when the run has started the service itself.
	Service Process
	// Stop asks the run to end after the current step.
	Stop <-chan struct{}
	// Emit takes the events, one at a time.
	Emit func(event.Event)
	// Now is the clock; nil for the real one.
	Now func() time.Time
	// Getenv is the process environment.
	Getenv func(string) (string, bool)
}

// Probe is the check that comes before all others of a resource: whether its
// examples are taken at all. Where it is blocked, so are the others.
const Probe = "setup/examples-work"

// NewSeed draws a seed that is easy to type again.
func NewSeed() uint64 {
	var b [8]byte
	// crypto/rand.Read does not fail.
	_, _ = rand.Read(b[:])
	return binary.BigEndian.Uint64(b[:]) % 1_000_000_000
}

// job is one scenario, or one case of it.
type job struct {
	s   *project.Scenario
	c   *project.Case
	id  int
	row int
}

type run struct {
	o       Options
	p       *project.Project
	client  *exchange.Client
	mask    *masker
	allowed []string
	outer   context.Context

	mu       sync.Mutex
	answered bool
	failed   bool
	// unreached counts exchanges that found nobody.
	unreached int
	// died is set once the service has ended by itself.
	died bool
	// shut are the resources whose probe was blocked, with the reason.
	shut map[string]string
	// readings are the last answers of observations, as they were read.
	readings map[string]*reading
}

// Plan counts the scenarios that would run, cases singly.
func Plan(p *project.Project, o Options) int { return len(jobs(p, o)) }

func jobs(p *project.Project, o Options) []job { return dealt(allJobs(p, o), o) }

func allJobs(p *project.Project, o Options) []job {
	var out []job
	for _, s := range p.Scenarios() {
		if !chosen(s, o) {
			continue
		}
		if s.Cases == nil {
			out = append(out, job{s: s, id: len(out) + 1})
			continue
		}
		for i := range s.Cases {
			out = append(out, job{s: s, c: &s.Cases[i], id: len(out) + 1, row: i + 1})
		}
	}
	return out
}

func chosen(s *project.Scenario, o Options) bool {
	has := func(list []string) bool {
		for _, want := range list {
			for _, t := range s.Tags {
				if t == want {
					return true
				}
			}
		}
		return false
	}
	if len(o.Tags) > 0 && !has(o.Tags) || has(o.SkipTags) {
		return false
	}
	if len(o.Checks)+len(o.Families) > 0 {
		if s.Check == nil {
			return false
		}
		family, _, _ := strings.Cut(s.Check.ID, "/")
		// The probe says why the others cannot run.
		if !slices.Contains(o.Checks, s.Check.ID) && !slices.Contains(o.Families, family) && s.Check.ID != Probe {
			return false
		}
	}
	if len(o.Only) == 0 {
		return true
	}
	for _, text := range o.Only {
		// A title with names in it is chosen as a whole; its rows are told
		// apart when they run.
		if matches(s, text) {
			return true
		}
	}
	return false
}

func matches(s *project.Scenario, text string) bool {
	raw := s.Raw()
	if strings.Contains(strings.ToLower(raw), strings.ToLower(text)) {
		return true
	}
	return s.Cases != nil && strings.Contains(raw, "{") && looseMatch(raw, text)
}

// looseMatch tells whether text could be a piece of the title once its names
// have values: the pieces before the first and after the last brace agree.
func looseMatch(raw, text string) bool {
	before := strings.ToLower(raw[:strings.IndexByte(raw, '{')])
	after := strings.ToLower(raw[strings.LastIndexByte(raw, '}')+1:])
	text = strings.ToLower(text)
	return strings.HasPrefix(text, before) && strings.HasSuffix(text, after) && before+after != ""
}

// Run runs what the options choose and tells what became of it. The last event
// is always RunFinished.
func Run(ctx context.Context, p *project.Project, o Options) *event.RunFinished {
	if o.Now == nil {
		o.Now = time.Now
	}
	if o.Workers < 1 {
		o.Workers = 1
	}
	start := time.Now()
	// Events come one at a time, whatever runs side by side.
	var tally event.Tally
	emit := o.Emit
	o.Emit = func(e event.Event) {
		tally.Add(e)
		emit(e)
	}
	r := &run{o: o, p: p, outer: ctx, mask: newMasker(), shut: map[string]string{}, readings: map[string]*reading{}}
	r.allowed = append(append([]string(nil), o.Allow...), p.Allowed()...)
	r.client = exchange.NewClient(exchange.Options{Allow: r.allowed, MaxBody: o.MaxBody, Agent: o.Tool, Connections: o.Workers + 16})
	defer r.client.Close()
	list := jobs(p, o)
	o.Emit(&event.RunStarted{Tool: o.Tool, Seed: o.Seed, Environment: p.Environment, Base: r.shownBase(), Time: o.Now(), Scenarios: len(list), Shard: o.Shard.String(), Sources: p.Digest()})
	r.all(ctx, list)
	out := &event.RunFinished{Took: time.Since(start), Counts: tally.Counts(), Interrupted: r.stopped() || ctx.Err() != nil}
	out.Unreachable = !r.answered && r.unreached > 0
	out.ServiceDied = r.died
	o.Emit(out)
	return out
}

func (r *run) shownBase() string {
	if r.o.Base != "" {
		return r.o.Base
	}
	if r.o.Service != nil {
		return r.o.Service.Base()
	}
	return ""
}

func (r *run) stopped() bool {
	select {
	case <-r.o.Stop:
		return true
	default:
		return false
	}
}

// lost tells that the service is gone for good.
func (r *run) lost() bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.died
}

// ended tells that no further scenario may start.
func (r *run) ended() bool {
	r.mu.Lock()
	early := r.o.StopEarly && r.failed || r.died
	r.mu.Unlock()
	return early || r.stopped() || r.outer.Err() != nil
}

// all runs the jobs: one after another, or side by side where that is allowed.
// Events come in the order of the jobs either way.
func (r *run) all(ctx context.Context, list []job) {
	if r.o.Workers == 1 {
		for _, j := range list {
			if r.ended() {
				return
			}
			r.scenario(ctx, j, r.o.Emit)
		}
		return
	}
	// Finished scenarios wait for those before them; the window bounds how many.
	type slot struct {
		events []event.Event
		done   chan struct{}
	}
	window := make(chan struct{}, r.o.Workers*8)
	order := make(chan *slot, r.o.Workers*8)
	var told sync.WaitGroup
	told.Add(1)
	go func() {
		defer told.Done()
		for s := range order {
			<-s.done
			for _, e := range s.events {
				r.o.Emit(e)
			}
			<-window
		}
	}()
	running := make(chan struct{}, r.o.Workers)
	var working sync.WaitGroup
	for _, j := range list {
		if r.ended() {
			break
		}
		s := &slot{done: make(chan struct{})}
		one := func() {
			defer close(s.done)
			r.scenario(ctx, j, func(e event.Event) { s.events = append(s.events, e) })
		}
		window <- struct{}{}
		order <- s
		if j.s.Alone {
			working.Wait()
			one()
			continue
		}
		running <- struct{}{}
		working.Add(1)
		go func() {
			defer working.Done()
			defer func() { <-running }()
			one()
		}()
	}
	working.Wait()
	close(order)
	told.Wait()
}

func (j *job) randomKey() string {
	return j.s.File.Source.Name + "\x00" + j.s.Raw() + "\x00" + strconv.Itoa(j.row)
}
