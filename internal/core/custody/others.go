package custody

import (
	"context"
	"strings"
	"sync"
	"time"

	"usualpath/internal/core/expect"
	"usualpath/internal/core/value"
)

// others knows what the scenarios under way have made, and what each has done to
// it, so that effects are judged on what that does not explain.
type others struct {
	mu sync.Mutex
	// items are by identity, in lower case; the same one may be in several lists.
	items map[string][]*item
	// creating are creates that have not been answered yet.
	creating map[*creating]bool
	turn     *sync.Cond
}

// item is one that a scenario has made.
type item struct {
	host, list string
	owner      int
	// writing counts requests of its owner under way that change it, written is when
	// the last one was taken, and deleted tells that one has removed it.
	writing int
	written time.Time
	deleted bool
	// sent are members that the answer to its create showed as they were sent.
	sent map[string]*value.Value
}

type creating struct {
	host, list string
	owner      int
}

func newOthers() *others {
	o := &others{items: map[string][]*item{}, creating: map[*creating]bool{}}
	o.turn = sync.NewCond(&o.mu)
	return o
}

// acted tells whether a request may have had an effect: it was not refused.
func acted(replies []*expect.Reply, n int) bool {
	return n >= len(replies) || replies[n] == nil || replies[n].Answer == nil || replies[n].Answer.Status/100 != 4
}

// of are the items of an identity that a list shows, as far as the paths tell. The
// lock is held.
func (o *others) of(id, host, list string, is func(*item) bool) []*item {
	var exact, loose []*item
	for _, i := range o.items[id] {
		switch {
		case i.host != host || !is(i):
		case i.list == list:
			exact = append(exact, i)
		case strings.HasPrefix(list, strings.TrimSuffix(i.list, "/")+"/"):
			loose = append(loose, i)
		}
	}
	if len(exact) > 0 {
		return exact
	}
	return loose
}

// patience bounds how long answers of others are waited for before an effect is
// judged; after it what they make is not explained, and the check runs once more alone.
const patience = 15 * time.Second

// wait waits until something is so, at most as long as patience says. The lock is held.
func (o *others) wait(ctx context.Context, is func() bool) {
	if is() {
		return
	}
	until := time.AfterFunc(patience, o.turn.Broadcast)
	defer until.Stop()
	stop := context.AfterFunc(ctx, o.turn.Broadcast)
	defer stop()
	for start := time.Now(); !is() && time.Since(start) < patience && ctx.Err() == nil; {
		o.turn.Wait()
	}
}
