package engine

import (
	"fmt"
	"strconv"
	"strings"
)

// Shard is a part of a suite: the I-th of N.
type Shard struct{ I, N int }

// ParseShard reads I/N.
func ParseShard(text string) (Shard, error) {
	a, b, ok := strings.Cut(text, "/")
	i, err1 := strconv.Atoi(a)
	n, err2 := strconv.Atoi(b)
	if !ok || err1 != nil || err2 != nil || n < 1 || n > 10_000 || i < 1 || i > n {
		return Shard{}, fmt.Errorf("a shard is I/N with I from 1 to N, not %q", text)
	}
	return Shard{i, n}, nil
}

// String is I/N, or "" for the whole.
func (s Shard) String() string {
	if s.N == 0 {
		return ""
	}
	return fmt.Sprintf("%d/%d", s.I, s.N)
}
