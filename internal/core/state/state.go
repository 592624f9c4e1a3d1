// Package state tells what a request did to what can be observed: which
// members of a list came, went or changed, whatever the answer claimed.
package state

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"github.com/antchfx/xpath"

	"usualpath/internal/core/jsonpath"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/shape"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// Snapshot is what an observation showed at one time.
type Snapshot struct {
	// Single marks an observation without `by`: the whole answer is one thing.
	Single bool
	// Keys are in the order of the answer; Members go with them.
	Keys    []string
	Members map[string]*value.Value
}

// Find is the member of an identity. One that a path or a header gave is a text, also where members
// have it as a number.
func (s *Snapshot) Find(id *value.Value) (*value.Value, bool) {
	m, there := s.Members[s.KeyOf(id)]
	return m, there
}

// KeyOf is the key of an identity, as members have it where one does.
func (s *Snapshot) KeyOf(id *value.Value) string {
	other := value.NewString(id.Plain())
	if n, err := value.Decode(id.Text, value.Limits{}); id.Kind == value.String && err == nil && n.Kind == value.Number {
		other = n
	}
	if key := other.Key(); s.Members[id.Key()] == nil && s.Members[key] != nil {
		return key
	}
	return id.Key()
}

// Only is the snapshot of those of its members that have one of these keys.
func (s *Snapshot) Only(keys []string) *Snapshot {
	out := &Snapshot{Single: s.Single, Members: map[string]*value.Value{}}
	for _, k := range keys {
		if v, ok := s.Members[k]; ok {
			out.Keys = append(out.Keys, k)
			out.Members[k] = v
		}
	}
	return out
}

// View is how an observation is to be read.
type View struct {
	In, By *jsonpath.Query
	// XML selects the members of an XML answer, in place of In.
	XML      *xpath.Expr
	Ignoring []*jsonpath.Query
	// IfThere lets an answer leave out what In selects.
	IfThere bool
	// Without is the key of a member that is left out, nil for none.
	Without *value.Value
}

// Absent is the snapshot of something that is not there.
func (v View) Absent() *Snapshot {
	return &Snapshot{Single: v.By == nil, Members: map[string]*value.Value{}}
}

// Members are the members that one page of an answer shows. Without `in` a
// list's are its elements; a list that cannot be told apart is an error.
func (v View) Members(body *value.Value) ([]*value.Value, error) {
	if v.In == nil {
		if v.By == nil {
			return []*value.Value{body}, nil
		}
		if body.Kind != value.Array {
			return nil, fmt.Errorf("it is not a list but %s; `in $.path` says where the list is inside the answer", value.Cut(body.String(), 80))
		}
		return body.Items, nil
	}
	nodes, err := v.In.Select(body)
	if err != nil {
		return nil, err
	}
	if len(nodes) == 1 && nodes[0].Value.Kind == value.Array {
		return nodes[0].Value.Items, nil
	}
	if len(nodes) == 0 && v.IfThere {
		return nil, nil
	}
	if len(nodes) == 1 && v.IfThere && nodes[0].Value.Kind == value.Null {
		return nil, nil
	}
	if stem := v.In.Stem(body); len(nodes) == 0 && (stem == nil || stem.Kind != value.Array && stem.Kind != value.Object) {
		return nil, fmt.Errorf("%s selects nothing in %s", v.In, value.Cut(body.String(), 80))
	}
	var out []*value.Value
	for _, n := range nodes {
		out = append(out, n.Value)
	}
	return out, nil
}

// Entry is a member under its key, without what is ignored; one that is left out of a
// snapshot has a key too.
type Entry struct {
	Key   string
	Value *value.Value
	left  bool
}

// Entries are members as snapshots hold them; had gives that of a member that was the
// same before, nil for none.
func (v View) Entries(members []*value.Value, had func(i int) (Entry, bool)) ([]Entry, error) {
	if v.By == nil && (v.In != nil || v.XML != nil) {
		members = []*value.Value{value.NewArray(members...)}
	}
	out := make([]Entry, 0, len(members))
	for i, m := range members {
		if had != nil {
			if e, ok := had(i); ok {
				out = append(out, e)
				continue
			}
		}
		e := Entry{}
		if v.By != nil {
			nodes, err := v.By.Select(m)
			if err != nil {
				return nil, err
			}
			if len(nodes) != 1 {
				return nil, fmt.Errorf("%s tells members apart by one value, and selects %d in %s", v.By, len(nodes), value.Cut(m.String(), 80))
			}
			e.Key, e.left = nodes[0].Value.Key(), v.Without != nil && sameKey(v.Without, nodes[0].Value)
		}
		for _, q := range v.Ignoring {
			var err error
			if m, err = Without(m, q); err != nil {
				return nil, err
			}
		}
		e.Value = m
		out = append(out, e)
	}
	return out, nil
}

// Put adds members to a snapshot, each under its key.
func (s *Snapshot) Put(list []Entry) {
	if len(s.Keys) == 0 {
		s.Keys, s.Members = make([]string, 0, len(list)), make(map[string]*value.Value, len(list))
	}
	for _, e := range list {
		if e.left {
			continue
		}
		// The same key twice is two things: both are kept and counted.
		key := e.Key
		for n := 2; s.Members[key] != nil; n++ {
			key = fmt.Sprintf("%s (%d)", strings.SplitN(key, " (", 2)[0], n)
		}
		s.Keys = append(s.Keys, key)
		s.Members[key] = e.Value
	}
}

// Identities are what tells the members of a snapshot apart, as plain text, of
// those that are texts or numbers.
func (v View) Identities(s *Snapshot) []string {
	var out []string
	for _, k := range s.Keys {
		nodes, err := v.By.Select(s.Members[k])
		if err == nil && len(nodes) == 1 && (nodes[0].Value.Kind == value.String || nodes[0].Value.Kind == value.Number) {
			out = append(out, nodes[0].Value.Plain())
		}
	}
	return out
}

// Bare is a snapshot without what the view ignores, of one that was read with
// less ignored.
func (v View) Bare(s *Snapshot) *Snapshot {
	for k, m := range s.Members {
		for _, q := range v.Ignoring {
			// What can be ignored was ignored before.
			if less, err := Without(m, q); err == nil {
				m = less
			}
		}
		s.Members[k] = m
	}
	return s
}

// sameKey compares a key with a name's value: a number and its text are one,
// since ids often travel as text.
func sameKey(a, b *value.Value) bool { return value.Equal(a, b) || a.Plain() == b.Plain() }

// Change is a member before and after, with the key that it has in both.
type Change struct {
	Key           string
	Before, After *value.Value
	// of are the names of members whose changes count, nil for all.
	of map[string]bool
}

// Differences are those that count.
func (c Change) Differences() []value.Difference {
	all := value.Differences(c.Before, c.After)
	if c.of == nil {
		return all
	}
	return slices.DeleteFunc(all, func(d value.Difference) bool { return !d.Path.Within(c.of) })
}

// Of is the difference without changes in members of other names: what is at none of them,
// or below one, is left out.
func (d *Delta) Of(names map[string]bool) *Delta {
	out := &Delta{Single: d.Single, Gained: d.Gained, Lost: d.Lost}
	if names == nil {
		names = map[string]bool{}
	}
	for _, c := range d.Changed {
		c.of = names
		if len(c.Differences()) > 0 {
			out.Changed = append(out.Changed, c)
		}
	}
	return out
}

// Delta is what came, went and changed between two snapshots.
type Delta struct {
	Single       bool
	Gained, Lost []*value.Value
	Changed      []Change
}

// Between compares two snapshots; the order of members does not matter.
func Between(before, after *Snapshot) *Delta {
	d := &Delta{Single: before.Single}
	if before == after {
		return d
	}
	for _, k := range before.Keys {
		now, ok := after.Members[k]
		switch {
		case !ok:
			d.Lost = append(d.Lost, before.Members[k])
		case !value.Equal(before.Members[k], now):
			d.Changed = append(d.Changed, Change{Key: k, Before: before.Members[k], After: now})
		}
	}
	for _, k := range after.Keys {
		if _, ok := before.Members[k]; !ok {
			d.Gained = append(d.Gained, after.Members[k])
		}
	}
	return d
}

// Kind is what became of a member.
type Kind int

// The kinds.
const (
	Gains Kind = iota
	Loses
	Changes
)

// Without is the difference without members that somebody explains, told by their
// identity as plain text in lower case.
func (d *Delta) Without(explained func(kind Kind, id string) bool, v View) *Delta {
	out := &Delta{Single: d.Single}
	id := func(m *value.Value) string {
		nodes, err := v.By.Select(m)
		if err != nil || len(nodes) != 1 {
			return ""
		}
		return strings.ToLower(nodes[0].Value.Plain())
	}
	for _, m := range d.Gained {
		if !explained(Gains, id(m)) {
			out.Gained = append(out.Gained, m)
		}
	}
	for _, m := range d.Lost {
		if !explained(Loses, id(m)) {
			out.Lost = append(out.Lost, m)
		}
	}
	for _, c := range d.Changed {
		if !explained(Changes, id(c.After)) {
			out.Changed = append(out.Changed, c)
		}
	}
	return out
}

// Result is what became of an effect expectation.
type Result struct {
	Held  bool
	Found []string
	Bound map[string]*value.Value
}

// words are those of effects.
var words = []string{"gains", "loses", "changes"}

// Judge holds the delta of an observation against the effects named. What no
// effect names must not have happened.
func (d *Delta) Judge(name string, effects []syntax.Effect, names *scope.Scope) (*Result, error) {
	want, slack := map[string]int{}, map[string][2]int{}
	var shapes []string
	r := &Result{Held: true}
	for _, e := range effects {
		switch {
		case e.Range != nil:
			lo, hi, err := bounds(e.Range, names)
			if err != nil {
				return nil, err
			}
			slack[e.Word] = [2]int{lo, hi}
		case e.Shape == nil:
		case e.Shape.Kind == syntax.Number || e.Shape.Kind == syntax.Ref:
			v, err := names.Value(e.Shape)
			if err != nil {
				return nil, err
			}
			if n, ok := v.Int(); ok {
				want[e.Word] += n
				continue
			}
			fallthrough
		default:
			want[e.Word]++
		}
	}
	have := map[string]int{"gains": len(d.Gained), "loses": len(d.Lost), "changes": len(d.Changed)}
	for _, w := range words {
		if s, ok := slack[w]; ok {
			r.Held = r.Held && have[w] >= s[0] && have[w] <= s[1]
			continue
		}
		r.Held = r.Held && have[w] == want[w]
	}
	for _, w := range words {
		misses, err := d.fit(w, effects, names, r)
		if err != nil {
			return nil, err
		}
		shapes = append(shapes, misses...)
	}
	if !r.Held {
		r.Found = append([]string{name + ": " + d.summary() + still(want, have)}, append(d.details(), shapes...)...)
	}
	return r, nil
}

// bounds are the ends of a count that may vary.
func bounds(r *syntax.Range, names *scope.Scope) (lo, hi int, err error) {
	hi = math.MaxInt
	for _, end := range []struct {
		n  *syntax.Node
		to *int
	}{{r.Lo, &lo}, {r.Hi, &hi}} {
		if end.n == nil {
			continue
		}
		v, err := names.Value(end.n)
		if err != nil {
			return 0, 0, err
		}
		n, ok := v.Int()
		if !ok {
			return 0, 0, fmt.Errorf("%s is not a count", value.Cut(v.String(), 40))
		}
		*end.to = n
	}
	return lo, hi, nil
}

// still says which effect did not come about at all.
func still(want, have map[string]int) string {
	out := ""
	for _, one := range [][2]string{{"gains", "nothing came"}, {"loses", "nothing is gone, all are still there"}, {"changes", "nothing changed"}} {
		if want[one[0]] > 0 && have[one[0]] == 0 {
			out += "; " + one[1]
		}
	}
	return out
}

// fit finds for each shape of a word a member of its own, whatever the order in which they were
// written, and tells by how little the others are missed.
func (d *Delta) fit(word string, effects []syntax.Effect, names *scope.Scope, r *Result) ([]string, error) {
	var members []*value.Value
	switch word {
	case "gains":
		members = d.Gained
	case "loses":
		members = d.Lost
	default:
		for _, c := range d.Changed {
			members = append(members, c.After)
		}
	}
	var all [][]*shape.Result
	for _, e := range effects {
		if e.Word != word || e.Shape == nil || e.Shape.Kind == syntax.Number {
			continue
		}
		if v, err := names.Value(e.Shape); err == nil && v.Kind == value.Number {
			continue
		}
		var row []*shape.Result
		for _, m := range members {
			got, err := shape.Match(e.Shape, m, names)
			if err != nil {
				return nil, err
			}
			row = append(row, got)
		}
		all = append(all, row)
	}
	of := shape.Assign(all, len(members))
	var misses []string
	for i, row := range all {
		if at := slices.Index(of, i); at >= 0 {
			for n, v := range row[at].Bound {
				if r.Bound == nil {
					r.Bound = map[string]*value.Value{}
				}
				r.Bound[n] = v
			}
			continue
		}
		misses = append(misses, closest(row, of)...)
		r.Held = false
	}
	return misses, nil
}

// closest is how the free member is missed that misses least.
func closest(row []*shape.Result, of []int) []string {
	var out []string
	least := math.MaxInt
	for at, got := range row {
		if of[at] < 0 && len(got.Mismatches) < least {
			least, out = len(got.Mismatches), nil
			for _, x := range got.Mismatches {
				out = append(out, x.String())
			}
		}
	}
	return out
}

// summary counts: 1 gained, 2 changed.
func (d *Delta) summary() string {
	if d.Single && len(d.Changed) == 1 {
		return "changed"
	}
	var parts []string
	for _, one := range []struct {
		n    int
		word string
	}{{len(d.Changed), "changed"}, {len(d.Gained), "gained"}, {len(d.Lost), "lost"}} {
		if one.n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", one.n, one.word))
		}
	}
	if len(parts) == 0 {
		return "unchanged"
	}
	return strings.Join(parts, ", ")
}

// Lines tell what came, went and changed: a count, then one line for each.
func (d *Delta) Lines() []string { return append([]string{d.summary()}, d.details()...) }

// mostMembers bounds how many members are shown one by one.
const mostMembers = 5

func (d *Delta) details() []string {
	var out []string
	show := func(sign string, list []*value.Value) {
		for i, m := range list {
			if i == mostMembers {
				out = append(out, fmt.Sprintf("%s … and %d more", sign, len(list)-i))
				return
			}
			out = append(out, sign+" "+value.Cut(m.String(), 160))
		}
	}
	show("+", d.Gained)
	show("-", d.Lost)
	for i, c := range d.Changed {
		if i == mostMembers {
			out = append(out, fmt.Sprintf("~ … and %d more", len(d.Changed)-i))
			break
		}
		differences := c.Differences()
		for j, x := range differences {
			if j == mostMembers {
				out = append(out, fmt.Sprintf("~ … and %d more differences", len(differences)-j))
				break
			}
			out = append(out, "~ "+c.label()+changeText(x))
		}
	}
	return out
}

// label is how a changed member is called: by what tells it apart, with the
// name of the member that holds it.
func (c Change) label() string {
	if c.Key == "" {
		return ""
	}
	if l := holder(c.After, strings.SplitN(c.Key, " (", 2)[0]); l != "" {
		return value.Cut(l, 60) + "  "
	}
	return value.Cut(c.After.String(), 40) + "  "
}

// holder is the member that holds a key, and the key; "" where none does.
func holder(v *value.Value, key string) string {
	for i, it := range v.Items {
		if v.Kind == value.Object && it.Key() == key {
			return v.Names[i] + " " + it.String()
		}
		if l := holder(it, key); l != "" {
			return l
		}
	}
	return ""
}

func changeText(d value.Difference) string {
	switch d.Change {
	case value.Missing:
		return fmt.Sprintf("%s is gone: %s", d.Path, value.Cut(d.Want.String(), 80))
	case value.Extra:
		return fmt.Sprintf("%s is new: %s", d.Path, value.Cut(d.Got.String(), 80))
	}
	was, is := value.CutAround(d.Want, d.Got, 80)
	return fmt.Sprintf("%s was %s, is %s", d.Path, was, is)
}

// Without is a value less the nodes that a path selects; the value itself is
// not changed.
func Without(v *value.Value, q *jsonpath.Query) (*value.Value, error) {
	nodes, err := q.Select(v)
	if err != nil || len(nodes) == 0 {
		return v, err
	}
	drop := map[*value.Value]bool{}
	for _, n := range nodes {
		drop[n.Value] = true
	}
	return strip(v, drop), nil
}

func strip(v *value.Value, drop map[*value.Value]bool) *value.Value {
	if v.Kind != value.Array && v.Kind != value.Object {
		return v
	}
	out := &value.Value{Kind: v.Kind}
	for i, item := range v.Items {
		if drop[item] {
			continue
		}
		out.Items = append(out.Items, strip(item, drop))
		if v.Kind == value.Object {
			out.Names = append(out.Names, v.Names[i])
		}
	}
	return out
}
