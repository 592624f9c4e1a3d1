package main

import (
	"archive/tar"
	"archive/zip"
	"compress/gzip"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
)

// archive puts files into a compressed archive, below a folder of its name: a zip file, or
// a tar file with gzip. Times and owners are the same each time.
func (m *making) archive(name string, zipped bool, files []file) error {
	suffix := ".tar.gz"
	if zipped {
		suffix = ".zip"
	}
	out, err := os.Create(filepath.Join(m.out, name+suffix))
	if err != nil {
		return err
	}
	add := func(f file, data []byte) error { return nil }
	var end func() error
	if zipped {
		w := zip.NewWriter(out)
		add = func(f file, data []byte) error {
			head := &zip.FileHeader{Name: name + "/" + f.name, Method: zip.Deflate, Modified: m.made}
			head.SetMode(fs.FileMode(f.mode))
			to, err := w.CreateHeader(head)
			if err == nil {
				_, err = to.Write(data)
			}
			return err
		}
		end = w.Close
	} else {
		packed, err := gzip.NewWriterLevel(out, gzip.BestCompression)
		if err != nil {
			return err
		}
		w := tar.NewWriter(packed)
		add = func(f file, data []byte) error {
			err := w.WriteHeader(&tar.Header{Name: name + "/" + f.name, Mode: f.mode, Size: int64(len(data)), ModTime: m.made, Typeflag: tar.TypeReg, Format: tar.FormatUSTAR})
			if err == nil {
				_, err = w.Write(data)
			}
			return err
		}
		end = func() error { return errors.Join(w.Close(), packed.Close()) }
	}
	for _, f := range files {
		data, err := os.ReadFile(f.from)
		if err == nil {
			err = add(f, data)
		}
		if err != nil {
			return errors.Join(err, out.Close())
		}
	}
	return errors.Join(end(), out.Close())
}
