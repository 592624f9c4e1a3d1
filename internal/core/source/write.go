package source

import (
	"errors"
	"os"
	"path/filepath"
)

// Whole is a file being written that is never seen half-written: what is
// written goes to another name beside it until Close.
type Whole struct {
	name string
	tmp  *os.File
	err  error
}

// NewWhole begins a file.
func NewWhole(name string) (*Whole, error) {
	tmp, err := os.CreateTemp(filepath.Dir(name), ".usualpath-*")
	if err != nil {
		return nil, err
	}
	return &Whole{name: name, tmp: tmp}, nil
}

// Write adds to the file. After an error Close puts nothing in place.
func (w *Whole) Write(data []byte) (int, error) {
	n, err := w.tmp.Write(data)
	w.err = errors.Join(w.err, err)
	return n, err
}

// Close puts the file in its place. One that is there keeps its permissions; a
// new one gets 0644.
func (w *Whole) Close() error {
	mode := os.FileMode(0o644)
	if info, err := os.Stat(w.name); err == nil {
		mode = info.Mode().Perm()
	}
	err := errors.Join(w.err, w.tmp.Chmod(mode), w.tmp.Close())
	if err == nil {
		err = os.Rename(w.tmp.Name(), w.name)
	}
	if err != nil {
		// What is left is only the temporary file.
		_ = os.Remove(w.tmp.Name())
	}
	return err
}

// Drop gives the file up: nothing of it stays.
func (w *Whole) Drop() {
	// Only the temporary file is left to be removed.
	_ = w.tmp.Close()
	_ = os.Remove(w.tmp.Name())
}

// WriteWhole writes a file so that it is never seen half-written.
func WriteWhole(name string, data []byte) error {
	w, err := NewWhole(name)
	if err != nil {
		return err
	}
	if _, err := w.Write(data); err != nil {
		w.Drop()
		return err
	}
	return w.Close()
}
