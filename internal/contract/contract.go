// Package contract holds exchanges against an OpenAPI document: operations,
// statuses, media types and bodies that it does not describe, and what of it no
// exchange has touched.
package contract

import (
	"cmp"
	"errors"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"usualpath/internal/core/late"

	"github.com/getkin/kin-openapi/openapi3"
)

// Document is an OpenAPI document, 3.0 or 3.1.
type Document struct {
	*openapi3.T
	// Name is the file's.
	Name       string
	Operations []*Operation
	// Flaw says where the document departs from the standard, "" if nowhere.
	Flaw string
	// bases are those of the servers that hold for all operations.
	bases []Base
	// written are the document's numbers as they are in it.
	written map[float64]string
	// bare tells that only the operations are known.
	bare bool
}

// Operation is a method on a path template.
type Operation struct {
	Method, Path string
	Spec         *openapi3.Operation
	Params       openapi3.Parameters
	segments     []string
	bases        []Base
}

// Base is what a server's URL puts before the paths; its path is "" or begins with a
// slash, and its host is "" for a server that is named by a path alone.
type Base struct{ Scheme, Host, Path string }

// Title is the method and the path.
func (o *Operation) Title() string { return o.Method + " " + o.Path }

func (d *Document) index() {
	d.bases = basesOf(d.Servers)
	if d.Paths == nil {
		return
	}
	for p, item := range d.Paths.Map() {
		p = withoutControls(p)
		if !strings.HasPrefix(p, "/") {
			p = "/" + p
		}
		shared := d.bases
		if len(item.Servers) > 0 {
			shared = basesOf(item.Servers)
		}
		for m, op := range item.Operations() {
			o := &Operation{Method: m, Path: p, Spec: op, Params: parameters(item.Parameters, op.Parameters), segments: split(p), bases: shared}
			if op.Servers != nil && len(*op.Servers) > 0 {
				o.bases = basesOf(*op.Servers)
			}
			d.Operations = append(d.Operations, o)
		}
	}
	order := map[string]int{"GET": 0, "POST": 1, "PUT": 2, "PATCH": 3, "DELETE": 4}
	at := func(o *Operation) int {
		if i, known := order[o.Method]; known {
			return i
		}
		return len(order)
	}
	slices.SortFunc(d.Operations, func(a, b *Operation) int {
		return cmp.Or(strings.Compare(a.Path, b.Path), at(a)-at(b), strings.Compare(a.Method, b.Method))
	})
}

// withoutControls is a path with its blanks, line ends and quotation marks percent-encoded:
// what is made of a path is one line.
func withoutControls(p string) string {
	var b strings.Builder
	for _, r := range p {
		if unicode.IsControl(r) || unicode.IsSpace(r) || strings.ContainsRune("\"#\\", r) {
			b.WriteString(url.PathEscape(string(r)))
			continue
		}
		b.WriteRune(r)
	}
	return b.String()
}

func split(p string) []string { return strings.Split(strings.Trim(p, "/"), "/") }

// Find is the operation that a request is of. The second result tells whether
// the path is known at all.
func (d *Document) Find(method, rawURL string) (*Operation, bool) {
	u, err := url.Parse(rawURL)
	if err != nil {
		return nil, false
	}
	var best *Operation
	known, fewest := false, 1<<30
	path := u.EscapedPath()
	whole := split(path)
	for _, o := range d.Operations {
		n, fits := matches(o.segments, whole)
		for _, b := range o.bases {
			rest, below := strings.CutPrefix(path, b.Path)
			if b.Path == "" || !below || rest != "" && rest[0] != '/' {
				continue
			}
			if m, also := matches(o.segments, split(rest)); also && (!fits || m < n) {
				n, fits = m, true
			}
		}
		if !fits {
			continue
		}
		known = true
		if o.Method == method && n < fewest {
			best, fewest = o, n
		}
	}
	return best, known
}

// matches tells whether segments fit a template, and how many of them are
// parameters: a template with fewer is the nearer one.
func matches(template, have []string) (int, bool) {
	if len(template) != len(have) {
		return 0, false
	}
	params := 0
	for i, s := range template {
		if strings.Contains(s, "{") {
			params++
			if have[i] == "" {
				return 0, false
			}
			continue
		}
		if s != have[i] {
			return 0, false
		}
	}
	return params, true
}

func pathOf(raw string) string {
	if u, err := url.Parse(raw); err == nil {
		return u.EscapedPath()
	}
	return raw
}

// response is the description of a status: its own, its class's, the default.
func (d *Document) response(o *Operation, status int) *openapi3.Response {
	if o.Spec.Responses == nil {
		return nil
	}
	for _, key := range []string{strconv.Itoa(status), strconv.Itoa(status/100) + "XX", strconv.Itoa(status/100) + "xx", "default"} {
		if r := o.Spec.Responses.Value(key); r != nil && r.Value != nil {
			return r.Value
		}
	}
	return nil
}

// reasons are what does not fit a schema: each kind of place once, however many
// members a list has.
func reasons(err error) []string {
	var out []string
	add := func(text string) {
		if !slices.Contains(out, text) {
			out = append(out, text)
		}
	}
	switch e := err.(type) {
	case openapi3.MultiError:
		for _, one := range e {
			for _, r := range reasons(one) {
				add(r)
			}
		}
	case *openapi3.SchemaError:
		// The validator of newer drafts tells all it found in one text.
		if found := places().FindAllStringSubmatch(e.Reason, -1); found != nil {
			for _, m := range found {
				add("body at " + place(strings.Split(strings.Trim(m[1], "/"), "/")) + ": " + strings.TrimSpace(m[2]))
			}
			break
		}
		add("body at " + place(e.JSONPointer()) + ": " + firstLine(errors.New(e.Reason)))
	default:
		add(firstLine(err))
	}
	return out
}

var places = late.Regexp(`(?m)^\s*- at '([^']*)': (.*)$`)

// place is a JSON Pointer (RFC 6901) as a path that is the same for all members
// of a list.
func place(pointer []string) string {
	out := "$"
	for _, p := range pointer {
		switch _, err := strconv.Atoi(p); {
		case p == "":
		case err == nil:
			out += "[*]"
		default:
			out += "." + p
		}
	}
	return out
}
