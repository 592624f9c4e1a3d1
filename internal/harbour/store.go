package harbour

import (
	"encoding/binary"
	"encoding/json"
	"errors"
	"path/filepath"
	"sync"

	"go.etcd.io/bbolt"
)

// errNone is what a read gives when there is no such item.
var errNone = errors.New("no such item")

// store keeps items in an embedded database, one bucket a collection.
type store struct {
	db *bbolt.DB
	// writing makes each check-and-write one step.
	writing sync.Mutex
}

var buckets = []string{"boats", "berths", "stays", "keys", "tokens", "log", "photos"}

// openStore opens or makes the database in a folder. Writes are not forced to
// the disk one by one: they survive the end of the process, also a kill, which
// is what the harbour shows; a power failure is not its subject.
func openStore(folder string) (*store, error) {
	db, err := bbolt.Open(filepath.Join(folder, storeName), 0o600, &bbolt.Options{NoSync: true, NoFreelistSync: true})
	if err != nil {
		return nil, err
	}
	err = db.Update(func(tx *bbolt.Tx) error {
		for _, b := range buckets {
			if _, err := tx.CreateBucketIfNotExists([]byte(b)); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return nil, errors.Join(err, db.Close())
	}
	return &store{db: db}, nil
}

func (s *store) close() error { return s.db.Close() }

// number is the key of a numbered item; the order of keys is that of numbers.
func number(id uint64) []byte { return binary.BigEndian.AppendUint64(nil, id) }

// next draws the next id of a collection; none is ever given twice.
func (s *store) next(bucket string) (id uint64, err error) {
	err = s.db.Update(func(tx *bbolt.Tx) error {
		id, err = tx.Bucket([]byte(bucket)).NextSequence()
		return err
	})
	return id, err
}

// last is the last id that was drawn.
func (s *store) last(bucket string) (id uint64) {
	// Reading does not fail.
	_ = s.db.View(func(tx *bbolt.Tx) error {
		id = tx.Bucket([]byte(bucket)).Sequence()
		return nil
	})
	return id
}

func (s *store) put(bucket string, key []byte, item any) error {
	data, err := json.Marshal(item)
	if err != nil {
		return err
	}
	return s.db.Update(func(tx *bbolt.Tx) error { return tx.Bucket([]byte(bucket)).Put(key, data) })
}

// get reads an item; errNone when it is not there.
func (s *store) get(bucket string, key []byte, into any) error {
	return s.db.View(func(tx *bbolt.Tx) error {
		data := tx.Bucket([]byte(bucket)).Get(key)
		if data == nil {
			return errNone
		}
		return json.Unmarshal(data, into)
	})
}

func (s *store) remove(bucket string, key []byte) error {
	return s.db.Update(func(tx *bbolt.Tx) error { return tx.Bucket([]byte(bucket)).Delete(key) })
}

// clear removes all items of a collection, and keeps its numbering.
func (s *store) clear(bucket string) error {
	return s.db.Update(func(tx *bbolt.Tx) error {
		b := tx.Bucket([]byte(bucket))
		c := b.Cursor()
		for k, _ := c.First(); k != nil; k, _ = c.First() {
			if err := b.Delete(k); err != nil {
				return err
			}
		}
		return nil
	})
}

// all reads a collection in the order of its keys.
func all[T any](s *store, bucket string) ([]T, error) {
	out := []T{}
	err := s.db.View(func(tx *bbolt.Tx) error {
		return tx.Bucket([]byte(bucket)).ForEach(func(_, data []byte) error {
			var item T
			if err := json.Unmarshal(data, &item); err != nil {
				return err
			}
			out = append(out, item)
			return nil
		})
	})
	return out, err
}
