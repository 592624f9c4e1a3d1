package main

import (
	"bytes"
	"compress/gzip"
	"errors"
	"os"
	"path/filepath"

	"github.com/goreleaser/nfpm/v2"
	_ "github.com/goreleaser/nfpm/v2/deb"
	"github.com/goreleaser/nfpm/v2/files"
	_ "github.com/goreleaser/nfpm/v2/rpm"
)

// packages makes a Debian package and an rpm for Linux on a processor.
func (m *making) packages(processor, binary string) error {
	content, err := m.installed(binary)
	if err != nil {
		return err
	}
	for _, format := range []string{"deb", "rpm"} {
		info := nfpm.WithDefaults(&nfpm.Info{Name: "usualpath", Arch: processor, Platform: "linux", Version: m.version, Section: "devel", Priority: "optional", MTime: m.made,
			Maintainer:   "the makers of Usual Path <usualpath@example.invalid>",
			Description:  "Checks what requests do to an HTTP service\n Runs request scenarios against a service on this machine, and checks what each\n request did to the lists and items that can be observed.",
			Overridables: nfpm.Overridables{Contents: content, RPM: nfpm.RPM{BuildHost: "localhost"}}})
		if err := nfpm.PrepareForPackager(info, format); err != nil {
			return err
		}
		maker, err := nfpm.Get(format)
		if err != nil {
			return err
		}
		out, err := os.Create(filepath.Join(m.out, maker.ConventionalFileName(info)))
		if err != nil {
			return err
		}
		if err := errors.Join(maker.Package(info, out), out.Close()); err != nil {
			return err
		}
	}
	return nil
}

// installed are the files of a package, where they go.
func (m *making) installed(binary string) (files.Contents, error) {
	var out files.Contents
	add := func(from, to string, mode os.FileMode) {
		out = append(out, &files.Content{Source: from, Destination: to, FileInfo: &files.ContentFileInfo{Mode: mode, MTime: m.made, Owner: "root", Group: "root"}})
	}
	add(binary, "/usr/bin/usualpath", 0o755)
	add(filepath.Join(m.work, "THIRD-PARTY-LICENSES.txt"), "/usr/share/doc/usualpath/copyright", 0o644)
	add(filepath.Join(m.work, "completions", "usualpath.bash"), "/usr/share/bash-completion/completions/usualpath", 0o644)
	add(filepath.Join(m.work, "completions", "_usualpath"), "/usr/share/zsh/vendor-completions/_usualpath", 0o644)
	add(filepath.Join(m.work, "completions", "usualpath.fish"), "/usr/share/fish/vendor_completions.d/usualpath.fish", 0o644)
	pages, err := filepath.Glob(filepath.Join(m.work, "man", "*.1"))
	if err != nil {
		return nil, err
	}
	for _, p := range pages {
		packed, err := zipped(p)
		if err != nil {
			return nil, err
		}
		add(packed, "/usr/share/man/man1/"+filepath.Base(packed), 0o644)
	}
	return out, nil
}

// zipped is a file compressed, in a folder of its own.
func zipped(name string) (string, error) {
	data, err := os.ReadFile(name)
	if err != nil {
		return "", err
	}
	var b bytes.Buffer
	w, err := gzip.NewWriterLevel(&b, gzip.BestCompression)
	if err != nil {
		return "", err
	}
	if _, err := w.Write(data); err != nil {
		return "", err
	}
	if err := w.Close(); err != nil {
		return "", err
	}
	to := filepath.Join(filepath.Dir(filepath.Dir(name)), "packed", filepath.Base(name)+".gz")
	if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
		return "", err
	}
	return to, os.WriteFile(to, b.Bytes(), 0o644)
}
