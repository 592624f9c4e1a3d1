package engine

import (
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"time"

	"usualpath/internal/core/project"
	"usualpath/internal/core/value"
)

// Selection chooses scenarios; all of them when it is empty.
type Selection struct {
	// Only, Tags and SkipTags choose by a part of the title or of "file: title",
	// and by tag.
	Only           []string
	Tags, SkipTags []string
	// Checks and Families choose derived checks, by id and by family.
	Checks, Families []string
	// Resources choose derived checks by the resource that they are of.
	Resources []string
	// Chosen leaves out what it is false for; nil for nothing.
	Chosen func(*project.Scenario) bool
	// Lines choose what stands at a line of a file, by absolute path; files that are
	// not in it are chosen as a whole.
	Lines map[string][]int
	// Shard runs the I-th of N parts of the suite; zero for all of it. Weights
	// are how long scenarios took before, by file and title.
	Shard   Shard
	Weights map[string]time.Duration
}

// planned is one scenario, or one case of it, that will run: there may be very many.
type planned struct {
	s *project.Scenario
	// id counts them from 1, row the cases of a scenario; 0 for none.
	id, row int
}

func (p planned) job() job { return job{planned: p, over: &atomic.Bool{}} }

// job is what is planned as it runs.
type job struct {
	planned
	// over is set once it has run.
	over *atomic.Bool
	// beside marks one that runs while others do, and alone one that is run once
	// more, with nothing beside it.
	beside, alone bool
	// again tells runs of one scenario apart; patient is one that waits for a service
	// that says when to come again.
	again   int
	patient bool
	// title stands in place of the scenario's, "" for that.
	title string
	// values are of names that were kept once for all; blocked says why they are
	// not there.
	values  map[string]*value.Value
	blocked string
}

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

func (j *job) randomKey() string {
	return j.s.File.Source.Name + "\x00" + j.s.Raw() + "\x00" + strconv.Itoa(j.row+j.again)
}
