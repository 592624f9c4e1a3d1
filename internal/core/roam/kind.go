package roam

import (
	"usualpath/internal/core/resource"
	"usualpath/internal/core/value"
)

// kind is all that is known of moves of one kind; each has all of it.
type kind struct {
	// name is its word in the grid, step the title of its step, in which %s stands for the item, and
	// after how a finding names what came before it.
	name, step, after string
	// of is what it asks for, None for what is no request.
	of resource.Operation
	// can tells whether a resource has it.
	can func(g *ground) bool
	// fill completes a move, with the item that was drawn where it is about one; false where it
	// cannot be sent.
	fill func(w *walk, m *move, it *item) bool
	// learn brings the model up to date with a success.
	learn func(w *walk, m *move, it *item, sent map[string]*value.Value)
	// effect is what becomes of its list.
	effect string
}

// kinds is set when the program starts, since what it holds asks it.
var kinds [ops]kind

func (o op) String() string { return kinds[o].name }

func (o op) after() string { return kinds[o].after }

// writes tells whether an operation may change something.
func (o op) writes() bool { return kinds[o].of.Writes() }

// ofItem tells whether a move is about an item that is there, or was.
func (o op) ofItem() bool { return kinds[o].of.OfItem() }

// sends tells whether a move has a body.
func (o op) sends() bool { return o.writes() && o != opDelete }

// put adds a move to a scene; number is what a new item's name is made of.
func (o op) put(s *resource.Scene, id, number string, x resource.Request) {
	switch o {
	case opRestart:
		s.Restart(x.Title)
	case opCreate:
		s.Create(id, number, x)
	default:
		s.Do(kinds[o].of, id, x)
	}
}
