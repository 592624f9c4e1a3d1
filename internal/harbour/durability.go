package harbour

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"

	"go.etcd.io/bbolt"
)

// storeName is the store's file in the folder of the data.
const storeName = "harbour.db"

// durability is how a fault treats what is to be kept.
type durability struct {
	// elsewhere is the folder that the data is in while the harbour runs, "" for
	// where it should be.
	elsewhere string
	// home is where it is taken to when the harbour ends well, "" for nowhere.
	home string
}

// open opens the store as the faults want it.
func (d *durability) open(folder string, faults map[string]bool) (*store, error) {
	if !faults["lost-on-restart"] && !faults["lost-on-kill"] {
		s, err := openStore(folder)
		if err == nil && faults["ids-start-again"] {
			err = s.db.Update(func(tx *bbolt.Tx) error { return tx.Bucket([]byte("boats")).SetSequence(0) })
		}
		return s, err
	}
	var err error
	if d.elsewhere, err = os.MkdirTemp("", "gull-point-*"); err != nil {
		return nil, err
	}
	if faults["lost-on-kill"] {
		d.home = folder
		if err := copyFile(filepath.Join(folder, storeName), filepath.Join(d.elsewhere, storeName)); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return nil, err
		}
	}
	return openStore(d.elsewhere)
}

// close takes the data home, once the store is closed.
func (d *durability) close() error {
	if d.elsewhere == "" {
		return nil
	}
	var err error
	if d.home != "" {
		err = copyFile(filepath.Join(d.elsewhere, storeName), filepath.Join(d.home, storeName))
	}
	return errors.Join(err, os.RemoveAll(d.elsewhere))
}

func copyFile(from, to string) error {
	data, err := os.ReadFile(from)
	if err != nil {
		return err
	}
	return os.WriteFile(to, data, 0o600)
}
