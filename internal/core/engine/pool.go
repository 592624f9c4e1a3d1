package engine

import (
	"context"
	"fmt"
	"runtime/debug"
	"sync"

	"usualpath/internal/core/event"
)

// pool runs scenarios side by side where that is allowed. Their events come in
// the order of the scenarios all the same.
type pool struct {
	env *environment
	// running bounds how many run at once, window how many finished ones wait for
	// those before them.
	running, window chan struct{}
	order           chan *slot
	working         sync.WaitGroup
}

// slot holds the events of a scenario until it is their turn.
type slot struct {
	events []event.Event
	done   chan struct{}
}

// all runs the jobs, one after another or side by side.
func (r *environment) all(ctx context.Context, list []job) {
	if r.o.Workers == 1 {
		for _, j := range list {
			if r.ended() {
				return
			}
			r.once.began(j.s.File)
			j.values, j.blocked = r.ready(ctx, j.s, r.o.Emit)
			r.scenario(ctx, j, r.o.Emit)
		}
		return
	}
	p := &pool{env: r, running: make(chan struct{}, r.o.Workers), window: make(chan struct{}, r.o.Workers*8), order: make(chan *slot, r.o.Workers*8)}
	emitted := make(chan struct{})
	go func() {
		defer close(emitted)
		p.tell()
	}()
	for _, j := range list {
		if r.ended() {
			break
		}
		r.once.began(j.s.File)
		if some, alone := r.unready(j); some {
			p.first(ctx, j, alone)
		}
		j.values, j.blocked = r.ready(ctx, j.s, r.o.Emit)
		p.start(ctx, j)
	}
	p.working.Wait()
	close(p.order)
	<-emitted
}

// tell passes on what has happened, in order.
func (p *pool) tell() {
	for s := range p.order {
		<-s.done
		for _, e := range s.events {
			p.env.o.Emit(e)
		}
		<-p.window
	}
}

// first runs what a job needs to have run; alone, when all that runs has ended.
func (p *pool) first(ctx context.Context, j job, alone bool) {
	if alone {
		p.alone(func(emit func(event.Event)) { p.env.ready(ctx, j.s, emit) })
		return
	}
	s := &slot{done: make(chan struct{})}
	p.window <- struct{}{}
	p.order <- s
	defer close(s.done)
	p.env.ready(ctx, j.s, func(e event.Event) { s.events = append(s.events, e) })
}

// alone does something when all that runs has ended.
func (p *pool) alone(do func(emit func(event.Event))) {
	s := &slot{done: make(chan struct{})}
	p.window <- struct{}{}
	p.order <- s
	p.working.Wait()
	defer close(s.done)
	do(func(e event.Event) { s.events = append(s.events, e) })
}

// start runs a job: beside others, or when they have ended.
func (p *pool) start(ctx context.Context, j job) {
	if j.s.Exclusive {
		p.alone(func(emit func(event.Event)) { p.env.scenario(ctx, j, emit) })
		return
	}
	s := &slot{done: make(chan struct{})}
	run := func() {
		defer close(s.done)
		p.env.scenario(ctx, j, func(e event.Event) { s.events = append(s.events, e) })
	}
	p.window <- struct{}{}
	p.order <- s
	p.running <- struct{}{}
	p.working.Add(1)
	go func() {
		defer p.working.Done()
		defer func() { <-p.running }()
		run()
	}()
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
