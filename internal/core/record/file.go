package record

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"

	"usualpath/internal/core/event"
)

// Writer writes events as they come, a line each.
type Writer struct {
	w   *bufio.Writer
	f   io.Closer
	err error
	// line is the one being written.
	line bytes.Buffer
}

// Create makes a record file, or replaces one.
func Create(name string) (*Writer, error) {
	f, err := os.Create(name)
	if err != nil {
		return nil, err
	}
	return &Writer{w: bufio.NewWriterSize(f, 64<<10), f: f}, nil
}

// Event writes one event. Errors are told by Close.
func (w *Writer) Event(e event.Event) {
	l := toLine(e)
	if l == nil || w.err != nil {
		return
	}
	w.line.Reset()
	err := encodeLine(&w.line, l)
	if err == nil {
		_, err = w.w.Write(w.line.Bytes())
	}
	// Each scenario is out when it has ended, so that a kill loses little.
	switch e.(type) {
	case *event.ScenarioFinished, *event.RunStarted, *event.Notice:
		err = errors.Join(err, w.w.Flush())
	}
	w.err = err
}

// Close ends the record.
func (w *Writer) Close() error { return errors.Join(w.err, w.w.Flush(), w.f.Close()) }

// encodeLine puts an event behind what a buffer holds.
func encodeLine(b *bytes.Buffer, l *line) error {
	var body any
	switch {
	case l.runStarted != nil:
		body = l.runStarted
	case l.scenarioStarted != nil:
		body = l.scenarioStarted
	case l.step != nil:
		body = l.step
	case l.scenarioFinished != nil:
		body = l.scenarioFinished
	case l.notice != nil:
		body = l.notice
	default:
		body = l.runFinished
	}
	b.WriteString(`{"event":"` + l.Event + `"`)
	mark := b.Len()
	e := json.NewEncoder(b)
	e.SetEscapeHTML(false)
	if err := e.Encode(body); err != nil {
		return err
	}
	// A comma stands where the object's own brace was.
	b.Bytes()[mark] = ','
	return nil
}

// JSON is an event as it stands in a record, without the line's end.
func JSON(e event.Event) ([]byte, error) {
	var b bytes.Buffer
	err := encodeLine(&b, toLine(e))
	return bytes.TrimSpace(b.Bytes()), err
}

// Trimmed is an event as a record keeps it: reports that are written while the
// run happens see what those will see that are made of the record.
func Trimmed(e event.Event) event.Event { return fromLine(toLine(e)) }

// maxLine bounds a line of a record, in bytes.
const maxLine = 256 << 20

// Read gives the events of a record, one after another. A last line that was
// cut off, as a kill leaves it, is dropped, and told as a notice.
func Read(name string, take func(event.Event)) error {
	f, err := os.Open(name)
	if err != nil {
		return err
	}
	defer f.Close()
	r := bufio.NewReaderSize(f, 256<<10)
	ended := false
	var sofar event.Counts
	for n := 1; ; n++ {
		text, err := readLine(r)
		if len(bytes.TrimSpace(text)) > 0 {
			e, bad := decodeLine(text)
			switch {
			case bad != nil && err == io.EOF && n > 1:
				take(&event.Notice{Severe: true, Text: fmt.Sprintf("%s: the last line is cut off and was dropped", name)})
			case bad != nil && n == 1:
				return fmt.Errorf("%s is no run record: %w", name, bad)
			case bad != nil:
				return fmt.Errorf("%s: line %d: %w", name, n, bad)
			case e != nil:
				if _, first := e.(*event.RunStarted); n == 1 && !first {
					return fmt.Errorf("%s is no run record: it does not start with the start of a run", name)
				}
				_, last := e.(*event.RunFinished)
				ended = ended || last
				count(&sofar, e)
				take(e)
			}
		} else if n == 1 && err == io.EOF {
			return fmt.Errorf("%s is no run record: it is empty", name)
		}
		if err == io.EOF {
			break
		}
		if err != nil {
			return fmt.Errorf("%s: line %d: %w", name, n, err)
		}
	}
	if !ended {
		take(&event.Notice{Severe: true, Text: fmt.Sprintf("%s: the run was ended before it was done", name)})
		take(&event.RunFinished{Counts: sofar, Interrupted: true})
	}
	return nil
}

// count adds up what a run that was cut off can no longer say itself.
func count(c *event.Counts, e event.Event) {
	switch e := e.(type) {
	case *event.StepFinished:
		c.Steps++
		c.Requests += e.Requests
		c.Observations += len(e.Sent) - min(len(e.Sent), e.Requests)
		if e.Verdict == event.Failed {
			c.StepsFailed++
		}
	case *event.ScenarioStarted:
		if e.Check != nil {
			c.Checks++
		}
	case *event.ScenarioFinished:
		c.Scenarios++
		switch e.Verdict {
		case event.Failed:
			c.Failed++
		case event.Blocked:
			c.Blocked++
		case event.Warned:
			c.Warned++
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

func decodeLine(text []byte) (event.Event, error) {
	var kind struct {
		Event  string `json:"event"`
		Record int    `json:"record"`
	}
	if err := json.Unmarshal(text, &kind); err != nil {
		return nil, err
	}
	if kind.Record > Version {
		return nil, fmt.Errorf("the record is of version %d, and this tool reads up to %d", kind.Record, Version)
	}
	l := &line{Event: kind.Event}
	var into any
	switch kind.Event {
	case "run started":
		l.runStarted = &runStarted{}
		into = l.runStarted
	case "scenario started":
		l.scenarioStarted = &scenarioStarted{}
		into = l.scenarioStarted
	case "step":
		l.step = &step{}
		into = l.step
	case "scenario finished":
		l.scenarioFinished = &scenarioFinished{}
		into = l.scenarioFinished
	case "notice":
		l.notice = &notice{}
		into = l.notice
	case "run finished":
		l.runFinished = &runFinished{}
		into = l.runFinished
	case "":
		return nil, errors.New("there is no event in it")
	default:
		return nil, nil
	}
	if err := json.Unmarshal(text, into); err != nil {
		return nil, err
	}
	return fromLine(l), nil
}
