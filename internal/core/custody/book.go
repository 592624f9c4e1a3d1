package custody

import (
	"strings"
	"sync"
)

// book is what a run has learnt of its lists. It may be used from several goroutines.
type book struct {
	mu    sync.Mutex
	lists map[string]*page
}

type page struct {
	listing listing
	// slides tells that what it leaves out depends on what else there is.
	slides   bool
	statuses map[int]bool
	waited   bool
	// unproven are names of items that were made and cannot be shown to be of this run.
	unproven map[string]bool
	// turn is held while one more of these may be made.
	turn sync.Mutex
}

func (b *book) page(list string) *page {
	if b.lists == nil {
		b.lists = map[string]*page{}
	}
	if b.lists[list] == nil {
		b.lists[list] = &page{statuses: map[int]bool{}, unproven: map[string]bool{}}
	}
	return b.lists[list]
}

// Listing is what is known of a list.
func (b *book) Listing(list string) listing {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.page(list).listing
}

// Set notes what was learnt of a list. One that has left something out is partial for good.
func (b *book) Set(list string, is listing) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if p := b.page(list); p.listing != partial && is != unknown {
		p.listing = is
	}
}

// SetSlides notes that a list shows a part of what is there, such as the newest twenty, and
// Slides tells whether it does.
func (b *book) SetSlides(list string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	p := b.page(list)
	p.listing, p.slides = partial, true
}

// Slides tells what SetSlides has noted.
func (b *book) Slides(list string) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.page(list).slides
}

// Proves tells whether a list shows all that is there, and how creates are answered there: then one
// that is new in it is known by that.
func (b *book) Proves(list string) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	p := b.page(list)
	return p.listing == whole && len(p.statuses) > 0
}

// Usual tells whether a create of something drawn was answered with a status, and Made that one was.
func (b *book) Usual(list string, status int) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.page(list).statuses[status]
}

// Made notes how the create of an item was answered that showed a drawn value.
func (b *book) Made(list string, status int) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.page(list).statuses[status] = true
}

// Take waits until no other item is being made in a list that cannot be shown to be of this
// run, and tells whether this many more may be; drawn tells that they carry drawn values. Whoever
// is told so calls done with what was made.
func (b *book) Take(list string, n int, drawn bool) (done func(names []string), ok bool) {
	b.mu.Lock()
	p := b.page(list)
	b.mu.Unlock()
	p.turn.Lock()
	b.mu.Lock()
	defer b.mu.Unlock()
	switch {
	case p.listing == whole && len(p.unproven) < mostUnproven, p.listing != whole && drawn && (len(p.statuses) > 0 || len(p.unproven) == 0):
		p.turn.Unlock()
		return func([]string) {}, true
	case len(p.unproven)+n > mostUnproven:
		p.turn.Unlock()
		return nil, false
	}
	return func(names []string) {
		for _, name := range names {
			b.Unproven(list, name)
		}
		p.turn.Unlock()
	}, true
}

// Waited notes that a list which shows all did not come to show an item, and Waits tells whether
// it is worth to wait for that once more.
func (b *book) Waited(list string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.page(list).waited = true
}

// Waits tells what Waited has noted.
func (b *book) Waits(list string) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	return !b.page(list).waited
}

// Unproven notes an item that cannot be shown to be of this run, Proven one that can, or that is gone.
func (b *book) Unproven(list, name string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.page(list).unproven[strings.ToLower(name)] = true
}

// Proven takes an item out that was noted by Unproven.
func (b *book) Proven(list, name string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	delete(b.page(list).unproven, strings.ToLower(name))
}

// Certain tells whether an item that a run has left is one of its own.
func (b *book) Certain(name string) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, p := range b.lists {
		if p.unproven[strings.ToLower(name)] {
			return false
		}
	}
	return true
}

// mostUnproven is how many items of a list are made at most that cannot be shown to be of this run.
const mostUnproven = 3
