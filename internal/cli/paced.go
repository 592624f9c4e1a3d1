package cli

import (
	"bufio"
	"io"
	"os"
	"syscall"
	"time"

	"usualpath/internal/core/event"
)

var stopSignals = []os.Signal{os.Interrupt, syscall.SIGTERM}

// paced buffers output, and lets it out at the end of a scenario when some
// time has passed: thousands of short ones then cost few writes.
type paced struct {
	*bufio.Writer
	last time.Time
}

func newPaced(w io.Writer) *paced { return &paced{Writer: bufio.NewWriterSize(w, 64<<10)} }

func (p *paced) pace(e event.Event) {
	if _, ok := e.(*event.ScenarioFinished); ok && time.Since(p.last) > 50*time.Millisecond {
		// A write that fails is told by the Flush at the end.
		_ = p.Flush()
		p.last = time.Now()
	}
}
