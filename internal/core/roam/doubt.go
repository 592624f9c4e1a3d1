package roam

import (
	"slices"
	"strings"
)

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
