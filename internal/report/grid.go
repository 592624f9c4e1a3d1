package report

import (
	"fmt"
	"slices"
	"time"

	"usualpath/internal/core/event"
)

// columns are the families of checks with the heads of their columns.
var columns = [][2]string{{"lifecycle", "lifecycle"}, {"repeat", "repeat"}, {"absence", "absence"}, {"method", "method"}, {"input", "input"},
	{"representation", "represent"}, {"precondition", "precond"}, {"access", "access"}, {"race", "race"}, {"durability", "durable"}}

var rows = []string{"list", "create", "read", "replace", "amend", "delete"}

// Cell is a family of checks on an operation: how many, how many of them did
// not hold, and the worst of what became of them.
type Cell struct {
	Worst    event.Verdict
	Bad, All int
}

// Text is the cell's count: 12, or 2/12 when two did not hold.
func (c *Cell) Text() string {
	if c.Bad > 0 {
		return fmt.Sprintf("%d/%d", c.Bad, c.All)
	}
	return fmt.Sprint(c.All)
}

// Grid is the promise grid of a resource: operations by families of checks.
type Grid struct {
	File, Resource string
	// Families and Rows are those that have checks, in order.
	Families, Rows []string
	Checks         int
	Requests       int
	Took           time.Duration
	cells          map[string]*Cell
	verdicts       map[event.Verdict]int
}

// At is a cell, nil where there are no checks.
func (g *Grid) At(op, family string) *Cell { return g.cells[op+" "+family] }

func (g *Grid) add(c *event.Check, e *event.ScenarioFinished) {
	if g.cells == nil {
		g.cells, g.verdicts = map[string]*Cell{}, map[event.Verdict]int{}
	}
	g.Checks++
	g.Requests += e.Requests
	g.Took += e.Took
	g.verdicts[e.Verdict]++
	if e.Verdict == event.LeftOut {
		return
	}
	key := c.Operation + " " + c.Family()
	cell := g.cells[key]
	if cell == nil {
		cell = &Cell{Worst: event.Held}
		g.cells[key] = cell
		g.arrange()
	}
	cell.All++
	cell.Worst = event.Worse(cell.Worst, e.Verdict)
	if e.Verdict != event.Held {
		cell.Bad++
	}
}

func (g *Grid) arrange() {
	g.Families, g.Rows = nil, nil
	for _, c := range columns {
		if slices.ContainsFunc(rows, func(op string) bool { return g.At(op, c[0]) != nil }) {
			g.Families = append(g.Families, c[0])
		}
	}
	for _, op := range rows {
		if slices.ContainsFunc(g.Families, func(f string) bool { return g.At(op, f) != nil }) {
			g.Rows = append(g.Rows, op)
		}
	}
}

// Tally is how many checks have a verdict.
type Tally struct {
	Verdict event.Verdict
	N       int
	Word    string
}

// Tally counts the checks by what became of them; what none has is left out.
func (g *Grid) Tally() []Tally {
	var out []Tally
	for _, one := range []Tally{{event.Held, g.verdicts[event.Held], "held"}, {event.Failed, g.verdicts[event.Failed], "failed"}, {event.Warned, g.verdicts[event.Warned], "warned"},
		{event.Blocked, g.verdicts[event.Blocked] + g.verdicts[event.NotReached], "blocked"}, {event.LeftOut, g.verdicts[event.LeftOut], "not applicable"}} {
		if one.N > 0 {
			out = append(out, one)
		}
	}
	return out
}

// Grids are the grids of all the resources of a run.
type Grids struct {
	list []*Grid
	by   map[string]*Grid
}

// NewGrids makes an empty set.
func NewGrids() *Grids { return &Grids{by: map[string]*Grid{}} }

// Add takes in a finished scenario; one that proves no check is no matter.
func (g *Grids) Add(s *event.ScenarioStarted, e *event.ScenarioFinished) {
	if s.Check == nil {
		return
	}
	key := s.File + "\x00" + s.Check.Resource
	one := g.by[key]
	if one == nil {
		one = &Grid{File: s.File, Resource: s.Check.Resource}
		g.by[key] = one
		g.list = append(g.list, one)
	}
	one.add(s.Check, e)
}

// All are the grids, in the order in which their resources came.
func (g *Grids) All() []*Grid { return g.list }
