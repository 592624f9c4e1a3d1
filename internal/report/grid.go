package report

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"usualpath/internal/core/event"
)

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
	// columns and rows are where families and operations are, heads what is
	// above the columns.
	columns, rows map[string]int
	heads         map[string]string
	verdicts      map[event.Verdict]int
}

// At is a cell, nil where there are no checks.
func (g *Grid) At(op, family string) *Cell { return g.cells[op+" "+family] }

func (g *Grid) add(c *event.Check, e *event.ScenarioFinished) {
	if g.cells == nil {
		g.cells, g.verdicts = map[string]*Cell{}, map[event.Verdict]int{}
		g.columns, g.rows, g.heads = map[string]int{}, map[string]int{}, map[string]string{}
	}
	g.Checks++
	g.Requests += e.Requests
	g.Took += e.Took
	g.verdicts[e.Verdict]++
	if e.Verdict == event.Skipped || c.Column == "" {
		return
	}
	g.columns[c.Family()], g.heads[c.Family()], g.rows[c.Operation] = c.ColumnAt, c.Column, c.RowAt
	key := c.Operation + " " + c.Family()
	cell := g.cells[key]
	if cell == nil {
		cell = &Cell{Worst: event.Held}
		g.cells[key] = cell
		g.Families, g.Rows = inOrder(g.columns), inOrder(g.rows)
	}
	cell.All++
	cell.Worst = event.Worse(cell.Worst, e.Verdict)
	if e.Verdict != event.Held {
		cell.Bad++
	}
}

// Head is what is above a family's column.
func (g *Grid) Head(family string) string { return g.heads[family] }

// inOrder are names by their places.
func inOrder(at map[string]int) []string {
	return slices.SortedFunc(maps.Keys(at), func(a, b string) int { return cmp.Or(at[a]-at[b], strings.Compare(a, b)) })
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
		{event.Blocked, g.verdicts[event.Blocked] + g.verdicts[event.NotReached], "blocked"}, {event.Skipped, g.verdicts[event.Skipped], "not applicable"}} {
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

// Add takes in a finished scenario; one that proves no check does not matter.
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
