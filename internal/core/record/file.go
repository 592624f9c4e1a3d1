package record

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"io"
	"os"
	"sync"
	"time"

	"usualpath/internal/core/event"
	"usualpath/internal/core/source"
)

// Writer writes events as they come, a line each.
type Writer struct {
	w   *bufio.Writer
	f   io.Closer
	err error
	// line is the one being written.
	line bytes.Buffer
	step []byte
	// mu guards all above while the timer writes out what waits.
	mu    sync.Mutex
	soon  *time.Timer
	waits bool
}

// open opens a record for writing: a file that only its owner reads, or what is there already.
func open(name string) (*os.File, error) {
	if info, err := os.Stat(name); err == nil && !info.Mode().IsRegular() && !info.IsDir() {
		return source.OpenSpecial(name, info)
	}
	return os.OpenFile(name, os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o600)
}

// Create makes a record file that only its owner may read, or replaces one;
// source.Stdout is standard output.
func Create(name string) (*Writer, error) {
	if name == source.Stdout {
		return &Writer{w: bufio.NewWriterSize(os.Stdout, 64<<10), f: io.NopCloser(nil)}, nil
	}
	f, err := open(name)
	if err != nil {
		return nil, err
	}
	return &Writer{w: bufio.NewWriterSize(f, 64<<10), f: f}, nil
}

// Event writes one event. Errors are told by Close.
func (w *Writer) Event(e event.Event) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.err != nil {
		return
	}
	if st, is := e.(*event.StepFinished); is {
		w.step = appendStep(w.step[:0], st)
		_, w.err = w.w.Write(w.step)
		return
	}
	l := toLine(e)
	if l == nil {
		return
	}
	w.line.Reset()
	err := encodeLine(&w.line, l)
	if err == nil {
		_, err = w.w.Write(w.line.Bytes())
	}
	// Each scenario is out soon after it has ended, so that a kill loses little.
	switch e.(type) {
	case *event.ScenarioFinished:
		if w.soon == nil {
			w.soon = time.AfterFunc(soon, w.flush)
		} else if !w.waits {
			w.soon.Reset(soon)
		}
		w.waits = true
	case *event.RunStarted, *event.Notice:
		err = errors.Join(err, w.w.Flush())
	}
	w.err = err
}

// soon is how long after its end a scenario may be in memory only.
const soon = 10 * time.Millisecond

func (w *Writer) flush() {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.waits = false
	w.err = errors.Join(w.err, w.w.Flush())
}

// Close ends the record.
func (w *Writer) Close() error {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.soon != nil {
		w.soon.Stop()
	}
	return errors.Join(w.err, w.w.Flush(), w.f.Close())
}

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
	case l.roamed != nil:
		body = l.roamed
	case l.against != nil:
		body = l.against
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

// JSON is an event as written in a record, without the line's end.
func JSON(e event.Event) ([]byte, error) {
	var b bytes.Buffer
	err := encodeLine(&b, toLine(e))
	return bytes.TrimSpace(b.Bytes()), err
}

// Recorded is an event as a record keeps it: reports that are written while the
// run happens see what those will see that are made of the record.
func Recorded(e event.Event) event.Event { return fromLine(toLine(e)) }
