package roam

import (
	"fmt"
	"slices"
	"time"
)

// patience is how long one doubt may be looked into.
func (o *Options) patience() time.Duration {
	if o.For > 0 {
		return max(3*time.Second, o.For/4)
	}
	return 10 * time.Second
}

// persistence is how long a way may be made shorter.
func (o *Options) persistence() time.Duration {
	return max(8*time.Second, o.For/3)
}

func (o *Options) add(requests int) {
	o.mu.Lock()
	defer o.mu.Unlock()
	o.progress.Requests += requests
}

func (o *Options) addTrial(requests int) {
	o.mu.Lock()
	defer o.mu.Unlock()
	o.progress.Requests += requests
	o.progress.Trials += requests
	o.say()
}

// say tells how far it is, some times a second.
func (o *Options) say() {
	if o.Seen == nil || time.Since(o.last) < 100*time.Millisecond {
		return
	}
	o.last = time.Now()
	p := o.progress
	if o.For > 0 {
		p.Left = max(0, o.For-time.Since(o.begun))
		p.Share = min(1, float64(time.Since(o.begun))/float64(o.For))
	}
	if o.Steps > 0 {
		p.Share = max(p.Share, min(1, float64(p.Steps)/float64(o.Steps)))
	}
	o.Seen(p)
}

// over tells whether the time, or the number of steps, is used up.
func (o *Options) over() bool {
	return o.For > 0 && time.Since(o.begun) >= o.For || o.Steps > 0 && o.progress.Steps >= o.Steps
}

func (t *teller) again() int {
	t.replays++
	return t.replays
}

// title is a title that no finding has yet: the same may show by other steps.
func (t *teller) title(wanted string) string {
	out := wanted
	for n := 2; slices.ContainsFunc(t.all, func(f *Finding) bool { return f.Title == out }); n++ {
		out = fmt.Sprintf("%s (%d)", wanted, n)
	}
	return out
}
