package engine

import (
	"context"
	"slices"
	"sync"

	"usualpath/internal/core/event"
	"usualpath/internal/core/project"
)

// pool runs scenarios side by side where that is allowed. Their events come in
// the order of the scenarios all the same.
type pool struct {
	env *environment
	// running bounds how many run at once, window how many wait for those before them.
	running, window chan struct{}
	order           chan *slot
	working         sync.WaitGroup
}

// slot holds the events of a scenario until it is their turn.
type slot struct {
	events []event.Event
	done   chan struct{}
	// begun tells that it has a place in the window; told is closed once all of it
	// and of those before it has been passed on, where somebody waits for that.
	begun bool
	told  chan struct{}
}

func (s *slot) emit(e event.Event) { s.events = append(s.events, e) }

// widest is how many scenarios wait for those before them.
const widest = 256

// all runs the jobs, one after another or side by side.
func (r *environment) all(ctx context.Context, list []planned) {
	if r.o.Workers == 1 {
		for _, j := range list {
			if r.ended() {
				return
			}
			r.next(ctx, j.job())
		}
		return
	}
	p := &pool{env: r, running: make(chan struct{}, r.o.Workers), window: make(chan struct{}, widest), order: make(chan *slot, 2*widest)}
	emitted := make(chan struct{})
	go func() {
		defer close(emitted)
		p.tell()
	}()
	for len(list) > 0 && !r.ended() {
		if !r.sideBySide(list[0].s) {
			p.drain()
			r.next(ctx, list[0].job())
			list = list[1:]
			continue
		}
		n := together(list)
		p.group(ctx, list[:n])
		list = list[n:]
	}
	p.working.Wait()
	close(p.order)
	<-emitted
}

// sideBySide tells whether a scenario may run beside others. Unless it is said how
// many may, only derived checks do, of a resource that is slow to answer: other
// scenarios may count on their order, and beside a quick service little is gained.
func (r *environment) sideBySide(s *project.Scenario) bool {
	if !r.inOrder {
		return true
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	return s.Check != nil && r.slow[resourceKey(s.File, r.checkOf(s))]
}

// next runs a job with nothing beside it; what happens is told at once.
func (r *environment) next(ctx context.Context, j job) {
	r.once.began(j.s.File)
	j.values, j.blocked = r.ready(ctx, j.s, r.o.Emit)
	r.scenario(ctx, j, r.o.Emit)
}

// drain waits until all that was started has ended and been told.
func (p *pool) drain() {
	p.working.Wait()
	s := &slot{done: make(chan struct{}), told: make(chan struct{})}
	close(s.done)
	p.order <- s
	<-s.told
}

// together is how many of the next jobs may start in any order: checks of one
// resource, once it is known that its examples work.
func together(list []planned) int {
	first := list[0].s
	if first.Check == nil || first.Check.ID == Probe {
		return 1
	}
	n := 1
	for n < min(len(list), widest) {
		s := list[n].s
		if s.Check == nil || s.Check.ID == Probe || s.File != first.File || s.Check.Resource != first.Check.Resource {
			break
		}
		n++
	}
	return n
}

// group starts jobs: long ones first, so that none is waited for at the end, and
// those that must be alone last, so that the others are waited for once.
func (p *pool) group(ctx context.Context, some []planned) {
	list := make([]job, len(some))
	for i, one := range some {
		list[i] = one.job()
	}
	slots := make([]*slot, len(list))
	for i, j := range list {
		p.env.once.began(j.s.File)
		if some, alone := p.env.unready(j); some {
			p.first(ctx, j, alone)
		}
		slots[i] = &slot{done: make(chan struct{})}
	}
	for _, s := range slots {
		p.order <- s
	}
	for _, i := range p.starts(list) {
		if p.env.ended() {
			close(slots[i].done)
			continue
		}
		p.window <- struct{}{}
		slots[i].begun = true
		j := list[i]
		if _, stale := p.env.unready(j); stale {
			p.working.Wait()
		}
		j.values, j.blocked = p.env.ready(ctx, j.s, slots[i].emit)
		p.start(ctx, j, slots[i])
	}
}

// starts are the places of jobs in the order in which they start.
func (p *pool) starts(list []job) []int {
	steps := func(j job) int { return len(j.s.Statement.Children) }
	total := 0
	for _, j := range list {
		total += steps(j)
	}
	when := func(j job) int {
		switch {
		case j.s.Exclusive:
			return 2
		case steps(j)*p.env.o.Workers*2 > total:
			return 0
		}
		return 1
	}
	out := make([]int, len(list))
	for i := range out {
		out[i] = i
	}
	slices.SortStableFunc(out, func(a, b int) int { return when(list[a]) - when(list[b]) })
	return out
}

// tell passes on what has happened, in order.
func (p *pool) tell() {
	for s := range p.order {
		<-s.done
		for _, e := range s.events {
			p.env.o.Emit(e)
		}
		if s.begun {
			<-p.window
		}
		if s.told != nil {
			close(s.told)
		}
	}
}

// first runs what a job needs to have run; alone, when all that runs has ended.
func (p *pool) first(ctx context.Context, j job, alone bool) {
	s := &slot{done: make(chan struct{}), begun: true}
	p.window <- struct{}{}
	p.order <- s
	if alone {
		p.working.Wait()
	}
	defer close(s.done)
	p.env.ready(ctx, j.s, s.emit)
}

// start runs a job: beside others, or when they have ended.
func (p *pool) start(ctx context.Context, j job, s *slot) {
	if j.s.Exclusive {
		p.working.Wait()
		defer close(s.done)
		p.env.scenario(ctx, j, s.emit)
		return
	}
	// What comes after the first check of a resource depends on it.
	if c := j.s.Check; c != nil && c.ID == Probe {
		defer p.working.Wait()
	}
	j.beside = true
	p.running <- struct{}{}
	p.working.Add(1)
	go func() {
		defer p.working.Done()
		defer func() { <-p.running }()
		defer close(s.done)
		p.env.scenario(ctx, j, s.emit)
	}()
}
