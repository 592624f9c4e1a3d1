package main

import (
	"bytes"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// module is a library that is in the binary.
type module struct {
	Path, Version, Dir string
	// licence is its SPDX identifier, "" where the text is not one of the usual ones; text is
	// what it says.
	licence, text string
}

// libraries are the modules that the binaries are made of, for any target.
func (m *making) libraries() ([]module, error) {
	seen := map[string]module{}
	for _, t := range targets {
		system, processor, _ := strings.Cut(t, "/")
		text, err := output(m.root, "env", "CGO_ENABLED=0", "GOOS="+system, "GOARCH="+processor, "go", "list", "-deps", "-f", "{{with .Module}}{{if not .Main}}{{.Path}}\t{{.Version}}\t{{.Dir}}{{end}}{{end}}", "./cmd/usualpath")
		if err != nil {
			return nil, err
		}
		for _, l := range strings.Split(text, "\n") {
			if part := strings.Split(l, "\t"); len(part) == 3 {
				seen[part[0]] = module{Path: part[0], Version: part[1], Dir: part[2]}
			}
		}
	}
	goRoot, err := output(m.root, "go", "env", "GOROOT")
	if err != nil {
		return nil, err
	}
	goVersion, err := output(m.root, "go", "env", "GOVERSION")
	if err != nil {
		return nil, err
	}
	out := []module{{Path: "std", Version: strings.TrimPrefix(goVersion, "go"), Dir: goRoot}}
	for _, one := range seen {
		out = append(out, one)
	}
	slices.SortFunc(out, func(a, b module) int { return strings.Compare(a.Path, b.Path) })
	for i := range out {
		if out[i].text, err = licenceIn(out[i].Dir); err != nil {
			return nil, err
		}
		if out[i].text == "" {
			out[i].text = "The module comes without a text of its licence; see https://" + out[i].Path + "\n\n"
		}
		out[i].licence = identified(out[i].text)
	}
	return out, nil
}

// licenceIn are the texts of the licences in a folder.
func licenceIn(dir string) (string, error) {
	list, err := os.ReadDir(dir)
	if err != nil {
		return "", err
	}
	var out strings.Builder
	for _, e := range list {
		name := strings.ToUpper(e.Name())
		if e.IsDir() || !strings.HasPrefix(name, "LICENSE") && !strings.HasPrefix(name, "LICENCE") && !strings.HasPrefix(name, "COPYING") && !strings.HasPrefix(name, "NOTICE") {
			continue
		}
		data, err := os.ReadFile(filepath.Join(dir, e.Name()))
		if err != nil {
			return "", err
		}
		out.Write(bytes.TrimSpace(data))
		out.WriteString("\n\n")
	}
	return out.String(), nil
}

// identified is the SPDX identifier of a licence, by sentences that only it has.
func identified(text string) string {
	plain := strings.Join(strings.Fields(text), " ")
	has := func(parts ...string) bool {
		return !slices.ContainsFunc(parts, func(p string) bool { return !strings.Contains(plain, p) })
	}
	switch {
	case has("Apache License", "Version 2.0"):
		return "Apache-2.0"
	case has("Mozilla Public License", "2.0"):
		return "MPL-2.0"
	case has("Redistribution and use", "Neither the name") || has("Redistribution and use", "names of its contributors"):
		return "BSD-3-Clause"
	case has("Redistribution and use"):
		return "BSD-2-Clause"
	case has("Permission is hereby granted, free of charge"):
		return "MIT"
	case has("This is free and unencumbered software released into the public domain"):
		return "Unlicense"
	case has("Permission to use, copy, modify, and/or distribute"), has("Permission to use, copy, modify, and distribute"):
		return "ISC"
	}
	return ""
}

// licences writes what the licences of all libraries say.
func (m *making) licences(name string) error {
	var b strings.Builder
	b.WriteString("The binary holds these libraries, under these licences.\n")
	for _, one := range m.modules {
		fmt.Fprintf(&b, "\n%s\n%s %s\n%s\n\n%s", strings.Repeat("=", 72), one.Path, one.Version, strings.Repeat("=", 72), one.text)
	}
	return os.WriteFile(name, []byte(b.String()), 0o644)
}

// materials writes the bill of materials (CycloneDX 1.6, JSON).
func (m *making) materials(name string) error {
	type object = map[string]any
	component := func(kind, path, version, licence string) object {
		out := object{"type": kind, "bom-ref": "pkg:golang/" + path + "@" + version, "name": path, "version": version, "purl": "pkg:golang/" + path + "@" + version}
		if licence != "" {
			out["licenses"] = []object{{"license": object{"id": licence}}}
		}
		return out
	}
	main := component("application", "usualpath", m.version, "")
	var all []object
	var refs []string
	for _, one := range m.modules {
		c := component("library", one.Path, one.Version, one.licence)
		all, refs = append(all, c), append(refs, c["bom-ref"].(string))
	}
	// A serial number of the commit's own, in the form of a UUID (RFC 9562, version 8).
	sum := sha256.Sum256([]byte(m.version + m.commit))
	sum[6], sum[8] = sum[6]&0x0f|0x80, sum[8]&0x3f|0x80
	data, err := json.MarshalIndent(object{
		"bomFormat": "CycloneDX", "specVersion": "1.6", "version": 1,
		"serialNumber": fmt.Sprintf("urn:uuid:%x-%x-%x-%x-%x", sum[0:4], sum[4:6], sum[6:8], sum[8:10], sum[10:16]),
		"metadata":     object{"timestamp": m.made.Format(time.RFC3339), "component": main},
		"components":   all,
		"dependencies": []object{{"ref": main["bom-ref"], "dependsOn": refs}},
	}, "", "  ")
	if err != nil {
		return err
	}
	return os.WriteFile(name, append(data, '\n'), 0o644)
}
