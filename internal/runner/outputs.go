package runner

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"usualpath/internal/core/event"
	"usualpath/internal/core/record"
	"usualpath/internal/core/source"
	"usualpath/internal/report/out"
)

// Report is a document that a run is written to.
type Report struct{ Format, File string }

// ParseReport reads FORMAT=FILE. The error is a *Fault.
func ParseReport(text string) (Report, error) {
	format, file, ok := strings.Cut(text, "=")
	switch {
	case !ok || file == "":
		return Report{}, usage(fmt.Sprintf("--report %s names no file", text), "write --report html=report.html; there are "+strings.Join(out.Formats(), ", "))
	case !slices.Contains(out.Formats(), format):
		return Report{}, usage(fmt.Sprintf("there is no report format %q", format), "there are "+strings.Join(out.Formats(), ", "))
	}
	return Report{format, file}, nil
}

// document is one report being written.
type document struct {
	out.Sink
	// file is nil for one that is not written to a file.
	file *source.Whole
	w    *bufio.Writer
}

func openDocument(r Report) (*document, error) {
	f, err := source.NewWhole(r.File)
	if err != nil {
		return nil, usage("the report cannot be written: "+err.Error(), "")
	}
	d := &document{file: f, w: bufio.NewWriterSize(f, 64<<10)}
	if d.Sink, err = out.New(r.Format, d.w); err != nil {
		f.Drop()
		return nil, broken(err.Error())
	}
	return d, nil
}

func (d *document) Close() error {
	err := errors.Join(d.Sink.Close(), d.w.Flush())
	switch {
	case d.file == nil:
		return err
	case err != nil:
		d.file.Drop()
		return err
	}
	return d.file.Close()
}

// drop gives a document up: nothing of it stays.
func (d *document) drop() {
	// What it says of its end does not matter any more.
	_ = d.Sink.Close()
	d.file.Drop()
}

// Straight is how many of the outputs go to standard output.
func (c *Config) Straight() int {
	n := 0
	for _, r := range c.Reports {
		if r.File == source.Stdout {
			n++
		}
	}
	if c.Save == source.Stdout {
		n++
	}
	return n
}

// outputs are what a run is written to beside the terminal.
type outputs struct {
	records   []*record.Writer
	documents []*document
	history   *record.History
	newest    string
	past      *record.Past
}

func openOutputs(c *Config) (*outputs, error) {
	o := &outputs{}
	for _, r := range c.Reports {
		d, err := openDocument(r)
		if err != nil {
			return nil, err
		}
		o.documents = append(o.documents, d)
	}
	if c.Annotations != nil {
		d := &document{w: bufio.NewWriter(c.Annotations)}
		var err error
		if d.Sink, err = out.New("annotations", d.w); err != nil {
			return nil, broken(err.Error())
		}
		o.documents = append(o.documents, d)
	}
	create := func(name string) error {
		w, err := record.Create(name)
		if err != nil {
			return usage("the record cannot be written: "+err.Error(), "")
		}
		o.records = append(o.records, w)
		return nil
	}
	if c.Save != "" {
		if err := create(c.Save); err != nil {
			return nil, err
		}
	}
	if c.History {
		h := record.HistoryOf(c.Project.Root)
		o.past = h.Past()
		name, err := h.Next(time.Now())
		if err != nil {
			return nil, usage("the history cannot be written: "+err.Error(), "")
		}
		o.history, o.newest = &h, name
		if err := create(name); err != nil {
			return nil, err
		}
	}
	return o, nil
}

// event passes an event on as a record keeps it, so that what is written now is
// what would be made of the record later.
func (o *outputs) event(e event.Event) {
	if len(o.records)+len(o.documents) == 0 {
		return
	}
	for _, r := range o.records {
		r.Event(e)
	}
	if len(o.documents) == 0 {
		return
	}
	t := record.Recorded(e)
	for _, d := range o.documents {
		d.Event(t)
	}
}

func (o *outputs) close() error {
	var errs []error
	for _, r := range o.records {
		errs = append(errs, r.Close())
	}
	for _, d := range o.documents {
		errs = append(errs, d.Close())
	}
	if o.history != nil {
		errs = append(errs, o.history.Prune())
	}
	if err := errors.Join(errs...); err != nil {
		return broken("a report cannot be written: " + err.Error())
	}
	return nil
}

// since tells how long a scenario fails already; nil where no history is kept.
func (o *outputs) since() func(file, pattern string) string {
	if o.past == nil {
		return nil
	}
	return o.past.Since
}

// flickering are scenarios that flip from run to run without a change.
func (o *outputs) flickering() []string {
	if o.past == nil {
		return nil
	}
	now, err := record.Load(o.newest)
	if err != nil {
		return nil
	}
	return o.past.Flickering(now)
}

// WriteReport makes a report of records: into the file, or, without a name,
// onto w. Of damaged records it is made of what is there, and the error says so.
func WriteReport(records []string, to Report, w io.Writer) error {
	if to.File == "" {
		s, err := out.New(to.Format, w)
		if err != nil {
			return broken(err.Error())
		}
		read := record.Read(records, s.Event)
		if read != nil && !record.Damaged(read) {
			return read
		}
		if err := s.Close(); err != nil {
			return broken("the report cannot be written: " + err.Error())
		}
		return read
	}
	d, err := openDocument(to)
	if err != nil {
		return err
	}
	read := record.Read(records, d.Event)
	if read != nil && !record.Damaged(read) {
		d.drop()
		return read
	}
	if err := d.Close(); err != nil {
		return broken("the report cannot be written: " + err.Error())
	}
	return read
}
