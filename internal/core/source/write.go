package source

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"
)

// Stdout is the name that stands for standard output.
const Stdout = "-"

// Whole is a file being written that is never seen half-written: what is
// written goes to another name beside it until Close. A symbolic link is written
// through; a pipe, a device and standard output are written to as it comes.
type Whole struct {
	name string
	f    *os.File
	// straight marks what is not put in place at the end.
	straight bool
	err      error
}

// NewWhole begins a file; Stdout is standard output.
func NewWhole(name string) (*Whole, error) {
	if name == Stdout {
		return &Whole{name: name, f: os.Stdout, straight: true}, nil
	}
	name, err := behind(name)
	if err != nil {
		return nil, err
	}
	if info, err := os.Stat(name); err == nil && !info.Mode().IsRegular() && !info.IsDir() {
		f, err := OpenSpecial(name, info)
		return &Whole{name: name, f: f, straight: true}, err
	}
	sweep(filepath.Dir(name))
	f, err := os.CreateTemp(filepath.Dir(name), fmt.Sprintf(".usualpath-%d-*", os.Getpid()))
	if err != nil {
		return nil, err
	}
	return &Whole{name: name, f: f}, nil
}

// readerWithin is how long somebody may take to read from a pipe.
const readerWithin = 5 * time.Second

// OpenSpecial opens a device or a pipe for writing; a pipe that nobody reads is an error after a while.
func OpenSpecial(name string, info os.FileInfo) (*os.File, error) {
	if info.Mode()&os.ModeNamedPipe == 0 {
		return os.OpenFile(name, os.O_WRONLY, 0)
	}
	for begun := time.Now(); ; time.Sleep(20 * time.Millisecond) {
		f, err := os.OpenFile(name, os.O_WRONLY|notBlocking, 0)
		if err == nil {
			return f, nil
		}
		if !nobodyReads(err) {
			return nil, err
		}
		if time.Since(begun) > readerWithin {
			return nil, fmt.Errorf("nobody reads from the pipe %s", name)
		}
	}
}

// sweep removes what processes that have ended have left half-written in a folder.
func sweep(dir string) {
	entries, err := filepath.Glob(filepath.Join(dir, ".usualpath-*-*"))
	if err != nil {
		return
	}
	for _, at := range entries {
		number, _, _ := strings.Cut(strings.TrimPrefix(filepath.Base(at), ".usualpath-"), "-")
		if pid, err := strconv.Atoi(number); err == nil && pid > 0 && pid != os.Getpid() && gone(pid) {
			_ = os.Remove(at)
		}
	}
}

// behind is what symbolic links lead to, whether it is there or not.
func behind(name string) (string, error) {
	for range 40 {
		info, err := os.Lstat(name)
		if err != nil || info.Mode()&os.ModeSymlink == 0 {
			return name, nil
		}
		to, err := os.Readlink(name)
		if err != nil {
			return "", err
		}
		if !filepath.IsAbs(to) {
			to = filepath.Join(filepath.Dir(name), to)
		}
		name = to
	}
	return "", errors.New("too many symbolic links: " + name)
}

// Write adds to the file. After an error Close puts nothing in place.
func (w *Whole) Write(data []byte) (int, error) {
	n, err := w.f.Write(data)
	w.err = errors.Join(w.err, err)
	return n, err
}

// Close puts the file in its place. One that is there keeps its permissions; a
// new one gets those that the umask leaves.
func (w *Whole) Close() error {
	switch {
	case w.name == Stdout:
		return w.err
	case w.straight:
		return errors.Join(w.err, w.f.Close())
	}
	mode := 0o666 &^ umask()
	if info, err := os.Stat(w.name); err == nil {
		mode = info.Mode().Perm()
	}
	err := errors.Join(w.err, w.f.Chmod(mode), w.f.Close())
	if err == nil {
		err = os.Rename(w.f.Name(), w.name)
	}
	if err != nil {
		// What is left is only the temporary file.
		_ = os.Remove(w.f.Name())
	}
	return err
}

// Drop gives the file up: nothing of it stays, save what went straight to a
// device or standard output.
func (w *Whole) Drop() {
	if w.name == Stdout {
		return
	}
	// Only the temporary file is left to be removed.
	_ = w.f.Close()
	if !w.straight {
		_ = os.Remove(w.f.Name())
	}
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

// WritePrivate writes a file that only its owner may read.
func WritePrivate(name string, data []byte) error {
	f, err := os.OpenFile(name, os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	return errors.Join(err, f.Chmod(0o600), f.Close())
}

// PrivateFolder makes a folder that only its owner may look into, with a
// .gitignore that keeps it out of version control; one that is there stays as it
// is.
func PrivateFolder(dir string) error {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return err
	}
	ignore := filepath.Join(dir, ".gitignore")
	if _, err := os.Stat(ignore); os.IsNotExist(err) {
		return os.WriteFile(ignore, []byte("*\n"), 0o600)
	}
	return nil
}
