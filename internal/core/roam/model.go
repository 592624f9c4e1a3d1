package roam

import (
	"slices"

	"usualpath/internal/core/value"
)

// cell is what a member must read as: its value, and the text that it was sent as.
type cell struct {
	v *value.Value
	field
	// pending is set until it was read so.
	pending bool
	// seq is the move that sent it, or, with read, the one that has shown it first.
	seq  int
	read bool
}

// presence is what is known of whether an item is there.
type presence int

const (
	there presence = iota
	gone
	unsure
)

// item is one item of a walk, as far as answers have acknowledged it.
type item struct {
	n    int
	id   *value.Value
	is   presence
	want map[string]cell
	// parted is an item that nothing more is sent to but its removal.
	parted bool
	// turn is the number of its telling members, was the one before, until it is read that
	// it has changed; -1 for none.
	turn, was int
	// past are the last operations on it.
	past []op
	// tag is the move that last read its entity tag, while that is current; older is
	// one that is not.
	tag, older int
	// seen is the move that has last read it, while nothing was written since.
	seen int
	// looked is the last move that has read it, shown the last list that has shown it whole
	// and as it must be.
	looked, shown int
	// last is the last write that was taken; before what it read as before that.
	last   *move
	before map[string]cell
}

// model is what a walk knows of the collection.
type model struct {
	items []*item
	// turns is the next number of telling values.
	turns int
	// free are numbers whose telling values no item has any more.
	free []int
	// freed is set when the last move has freed one.
	freed bool
	// bodies are what reads have shown, by move; tags likewise.
	bodies map[int]*value.Value
	tags   map[int]*value.Value
}

func newModel() *model {
	return &model{bodies: map[int]*value.Value{}, tags: map[int]*value.Value{}}
}

// alive are the items that are there.
func (m *model) alive() []*item {
	var out []*item
	for _, it := range m.items {
		if it.is == there {
			out = append(out, it)
		}
	}
	return out
}

// unsure tells whether there is an item of which it is not known whether it is there.
func (m *model) unsure() bool {
	return slices.ContainsFunc(m.items, func(it *item) bool { return it.is == unsure })
}

// living counts the items that are there.
func (m *model) living() int {
	n := 0
	for _, it := range m.items {
		if it.is == there {
			n++
		}
	}
	return n
}

// dead are the items that were deleted.
func (m *model) dead() []*item {
	var out []*item
	for _, it := range m.items {
		if it.is == gone && it.id != nil {
			out = append(out, it)
		}
	}
	return out
}

// position says where an item is among those that are there.
func (m *model) position(it *item) string {
	before, after := 0, 0
	passed := false
	for _, one := range m.items {
		switch {
		case one == it:
			passed = true
		case one.is != there:
		case passed:
			after++
		default:
			before++
		}
	}
	switch {
	case it.is != there:
		return "none"
	case before+after == 0:
		return "only"
	case before == 0:
		return "first"
	case after == 0:
		return "last"
	}
	return "middle"
}

// sizes are the numbers of items that walks grow to.
var sizes = []int{0, 1, 2, 5, 12, 30, 120}

// bucket is the largest of the sizes that a number reaches.
func bucket(n int) int {
	out := 0
	for _, s := range sizes {
		if n >= s {
			out = s
		}
	}
	return out
}

// same compares values as they are read: absent and null are the same.
func same(a, b *value.Value) bool {
	if absent(a) || absent(b) {
		return absent(a) && absent(b)
	}
	return value.Equal(a, b)
}

func absent(v *value.Value) bool { return v == nil || v.Kind == value.Null }

// class is what is special about a request.
type class string

const (
	plain class = "plain"
	// edge is a value on a limit, empty one of 0, "", false and [], null is null.
	edge  class = "edge"
	empty class = "empty"
	null  class = "null"
	// borrowed is a value of another item, several more members than one.
	borrowed class = "borrowed"
	several  class = "several"
	// renamed takes a telling value that was never used, freed one that an item had,
	// taken one that an item has.
	renamed class = "renamed"
	freed   class = "freed"
	taken   class = "taken"
	// lacking leaves out a member that must be there.
	lacking class = "lacking"
	// current and stale send an entity tag.
	current class = "current tag"
	stale   class = "stale tag"
)

// field is a member of a body as text of the language, in which {turn} stands for
// a number.
type field struct {
	name, text string
	turn       int
}

// move is one request of a walk, and what was answered.
type move struct {
	// seq numbers the moves of a walk from 1.
	seq  int
	op   op
	item int
	class
	fields []field
	// turn is the number that a create takes for the item's name.
	turn int
	// whole is the text of a body that is not an object of members.
	whole string
	// tag is the move that has read the entity tag which is sent, 0 for none.
	tag int
	// gone and never tell that the item was deleted, or that there was none.
	gone, never bool
	// status is what was answered, 0 for nothing.
	status int
	// seen is the move that has read what a return sends.
	seen int
	// before is what the item was known to read as before it was sent.
	before map[string]cell
}
