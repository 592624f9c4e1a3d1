package value

// Equal compares as JSON means it: numbers as decimals, strings by
// characters, members in any order, elements in order.
func Equal(a, b *Value) bool {
	if a == b {
		return true
	}
	if a.Kind != b.Kind {
		return false
	}
	switch a.Kind {
	case Bool:
		return a.Bool == b.Bool
	case Number:
		return CompareNumbers(a.Text, b.Text) == 0
	case String:
		return a.Text == b.Text
	case Array:
		if len(a.Items) != len(b.Items) {
			return false
		}
		for i := range a.Items {
			if !Equal(a.Items[i], b.Items[i]) {
				return false
			}
		}
	case Object:
		if len(a.Items) != len(b.Items) {
			return false
		}
		other := b.index()
		for i, name := range a.Names {
			// Most services write members in the same order each time.
			if b.Names[i] == name {
				if !Equal(a.Items[i], b.Items[i]) {
					return false
				}
				continue
			}
			at, ok := other(name)
			if !ok || !Equal(a.Items[i], b.Items[at]) {
				return false
			}
		}
	}
	return true
}

// index finds members by name; large objects get a map, on first need.
func (v *Value) index() func(name string) (int, bool) {
	var table map[string]int
	return func(name string) (int, bool) {
		if len(v.Names) <= 8 {
			for i, n := range v.Names {
				if n == name {
					return i, true
				}
			}
			return 0, false
		}
		if table == nil {
			table = make(map[string]int, len(v.Names))
			for i, n := range v.Names {
				table[n] = i
			}
		}
		at, ok := table[name]
		return at, ok
	}
}
