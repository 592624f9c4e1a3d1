package engine

import (
	"strconv"
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
	// more, with nothing beside it; anew counts how often, each with other random values.
	beside, alone bool
	anew          int
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

func (j *job) randomKey() string {
	return j.s.File.Source.Name + "\x00" + j.s.Raw() + "\x00" + strconv.Itoa(j.row+j.again)
}
