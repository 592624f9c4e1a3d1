package roam

import (
	"math/rand/v2"
	"sync"
	"time"

	"usualpath/internal/core/engine"
	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/history"
	"usualpath/internal/core/jsonpath"
	"usualpath/internal/core/project"
	"usualpath/internal/core/resource"
	"usualpath/internal/core/state"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

// feature is something that a move may be new in: its kind, and what it is.
type feature struct {
	what, at   string
	op, before op
	last       op
	class      class
	n          int
}

// count is what was known when the total that a list tells was last looked at.
type count struct{ total, shown, living int }

// Kind names what contradicts what the service has said itself.
type Kind string

// The kinds.
const (
	Unwritten Kind = "a write was acknowledged and is not there"
	Unasked   Kind = "a change that nobody asked for"
	Vanished  Kind = "gone without a delete"
	CameBack  Kind = "there again after a delete"
	Unlisted  Kind = "its list does not show it"
	Listed    Kind = "its list still shows it"
	ListSays  Kind = "the list contradicts the item"
	Unfound   Kind = "the filter does not find it"
	Misfound  Kind = "the filter finds what does not match"
	// Miscounted and Mispaged are about the list's total, and its single pages.
	Miscounted Kind = "the total contradicts the list"
	Mispaged   Kind = "the pages do not show each item once"
	HeadSays   Kind = "HEAD contradicts GET"
	Refused    Kind = "refused, although what reads the same is served"
	Accepted   Kind = "accepted, although the same was refused before"
	Broken     Kind = "a server error"
	Silent     Kind = "no answer"
)

// doubt is something that contradicts an earlier answer, before it is confirmed.
type doubt struct {
	kind Kind
	// item is what it is about, move the write that it shows after; nil for none.
	item    *item
	move    *move
	members []string
	// want are the members of the item as they must read, before what it read as
	// before the write.
	want, before map[string]cell
	// since is the last move that has read the item and found it right.
	since int
	// observed says what was seen.
	observed string
	// turn is the number that a filter asks for.
	turn int
	// pages is the size of the pages that it is about, 0 for none.
	pages int
}

// Finding is a doubt that was confirmed, or one that did not show again.
type Finding struct {
	Kind     Kind
	Resource string
	// Title and About name it, Text is the scenario that shows it.
	Title, About, Text string
	// Cause is the way, in operations: what has the same one is told together, as Also.
	Cause string
	Also  []string
	// Steps is how many steps the scenario has, clean-up not counted.
	Steps int
	// Times is how often the walks have met it.
	Times int
	// Once marks one that did not show again, Shows of Tries is how often it did.
	Once         bool
	Shows, Tries int
	// Warns marks what may be legal; Rows draw what clients did.
	Warns bool
	Rows  []event.Moment
}

// grid counts what was walked: operations by what the item was, and by how many
// there were.
type grid struct {
	cells map[string]map[string]int
	pairs map[string]bool
}

// met is what several clients have shown, before it is told.
type met struct {
	f   *Finding
	way *meeting
	// dropped is one that one client shows as well.
	dropped bool
}

// Options say how long and how wide it goes.
type Options struct {
	// For bounds the time, Steps the moves; 0 for no bound.
	For   time.Duration
	Steps int
	// Clients is how many work at once, for a part of the time; 1 for one only.
	Clients int
	// Items is the most that walks make live at once.
	Items int
	// Seen is told now and then how far it is; nil for nobody.
	Seen func(Progress)
	// File names the scenarios that are found, as their steps tell it.
	File string

	mu       sync.Mutex
	begun    time.Time
	progress Progress
	last     time.Time
}

// Progress is how far it is.
type Progress struct {
	// Steps are requests that were chosen, Requests all that was sent, Trials those of
	// replays among them.
	Steps, Requests, Trials, Found, Walks int
	// Items are alive now.
	Items int
	// New is how many things that a move can be new in have been met.
	New int
	// Left is the time that is left, Share the share of the whole that is done, of 1.
	Left  time.Duration
	Share float64
	// Resource is the one that is walked.
	Resource string
}

// teller tells of what was found.
type teller struct {
	d    *engine.Drive
	o    *Options
	all  []*Finding
	step *event.StepFinished
	// replays counts them, so that each draws values of its own.
	replays int
}

// walk is one way through fresh items.
type walk struct {
	of   *ground
	s    *engine.Session
	rand *rand.Rand
	m    *model
	// moves are all that was sent, looks too.
	moves []*move
	// size is the number of items that the walk grows to, lazy one that looks late.
	size int
	lazy bool
	// listed is what the list showed last.
	listed *state.Snapshot
	// count is what the total was held against, pages the size of the small pages that
	// are looked at, 0 for none; paged is the last write after which they were right.
	count *count
	pages int
	paged *move
	// after are the steps that remove the parents, own counts the moves that were
	// chosen.
	after []*syntax.Statement
	own   int
	// closed is set once all was removed, burst are moves still to come.
	closed bool
	burst  []*move
	// ended says why nothing more can be walked, "" for not yet.
	ended string
}

// ground is a resource that is walked, and what was learnt of it.
type ground struct {
	r *resource.Resource
	d *engine.Drive
	o *Options
	// steps are parsed steps by text, nodes parsed values.
	steps map[string][]*syntax.Statement
	nodes map[string]*syntax.Node
	// texts are the steps that moves are sent as.
	texts map[string]string
	edges []resource.Edge
	// members are those that a client sends and that read as they were sent.
	members []string
	// counts say how often something was tried, for the choice of what comes next.
	counts map[feature]int
	grid   *grid
	// word is how requests that may be refused were answered at first.
	word map[string]*heard
	// bends are mismatches that a fresh item shows as well.
	bends map[string]bool
	// vague counts doubts that could not be held against anything.
	vague map[string]int
	found map[string]*Finding
	// content is where an item is in its own answer.
	content *jsonpath.Query
	// total is where a list tells how many items there are, nil for nowhere.
	total *jsonpath.Query
	walks int
	// largest is the most members that a filtered list has shown: of fewer, none was
	// put on another page.
	largest int
	// kept are values that a write keeps as they are sent, by operation and member;
	// asSent members read as they were made. Both are found out before clients meet.
	kept   map[op]map[string][]string
	asSent map[string]bool
	// meets counts rounds, met is what they have shown.
	meets int
	met   map[string]*met
	// late is set once a write was answered 202, slides once the list has shown another part of
	// what is there.
	late, slides bool
	// refrees counts the names of deleted items that were taken again.
	refrees int
	// tagsMove is set once an item's tag moved between two reads, with no write between.
	tagsMove bool
	// left counts the items that could not be removed.
	left int
	// refused tells why nothing can be made.
	refused string
	// opening is the scenario that a walk begins as, client that of one of several
	// clients. They are read once.
	opening, client func() (*project.Scenario, error)
	tell            *teller
}

// heard counts the answers to requests of one kind.
type heard struct{ taken, refused int }

// meeting is what clients did at once, as a scenario.
type meeting struct {
	g     *ground
	kind  string
	f     history.Finding
	item  *item
	calls []*call
	began time.Time
	// only are those that are left, nil before any is left out.
	only []*call
	// choice says which call of each client is sent: one that contradicts the others,
	// the first, or the last.
	choice int
}

// call is one request of a client, and what came of it.
type call struct {
	client int
	kind   history.Kind
	m      *move
	steps  []*syntax.Statement
	body   *value.Value
	// members are those that it writes and that are watched.
	members history.Members
	tag     *value.Value
	key     string
	x       *exchange.Exchange
	id      *value.Value
	content *value.Value
}
