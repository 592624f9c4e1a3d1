package shape

import (
	"fmt"

	"usualpath/internal/core/scope"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// Within tells whether a number lies in a range, both ends included unless they
// are open.
func Within(r *syntax.Range, v *value.Value, names *scope.Scope) (bool, error) {
	for i, end := range []*syntax.Node{r.Lo, r.Hi} {
		if end == nil {
			continue
		}
		bound, err := names.Value(end)
		if err != nil {
			return false, err
		}
		if bound.Kind != value.Number {
			return false, fmt.Errorf("%s is not a number to end a range with", value.Cut(bound.String(), 60))
		}
		c := value.CompareNumbers(v.Text, bound.Text)
		if i == 0 && (c < 0 || c == 0 && r.LoOpen) || i == 1 && (c > 0 || c == 0 && r.HiOpen) {
			return false, nil
		}
	}
	return true, nil
}
