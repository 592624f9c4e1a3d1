package source

import (
	"errors"
	"fmt"
	"io"
	"os"
)

// MaxFile bounds a file that is read whole, in bytes.
const MaxFile = 64 << 20

// errIrregular is the error of what is no file with an end: a folder, a pipe or
// a device.
var errIrregular = errors.New("this is not a regular file")

// Open opens a regular file for reading. Symbolic links are followed; a pipe or
// device is an ErrIrregular, and is not waited for.
func Open(name string) (*os.File, error) {
	// Looked at before and after: opening a pipe would wait for its other end, and
	// what a name stands for may change.
	if info, err := os.Stat(name); err != nil {
		return nil, err
	} else if err := regular(info); err != nil {
		return nil, err
	}
	f, err := os.OpenFile(name, os.O_RDONLY|nonblock, 0)
	if err != nil {
		return nil, err
	}
	info, err := f.Stat()
	if err == nil {
		err = regular(info)
	}
	if err != nil {
		return nil, errors.Join(err, f.Close())
	}
	return f, nil
}

func regular(info os.FileInfo) error {
	switch {
	case info.IsDir():
		return errors.New("this is a folder")
	case !info.Mode().IsRegular():
		return errIrregular
	}
	return nil
}

// ReadFile is the content of a regular file of at most MaxFile bytes.
func ReadFile(name string) ([]byte, error) {
	f, err := Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	// It may grow while it is read, and its size may be a lie.
	data, err := io.ReadAll(io.LimitReader(f, MaxFile+1))
	if err == nil && len(data) > MaxFile {
		err = fmt.Errorf("the file is larger than %d MiB", MaxFile>>20)
	}
	return data, err
}
