package value

import "fmt"

// Change is the kind of one difference.
type Change uint8

const (
	// Different: both sides have a value there, and they differ.
	Different Change = iota
	// Missing: only the wanted side has a value there.
	Missing
	// Extra: only the found side has a value there.
	Extra
)

// Difference is one place at which two values differ.
type Difference struct {
	Change Change
	// Path is the place in the found value (in the wanted one when Missing).
	Path Path
	// Want and Got are the values there; nil where there is none.
	Want, Got *Value
}

func (d Difference) String() string {
	switch d.Change {
	case Missing:
		return fmt.Sprintf("%s is missing: %s", d.Path, Cut(d.Want.String(), 120))
	case Extra:
		return fmt.Sprintf("%s is extra: %s", d.Path, Cut(d.Got.String(), 120))
	}
	want, got := CutAround(d.Want, d.Got, 100)
	return fmt.Sprintf("%s expected %s, found %s", d.Path, want, got)
}

// Differences is the smallest set of differences that the comparison finds:
// members by name, array elements aligned, so that an element put in at the
// front is one difference. No difference means that the values are Equal.
func Differences(want, got *Value) []Difference {
	var c comparison
	c.compare(nil, want, got)
	return c.out
}

// Uncovered is how got fails to have at least the members of want, with their
// values: extra object members do not count, at any depth. Arrays need as many
// elements, each covering its counterpart.
func Uncovered(want, got *Value) []Difference {
	c := comparison{partial: true}
	c.compare(nil, want, got)
	return c.out
}

type comparison struct {
	partial bool
	out     []Difference
}

func (c *comparison) compare(at *Path, want, got *Value) {
	if want.Kind == got.Kind {
		switch want.Kind {
		case Object:
			c.objects(at, want, got)
			return
		case Array:
			c.arrays(at, want, got)
			return
		}
	}
	if !Equal(want, got) {
		c.add(Different, at, want, got)
	}
}

func (c *comparison) add(change Change, at *Path, want, got *Value) {
	var path Path
	if at != nil {
		path = *at
	}
	c.out = append(c.out, Difference{change, path, want, got})
}

func (c *comparison) objects(at *Path, want, got *Value) {
	inGot := got.index()
	for i, name := range want.Names {
		if j, ok := inGot(name); ok {
			c.compare(at.Member(name), want.Items[i], got.Items[j])
		} else {
			c.add(Missing, at.Member(name), want.Items[i], nil)
		}
	}
	if c.partial {
		return
	}
	inWant := want.index()
	for j, name := range got.Names {
		if _, ok := inWant(name); !ok {
			c.add(Extra, at.Member(name), nil, got.Items[j])
		}
	}
}

func (c *comparison) same(a, b *Value) bool {
	if c.partial {
		return len(Uncovered(a, b)) == 0
	}
	return Equal(a, b)
}

func (c *comparison) arrays(at *Path, want, got *Value) {
	a, b := want.Items, got.Items
	head := 0
	for head < len(a) && head < len(b) && c.same(a[head], b[head]) {
		head++
	}
	tail := 0
	for tail < len(a)-head && tail < len(b)-head && c.same(a[len(a)-1-tail], b[len(b)-1-tail]) {
		tail++
	}
	a, b = a[head:len(a)-tail], b[head:len(b)-tail]
	for _, pair := range Align(len(a), len(b), func(i, j int) float64 { return c.apart(a[i], b[j]) }) {
		switch {
		case pair.B < 0:
			c.add(Missing, at.Element(head+pair.A), a[pair.A], nil)
		case pair.A < 0:
			c.add(Extra, at.Element(head+pair.B), nil, b[pair.B])
		default:
			c.compare(at.Element(head+pair.B), a[pair.A], b[pair.B])
		}
	}
}

// Pairing joins an element of one side with one of the other; -1 for none.
type Pairing struct{ A, B int }

// alignCells bounds the work of an exact alignment; longer stretches are
// paired by position.
const alignCells = 250_000

// Align finds the cheapest pairing of n and m elements that keeps the order of
// both. apart is what pairing two of them costs; leaving one unpaired costs 1.
func Align(n, m int, apart func(i, j int) float64) []Pairing {
	var out []Pairing
	if n*m > alignCells {
		for i := 0; i < max(n, m); i++ {
			p := Pairing{i, i}
			if i >= n {
				p.A = -1
			}
			if i >= m {
				p.B = -1
			}
			out = append(out, p)
		}
		return out
	}
	width := m + 1
	cost := make([]float64, (n+1)*width)
	pair := make([]float64, n*m)
	for i := n; i >= 0; i-- {
		for j := m; j >= 0; j-- {
			if i == n || j == m {
				cost[i*width+j] = float64(n - i + m - j)
				continue
			}
			pair[i*m+j] = apart(i, j)
			cost[i*width+j] = min(pair[i*m+j]+cost[(i+1)*width+j+1], 1+cost[(i+1)*width+j], 1+cost[i*width+j+1])
		}
	}
	i, j := 0, 0
	for i < n || j < m {
		now := cost[i*width+j]
		switch {
		case i < n && j < m && now == pair[i*m+j]+cost[(i+1)*width+j+1]:
			out = append(out, Pairing{i, j})
			i, j = i+1, j+1
		case i < n && now == 1+cost[(i+1)*width+j]:
			out = append(out, Pairing{i, -1})
			i++
		default:
			out = append(out, Pairing{-1, j})
			j++
		}
	}
	return out
}

// apart is how far two elements are from being the same: 0 for the same, up
// to just under 2, which is what leaving both unpaired costs.
func (c *comparison) apart(a, b *Value) float64 {
	if a.Kind != b.Kind {
		return 1.9
	}
	if a.Kind != Object {
		if c.same(a, b) {
			return 0
		}
		if a.Kind == Array {
			return 1.5
		}
		return 1.8
	}
	shared, agree := 0, 0
	inB := b.index()
	for i, name := range a.Names {
		if j, ok := inB(name); ok {
			shared++
			if c.same(a.Items[i], b.Items[j]) {
				agree++
			} else if name == "id" {
				// Things that carry different ids are different things.
				return 1.95
			}
		}
	}
	all := len(a.Names)
	if !c.partial {
		all += len(b.Names) - shared
	}
	if all == 0 || agree == all {
		return 0
	}
	return 1.9 - 1.8*float64(agree)/float64(all)
}

// CutAround shortens two values to about n characters each, so that the part
// in which they differ stays in sight.
func CutAround(a, b *Value, n int) (string, string) {
	x, y := []rune(a.String()), []rune(b.String())
	if len(x) <= n && len(y) <= n {
		return string(x), string(y)
	}
	same := 0
	for same < len(x) && same < len(y) && x[same] == y[same] {
		same++
	}
	from := max(0, same-n/4)
	return window(x, from, n), window(y, from, n)
}

func window(r []rune, from, n int) string {
	from = min(from, max(0, len(r)-n))
	to := min(len(r), from+n)
	s := string(r[from:to])
	if from > 0 {
		s = "…" + s
	}
	if to < len(r) {
		s += fmt.Sprintf("… (%d characters)", len(r))
	}
	return s
}
