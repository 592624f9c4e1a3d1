// Package engine runs scenarios: it orders them, sends their requests, judges
// what comes back, and tells all of it as events. It knows no report.
package engine

import (
	"context"
	"crypto/rand"
	"encoding/binary"
	"fmt"
	"time"

	"usualpath/internal/core/custody"
	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/mask"
	"usualpath/internal/core/project"
)

// NewSeed draws a seed that is easy to type again.
func NewSeed() uint64 {
	var b [8]byte
	// crypto/rand.Read does not fail.
	_, _ = rand.Read(b[:])
	return binary.BigEndian.Uint64(b[:]) % 1_000_000_000
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
		sessions:  sessions{served: map[session]bool{}, renewed: map[*project.Prelude]int{}},
		course:    course{short: map[string]bool{}},
		resources: resources{map[string]string{}, map[string]bool{}, map[string]map[string]bool{}, map[string]map[string]string{}, map[string]bool{}},
		manners:   manners{types: map[string]bool{}, mute: map[string][]int{}, broken: map[string]int{}, leaks: map[string]*leaked{}, readings: map[string]*reading{}}}
	r.care = custody.NewRun(custody.Options{Stopped: r.stopped, Harmed: r.harmed})
	for _, f := range mask.InURL(o.Base) {
		hide.Add(f.Value)
	}
	allowed := append(append([]string(nil), o.Allow...), p.Allowed()...)
	r.client = exchange.NewClient(exchange.Options{Allow: allowed, MaxBody: o.MaxBody, Agent: o.Tool, Unsent: o.Unsent, Connections: o.Workers + 16, Late: r.late})
	defer r.client.Close()
	list := jobs(p, o)
	r.looksForLeaks = leakChecks(list)
	o.Emit(&event.RunStarted{Tool: o.Tool, Seed: o.Seed, Environment: p.Environment, Base: r.shownBase(), Time: o.Now(), Scenarios: len(list), Shard: o.Select.Shard.String(), Sources: p.Digest()})
	r.all(ctx, list)
	if o.Roam != nil && !r.ended() {
		r.protect(func() { o.Roam(&Drive{env: r, ctx: ctx}) })
	}
	if r.mistake != nil {
		panic(r.mistake)
	}
	ends := r.care.LastLook(ctx, r.lost)
	r.tellLeaks()
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
