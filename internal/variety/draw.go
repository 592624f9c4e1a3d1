// Package variety draws legal services by a seed: each keeps to the standards, in manners of its
// own that they leave open, and comes with the resource statement that a tester would write for
// it. Whatever a run says against one of them is false. Only tests use it.
package variety

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
)

// Manners are lines that a service follows, by their names; what is not named is as the harbour
// has it.
type Manners map[string]bool

// known are the names of all lines, and byName finds one.
var byName = func() map[string]Line {
	out := map[string]Line{}
	for _, l := range lines {
		if _, twice := out[l.String()]; twice {
			panic("two lines are called " + l.String())
		}
		out[l.String()] = l
	}
	return out
}()

// Has tells whether a line is followed. A name that is not in the table is a mistake of the
// caller's.
func (m Manners) Has(name string) bool {
	if _, known := byName[name]; !known {
		panic("no line is called " + name)
	}
	return m[name]
}

// option is the line of a choice, "" for the harbour's manner.
func (m Manners) option(choice string) string {
	for name := range m {
		if l := byName[name]; l.Choice == choice {
			return l.Name
		}
	}
	return ""
}

// Names lists the lines in the order of their names.
func (m Manners) Names() []string { return slices.Sorted(maps.Keys(m)) }

func (m Manners) String() string { return strings.Join(m.Names(), "; ") }

// Without is a copy that leaves one line out.
func (m Manners) Without(name string) Manners {
	out := maps.Clone(m)
	delete(out, name)
	return out
}

// Warnings are the checks that may warn of what these lines leave out.
func (m Manners) Warnings() map[string]bool {
	out := map[string]bool{}
	for name := range m {
		for _, w := range byName[name].Warns {
			out[w] = true
		}
	}
	return out
}

// takes tells whether a line goes with those that are there.
func (m Manners) takes(l Line) bool {
	for name := range m {
		other := byName[name]
		if other.Choice == l.Choice || clash(l, other) || clash(other, l) {
			return false
		}
	}
	return true
}

func clash(l, other Line) bool {
	return slices.Contains(l.Clashes, other.Choice) || slices.Contains(l.Clashes, other.String())
}

// least is how many lines a service has at least.
const least = 10

// Draw chooses manners by a seed: each choice departs from the harbour with a chance that differs
// from seed to seed, so that there are plain services and odd ones.
func Draw(seed uint64) Manners {
	r := rand.New(rand.NewPCG(seed, 0))
	m := Manners{}
	share := 0.15 + 0.45*r.Float64()
	choices := map[string][]Line{}
	for _, l := range lines {
		choices[l.Choice] = append(choices[l.Choice], l)
	}
	for len(m) < least {
		names := slices.Sorted(maps.Keys(choices))
		r.Shuffle(len(names), func(i, j int) { names[i], names[j] = names[j], names[i] })
		if i := slices.Index(names, "identity"); seed%2 == 0 {
			// What excludes many others would hardly ever come after them.
			names[0], names[i] = names[i], names[0]
		}
		for _, name := range names {
			if l := choices[name][r.IntN(len(choices[name]))]; r.Float64() < share && m.takes(l) {
				m[l.String()] = true
			}
		}
	}
	return m
}

// Of makes manners of names; a name that is not in the table is an error.
func Of(names ...string) (Manners, error) {
	m := Manners{}
	for _, name := range names {
		l, known := byName[name]
		if !known {
			return nil, fmt.Errorf("no line is called %q", name)
		}
		if !m.takes(l) {
			return nil, fmt.Errorf("%q does not go with %s", name, m)
		}
		m[name] = true
	}
	return m, nil
}
