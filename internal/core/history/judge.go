package history

import (
	"cmp"
	"slices"
	"time"

	"usualpath/internal/core/value"
)

// Judge names what no order of the calls explains. The budget bounds each search;
// unsure tells that one was not enough, and that nothing is said of their order.
func Judge(h History, budget time.Duration) (found []Finding, unsure bool) {
	h.Calls = slices.Clone(h.Calls)
	slices.SortStableFunc(h.Calls, func(a, b Call) int { return cmp.Compare(a.Begin, b.Begin) })
	for _, c := range h.Calls {
		if c.Status/100 == 5 {
			found = append(found, Finding{What: Broken, Calls: []Call{c}})
		}
	}
	found = append(found, older(h.Start, h.Calls)...)
	j := &judge{h: h, budget: budget}
	if j.fails(h.Calls, h.Final) {
		f := j.name()
		f.Calls = j.cut(f)
		if !j.unsure {
			found = append(found, f)
		}
	}
	return found, j.unsure
}

type judge struct {
	h      History
	budget time.Duration
	unsure bool
}

// fails tells whether it is certain that no order explains calls.
func (j *judge) fails(calls []Call, final *Final) bool {
	ok, known := explained(j.h.Start, calls, final, j.budget)
	j.unsure = j.unsure || !known
	return known && !ok
}

// bare are calls of which only one member counts, or none; a read of the end too.
func (j *judge) bare(member string) ([]Call, *Final) {
	out := slices.Clone(j.h.Calls)
	for i := range out {
		out[i].Members = only(out[i].Members, member)
		out[i].IfMatch, out[i].ETag = "", ""
	}
	f := j.h.Final
	if f != nil {
		f = &Final{f.There, only(f.Members, member)}
	}
	return out, f
}

// name tells what kind of contradiction it is, from the plainest on: who may make
// and delete it, who may write on which tag, one member by itself, all together.
func (j *judge) name() Finding {
	start := j.h.Start
	defer func() { j.h.Start = start }()
	j.h.Start.Members = nil
	calls, final := j.bare("")
	makes := slices.DeleteFunc(slices.Clone(calls), func(c Call) bool { return c.Kind == Merge || c.Kind == Replace && !c.Made })
	if j.fails(makes, nil) {
		return Finding{What: TwoOfOne}
	}
	if j.fails(calls, nil) {
		// A change was taken of what was gone: it is nowhere, or it has brought it back.
		if final != nil && final.There && slices.ContainsFunc(calls, func(c Call) bool { return c.Kind == Delete && c.Outcome == Taken }) {
			return Finding{What: CameBack}
		}
		return Finding{What: LostUpdate}
	}
	if final != nil && j.fails(calls, final) {
		if final.There {
			return Finding{What: CameBack}
		}
		return Finding{What: Vanished}
	}
	for _, m := range names(j.h.Calls) {
		j.h.Start.Members = only(start.Members, m)
		calls, final := j.bare(m)
		if final != nil && j.fails(calls, final) {
			if j.written(m, final.Members[m]) {
				return Finding{What: LostUpdate, Member: m}
			}
			return Finding{What: Nobodys, Member: m}
		}
	}
	j.h.Start.Members = start.Members
	if j.fails(j.h.Calls, nil) {
		// Two writes that both demanded the same tag were taken.
		return Finding{What: LostUpdate}
	}
	return Finding{What: Torn}
}

// written tells whether somebody has written a value, or it was there before.
func (j *judge) written(member string, v *value.Value) bool {
	if same(j.h.Start.Members[member], v) {
		return true
	}
	return slices.ContainsFunc(j.h.Calls, func(c Call) bool {
		w, ok := c.Members[member]
		return c.Kind != Read && c.Outcome != Refused && (ok || c.Kind == Replace || c.Kind == Create) && same(w, v)
	})
}

// cut leaves the calls whose answers are needed for the contradiction: it stays when
// of all others it does not count whether and when they happened. What cannot be told
// in time is left.
func (j *judge) cut(f Finding) []Call {
	calls, until := slices.Clone(j.h.Calls), time.Now().Add(j.budget)
	for i, c := range calls {
		if c.Kind == Read || c.Outcome != Taken {
			continue
		}
		calls[i].Outcome = Unknown
		budget := min(j.budget/20, time.Until(until))
		if budget <= 0 {
			calls[i] = c
			break
		}
		if ok, known := explained(j.h.Start, calls, j.h.Final, budget); ok || !known {
			calls[i] = c
		}
	}
	var out []Call
	for i, c := range j.h.Calls {
		needed := calls[i].Kind != Read && calls[i].Outcome == Taken
		if needed || c.Outcome != Unknown && (c.Outcome == Taken || f.What == Nobodys) && j.shows(c, f.Member) {
			out = append(out, c)
		}
	}
	return out
}

// shows tells whether what is read in the end is what a call has written.
func (j *judge) shows(c Call, member string) bool {
	if j.h.Final == nil || !j.h.Final.There || c.Kind == Read || c.Kind == Delete {
		return false
	}
	for n, v := range c.Members {
		if (member == "" || n == member) && !absent(v) && same(v, j.h.Final.Members[n]) {
			return true
		}
	}
	return false
}

// older finds a read that shows a value which was over before one began that an
// earlier read has shown: the first of them.
func older(start Final, calls []Call) []Finding {
	for _, later := range calls {
		if later.Kind != Read || later.Outcome != Taken {
			continue
		}
		for _, earlier := range calls {
			if earlier.Kind != Read || earlier.Outcome != Taken || earlier.End >= later.Begin {
				continue
			}
			for _, n := range names([]Call{earlier, later}) {
				now, then := writer(start, calls, n, later.Members[n]), writer(start, calls, n, earlier.Members[n])
				if now != nil && then != nil && now.End < then.Begin {
					return []Finding{{What: Older, Warns: true, Member: n, Calls: []Call{*now, *then, earlier, later}}}
				}
			}
		}
	}
	return nil
}

// writer is the only call that has written a value, nil where it cannot be told: the value
// may also be what was there at first.
func writer(start Final, calls []Call, member string, v *value.Value) *Call {
	if first, known := start.Members[member]; known && same(first, v) {
		return nil
	}
	var out *Call
	for i, c := range calls {
		w, ok := c.Members[member]
		if c.Kind == Read || c.Kind == Delete || c.Outcome == Refused || !ok || absent(v) || !same(w, v) {
			continue
		}
		if out != nil || c.Outcome == Unknown {
			return nil
		}
		out = &calls[i]
	}
	return out
}
