package history

import (
	"maps"
	"math"
	"slices"
	"time"

	"github.com/anishathalye/porcupine"
)

// state is the item between two calls. It is never changed.
type state struct {
	there   bool
	members Members
	// tag is the current entity tag, "" when nobody was told it; stale is one that
	// it is known not to be any more.
	tag, stale string
}

func (s state) same(o state) bool {
	return s.there == o.there && s.tag == o.tag && s.stale == o.stale && alike(s.members, o.members)
}

func alike(a, b Members) bool {
	for n, v := range a {
		if !same(v, b[n]) {
			return false
		}
	}
	for n, v := range b {
		if _, ok := a[n]; !ok && !absent(v) {
			return false
		}
	}
	return true
}

// after is the state once a call has been taken, and whether it can have been taken.
func (s state) after(c Call) (state, bool) {
	if c.Kind == Read {
		return s, s.there == (c.Status/100 == 2) && (!s.there || alike(s.members, c.Members))
	}
	if c.IfMatch != "" && (!s.there || c.IfMatch == s.stale || s.tag != "" && s.tag != c.IfMatch) {
		return s, false
	}
	next := state{there: true}
	switch c.Kind {
	case Create:
		if s.there {
			return s, false
		}
		next.members = c.Members
	case Replace:
		if !s.there && !c.Made || s.there && c.Made {
			return s, false
		}
		next.members = c.Members
	case Merge:
		if !s.there {
			return s, false
		}
		next.members = maps.Clone(s.members)
		if next.members == nil {
			next.members = Members{}
		}
		maps.Copy(next.members, c.Members)
	case Delete:
		// Deleting what is gone already may be a success too (RFC 9110 §9.2.2).
		return state{}, true
	}
	switch {
	case c.ETag != "":
		next.tag = c.ETag
	case s.there && alike(s.members, next.members):
		next.tag, next.stale = s.tag, s.stale
	case c.IfMatch != "":
		next.stale = c.IfMatch
	default:
		next.stale = s.tag
	}
	return next, true
}

// never is the end of a call that may still have an effect.
const never = time.Duration(math.MaxInt64)

// explained searches an order of calls, at most for as long as the budget says.
// Known is false when that was not enough.
func explained(start Final, calls []Call, final *Final, budget time.Duration) (ok, known bool) {
	first := state{there: start.There, members: start.Members}
	last := time.Duration(0)
	var ops []porcupine.Operation
	for i, c := range calls {
		last = max(last, c.Begin, c.End)
		switch {
		case c.Kind == Read || c.Outcome == Refused:
			continue
		case c.Outcome == Unknown:
			c.End = never
		}
		ops = append(ops, porcupine.Operation{ClientId: i, Input: c, Call: int64(c.Begin), Return: int64(c.End)})
	}
	if final != nil {
		c := Call{Kind: Read, Members: final.Members, Status: 404}
		if final.There {
			c.Status = 200
		}
		// What has no answer may come after the last look as well.
		ops = append(ops, porcupine.Operation{ClientId: len(calls), Input: c, Call: int64(last) + 1, Return: int64(last) + 2})
	}
	model := porcupine.NondeterministicModel{
		Init: func() []any { return []any{first} },
		Step: func(s, input, _ any) []any {
			now, c := s.(state), input.(Call)
			next, can := now.after(c)
			var out []any
			if can {
				out = append(out, next)
			}
			if c.Outcome == Unknown {
				out = append(out, now)
			}
			return out
		},
		Equal: func(a, b any) bool { return a.(state).same(b.(state)) },
	}
	switch porcupine.CheckOperationsTimeout(model.ToModel(), ops, budget) {
	case porcupine.Ok:
		return true, true
	case porcupine.Illegal:
		return false, true
	}
	return false, false
}

// only is the history of one member.
func only(m Members, name string) Members {
	if v, ok := m[name]; ok {
		return Members{name: v}
	}
	return Members{}
}

// names are the members that calls write, sorted.
func names(calls []Call) []string {
	set := map[string]bool{}
	for _, c := range calls {
		for n := range c.Members {
			set[n] = true
		}
	}
	return slices.Sorted(maps.Keys(set))
}
