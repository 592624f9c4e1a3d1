package out

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"io"

	"usualpath/internal/core/event"
	"usualpath/internal/core/record"
	"usualpath/internal/report"
)

// document writes a run as one JSON document: the events as a record holds
// them, those of a scenario together.
type document struct {
	gather
	w       *bufio.Writer
	n       int
	notices []*event.Notice
	err     error
}

var _ = format("json", newJSON)

func newJSON(w io.Writer) (Sink, error) {
	d := &document{w: bufio.NewWriter(w)}
	d.begin = func(e *event.RunStarted) { fmt.Fprintf(d.w, "{\"run\": %s,\n\"scenarios\": [", d.json(e)) }
	d.each = d.scenario
	d.notice = func(e *event.Notice) { d.notices = append(d.notices, e) }
	d.end = func(e *event.RunFinished) {
		fmt.Fprint(d.w, "\n],\n\"notices\": [")
		for i, n := range d.notices {
			if i > 0 {
				fmt.Fprint(d.w, ", ")
			}
			fmt.Fprintf(d.w, "%s", d.json(n))
		}
		fmt.Fprint(d.w, "],\n")
		if d.against != nil {
			fmt.Fprintf(d.w, "\"against\": %s,\n", bytes.TrimSuffix(bytes.TrimPrefix(d.json(d.against), []byte(`{"against":`)), []byte("}")))
		}
		fmt.Fprintf(d.w, "\"result\": %s}\n", d.json(e))
	}
	return d, nil
}

func (d *document) json(e event.Event) []byte {
	data, err := record.JSON(e)
	if err != nil {
		d.err = err
		return []byte("null")
	}
	// The kind of event is told by where it is.
	var first struct {
		Event string `json:"event"`
	}
	if json.Unmarshal(data, &first) == nil {
		data = bytes.Replace(data, fmt.Appendf(nil, `"event":%q,`, first.Event), nil, 1)
	}
	return report.Escaped(data)
}

func (d *document) scenario(s *scenario) {
	if d.n++; d.n > 1 {
		fmt.Fprint(d.w, ",")
	}
	fmt.Fprintf(d.w, "\n{\"scenario\": %s, \"steps\": [", d.json(s.ScenarioStarted))
	for i, st := range s.steps {
		if i > 0 {
			fmt.Fprint(d.w, ",")
		}
		fmt.Fprintf(d.w, "\n %s", d.json(st))
	}
	fmt.Fprintf(d.w, "], \"result\": %s}", d.json(s.finished))
}

func (d *document) Close() error {
	if err := d.w.Flush(); err != nil {
		return err
	}
	return d.err
}
