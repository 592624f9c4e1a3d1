package out

import (
	"bufio"
	"fmt"
	"io"
	"strings"

	"usualpath/internal/core/event"
)

// mostAnnotations bounds how many places are marked: those who show them stop
// sooner.
const mostAnnotations = 50

// annotations writes the lines by which a CI system marks places in files: one for
// each scenario that did not hold, and for each cause of checks.
type annotations struct {
	gather
	w *bufio.Writer
	n int
}

var _ = format("annotations", newAnnotations)

func newAnnotations(w io.Writer) (Sink, error) {
	a := &annotations{w: bufio.NewWriter(w)}
	a.caused = true
	a.each = a.scenario
	return a, nil
}

var (
	inMessage  = strings.NewReplacer("%", "%25", "\r", "%0D", "\n", "%0A")
	inProperty = strings.NewReplacer("%", "%25", "\r", "%0D", "\n", "%0A", ":", "%3A", ",", "%2C")
)

func (a *annotations) scenario(s *scenario) {
	v := s.finished.Verdict
	if !bad(v) && v != event.Warned || s.first != "" {
		return
	}
	if a.n++; a.n > mostAnnotations {
		return
	}
	word := "error"
	if v == event.Warned {
		word = "warning"
	}
	file, line := s.File, s.Line
	for _, st := range s.steps {
		if s.Check == nil && len(st.Findings)+len(st.Lacks) > 0 {
			file, line = st.File, lineOf(st)
			break
		}
	}
	text := headline(s)
	if n := len(s.with); n > 0 {
		text += fmt.Sprintf("\nwith it %d more for the same cause: %s", n, strings.Join(s.with, ", "))
	}
	fmt.Fprintf(a.w, "::%s file=%s,line=%d,title=%s::%s\n", word, inProperty.Replace(safe(file)), line, inProperty.Replace(safe(s.name())), inMessage.Replace(safeLines(text)))
}

func (a *annotations) Close() error {
	a.release()
	if a.against != nil {
		for _, d := range a.against.Failed() {
			if a.n++; a.n <= mostAnnotations {
				fmt.Fprintf(a.w, "::error file=%s,line=%d,title=%s::%s\n", inProperty.Replace(safe(d.File)), d.Line, inProperty.Replace(safe("departs from "+a.against.Document)), inMessage.Replace(safeLines(d.Text)))
			}
		}
	}
	if more := a.n - mostAnnotations; more > 0 {
		fmt.Fprintf(a.w, "::notice::and %d more\n", more)
	}
	return a.w.Flush()
}
