package engine

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"usualpath/internal/core/project"
)

// Plan counts the scenarios that would run, cases singly.
func Plan(p *project.Project, o Options) int { return len(jobs(p, o)) }

// Planned is a scenario that would run, so many times.
type Planned struct {
	*project.Scenario
	Times int
}

// List is what would run, in order.
func List(p *project.Project, o Options) []Planned {
	var out []Planned
	for _, j := range jobs(p, o) {
		if n := len(out); n > 0 && out[n-1].Scenario == j.s {
			out[n-1].Times++
			continue
		}
		out = append(out, Planned{j.s, 1})
	}
	return out
}

func jobs(p *project.Project, o Options) []planned { return shardOf(allJobs(p, o), o) }

func allJobs(p *project.Project, o Options) []planned {
	var wanted []*project.Scenario
	n := 0
	for _, s := range p.Scenarios() {
		if !chosen(s, o) {
			continue
		}
		wanted = append(wanted, s)
		if s.Cases == nil {
			n++
		} else {
			n += s.Cases.Len()
		}
	}
	out := make([]planned, 0, n)
	for _, s := range wanted {
		if s.Cases == nil {
			out = append(out, planned{s: s, id: len(out) + 1})
			continue
		}
		for i := range s.Cases.Len() {
			out = append(out, planned{s: s, id: len(out) + 1, row: i + 1})
		}
	}
	return out
}

func chosen(s *project.Scenario, o Options) bool {
	has := func(list []string) bool {
		return slices.ContainsFunc(list, func(want string) bool { return slices.Contains(s.Tags, want) })
	}
	if len(o.Select.Tags) > 0 && !has(o.Select.Tags) || has(o.Select.SkipTags) {
		return false
	}
	if o.Select.Chosen != nil && !o.Select.Chosen(s) || len(o.Select.Resources) > 0 && (s.Check == nil || !slices.Contains(o.Select.Resources, s.Check.Resource)) {
		return false
	}
	if lines, listed := o.Select.Lines[s.File.Path]; listed && !slices.ContainsFunc(lines, s.StandsAt) {
		// The probe says why the others cannot run.
		if s.Check == nil || s.Check.ID != Probe || !slices.ContainsFunc(lines, s.Of) {
			return false
		}
	}
	if len(o.Select.Checks)+len(o.Select.Families) > 0 {
		if s.Check == nil {
			return false
		}
		family, _, _ := strings.Cut(s.Check.ID, "/")
		// The probe says why the others cannot run.
		if !slices.Contains(o.Select.Checks, s.Check.ID) && !slices.Contains(o.Select.Families, family) && s.Check.ID != Probe {
			return false
		}
	}
	if len(o.Select.Only) == 0 {
		return true
	}
	// A title with names in it is chosen as a whole; its rows are told apart when
	// they run.
	return slices.ContainsFunc(o.Select.Only, func(text string) bool { return matches(s, text) })
}

func matches(s *project.Scenario, text string) bool {
	raw := s.Raw()
	if strings.Contains(strings.ToLower(raw), strings.ToLower(text)) {
		return true
	}
	return s.Cases != nil && strings.Contains(raw, "{") && looseMatch(raw, text)
}

// looseMatch tells whether text could be a piece of the title once its names
// have values: the pieces before the first and after the last brace agree.
func looseMatch(raw, text string) bool {
	before := strings.ToLower(raw[:strings.IndexByte(raw, '{')])
	after := strings.ToLower(raw[strings.LastIndexByte(raw, '}')+1:])
	text = strings.ToLower(text)
	return strings.HasPrefix(text, before) && strings.HasSuffix(text, after) && before+after != ""
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
