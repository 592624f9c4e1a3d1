package draft

import (
	"slices"
	"strconv"

	"github.com/getkin/kin-openapi/openapi3"

	"usualpath/internal/core/late"
	"usualpath/internal/core/value"
)

// varied is a body that differs from another in a member where it can: a write
// that changes nothing proves nothing. turn is the member that tells items
// apart, and the last to be changed; other gives another value for a member, nil
// where none is known.
func varied(v, from *value.Value, turn string, other func(name string, v *value.Value) *value.Value) *value.Value {
	if v == nil || from == nil {
		return v
	}
	differs := func(i int) bool {
		was, has := from.Get(v.Names[i])
		return has && !value.Equal(was, v.Items[i])
	}
	for i := range v.Names {
		if differs(i) {
			return v
		}
	}
	for _, last := range []bool{false, true} {
		for i, n := range v.Names {
			if _, has := from.Get(n); (n == turn) != last || !has {
				continue
			}
			if it := other(n, v.Items[i]); it != nil {
				out := *v
				out.Items = slices.Clone(v.Items)
				out.Items[i] = it
				return &out
			}
		}
	}
	return v
}

// one is a body of a single member of another, best one that changes something.
func one(v, from *value.Value, turn string) *value.Value {
	best := -1
	for pass := range 4 {
		for i, n := range v.Names {
			was, has := from.Get(n)
			changes := has && !value.Equal(was, v.Items[i])
			fits := []bool{changes && n != turn, changes, n != turn, true}[pass]
			if best < 0 && v.Items[i].Kind < value.Array && fits {
				best = i
			}
		}
	}
	if best < 0 {
		return nil
	}
	return value.NewObject().Add(v.Names[best], v.Items[best])
}

// allowed gives other values that a schema allows.
func allowed(s *openapi3.Schema) func(name string, v *value.Value) *value.Value {
	return func(name string, v *value.Value) *value.Value { return otherwise(v, flat(s.Properties[name])) }
}

// proseForm are texts to which words may be added; others, as #00aabb, have a form of their own.
var proseForm = late.Regexp(`^[\pL\pN][\pL\pN ,.'()!?_-]*$`)

// otherwise is another value that a schema allows, nil where none is known.
func otherwise(v *value.Value, s *openapi3.Schema) *value.Value {
	if len(s.Enum) > 0 {
		for _, one := range s.Enum {
			if other := fromAny(one); other != nil && other.Kind == v.Kind && !value.Equal(other, v) {
				return other
			}
		}
		return nil
	}
	switch v.Kind {
	case value.Bool:
		return value.NewBool(!v.Bool)
	case value.Number:
		if s.MultipleOf != nil {
			return nil
		}
		for _, minus := range []bool{false, true} {
			sum, err := value.Add(v.Text, "1", minus)
			if err == nil && within(sum, s) {
				return value.NewNumber(sum)
			}
		}
	case value.String:
		text := v.Text + " more"
		if proseForm().MatchString(v.Text) && s.Pattern == "" && s.Format == "" && (s.MaxLength == nil || uint64(len(text)+7) <= *s.MaxLength) {
			return value.NewString(text)
		}
	}
	return nil
}

// within tells whether a number keeps to the bounds of a schema.
func within(text string, s *openapi3.Schema) bool {
	low, high := bounds(s)
	x, err := strconv.ParseFloat(text, 64)
	return err == nil && (low == nil || x >= *low) && (high == nil || x <= *high)
}
