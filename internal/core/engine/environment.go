package engine

import (
	"context"
	"fmt"
	"runtime/debug"
	"sync"
	"sync/atomic"
	"time"

	"usualpath/internal/core/custody"
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

// Drive lets somebody decide request by request what a run sends, within all that
// holds for its scenarios: hosts, limits, guards, masking, records.
type Drive struct {
	env *environment
	ctx context.Context
	mu  sync.Mutex
}

// environment is a run, as its scenarios see it.
type environment struct {
	o      Options
	p      *project.Project
	client *exchange.Client
	mask   *masker
	outer  context.Context
	// care knows whose the items of the service are.
	care     *custody.Run
	once     once
	sessions sessions
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
	// broken are the kinds of requests of which one was answered with an error of the server's own
	// where a check had only to start from it, with the scenario that tells of it.
	broken map[string]int
	// leaks are what error answers have shown of the inside of the service, by resource and kind, of
	// the resources that look for them.
	leaks         map[string]*leaked
	looksForLeaks map[string]bool
	// crowded tells that answers have come too late beside others.
	crowded atomic.Bool
	// closing is set once it has been told that the service closes connections without saying so.
	closing bool
	// readings are the last answers of observations, as they were read.
	readings map[string]*reading
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

// mistake is a panic of the tool itself, with where it happened.
type mistake struct {
	what  any
	stack []byte
}

func (m *mistake) Error() string { return fmt.Sprint(m.what) }

// Stack is where it happened.
func (m *mistake) Stack() []byte { return m.stack }

// protect runs what may fail by a mistake of the tool: the run then ends, what
// was made is removed, and Run panics with the first of them.
func (r *environment) protect(do func()) {
	defer func() {
		if what := recover(); what != nil {
			r.mu.Lock()
			defer r.mu.Unlock()
			if r.mistake == nil {
				r.mistake = &mistake{what, debug.Stack()}
			}
		}
	}()
	do()
}

// note counts what tells a run that reached nobody from one that failed.
func (r *environment) note(x *exchange.Exchange) {
	r.mu.Lock()
	defer r.mu.Unlock()
	switch {
	case x.Answer != nil:
		r.answered = true
	case x.Failure.Kind == exchange.Refused || x.Failure.Kind == exchange.UnknownHost || x.Failure.Kind == exchange.SlowConnect:
		r.unreached++
	case x.Failure.Kind != exchange.HostRefused && x.Failure.Kind != exchange.BadRequest:
		r.answered = true
	}
}
