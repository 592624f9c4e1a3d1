package contract

import (
	"context"
	"encoding/json"
	"fmt"
	"net/url"
	"path/filepath"
	"strings"

	"github.com/getkin/kin-openapi/openapi2"
	"github.com/getkin/kin-openapi/openapi2conv"
	"github.com/getkin/kin-openapi/openapi3"

	"usualpath/internal/core/bound"
	"usualpath/internal/core/late"
	"usualpath/internal/core/source"
)

// Load reads a document; references stay inside its folder.
func Load(name string) (*Document, error) {
	data, err := source.ReadFile(name)
	if err != nil {
		return nil, err
	}
	return LoadData(name, data, filepath.Dir(name))
}

// version finds what a document says of itself, in JSON or YAML, without reading it.
var version = late.Regexp(`(?m)^[\s{,]*["']?(swagger|openapi)["']?\s*:\s*["']?([0-9.]+)`)

// LoadData reads a document from its text. References stay inside a folder; "" for a
// document that has none, and may not refer to files.
func LoadData(name string, data []byte, folder string) (*Document, error) {
	if err := bound.Document(data); err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	said := version().FindSubmatch(data)
	if said != nil && string(said[1]) == "swagger" {
		return loadOlder(name, data)
	}
	if said != nil && !strings.HasPrefix(string(said[2]), "3.") {
		return nil, fmt.Errorf("%s: OpenAPI 3.0 and 3.1 and Swagger 2.0 are read, and this says %q", name, said[2])
	}
	root := ""
	if folder != "" {
		var err error
		if root, err = filepath.Abs(folder); err != nil {
			return nil, err
		}
	}
	load := func(data []byte) (*openapi3.T, error) {
		l := openapi3.NewLoader()
		l.IsExternalRefsAllowed = true
		l.ReadFromURIFunc = reader(root)
		return l.LoadFromDataWithPath(data, &url.URL{Path: filepath.ToSlash(name)})
	}
	doc, err := load(data)
	flaw := ""
	if err != nil && said != nil {
		// Whoever tests a service seldom owns its description.
		if again, bad := salvaged(data, load); again != nil {
			flaw = firstLine(err)
			if len(bad) > 0 {
				flaw += "; left out: " + strings.Join(bad, ", ")
			}
			doc, err = again, nil
		}
	}
	if err != nil {
		return nil, fmt.Errorf("%s is not an OpenAPI document: %s", name, firstLine(err))
	}
	if !strings.HasPrefix(doc.OpenAPI, "3.") {
		return nil, fmt.Errorf("%s: OpenAPI 3.0 and 3.1 and Swagger 2.0 are read, and this does not say which it is: a document begins with `openapi: 3.1.0`", name)
	}
	out := finished(name, doc, string(data))
	if flaw != "" {
		out.Flaw = flaw
	}
	return out, nil
}

// salvaged is what can be read of a document that cannot be read whole, nil for nothing,
// and the paths that were left out.
func salvaged(data []byte, load func([]byte) (*openapi3.T, error)) (*openapi3.T, []string) {
	better, err := mended(data)
	if err != nil {
		return nil, nil
	}
	if doc, err := load(better); err == nil {
		return doc, nil
	}
	rest, bad := withoutBad(better, func(part []byte) error {
		_, err := load(part)
		return err
	})
	if rest == nil {
		return nil, nil
	}
	doc, err := load(rest)
	if err != nil {
		return nil, nil
	}
	return doc, bad
}

// reader reads what a document refers to, within a folder.
func reader(root string) openapi3.ReadFromURIFunc {
	return func(_ *openapi3.Loader, at *url.URL) ([]byte, error) {
		if at.Scheme != "" && at.Scheme != "file" || root == "" {
			return nil, fmt.Errorf("%s is not read: only files beside the document are", at)
		}
		full, err := filepath.Abs(filepath.FromSlash(at.Path))
		if err != nil {
			return nil, err
		}
		if rel, err := filepath.Rel(root, full); err != nil || rel == ".." || strings.HasPrefix(rel, ".."+string(filepath.Separator)) {
			return nil, fmt.Errorf("%s is outside the document's folder", at.Path)
		}
		data, err := source.ReadFile(full)
		if err == nil {
			err = bound.Document(data)
		}
		return data, err
	}
}

// loadOlder reads a document of Swagger 2.0 and makes it one of OpenAPI 3.0.
func loadOlder(name string, data []byte) (*Document, error) {
	asJSON, err := mended(data)
	if err != nil {
		return nil, fmt.Errorf("%s cannot be read: %s", name, firstLine(err))
	}
	var older openapi2.T
	if err := json.Unmarshal(asJSON, &older); err != nil {
		return nil, fmt.Errorf("%s is not a Swagger 2.0 document: %s", name, firstLine(err))
	}
	doc, err := openapi2conv.ToV3(&older)
	if err != nil {
		return nil, fmt.Errorf("%s cannot be made an OpenAPI 3.0 document: %s", name, firstLine(err))
	}
	return finished(name, doc, string(data)), nil
}

func finished(name string, doc *openapi3.T, text string) *Document {
	d := &Document{T: doc, Name: name, written: literals(text)}
	if err := doc.Validate(context.Background(), openapi3.DisableExamplesValidation()); err != nil {
		// Whoever tests a service seldom owns its description: what can be read of
		// it is used.
		d.Flaw = firstLine(err)
	}
	d.index()
	return d
}

func firstLine(err error) string {
	text, _, _ := strings.Cut(err.Error(), "\n")
	return text
}

// parameters are those of an operation: its own, and of those of its path what it does
// not say anew (OpenAPI 3.1 §4.8.9).
func parameters(shared, own openapi3.Parameters) openapi3.Parameters {
	var out openapi3.Parameters
	for _, p := range shared {
		again := false
		for _, q := range own {
			again = again || p.Value != nil && q.Value != nil && p.Value.Name == q.Value.Name && p.Value.In == q.Value.In
		}
		if !again {
			out = append(out, p)
		}
	}
	return append(out, own...)
}

// basesOf are the servers with the default values of their variables.
func basesOf(servers openapi3.Servers) []Base {
	var out []Base
	for _, s := range servers {
		if s == nil {
			continue
		}
		text := s.URL
		for n, v := range s.Variables {
			if v != nil {
				text = strings.ReplaceAll(text, "{"+n+"}", v.Default)
			}
		}
		u, err := url.Parse(text)
		if err != nil || strings.Contains(text, "{") {
			continue
		}
		b := Base{Scheme: u.Scheme, Host: u.Host}
		if p := strings.Trim(u.EscapedPath(), "/"); p != "" {
			b.Path = "/" + p
		}
		out = append(out, b)
	}
	return out
}

// Base is the server of an operation: the first that is described, the empty one
// where none is.
func (o *Operation) Base() Base {
	if len(o.bases) > 0 {
		return o.bases[0]
	}
	return Base{}
}

// Base is the first server of the document, the empty one where none is described.
func (d *Document) Base() Base {
	if len(d.bases) > 0 {
		return d.bases[0]
	}
	return Base{}
}

// At makes a server the document's, for one that names none: what it was read from.
func (d *Document) At(scheme, host string) {
	if len(d.bases) == 0 {
		d.bases = []Base{{}}
	}
	d.bases[0].Scheme, d.bases[0].Host = scheme, host
}
