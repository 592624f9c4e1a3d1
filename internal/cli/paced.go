package cli

import (
	"bufio"
	"errors"
	"io"
	"os"
	"syscall"
	"time"

	"usualpath/internal/core/event"
)

// stopSignals end a run; a terminal that is closed is as good as an end.
var stopSignals = []os.Signal{os.Interrupt, syscall.SIGTERM, syscall.SIGHUP}

// paced buffers output, and lets it out at the end of a scenario when some
// time has passed: thousands of short ones then cost few writes.
type paced struct {
	*bufio.Writer
	last time.Time
	// closed is told once when nobody reads any more.
	closed func()
}

func newPaced(w io.Writer) *paced { return &paced{Writer: bufio.NewWriterSize(w, 64<<10)} }

func (p *paced) pace(e event.Event) {
	if _, ok := e.(*event.ScenarioFinished); ok && time.Since(p.last) > 50*time.Millisecond {
		// A write that fails is told by the Flush at the end.
		if err := p.Flush(); errors.Is(err, syscall.EPIPE) && p.closed != nil {
			p.closed()
			p.closed = nil
		}
		p.last = time.Now()
	}
}
