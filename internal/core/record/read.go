package record

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"strings"

	"usualpath/internal/core/event"
	"usualpath/internal/core/source"
)

// maxLine bounds a line of a record, in bytes.
const maxLine = 256 << 20

// damage is the error of records that are not whole: what they hold was read,
// counted and passed on all the same.
type damage struct {
	// Found is what is broken, Missing the shards of which there is no record.
	Found, Missing []string
}

func (d *damage) Error() string {
	return strings.Join(append(d.Found[:len(d.Found):len(d.Found)], d.Missing...), "\n")
}

// Partial tells whether an error is only that of shards that are missing.
func Partial(err error) bool {
	var d *damage
	return errors.As(err, &d) && len(d.Found) == 0
}

// Damaged tells whether an error is only that of a damaged record.
func Damaged(err error) bool {
	var d *damage
	return errors.As(err, &d)
}

// Read gives the events of records, those of several as one run: the shards of
// a suite, or several suites. The last event is always RunFinished, with what
// the events before it amount to. Notices tell what is missing or broken. The
// error is a *Damage when what is there was passed on, and any other when a
// file is not a record at all.
func Read(names []string, take func(event.Event)) error {
	r := &reader{take: take, shards: map[string]map[string]bool{}}
	for _, n := range names {
		if err := r.file(n); err != nil {
			return err
		}
	}
	r.missing()
	r.finished.Counts = r.tally.Counts()
	take(&r.finished)
	if len(r.damage.Found)+len(r.damage.Missing) > 0 {
		return &r.damage
	}
	return nil
}

// reader puts the events of records together.
type reader struct {
	take     func(event.Event)
	tally    event.Tally
	finished event.RunFinished
	damage   damage
	// base is added to the numbers of scenarios, top is the highest so far.
	base, top int
	started   bool
	// open tells that a run has begun, and not ended yet.
	open bool
	// shards are those seen, by how many there should be.
	shards map[string]map[string]bool
}

func (r *reader) pass(e event.Event) {
	r.tally.Add(e)
	r.take(e)
}

// broken notes what is wrong with a record, and tells it.
func (r *reader) broken(format string, args ...any) {
	text := fmt.Sprintf(format, args...)
	r.damage.Found = append(r.damage.Found, text)
	r.take(&event.Notice{Severe: true, Text: text})
}

func (r *reader) file(name string) error {
	f, err := source.Open(name)
	if errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("there is no file %s", name)
	}
	if err != nil {
		return fmt.Errorf("%s cannot be read: %w", name, err)
	}
	defer f.Close()
	in := bufio.NewReaderSize(f, 256<<10)
	r.open = false
	runs := 0
	for n := 1; ; n++ {
		text, err := readLine(in)
		text = bytes.TrimSpace(text)
		if len(text) > 0 {
			e, flaw, bad := decodeLine(text)
			_, begins := e.(*event.RunStarted)
			switch {
			case runs == 0 && bad != nil:
				return fmt.Errorf("%s is not a run record: line %d: %w", name, n, bad)
			case runs == 0 && !begins:
				return fmt.Errorf("%s is not a run record: it does not start with the start of a run", name)
			case bad != nil && err == io.EOF:
				r.broken("%s: the last line is cut off and was dropped", name)
			case bad != nil:
				r.broken("%s: line %d cannot be read and was dropped: %s", name, n, bad)
			case begins:
				if runs++; runs > 1 {
					r.broken("%s: line %d: another run begins here: records were joined, and are counted together", name, n)
				}
			}
			if flaw != "" {
				r.broken("%s: line %d: %s", name, n, flaw)
			}
			if bad == nil && e != nil {
				r.event(name, e)
			}
		} else if runs == 0 && err == io.EOF {
			return fmt.Errorf("%s is not a run record: it is empty", name)
		}
		if err == io.EOF {
			break
		}
		if err != nil {
			return fmt.Errorf("%s: line %d: %w", name, n, err)
		}
	}
	if r.open {
		r.cut(name)
	}
	return nil
}

// cut tells of a run whose end is not in its record.
func (r *reader) cut(name string) {
	r.broken("%s: the run was ended before it was done", name)
	r.finished.Interrupted = true
	r.open = false
}

func (r *reader) event(name string, e event.Event) {
	switch e := e.(type) {
	case *event.RunStarted:
		if r.open {
			r.cut(name)
		}
		r.open, r.base = true, r.top
		if i, n, ok := strings.Cut(e.Shard, "/"); ok {
			if r.shards[n] == nil {
				r.shards[n] = map[string]bool{}
			}
			r.shards[n][i] = true
		}
		if r.started {
			return
		}
		r.started = true
	case *event.ScenarioStarted:
		e.ID += r.base
		r.top = max(r.top, e.ID)
	case *event.StepFinished:
		e.Scenario += r.base
	case *event.ScenarioFinished:
		e.Scenario += r.base
	case *event.RunFinished:
		r.open = false
		// Shards run side by side: the longest is what it took.
		r.finished.Took = max(r.finished.Took, e.Took)
		r.finished.Interrupted = r.finished.Interrupted || e.Interrupted
		r.finished.Unreachable = r.finished.Unreachable || e.Unreachable
		r.finished.ServiceDied = r.finished.ServiceDied || e.ServiceDied
		return
	}
	r.pass(e)
}

// missing tells of shards that should be there and are not.
func (r *reader) missing() {
	for n, seen := range r.shards {
		var all int
		if _, err := fmt.Sscan(n, &all); err != nil {
			continue
		}
		for i := 1; i <= all && i <= 10_000; i++ {
			if !seen[fmt.Sprint(i)] {
				text := fmt.Sprintf("the record of shard %d of %d is missing", i, all)
				r.damage.Missing = append(r.damage.Missing, text)
				r.take(&event.Notice{Severe: true, Text: text})
			}
		}
	}
}

func readLine(r *bufio.Reader) ([]byte, error) {
	var out []byte
	for {
		part, err := r.ReadSlice('\n')
		out = append(out, part...)
		if err != bufio.ErrBufferFull {
			return out, err
		}
		if len(out) > maxLine {
			return nil, fmt.Errorf("the line is longer than %d bytes", maxLine)
		}
	}
}

// decodeLine reads a line; flaw tells what of it was left out. The event is nil
// for one of an unknown kind, which a newer tool may have written.
func decodeLine(text []byte) (e event.Event, flaw string, err error) {
	var kind struct {
		Event  string `json:"event"`
		Record int    `json:"record"`
	}
	if err := json.Unmarshal(text, &kind); err != nil {
		return nil, "", err
	}
	if kind.Record > version {
		return nil, "", fmt.Errorf("the record is of version %d, and this tool reads up to %d", kind.Record, version)
	}
	l := &line{Event: kind.Event}
	into := l.body()
	if into == nil {
		if kind.Event == "" {
			return nil, "", errors.New("there is no event in it")
		}
		return nil, "", nil
	}
	if err := json.Unmarshal(text, into); err != nil {
		return nil, "", err
	}
	flaw = l.mend()
	return fromLine(l), flaw, nil
}

// body makes and gives the part of a line that its kind of event fills; nil for
// an unknown one.
func (l *line) body() any {
	switch l.Event {
	case "run started":
		return made(&l.runStarted)
	case "scenario started":
		return made(&l.scenarioStarted)
	case "step":
		return made(&l.step)
	case "scenario finished":
		return made(&l.scenarioFinished)
	case "notice":
		return made(&l.notice)
	case "roamed":
		return made(&l.roamed)
	case "against":
		return made(&l.against)
	case "run finished":
		return made(&l.runFinished)
	}
	return nil
}

// made fills a pointer with a new value, and gives that.
func made[T any](p **T) any {
	*p = new(T)
	return *p
}

// mend drops what of a line nothing can be made of, and says what it was: an
// exchange without a request, or with neither an answer nor a failure; and puts
// right what then points at nothing.
func (l *line) mend() string {
	if l.step == nil {
		return ""
	}
	var kept []exchanged
	for _, x := range l.step.Exchanges {
		if x.Request.Method != "" && (x.Answer != nil || x.Failure != nil) {
			kept = append(kept, x)
		}
	}
	dropped := len(l.step.Exchanges) - len(kept)
	l.step.Exchanges = kept
	for i := range l.step.Findings {
		if f := &l.step.Findings[i]; f.Exchange < -1 || f.Exchange >= len(kept) {
			f.Exchange = -1
		}
	}
	if dropped > 0 {
		return fmt.Sprintf("%d of its exchanges cannot be read and were dropped", dropped)
	}
	return ""
}
