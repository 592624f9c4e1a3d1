package source

import "strings"

// Nearest is the candidate that looks most like a mistyped word, or "" when
// none is near: at most one edit for words up to four letters, two up to
// eight, three beyond. A swap of two neighbouring letters counts as one edit.
func Nearest(word string, candidates []string) string {
	best, bestAt := "", 0
	limit := 1
	if len(word) > 4 {
		limit = 2
	}
	if len(word) > 8 {
		limit = 3
	}
	lower := strings.ToLower(word)
	for _, c := range candidates {
		if c == word {
			continue
		}
		d := edits(lower, strings.ToLower(c), limit)
		if d <= limit && d < max(len(c), 2) && (best == "" || d < bestAt) {
			best, bestAt = c, d
		}
	}
	return best
}

// edits is the optimal string alignment distance, cut off above limit.
func edits(a, b string, limit int) int {
	x, y := []rune(a), []rune(b)
	if len(x)-len(y) > limit || len(y)-len(x) > limit {
		return limit + 1
	}
	before, last, now := make([]int, len(y)+1), make([]int, len(y)+1), make([]int, len(y)+1)
	for j := range last {
		last[j] = j
	}
	for i := 1; i <= len(x); i++ {
		now[0] = i
		for j := 1; j <= len(y); j++ {
			cost := 1
			if x[i-1] == y[j-1] {
				cost = 0
			}
			now[j] = min(last[j]+1, now[j-1]+1, last[j-1]+cost)
			if i > 1 && j > 1 && x[i-1] == y[j-2] && x[i-2] == y[j-1] {
				now[j] = min(now[j], before[j-2]+1)
			}
		}
		before, last, now = last, now, before
	}
	return last[len(y)]
}
