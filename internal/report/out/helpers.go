package out

import (
	"slices"
	"strings"

	"usualpath/internal/core/exchange"
)

func sortPairs(list []harPair) {
	slices.SortStableFunc(list, func(a, b harPair) int { return strings.Compare(a.Name, b.Name) })
}

func headerOf(list []exchange.Field, name string) string {
	for _, f := range list {
		if strings.EqualFold(f.Name, name) {
			return f.Value
		}
	}
	return ""
}
