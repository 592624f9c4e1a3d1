package out

import (
	"sort"
	"strings"

	"usualpath/internal/core/exchange"
)

func sortPairs(list []harPair) {
	sort.SliceStable(list, func(i, j int) bool { return list[i].Name < list[j].Name })
}

func headerOf(list []exchange.Field, name string) string {
	for _, f := range list {
		if strings.EqualFold(f.Name, name) {
			return f.Value
		}
	}
	return ""
}
