package expect

import (
	"context"
	"errors"
	"time"

	"github.com/antchfx/xpath"
)

// patience bounds how long an XPath may go from node to node.
const patience = 3 * time.Second

var errTooFar = errors.New("this XPath takes more than 3s on this body, which is the limit; write a narrower one")

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
	return &bounded{n, &way{until: time.Now().Add(patience), ctx: ctx}}
}

// recoverTooFar turns the end of a bounded navigator into an error.
func recoverTooFar(err *error) {
	if p := recover(); p != nil {
		if p != any(errTooFar) {
			panic(p)
		}
		*err = errTooFar
	}
}

func (n *bounded) moved(is bool) bool {
	n.way.moves++
	if n.way.moves%256 == 0 && (time.Now().After(n.way.until) || n.way.ctx.Err() != nil) {
		// The library has no other way out.
		panic(errTooFar)
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
