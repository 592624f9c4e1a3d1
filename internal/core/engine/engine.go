// Package engine runs scenarios: it orders them, sends their requests, judges
// what comes back, and tells all of it as events. It knows no report.
package engine

import (
	"context"
	"crypto/rand"
	"encoding/binary"
	"fmt"
	"sync"
	"time"

	"usualpath/internal/core/custody"
	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/mask"
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
	// Select says which scenarios run.
	Select Selection
	// Level is the lowest level at which a miss fails the run: must, should or usual.
	Level string
	// ShowCredentials gives events the exchanges as they were, beside those in which
	// credentials are hidden.
	ShowCredentials bool
	// ByHand shows whoever has typed a request what its answer holds: only secrets that were
	// declared are hidden, and credentials in headers.
	ByHand bool
	// Sending is told of each request before it is sent, with secrets masked; it
	// may be called from several goroutines at once.
	Sending func(request string)
	// Describe fills in what is known of a check; nil for nothing.
	Describe func(*event.Check)
	// StopEarly ends the run after the first scenario that fails.
	StopEarly bool
	// ReadOnly sends GET, HEAD and OPTIONS only; what needs more is not applicable.
	ReadOnly bool
	// Timeout bounds an exchange that sets none of its own.
	Timeout time.Duration
	// Allow are hosts beside loopback that may be spoken to.
	Allow   []string
	MaxBody int64
	Seed    uint64
	// Workers is how many scenarios may run side by side; 0 is one after another, but
	// for derived checks of what is slow to answer, which run by a few.
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
	// Unsent puts requests together and sends none of them.
	Unsent bool
	// Roam is called once the scenarios have run, nil for nothing more.
	Roam func(*Drive)
	// Getenv is the process environment.
	Getenv func(string) (string, bool)
}

// Probe is the check that comes before all others of a resource: whether its
// examples are taken at all. Where it is blocked, so are the others.
const Probe = "setup/examples-work"

// typesKept is the check that tells of members which read as another type than they are sent;
// all others leave them out of account.
const typesKept = "lifecycle/types-are-kept"

// NewSeed draws a seed that is easy to type again.
func NewSeed() uint64 {
	var b [8]byte
	// crypto/rand.Read does not fail.
	_, _ = rand.Read(b[:])
	return binary.BigEndian.Uint64(b[:]) % 1_000_000_000
}

// environment is a run, as its scenarios see it.
type environment struct {
	o      Options
	p      *project.Project
	client *exchange.Client
	mask   *masker
	outer  context.Context
	// care knows whose the items of the service are.
	care *custody.Run
	once once
	// inOrder tells that it was not said how many may run side by side.
	inOrder bool
	// gate is held by scenarios that run beside others, and alone by one that is
	// run once more.
	gate sync.RWMutex

	// mu guards what follows.
	mu sync.Mutex
	course
	resources
	manners
}

// course is how a run goes.
type course struct {
	answered bool
	failed   bool
	// unreached counts exchanges that found nobody.
	unreached int
	// mistake is the first panic of a scenario.
	mistake *mistake
	// died is set once the service has ended by itself.
	died bool
	// found are events to be told as soon as no scenario is under way.
	found []event.Event
	// short are the secrets of which it was told that they are short.
	short map[string]bool
}

// resources is what the checks of a resource have to know of those before them.
type resources struct {
	// blocked are the resources whose probe was blocked, with the reason.
	blocked map[string]string
	// unnamed are those where a create does not tell what it has made.
	unnamed map[string]bool
	// forms are members that read as another type than they are sent, by resource.
	forms map[string]map[string]bool
	// hints are what may be said of members that an item does not show as they were sent when
	// it was just made, by resource.
	hints map[string]map[string]string
	// slow are those for which it helps that checks run side by side.
	slow map[string]bool
}

// manners are what was learnt of how the service answers.
type manners struct {
	// types tell, by method, path and media type, whether that type is refused
	// and another is read; false where it is read itself.
	types map[string]bool
	// mute are the methods and paths that give no answer, with the scenarios that
	// waited for one.
	mute map[string][]int
	// closing is set once it has been told that the service closes connections without saying so.
	closing bool
	// readings are the last answers of observations, as they were read.
	readings map[string]*reading
}

// usualWorkers is how many derived checks run side by side when it was not said:
// with a service that takes 20 ms an answer they need less than a third of the time.
const usualWorkers = 4

// Run runs what the options choose and tells what became of it. The last event
// is always RunFinished.
func Run(ctx context.Context, p *project.Project, o Options) *event.RunFinished {
	if o.Now == nil {
		o.Now = time.Now
	}
	inOrder := o.Workers < 1
	if inOrder {
		o.Workers = usualWorkers
	}
	o.Getenv = p.Getenv(o.Getenv)
	start := time.Now()
	// Events come one at a time, whatever runs side by side.
	var tally event.Tally
	emit, hide := o.Emit, newMasker(p, o.ShowCredentials, o.ByHand)
	o.Emit = func(e event.Event) {
		hide.event(e)
		tally.Add(e)
		emit(e)
	}
	r := &environment{o: o, p: p, outer: ctx, mask: hide, inOrder: inOrder, once: once{done: map[*project.Prelude]*prelude{}},
		course:    course{short: map[string]bool{}},
		resources: resources{map[string]string{}, map[string]bool{}, map[string]map[string]bool{}, map[string]map[string]string{}, map[string]bool{}},
		manners:   manners{types: map[string]bool{}, mute: map[string][]int{}, readings: map[string]*reading{}}}
	r.care = custody.NewRun(custody.Options{Stopped: r.stopped, Harmed: r.harmed})
	for _, f := range mask.InURL(o.Base) {
		hide.Add(f.Value)
	}
	allowed := append(append([]string(nil), o.Allow...), p.Allowed()...)
	r.client = exchange.NewClient(exchange.Options{Allow: allowed, MaxBody: o.MaxBody, Agent: o.Tool, Unsent: o.Unsent, Connections: o.Workers + 16, Late: r.late})
	defer r.client.Close()
	list := jobs(p, o)
	o.Emit(&event.RunStarted{Tool: o.Tool, Seed: o.Seed, Environment: p.Environment, Base: r.shownBase(), Time: o.Now(), Scenarios: len(list), Shard: o.Select.Shard.String(), Sources: p.Digest()})
	r.all(ctx, list)
	if o.Roam != nil && !r.ended() {
		r.protect(func() { o.Roam(&Drive{env: r, ctx: ctx}) })
	}
	if r.mistake != nil {
		panic(r.mistake)
	}
	ends := r.care.LastLook(ctx, r.lost)
	r.tellFound(o.Emit)
	for _, n := range ends {
		o.Emit(&n)
	}
	r.finales(ctx, o.Emit)
	// A service of the run's own takes along what is left on it.
	if left := r.care.TellLeft(); left != "" && o.Service == nil {
		o.Emit(&event.Notice{Severe: true, Text: left})
	}
	out := &event.RunFinished{Took: time.Since(start), Counts: tally.Counts(), Interrupted: r.stopped() || ctx.Err() != nil}
	out.Unreachable = !r.answered && r.unreached > 0
	out.ServiceDied = r.died
	o.Emit(out)
	return out
}

// late tells of bytes that came behind an answer without a body, when nobody waited for them any more.
func (r *environment) late(of *exchange.Exchange, text []byte) {
	r.care.AtEnd(event.Notice{Severe: true, Text: r.mask.text(fmt.Sprintf("behind the answer to %s %s (%s) came bytes that belong to no body (RFC 9112 §6.3): %q; the connection was not used again",
		of.Request.Method, of.Request.URL, of.Answer.StatusText(), text))})
}

func (r *environment) shownBase() string {
	if r.o.Base != "" {
		return r.o.Base
	}
	if r.o.Service != nil {
		return r.o.Service.Base()
	}
	return ""
}

func (r *environment) stopped() bool {
	select {
	case <-r.o.Stop:
		return true
	default:
		return false
	}
}

// lost tells that the service is gone for good.
func (r *environment) lost() bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.died
}

// ended tells that no further scenario may start.
func (r *environment) ended() bool {
	r.mu.Lock()
	early := r.o.StopEarly && r.failed || r.died || r.mistake != nil
	r.mu.Unlock()
	return early || r.stopped() || r.outer.Err() != nil
}
