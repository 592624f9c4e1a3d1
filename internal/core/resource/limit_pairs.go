package resource

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/syntax"
)

// pairs are bodies in which each pair of values of two members stands together:
// those on limits, and the usual ones. What does not fit into the rows that are
// sent is left to --thorough.
func (r *Resource) pairs() [][]memberCase {
	var members [][]memberCase
	// Of several times one may have to come after another.
	times := 0
	for i := range r.Takes {
		if slices.ContainsFunc(r.Takes[i].within(r.Make), func(l limited) bool { return l.like != "" }) {
			times++
		}
	}
	for i := range r.Takes {
		t := &r.Takes[i]
		// The usual value first: a case without a text of its own.
		list := []memberCase{{member: t.Name}}
		for _, l := range t.within(r.Make) {
			if !l.usual && l.reads == asSent && (l.like == "" || times < 2) && len(list) < 4 && r.ReadsAsSent(t.Name) {
				list = append(list, memberCase{l, t.Name, false})
			}
		}
		if len(list) > 1 {
			members = append(members, list)
		}
	}
	if len(members) < 2 {
		return nil
	}
	most := pairRows
	if r.Thorough {
		most = thoroughRows
	}
	return allPairs(members, most)
}

// allPairs puts rows together, greedily, until each pair of values of two members
// stands in one of them, or there are most of them. What each value does alone is
// known already: pairs of two usual ones are left out.
func allPairs(members [][]memberCase, most int) [][]memberCase {
	type pair [4]int
	open := map[pair]bool{}
	var order []pair
	for a := range members {
		for b := a + 1; b < len(members); b++ {
			for i := range members[a] {
				for j := range members[b] {
					if i > 0 && j > 0 {
						p := pair{a, i, b, j}
						open[p] = true
						order = append(order, p)
					}
				}
			}
		}
	}
	var out [][]memberCase
	for _, first := range order {
		if !open[first] || len(out) == most {
			continue
		}
		chosen := make([]int, len(members))
		for i := range chosen {
			chosen[i] = -1
		}
		chosen[first[0]], chosen[first[2]] = first[1], first[3]
		for m := range members {
			if chosen[m] >= 0 {
				continue
			}
			best, gain := 0, -1
			for v := range members[m] {
				n := 0
				for o, ov := range chosen {
					if ov < 0 {
						continue
					}
					p := pair{min(o, m), 0, max(o, m), 0}
					if o < m {
						p[1], p[3] = ov, v
					} else {
						p[1], p[3] = v, ov
					}
					if open[p] {
						n++
					}
				}
				if n > gain {
					best, gain = v, n
				}
			}
			chosen[m] = best
		}
		var row []memberCase
		for m, v := range chosen {
			for o := range m {
				delete(open, pair{o, chosen[o], m, v})
			}
			if v > 0 {
				row = append(row, members[m][v])
			}
		}
		out = append(out, row)
	}
	return out
}

// pair makes an item with several values on limits, and reads it back. What is
// refused though each was taken alone cannot be told: there may be a rule.
func (s *Scene) pair(i int, row []memberCase) {
	change, parts := map[string]*string{}, []string{}
	sent := fmt.Sprintf("sent_%d", i+1)
	var reads []string
	for k := range row {
		change[row[k].member] = &row[k].text
		parts = append(parts, row[k].title())
		reads = append(reads, syntax.Quoted(row[k].member)+": "+memberOf(sent, row[k].member))
		row[k].unique = slices.Contains(s.Unique, row[k].member)
	}
	if change = s.told(change); change == nil {
		return
	}
	title := strings.Join(parts, "; ")
	s.Let(sent, s.Turned(s.Make.object(change), later(i)))
	s.attempt(title, bodyLine(s.Make, "{"+sent+"}"), expect("status not 5xx"), need(s.fine()+s.orTaken(row...)+" because \"each of these was taken alone: is there a rule between members?\""))
	if s.Supports(Read) {
		s.step("read it: "+title, when(s.fine()+of(title)), s.ask(Read, s.stray()), expect("status 200"), s.covers("expect", "{ "+strings.Join(reads, ", ")+" }"))
	}
}
