package custody

import (
	"context"
	"path"
	"slices"
	"strings"
	"sync"
	"time"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/state"
	"usualpath/internal/core/value"
)

// Run is what is known of all scenarios of a run together. It may be used by several at once.
type Run struct {
	o      Options
	book   book
	ledger ledger
	others *others
	watch  *watch
}

// Options connect it with what runs the scenarios.
type Options struct {
	// Stopped tells that nothing more is to be sent.
	Stopped func() bool
	// Harmed is told of harm to what was there before, as soon as it is known.
	Harmed func(h *Harm)
}

// NewRun begins a run.
func NewRun(o Options) *Run {
	w := &watch{lists: map[string]*watched{}, drawn: map[int]*scope.Drawn{}, asked: map[string]bool{}, harm: map[string]bool{}}
	w.turn = sync.NewCond(&w.mu)
	return &Run{o: o, others: newOthers(), watch: w}
}

// watch looks after what was there before the run's derived checks wrote.
type watch struct {
	mu    sync.Mutex
	lists map[string]*watched
	// drawn and asked are what the run's scenarios put into what they make.
	drawn map[int]*scope.Drawn
	asked map[string]bool
	// texts are those that were sent whole and hold a drawn value: nobody else has them.
	texts map[string]bool
	// wrote are the checks that have written since all was last seen to be as it was.
	wrote  []Writer
	doubts []*Doubt
	harm   map[string]bool
	// ends are told at the end of the run.
	ends []event.Notice
	// active scenarios are under way, waiting ones are held back while one of them
	// settles what has changed.
	active, waiting int
	settling        bool
	turn            *sync.Cond
}

// watched is a list, as it was before the first write.
type watched struct {
	List
	before *state.Snapshot
	view   state.View
	last   *state.Snapshot
	// keys finds what may be keys in all that it held.
	keys *Index
	// unread is the step since which it cannot be read, "" while it can, or where that is
	// seen only at the end.
	unread string
	// look reads it once more, whole with all that is ignored otherwise; asks reads one item
	// by itself, and gives the status, 0 where there is no answer; reads gives its body, "" for none.
	look  func(whole bool) *Sight
	asks  func(id string) int
	reads func(id string) string
	// remove deletes an item that shows what this run has drawn, removes tells that items of the
	// list are deleted so.
	remove  func(id string) bool
	removes bool
	// had are the identities of all that it held at first.
	had map[string]bool
	// unlisted were there before, are not listed any more, and can be read by themselves.
	unlisted *state.Snapshot
	// since are the writes below it since it was last seen, deletes those that may have
	// removed something.
	since   []event.Sent
	deletes int
}

// Doubt is a change of what was there before, with the scenarios that may have
// made it.
type Doubt struct {
	w *watched
	// keys are of all that is looked after.
	keys  []string
	delta *state.Delta
	jobs  []Writer
	// since are the writes that came before it, asked tells that what is missing in the list
	// was asked for by itself; gone are those of which that says that they are.
	since []event.Sent
	asked bool
	gone  []*value.Value
}

// Harm is something done to what was there before the run.
type Harm struct {
	// List is the path of its list, Number counts what was told before.
	List   string
	Number int
	Deed
	// Of is the scenario that it was seen in, "" where that is not known, and By are all that may
	// have done it.
	Of string
	By []Writer
}

// Deed is a request that changed what it does not name.
type Deed struct {
	// Step is its step's title, Name the same with where it stands; File and Line say where.
	Step, Name, File string
	Line             int
	// Sent is what was sent there, and At the place of the request in it.
	Sent []event.Sent
	At   int
	// Index is the step's number in its scenario.
	Index int
	// Observed says what has changed.
	Observed []string
}

// Why says what follows from harm.
func (h *Harm) Why() string { return h.List + ": " + harmText }

const harmText = "this service changes there what it was not asked to; nothing more is written"

// Step is the step of a scenario that is under way: what is asked of the service to know whose
// something is, is asked through it.
type Step interface {
	// About tells which step it is.
	About() About
	// Lists are the guarded lists of the scenario whose names have values, in its order.
	Lists() ([]List, error)
	// Look reads a list, all its pages; whole with what is ignored otherwise. What it reads comes
	// to Scenario.Saw.
	Look(l List, why string, whole bool) (*Sight, error)
	// Ask sends a request, with the patience that a check has.
	Ask(r *exchange.Request, why string) *exchange.Exchange
	// Item sends a request without a body to an item of a list; nil where none can be put together.
	Item(method string, l List, id, why string) *exchange.Exchange
	// Kept are what the step keeps of an answer and may be the name of an item.
	Kept(r *expect.Reply) []Kept
	// Wait waits, not longer than the run.
	Wait(d time.Duration)
	// Apart is a step like this one, as the scenario is now, that may be asked later.
	Apart() Step
}

// About is what matters of a step.
type About struct {
	// Index counts the steps of a scenario.
	Index int
	// Base is the URL that its paths are relative to.
	Base string
	// Afterwards marks a step that cleans up, Stranger one without the credentials that others have.
	Afterwards, Stranger bool
}

// Kept is a value that a step keeps of an answer, in which line; Header tells that it is one of a
// header, and Path that it stands in the body.
type Kept struct {
	Value        *value.Value
	Header, Path bool
	Line         int
}

// Writer is a scenario that may write: what is told of it, and how it is run once more.
type Writer struct {
	ID int
	// Name is what it is called; File and Line are where it stands.
	Name, File string
	Line       int
	// Over tells that it has ended, nil where that does not matter.
	Over func() bool
	// Again runs it alone, with a close look at what a doubt is about, and tells which request
	// changed that.
	Again func(ctx context.Context, d *Doubt) (Deed, bool)
	// Of is what the run knows it by.
	Of any
}

// Scenario is what is known of one scenario while it runs. It is used by one goroutine at a time.
type Scenario struct {
	run   *Run
	ctx   context.Context
	by    Writer
	drawn *scope.Drawn
	tell  func(notice string)
	how   How
	// Around is set while steps run that the user puts around each scenario: they are not held to
	// what the scenario has made.
	Around bool
	// before are the guarded lists as they were before the first write.
	before map[List]*held
	own    owned
	// removed are the paths that this scenario has removed something from.
	removed map[string]bool
	// asked is the ledger's clock when its last requests were sent.
	asked int
	// going are items of its own whose delete was answered 202.
	going map[string]bool
	// taken takes in what was made of items that cannot be shown to be of this run.
	taken func(names []string)
	// answered takes in what became of the requests that are under way.
	answered []func(answers []*expect.Reply, sent int)
	// deed is what was seen when this was run once more because of a doubt.
	deed      *Deed
	disturbed bool
}

// How is the way a scenario is run.
type How struct {
	// Check marks a derived one; Guarded one with guarded lists.
	Check, Guarded bool
	// Patient marks one of a walk that has no end of its own.
	Patient bool
	// Elsewhere tells that items of some guarded list are not below it.
	Elsewhere bool
	// Beside tells that others may be under way.
	Beside bool
	// Closely is why it is run once more, nil for none.
	Closely *Doubt
}

// held is what a list held before the first write: identities in lower case, nil where it could
// not be read.
type held struct {
	sight *Sight
	ids   map[string]bool
}

// Scenario begins one.
func (r *Run) Scenario(ctx context.Context, by Writer, how How, drawn *scope.Drawn, tell func(notice string)) *Scenario {
	return &Scenario{run: r, ctx: ctx, by: by, how: how, drawn: drawn, tell: tell, before: map[List]*held{}, own: newOwned(), removed: map[string]bool{}, going: map[string]bool{}}
}

// Apart is a scenario for what looks on after this one has ended: nothing is its own.
func (s *Scenario) Apart() *Scenario {
	how := s.how
	how.Guarded = false
	return s.run.Scenario(s.ctx, s.by, how, s.drawn, s.tell)
}

// strict tells whether the step may write to nothing but what its scenario has made.
func (s *Scenario) strict() bool { return s.how.Guarded && !s.Around }

// Crowded tells whether other scenarios may be under way.
func (s *Scenario) Crowded() bool { return s.how.Beside && s.how.Closely == nil }

// Disturbed tells that others have changed what this scenario has made.
func (s *Scenario) Disturbed() bool { return s.disturbed }

// Deed is the request that changed what the doubt is about, nil for none.
func (s *Scenario) Deed() *Deed { return s.deed }

// turn is a scenario at one of its steps.
type turn struct {
	*Scenario
	Step
}

// NotOurs begins the reason why a request is not sent.
const NotOurs = "not applicable: this may touch what is not ours: "

// was tells whether an identity stood in a list before the first write.
func (s *Scenario) was(list, id string) bool {
	for l, h := range s.before {
		if l.Path == list && h.ids[strings.ToLower(id)] && !s.run.ours(l, id) {
			return true
		}
	}
	return false
}

// ours tells whether something of a name was made in a list by any scenario of this run, and nothing
// had it when the list was first seen: what stood there before one of them wrote may have been that.
func (r *Run) ours(l List, id string) bool {
	if _, made := r.ledger.ever.Load(strings.ToLower(path.Join(l.Path, id))); !made {
		return false
	}
	w := r.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	one := w.lists[l.key()]
	if one == nil {
		return false
	}
	for had := range one.had {
		if strings.EqualFold(had, id) {
			return false
		}
	}
	return true
}

// harmed tells why nothing is written to a list any more, or "".
func (r *Run) harmed(key string) string {
	w := r.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.harm[key] {
		return harmText
	}
	return ""
}

// AtEnd keeps what is told at the end of the run.
func (r *Run) AtEnd(n event.Notice) {
	w := r.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	w.ends = append(w.ends, n)
}

// Told tells whether harm to anything that was there before has been told.
func (r *Run) Told() bool {
	w := r.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	return len(w.harm) > 0
}

// keys finds what may be keys in a list as it was before the run, nil where it was not read.
func (r *Run) keys(list string) *Index {
	w := r.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	if one := w.lists[list]; one != nil {
		return one.keys
	}
	return nil
}

func (w *watch) wroteBy(one Writer) bool {
	return slices.ContainsFunc(w.wrote, func(by Writer) bool { return by.ID == one.ID })
}

// Wrote tells whether the scenario has sent a write.
func (s *Scenario) Wrote() bool {
	w := s.run.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.wroteBy(s.by)
}

// sent tells whether a text holds a value that a check of this run has drawn.
// The lock is held.
func (w *watch) sent(text string) bool {
	for _, d := range w.drawn {
		if d.In(text) {
			return true
		}
	}
	return false
}

// sentThis tells whether an item shows a whole text that this run has sent, with a drawn value in
// it: a number near a drawn one may be anybody's.
func (w *watch) sentThis(item []byte) bool {
	v, err := value.Decode(string(item), value.Limits{Lenient: true})
	if err != nil {
		return false
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	return !texts(v, func(text string) bool { return !w.texts[text] })
}

// owned is what a scenario has made, as far as it is certain: what it asked for, what was not
// listed before, and what the evidence proves.
type owned struct {
	// paths and names are of what a create of this scenario says it has made.
	paths, names map[string]creation
	// Exact paths: gone were read as not there, shown show a drawn value, proven are certainly
	// of this scenario; names that differ in case may be two.
	gone, shown, proven map[string]bool
	// seen are guarded lists as they were last observed, since the last create; made counts the
	// creates that were taken, by list.
	seen map[string]*state.Snapshot
	made map[string]int
}

// creation is a create that named an item: in which list, and how it was answered.
type creation struct {
	list   string
	status int
	drawn  bool
}

func newOwned() owned {
	return owned{map[string]creation{}, map[string]creation{}, map[string]bool{}, map[string]bool{}, map[string]bool{}, map[string]*state.Snapshot{}, map[string]int{}}
}

// of is the create that names what is at a path.
func (o *owned) of(at string) (creation, bool) {
	if c, named := o.paths[at]; named {
		return c, true
	}
	id := path.Base(at)
	for _, n := range []string{id, strings.TrimSuffix(id, path.Ext(id))} {
		if c, named := o.names[n]; named {
			return c, true
		}
	}
	return creation{}, false
}

// False is a claim of an answer that cannot be true.
type False struct {
	// Line is where it is kept, Answer the place of the answer, and Name what it names.
	Line, Answer int
	Name         string
}
