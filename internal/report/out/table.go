package out

import (
	"encoding/csv"
	"errors"
	"io"
	"strconv"

	"usualpath/internal/core/event"
)

// table writes CSV (RFC 4180) with a head: a row for each scenario and check,
// for spreadsheets and for queries over many runs.
type table struct {
	gather
	w *csv.Writer
}

var _ = format("csv", newTable)

func newTable(w io.Writer) (Sink, error) {
	t := &table{w: csv.NewWriter(w)}
	t.w.UseCRLF = true
	head := t.w.Write([]string{"file", "line", "title", "resource", "operation", "check", "level", "verdict", "steps", "requests", "took_ms", "why"})
	t.each = func(s *scenario) { head = errors.Join(head, t.row(s)) }
	return t, head
}

func (t *table) row(s *scenario) error {
	c := s.Check
	if c == nil {
		c = &event.Check{}
	}
	why := ""
	if bad(s.finished.Verdict) || s.finished.Verdict == event.Warned {
		why = headline(s)
	}
	return t.w.Write([]string{safe(s.File), strconv.Itoa(s.Line), cell(s.name()), c.Resource, c.Operation, c.ID, c.Level, string(s.finished.Verdict),
		strconv.Itoa(s.finished.Steps), strconv.Itoa(s.finished.Requests), strconv.FormatFloat(float64(s.finished.Took.Microseconds())/1000, 'f', 3, 64), cell(why)})
}

// cell is a text that a spreadsheet takes for nothing but text.
func cell(s string) string {
	s = safe(s)
	if s != "" && (s[0] == '=' || s[0] == '+' || s[0] == '-' || s[0] == '@') {
		return "'" + s
	}
	return s
}

func (t *table) Close() error {
	t.w.Flush()
	return t.w.Error()
}
