package roam

import (
	"slices"
	"strings"
)

// Kind names what contradicts what the service has said itself.
type Kind string

// The kinds.
const (
	Unwritten Kind = "a write was acknowledged and is not there"
	Unasked   Kind = "a change that nobody asked for"
	Vanished  Kind = "gone without a delete"
	CameBack  Kind = "there again after a delete"
	Unlisted  Kind = "its list does not show it"
	Listed    Kind = "its list still shows it"
	ListSays  Kind = "the list contradicts the item"
	Unfound   Kind = "the filter does not find it"
	Misfound  Kind = "the filter finds what does not match"
	// Miscounted and Mispaged are about the list's total, and its single pages.
	Miscounted Kind = "the total contradicts the list"
	Mispaged   Kind = "the pages do not show each item once"
	HeadSays   Kind = "HEAD contradicts GET"
	Refused    Kind = "refused, although what reads the same is served"
	Accepted   Kind = "accepted, although the same was refused before"
	Broken     Kind = "a server error"
	Silent     Kind = "no answer"
)

// doubt is something that contradicts an earlier answer, before it is confirmed.
type doubt struct {
	kind Kind
	// item is what it is about, move the write that it shows after; nil for none.
	item    *item
	move    *move
	members []string
	// want are the members of the item as they must read, before what it read as
	// before the write.
	want, before map[string]cell
	// since is the last move that has read the item and found it right.
	since int
	// observed says what was seen.
	observed string
	// turn is the number that a filter asks for.
	turn int
	// pages is the size of the pages that it is about, 0 for none.
	pages int
}

// key tells doubts of one cause from others.
func (d *doubt) key() string {
	out := string(d.kind)
	if d.move != nil {
		out += "|" + d.move.op.String()
		if d.kind == Refused || d.kind == Accepted || d.kind == Broken {
			out += " " + string(d.move.class)
		}
		if d.item != nil && d.move.item != d.item.n {
			out += " of another"
		}
	}
	if d.kind == Miscounted {
		// One cause shows after many writes.
		return string(d.kind)
	}
	return out + "|" + strings.Join(d.members, ",")
}

// bend tells apart what a fresh item shows as well.
func (d *doubt) bend() string {
	out := d.key()
	if d.move != nil {
		out += "|" + string(d.move.class)
		for _, f := range d.move.fields {
			if slices.Contains(d.members, f.name) {
				out += "|" + f.text
			}
		}
	}
	return out
}

// doubts tells whether something is still to be looked into, and notes that it was seen.
func (g *ground) doubts(d *doubt) *doubt {
	if f := g.found[d.key()]; f != nil {
		f.Times++
		return nil
	}
	if g.bends[d.bend()] {
		return nil
	}
	return d
}
