package engine

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
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

// shardOf leaves the jobs of the shard. They are divided the same way wherever
// that is done: the longest first to the part that has least, those of unknown
// length in turn. The probe of a resource goes with each part of its checks.
func shardOf(list []planned, o Options) []planned {
	if o.Select.Shard.N <= 1 {
		return list
	}
	weight := func(j *planned) time.Duration {
		if w, ok := o.Select.Weights[j.s.File.Source.Name+"\x00"+j.s.Raw()]; ok {
			return max(w, time.Microsecond)
		}
		return time.Millisecond
	}
	var order []int
	for i := range list {
		if c := list[i].s.Check; c == nil || c.ID != Probe {
			order = append(order, i)
		}
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(weight(&list[b]), weight(&list[a])) })
	load := make([]time.Duration, o.Select.Shard.N)
	mine := map[int]bool{}
	needs := map[string]bool{}
	for _, i := range order {
		least := 0
		for k := range load {
			if load[k] < load[least] {
				least = k
			}
		}
		load[least] += weight(&list[i])
		if least == o.Select.Shard.I-1 {
			mine[i] = true
			if c := list[i].s.Check; c != nil {
				needs[list[i].s.File.Path+"\x00"+c.Resource] = true
			}
		}
	}
	var out []planned
	for i, j := range list {
		c := j.s.Check
		if mine[i] || c != nil && c.ID == Probe && needs[j.s.File.Path+"\x00"+c.Resource] {
			j.id = len(out) + 1
			out = append(out, j)
		}
	}
	return out
}
