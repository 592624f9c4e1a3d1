package source

import (
	"os"
	"path/filepath"
)

// WriteWhole writes a file so that it is never seen half-written. One that is
// there keeps its permissions; a new one gets 0644.
func WriteWhole(name string, data []byte) error {
	mode := os.FileMode(0o644)
	if info, err := os.Stat(name); err == nil {
		mode = info.Mode().Perm()
	}
	tmp, err := os.CreateTemp(filepath.Dir(name), ".upath-*")
	if err != nil {
		return err
	}
	_, err = tmp.Write(data)
	if e := tmp.Close(); err == nil {
		err = e
	}
	if err == nil {
		err = os.Chmod(tmp.Name(), mode)
	}
	if err == nil {
		err = os.Rename(tmp.Name(), name)
	}
	if err != nil {
		// What is left is only the temporary file.
		_ = os.Remove(tmp.Name())
	}
	return err
}
