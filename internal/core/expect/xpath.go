package expect

import (
	"context"
	"time"

	"github.com/antchfx/xpath"

	"usualpath/internal/core/bound"
)

// tooFar is an XPath that goes from node to node for longer than
// bound.Patience.
type tooFar struct{}

func (tooFar) Error() string {
	return "this XPath takes more than " + bound.Patience().String() + " on this body, which is the limit; write a narrower one (" + bound.Hint + ")"
}

// bounded is a navigator that ends when it has been under way for too long: the
// library knows no bound.
type bounded struct {
	xpath.NodeNavigator
	way *way
}

// way is what all copies of a navigator share.
type way struct {
	moves int
	until time.Time
	ctx   context.Context
}

func newBounded(ctx context.Context, n xpath.NodeNavigator) *bounded {
	return &bounded{n, &way{until: time.Now().Add(bound.Patience()), ctx: ctx}}
}

// recoverTooFar turns the end of a bounded navigator into an error.
func recoverTooFar(err *error) {
	if p := recover(); p != nil {
		if p != any(tooFar{}) {
			panic(p)
		}
		*err = tooFar{}
	}
}

func (n *bounded) moved(is bool) bool {
	n.way.moves++
	if n.way.moves%256 == 0 && (time.Now().After(n.way.until) || n.way.ctx.Err() != nil) {
		// The library has no other way out.
		panic(tooFar{})
	}
	return is
}

func (n *bounded) Copy() xpath.NodeNavigator {
	n.moved(true)
	return &bounded{n.NodeNavigator.Copy(), n.way}
}
func (n *bounded) MoveToParent() bool        { return n.moved(n.NodeNavigator.MoveToParent()) }
func (n *bounded) MoveToNextAttribute() bool { return n.moved(n.NodeNavigator.MoveToNextAttribute()) }
func (n *bounded) MoveToChild() bool         { return n.moved(n.NodeNavigator.MoveToChild()) }
func (n *bounded) MoveToFirst() bool         { return n.moved(n.NodeNavigator.MoveToFirst()) }
func (n *bounded) MoveToNext() bool          { return n.moved(n.NodeNavigator.MoveToNext()) }
func (n *bounded) MoveToPrevious() bool      { return n.moved(n.NodeNavigator.MoveToPrevious()) }

func (n *bounded) MoveTo(other xpath.NodeNavigator) bool {
	if o, is := other.(*bounded); is {
		other = o.NodeNavigator
	}
	return n.moved(n.NodeNavigator.MoveTo(other))
}
