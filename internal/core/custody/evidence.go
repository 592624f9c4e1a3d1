// Package custody judges whose an item is: what this run has made, and what was there before.
// It knows answers and lists, and neither steps nor statements.
package custody

import (
	"strings"
	"sync"

	"usualpath/internal/core/late"
	"usualpath/internal/core/state"
	"usualpath/internal/core/value"
)

// Listing is what is known of a list: whether it shows all that is there.
type Listing int

// The listings. Partial is a list of which it was seen that it leaves something out, or that
// does not show what was made.
const (
	Unknown Listing = iota
	Whole
	Partial
)

// Shown tells whether a list shows an item.
type Shown int

// Of a list that was not read nothing is known.
const (
	NotRead Shown = iota
	Missing
	There
)

// Evidence is what is known of an item that is about to be written to, and that was not in its
// list before the scenario's first write.
type Evidence struct {
	// Named tells that the answer to a create of this scenario names the item, Status what it
	// was, and Usual that a create which certainly made something was answered so too.
	Named  bool
	Status int
	Usual  bool
	// List is what is known of the list, and Now whether it shows the item.
	List Listing
	Now  Shown
	// Drawn tells that the item, or its entry in the list, shows a value that only this run
	// can have drawn.
	Drawn bool
}

// Ours tells whether the item is certainly of this run, and else why it is not certain. Where
// the list is whole, what a create names has to be new in it: a service may name another item
// than the one it made (RFC 9110 §15.3.2). Elsewhere only a drawn value tells.
func (e Evidence) Ours() (bool, string) {
	switch {
	case !e.Named && !e.Drawn:
		return false, "was not made here"
	case e.List == Whole && e.Now == Missing:
		return false, "is not in the list, which shows all that is there"
	case e.Drawn:
		return true, ""
	case e.List == Whole && e.Now == There && (e.Status == 201 || e.Usual):
		return true, ""
	case e.List == Whole && e.Now == There:
		return false, "shows nothing of what was sent here, and the create was not answered with 201; " + Advice
	case e.List == Whole:
		return false, "shows nothing of what was sent here"
	}
	return false, "shows nothing that only this run can have sent, and the list may leave out what was there before; " + Advice
}

// Advice is the line that lets an item be told from others.
const Advice = "a `{turn}` in a member of `make` that is shown tells, or `disposable` where all may be lost"

// Learn tells what a list is that gained and lost members around creates, of which this many
// were taken and one is named: whole where it grew by just them. Where others work on the same
// list, one that did not grow so tells nothing.
func Learn(gained, lost, made int, named, alone bool) Listing {
	switch {
	case made == 0:
		return Unknown
	case gained == made && lost == 0 && named:
		return Whole
	case alone:
		return Partial
	}
	return Unknown
}

// MostUnproven is how many items of a list are made at most that cannot be shown to be of this run.
const MostUnproven = 3

// Book is what a run has learnt of its lists. It may be used from several goroutines.
type Book struct {
	mu    sync.Mutex
	lists map[string]*page
}

type page struct {
	listing Listing
	// slides tells that what it leaves out depends on what else there is.
	slides   bool
	statuses map[int]bool
	waited   bool
	// unproven are names of items that were made and cannot be shown to be of this run.
	unproven map[string]bool
	// turn is held while one more of these may be made.
	turn sync.Mutex
}

func (b *Book) page(list string) *page {
	if b.lists == nil {
		b.lists = map[string]*page{}
	}
	if b.lists[list] == nil {
		b.lists[list] = &page{statuses: map[int]bool{}, unproven: map[string]bool{}}
	}
	return b.lists[list]
}

// Listing is what is known of a list.
func (b *Book) Listing(list string) Listing {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.page(list).listing
}

// Set notes what was learnt of a list. One that has left something out is partial for good.
func (b *Book) Set(list string, is Listing) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if p := b.page(list); p.listing != Partial && is != Unknown {
		p.listing = is
	}
}

// SetSlides notes that a list shows a part of what is there, such as the newest twenty, and
// Slides tells whether it does.
func (b *Book) SetSlides(list string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	p := b.page(list)
	p.listing, p.slides = Partial, true
}

// Slides tells what SetSlides has noted.
func (b *Book) Slides(list string) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.page(list).slides
}

// Slid tells whether a list may have moved on by some items: what it lost was at one end of it,
// and as many came at the other.
func Slid(before, after *state.Snapshot) bool {
	var lost, gained int
	for _, k := range before.Keys {
		if after.Members[k] == nil {
			lost++
		}
	}
	for _, k := range after.Keys {
		if before.Members[k] == nil {
			gained++
		}
	}
	if lost != gained || lost == 0 || lost > len(before.Keys) {
		return false
	}
	ends := func(s *state.Snapshot, other *state.Snapshot, n int, last bool) bool {
		keys := s.Keys[:n]
		if last {
			keys = s.Keys[len(s.Keys)-n:]
		}
		for _, k := range keys {
			if other.Members[k] != nil {
				return false
			}
		}
		return true
	}
	return ends(before, after, lost, false) && ends(after, before, lost, true) || ends(before, after, lost, true) && ends(after, before, lost, false)
}

// Usual tells whether a create of something drawn was answered with a status, and Made that one was.
func (b *Book) Usual(list string, status int) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.page(list).statuses[status]
}

// Made notes how the create of an item was answered that showed a drawn value.
func (b *Book) Made(list string, status int) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.page(list).statuses[status] = true
}

// Take waits until no other item is being made in a list that cannot be shown to be of this
// run, and tells whether this many more may be; drawn tells that they carry drawn values. Whoever
// is told so calls done with what was made.
func (b *Book) Take(list string, n int, drawn bool) (done func(names []string), ok bool) {
	b.mu.Lock()
	p := b.page(list)
	b.mu.Unlock()
	p.turn.Lock()
	b.mu.Lock()
	defer b.mu.Unlock()
	switch {
	case p.listing == Whole && len(p.unproven) < MostUnproven, p.listing != Whole && drawn && (len(p.statuses) > 0 || len(p.unproven) == 0):
		p.turn.Unlock()
		return func([]string) {}, true
	case len(p.unproven)+n > MostUnproven:
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
func (b *Book) Waited(list string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.page(list).waited = true
}

// Waits tells what Waited has noted.
func (b *Book) Waits(list string) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	return !b.page(list).waited
}

// Unproven notes an item that cannot be shown to be of this run, Proven one that can, or that is gone.
func (b *Book) Unproven(list, name string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.page(list).unproven[strings.ToLower(name)] = true
}

// Proven takes an item out that was noted by Unproven.
func (b *Book) Proven(list, name string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	delete(b.page(list).unproven, strings.ToLower(name))
}

// Certain tells whether an item that a run has left is one of its own.
func (b *Book) Certain(name string) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, p := range b.lists {
		if p.unproven[strings.ToLower(name)] {
			return false
		}
	}
	return true
}

// Few tells whether there are fewer than 100,000 names of the form of this one: its digits are
// what differs, or its letters where it has none.
func Few(name string) bool {
	digits, letters := 0, 0
	for _, c := range name {
		switch {
		case c >= '0' && c <= '9':
			digits++
		case c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z':
			letters++
		case c > 0x7f:
			letters++
		}
	}
	if digits > 0 {
		return digits < 5
	}
	return letters < 4
}

// enough is how many items there have to be for any member that differs in all of them to be
// taken for a key: of few, those with one of a few kinds or sizes differ too.
const enough = 5

// keyWords are what members are called that tell items apart.
const keyWords = "id|uid|uuid|guid|key|code|name|title|label|slug|sku|e?mail|number|no|nr|ref|reference|login|user|username|handle|path|url|uri|host|hostname|domain|address|serial|plate"

var (
	keyName   = late.Regexp(`^(?i:(.*[_ -])?(` + keyWords + `))$|[a-z](Id|Uid|Key|Code|Name|Title|Number|Ref|Email|Slug)$`)
	plainWord = late.Regexp(`^\pL+$`)
)

// likely tells whether a member may be a key, by what it is: a text, or a whole number. Where
// there are few items a plain word or a number is one only under such a name.
func likely(name string, v *value.Value, items int) bool {
	if v.Kind == value.Number && !v.IsInteger() || folded(v) == "" {
		return false
	}
	return items >= enough || keyName().MatchString(name) || v.Kind == value.String && !plainWord().MatchString(strings.TrimSpace(v.Text))
}

// Index finds what may be keys in a list as it was before a run wrote to it.
type Index struct {
	list *state.Snapshot
	mu   sync.Mutex
	keys map[string]map[string]bool
}

// NewIndex is the index of a list.
func NewIndex(list *state.Snapshot) *Index {
	return &Index{list: list, keys: map[string]map[string]bool{}}
}

// Standing finds a fixed member of a body that stands in the list already, and that could be
// what tells its items apart: a text or a whole number which is another one in each. A service
// may take a create of it for a write to that item. It gives the member's name and value, "" for none.
func (x *Index) Standing(body *value.Value, drawn func(text string) bool) (name, text string) {
	if x == nil || len(x.list.Keys) == 0 {
		return "", ""
	}
	each(body, func(n string, v *value.Value) bool {
		if !likely(n, v, len(x.list.Keys)) || drawn(v.String()) || !x.key(n)[folded(v)] {
			return true
		}
		name, text = n, value.Cut(v.String(), 40)
		return false
	})
	return name, text
}

// key are the values of a member that is another one in each item, nil for none.
func (x *Index) key(name string) map[string]bool {
	x.mu.Lock()
	defer x.mu.Unlock()
	if known, ok := x.keys[name]; ok {
		return known
	}
	x.keys[name] = nil
	seen := map[string]bool{}
	for _, k := range x.list.Keys {
		var here *value.Value
		each(x.list.Members[k], func(n string, v *value.Value) bool {
			if n == name {
				here = v
			}
			return here == nil
		})
		if here == nil || seen[folded(here)] {
			return nil
		}
		seen[folded(here)] = true
	}
	x.keys[name] = seen
	return seen
}

// each goes through the texts and numbers in an object and the objects in it, until it is told to stop.
func each(v *value.Value, do func(name string, v *value.Value) bool) bool {
	if v == nil || v.Kind != value.Object {
		return true
	}
	for i, one := range v.Items {
		switch one.Kind {
		case value.String, value.Number:
			if !do(v.Names[i], one) {
				return false
			}
		case value.Object:
			if !each(one, do) {
				return false
			}
		}
	}
	return true
}

// Texts goes through the texts in a value, at any depth, until it is told to stop.
func Texts(v *value.Value, do func(text string) bool) bool {
	switch v.Kind {
	case value.String:
		return do(v.Text)
	case value.Object, value.Array:
		for _, one := range v.Items {
			if !Texts(one, do) {
				return false
			}
		}
	}
	return true
}

// folded is a value as a key that ignores case.
func folded(v *value.Value) string { return strings.ToLower(strings.TrimSpace(v.Plain())) }
