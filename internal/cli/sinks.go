package cli

import (
	"bufio"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"usualpath/internal/core/event"
	"usualpath/internal/core/project"
	"usualpath/internal/core/record"
	"usualpath/internal/core/resource"
	"usualpath/internal/report/out"
)

// wanted is a document that --report asks for.
type wanted struct{ format, file string }

// parseReport reads FORMAT=FILE.
func parseReport(text string) (wanted, error) {
	format, file, ok := strings.Cut(text, "=")
	switch {
	case !ok || file == "":
		return wanted{}, usage(fmt.Sprintf("--report %s names no file", text), "write --report html=report.html; there are "+strings.Join(out.Formats(), ", "))
	case !knownFormat(format):
		return wanted{}, usage(fmt.Sprintf("there is no report format %q", format), "there are "+strings.Join(out.Formats(), ", "))
	}
	return wanted{format, file}, nil
}

func knownFormat(format string) bool {
	for _, f := range out.Formats() {
		if f == format {
			return true
		}
	}
	return false
}

// document is one report being written, under another name until it is whole.
type document struct {
	out.Sink
	name string
	f    *os.File
	w    *bufio.Writer
}

func openDocument(w wanted) (*document, error) {
	f, err := os.CreateTemp(filepath.Dir(w.file), ".usualpath-*")
	if err != nil {
		return nil, &exit{code: exitUsage, message: "the report cannot be written: " + err.Error()}
	}
	d := &document{name: w.file, f: f, w: bufio.NewWriterSize(f, 64<<10)}
	d.Sink, err = out.New(w.format, d.w, out.Options{Causes: resource.Causes})
	if err != nil {
		return nil, errors.Join(err, f.Close(), os.Remove(f.Name()))
	}
	return d, nil
}

func (d *document) Close() error {
	err := errors.Join(d.Sink.Close(), d.w.Flush(), d.f.Chmod(0o644), d.f.Close())
	if err == nil {
		err = os.Rename(d.f.Name(), d.name)
	}
	if err != nil {
		return errors.Join(err, os.Remove(d.f.Name()))
	}
	return nil
}

// drop gives a document up: nothing of it stays.
func (d *document) drop() {
	// Only the temporary file is left to be removed.
	_ = d.Sink.Close()
	_ = d.f.Close()
	_ = os.Remove(d.f.Name())
}

// outputs are what a run is written to beside the terminal.
type outputs struct {
	records   []*record.Writer
	documents []*document
	history   *record.History
	newest    string
	past      *record.Past
}

func openOutputs(f *runFlags, p *project.Project) (*outputs, error) {
	o := &outputs{}
	for _, text := range f.reports {
		w, err := parseReport(text)
		if err != nil {
			return nil, err
		}
		d, err := openDocument(w)
		if err != nil {
			return nil, err
		}
		o.documents = append(o.documents, d)
	}
	create := func(name string) error {
		w, err := record.Create(name)
		if err != nil {
			return &exit{code: exitUsage, message: "the record cannot be written: " + err.Error()}
		}
		o.records = append(o.records, w)
		return nil
	}
	if f.save != "" {
		if err := create(f.save); err != nil {
			return nil, err
		}
	}
	if f.history {
		h := record.HistoryOf(p.Root)
		o.past = h.Past()
		name, err := h.Next(time.Now())
		if err != nil {
			return nil, &exit{code: exitUsage, message: "the history cannot be written: " + err.Error()}
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
	t := record.Trimmed(e)
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
		return &exit{code: exitBroken, message: "a report cannot be written: " + err.Error()}
	}
	return nil
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
