package out

import (
	"bytes"
	"encoding/xml"
	"fmt"
	"io"
	"time"

	"usualpath/internal/core/event"
)

// junit writes the XML that CI systems read: a suite for each file, a case for
// each scenario.
type junit struct {
	gather
	w     io.Writer
	suite *spool
	// file, and what its suite counts.
	file                           string
	tests, failures, errs, skipped int
	took                           time.Duration
	all                            *spool
	err                            error
	started                        time.Time
	total                          event.Counts
	ran                            time.Duration
	notices                        bytes.Buffer
	// more counts the cases of a document.
	more event.Verdicts
}

var _ = format("junit", newJUnit)

func newJUnit(w io.Writer) (Sink, error) {
	all, err := newSpool()
	if err != nil {
		return nil, err
	}
	j := &junit{w: w, all: all}
	j.caused = true
	j.begin = func(e *event.RunStarted) { j.started = e.Time }
	j.each = j.scenario
	j.notice = func(e *event.Notice) { j.notices.WriteString(e.Text + "\n") }
	j.end = func(e *event.RunFinished) { j.total, j.ran = e.Counts, e.Took }
	return j, nil
}

// text is escaped for XML; characters that XML cannot hold become U+FFFD.
func text(s string) string {
	var b bytes.Buffer
	// Writing to a buffer does not fail.
	_ = xml.EscapeText(&b, []byte(safeLines(s)))
	return b.String()
}

func seconds(d time.Duration) string { return fmt.Sprintf("%.6f", d.Seconds()) }

func (j *junit) scenario(s *scenario) {
	if s.File != j.file || j.suite == nil {
		j.flush()
		j.file = s.File
		if j.suite, j.err = newSpool(); j.err != nil {
			return
		}
	}
	j.tests++
	j.took += s.finished.Took
	class := s.File
	if s.Check != nil {
		class += "." + s.Check.Resource
	}
	fmt.Fprintf(j.suite, "    <testcase classname=\"%s\" name=\"%s\" file=\"%s\" line=\"%d\" time=\"%s\"", text(class), text(s.Title), text(s.File), s.Line, seconds(s.finished.Took))
	switch s.finished.Verdict {
	case event.Failed:
		j.failures++
		fmt.Fprintf(j.suite, ">\n      <failure type=\"failed\" message=\"%s\">%s</failure>\n    </testcase>\n", text(caused(s)), text(story(s)))
	case event.Blocked:
		j.errs++
		fmt.Fprintf(j.suite, ">\n      <error type=\"blocked\" message=\"%s\">%s</error>\n    </testcase>\n", text(caused(s)), text(story(s)))
	case event.Skipped, event.NotReached:
		j.skipped++
		why := "not applicable"
		if s.finished.Verdict == event.NotReached {
			why = "not reached"
		}
		fmt.Fprintf(j.suite, ">\n      <skipped message=\"%s\"/>\n    </testcase>\n", why)
	case event.Warned:
		fmt.Fprintf(j.suite, ">\n      <system-out>%s</system-out>\n    </testcase>\n", text("warned: "+story(s)))
	default:
		fmt.Fprint(j.suite, "/>\n")
	}
}

// caused is the headline, behind the cause of another check.
func caused(s *scenario) string {
	if s.first != "" {
		return "for the same cause as " + s.first + ": " + headline(s)
	}
	return headline(s)
}

// flush writes the suite of a file.
func (j *junit) flush() {
	if j.suite == nil || j.err != nil {
		return
	}
	fmt.Fprintf(j.all, "  <testsuite name=\"%s\" tests=\"%d\" failures=\"%d\" errors=\"%d\" skipped=\"%d\" time=\"%s\" timestamp=\"%s\">\n",
		text(j.file), j.tests, j.failures, j.errs, j.skipped, seconds(j.took), j.started.UTC().Format("2006-01-02T15:04:05"))
	j.err = j.suite.pour(j.all)
	fmt.Fprint(j.all, "  </testsuite>\n")
	j.suite, j.tests, j.failures, j.errs, j.skipped, j.took = nil, 0, 0, 0, 0, 0
}

func (j *junit) Close() error {
	j.release()
	j.flush()
	j.held()
	if j.notices.Len() > 0 {
		fmt.Fprintf(j.all, "  <testsuite name=\"run\" tests=\"0\" failures=\"0\" errors=\"0\" skipped=\"0\" time=\"0\">\n    <system-err>%s</system-err>\n  </testsuite>\n", text(j.notices.String()))
	}
	c := j.total.Both()
	c.All, c.Failed, c.Skipped = c.All+j.more.All, c.Failed+j.more.Failed, c.Skipped+j.more.Skipped
	_, err := fmt.Fprintf(j.w, "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<testsuites name=\"usualpath\" tests=\"%d\" failures=\"%d\" errors=\"%d\" skipped=\"%d\" time=\"%s\">\n",
		c.All, c.Failed, c.Blocked, c.Skipped+c.NotReached, seconds(j.ran))
	if err == nil {
		err = j.all.pour(j.w)
	}
	if err == nil {
		_, err = io.WriteString(j.w, "</testsuites>\n")
	}
	if j.err != nil {
		return j.err
	}
	return err
}

// held writes the suite of a document: a failure for each departure, and a case for each
// operation without one.
func (j *junit) held() {
	a := j.against
	if a == nil {
		return
	}
	departs := map[string]bool{}
	var cases bytes.Buffer
	one := func(name, rest string) {
		j.more.All++
		fmt.Fprintf(&cases, "    <testcase classname=\"%s\" name=\"%s\" time=\"0\"%s\n", text(a.Document), text(name), rest)
	}
	for _, d := range a.Departures {
		departs[d.Operation] = true
		story := fmt.Sprintf("%s\n%d×, first in %s of %q\n", d.Text, d.Times, d.Where(), d.Scenario)
		if d.Warns {
			one(d.Text, fmt.Sprintf(">\n      <system-out>%s</system-out>\n    </testcase>", text("warned: "+story)))
			continue
		}
		j.more.Failed++
		one(d.Text, fmt.Sprintf(">\n      <failure type=\"departure\" message=\"%s\">%s</failure>\n    </testcase>", text(d.Text), text(story)))
	}
	for _, o := range a.Operations {
		switch {
		case o.Beside || departs[o.Operation]:
		case o.Requests == 0:
			j.more.Skipped++
			one(o.Operation, ">\n      <skipped message=\"no request\"/>\n    </testcase>")
		default:
			one(o.Operation, "/>")
		}
	}
	if a.Short() {
		j.more.Failed++
		one("enough is touched", fmt.Sprintf(">\n      <failure type=\"coverage\" message=\"%s\"/>\n    </testcase>", text(a.Words())))
	}
	fmt.Fprintf(j.all, "  <testsuite name=\"%s\" tests=\"%d\" failures=\"%d\" errors=\"0\" skipped=\"%d\" time=\"0\">\n%s  </testsuite>\n", text(a.Document), j.more.All, j.more.Failed, j.more.Skipped, cases.String())
}
