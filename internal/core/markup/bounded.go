// Package markup reads XML: what an XPath selects in it, within a bound of time, and elements as
// values that can be compared.
package markup

import (
	"context"
	"strings"
	"time"

	"github.com/antchfx/xmlquery"
	"github.com/antchfx/xpath"

	"usualpath/internal/core/bound"
)

// TooFar is an XPath that goes from node to node for longer than
// bound.Patience.
type TooFar struct{}

func (TooFar) Error() string {
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
	// plain has names match whatever their prefixes are.
	plain bool
}

// Evaluate gives each node that an XPath selects in a document to a function, or what else it
// is worth: a text, a number, a boolean. Names without a prefix match those with any, in an
// XPath that has no prefix itself: a prefix is the document's own choice. It ends with TooFar
// when that takes too long, or the context has ended.
func Evaluate(ctx context.Context, root *xmlquery.Node, e *xpath.Expr, each func(xpath.NodeNavigator)) (worth any, err error) {
	defer recovered(&err)
	switch v := e.Evaluate(newBounded(ctx, xmlquery.CreateXPathNavigator(root), !strings.Contains(strings.ReplaceAll(e.String(), "::", ""), ":"))).(type) {
	case *xpath.NodeIterator:
		for v.MoveNext() {
			each(v.Current())
		}
		return nil, nil
	default:
		return v, nil
	}
}

func newBounded(ctx context.Context, n xpath.NodeNavigator, plain bool) *bounded {
	return &bounded{n, &way{until: time.Now().Add(bound.Patience()), ctx: ctx, plain: plain}}
}

func (n *bounded) Prefix() string {
	if n.way.plain {
		return ""
	}
	return n.NodeNavigator.Prefix()
}

// recovered turns the end of a bounded navigator into an error.
func recovered(err *error) {
	if p := recover(); p != nil {
		if p != any(TooFar{}) {
			panic(p)
		}
		*err = TooFar{}
	}
}

func (n *bounded) moved(is bool) bool {
	n.way.moves++
	if n.way.moves%256 == 0 && (time.Now().After(n.way.until) || n.way.ctx.Err() != nil) {
		// The library has no other way out.
		panic(TooFar{})
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
