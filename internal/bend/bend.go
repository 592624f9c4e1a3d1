// Package bend makes good services do one thing wrong: faults of HTTP and of what create, read,
// replace, amend and delete mean, written over a small interface, so that the same fault can be put on
// any service of one kind of items.
package bend

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/http"
	"path"
	"slices"
	"strconv"
	"strings"

	"usualpath/internal/between"
)

// Place is what a fault needs to know of the service that it is put around. Its methods may be called
// at any time.
type Place interface {
	// Where tells what a path is of: the list, or an item by its identity.
	Where(path string) (list bool, id string)
	// At is the path of an item.
	At(id string) string
	// Items are the identities of what is there, in the order in which they were made.
	Items() []string
	// Get gives the members that clients send of an item, nil where there is none; Set stores them,
	// whatever was there, and Drop removes.
	Get(id string) map[string]any
	Set(id string, members map[string]any)
	Drop(id string)
	// Fresh is an identity that nothing has or had.
	Fresh() string
	// Text, Number and Optional are the names of members: a required text, a required number, an
	// optional text.
	Text() string
	Number() string
	Optional() string
	// Names are the members under which answers show the identity.
	Names() []string
}

// Middleware puts a fault around a service.
type Middleware func(p Place, next http.Handler) http.Handler

// reply is an answer of the good service, before it is sent.
type reply struct{ between.Reply }

func (a *reply) fine() bool { return a.Status/100 == 2 || a.Status == http.StatusSeeOther }

// bodied is a reply of a body only.
func bodied(body []byte) *reply { return &reply{between.Reply{Body: body}} }

// decoded is the body as JSON, nil where it is none.
func (a *reply) decoded() any {
	d := json.NewDecoder(bytes.NewReader(a.Body))
	d.UseNumber()
	var v any
	if d.Decode(&v) != nil {
		return nil
	}
	return v
}

func (a *reply) encode(v any) {
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	if e.Encode(v) == nil {
		a.Body = bytes.TrimSuffix(b.Bytes(), []byte("\n"))
	}
}

// objects calls a function for each object in a value, the outer ones first.
func objects(v any, do func(m map[string]any)) {
	switch v := v.(type) {
	case map[string]any:
		do(v)
		for _, n := range slices.Sorted(maps.Keys(v)) {
			objects(v[n], do)
		}
	case []any:
		for _, one := range v {
			objects(one, do)
		}
	}
}

// call is one request to a bent service.
type call struct {
	p    Place
	next http.Handler
	w    http.ResponseWriter
	r    *http.Request
	body []byte
	list bool
	id   string
}

// ask sends a request to the good service.
func (c *call) ask(method, at string, body []byte) *reply {
	r := c.r.Clone(c.r.Context())
	r.Method, r.Body, r.ContentLength = method, io.NopCloser(bytes.NewReader(body)), int64(len(body))
	if at != "" {
		r.URL.Path, r.URL.RawPath, r.URL.RawQuery = at, "", ""
		for _, n := range []string{"If-Match", "If-None-Match", "Idempotency-Key"} {
			r.Header.Del(n)
		}
	}
	a := &reply{*between.New()}
	c.next.ServeHTTP(a, r)
	a.WriteHeader(http.StatusOK)
	return a
}

// good is the answer of the good service to this request.
func (c *call) good() *reply { return c.ask(c.r.Method, "", c.body) }

func (c *call) give(a *reply) {
	for n, values := range a.Fields {
		c.w.Header()[n] = values
	}
	if c.w.Header().Get("Content-Length") != "" {
		c.w.Header().Set("Content-Length", strconv.Itoa(len(a.Body)))
	}
	c.w.WriteHeader(a.Status)
	_, _ = c.w.Write(a.Body) // a client that has gone away is not our error
}

// edit changes each item in the body.
func (c *call) edit(a *reply, change func(m map[string]any)) {
	v := a.decoded()
	objects(v, func(m map[string]any) {
		if _, is := m[c.p.Text()]; is {
			change(m)
		}
	})
	if v != nil {
		a.encode(v)
	}
}

// made is the identity of what an answer says was made, "" where it says nothing.
func (c *call) made(a *reply) string {
	if to := a.Fields.Get("Location"); to != "" {
		if i := strings.Index(to, "://"); i >= 0 {
			_, to, _ = strings.Cut(to[i+3:], "/")
			to = "/" + to
		}
		if !strings.HasPrefix(to, "/") {
			to = path.Join(path.Dir(c.r.URL.Path), to)
		}
		if _, id := c.p.Where(to); id != "" {
			return id
		}
	}
	out := ""
	objects(a.decoded(), func(m map[string]any) {
		for _, n := range c.p.Names() {
			if v, there := m[n]; there && out == "" && v != nil {
				out = fmt.Sprint(v)
			}
		}
	})
	return out
}

// written is the item that a write which worked has written, "" for none.
func (c *call) written(a *reply) string {
	switch {
	case !a.fine():
		return ""
	case c.id != "":
		return c.id
	}
	return c.made(a)
}

// sent are the members of the request's body, those of an item within another object too.
func (c *call) sent() map[string]any {
	var out map[string]any
	objects(bodied(c.body).decoded(), func(m map[string]any) {
		_, text := m[c.p.Text()]
		_, number := m[c.p.Number()]
		_, optional := m[c.p.Optional()]
		if out == nil || text || number || optional {
			out = m
		}
	})
	return out
}

// resend is the body with the members of the item changed.
func (c *call) resend(change func(m map[string]any) bool) {
	v, done := bodied(c.body).decoded(), false
	sent := c.sent()
	objects(v, func(m map[string]any) {
		if sent != nil && !done && maps.EqualFunc(m, sent, func(a, b any) bool { return fmt.Sprint(a) == fmt.Sprint(b) }) {
			done = change(m)
		}
	})
	if done {
		a := &reply{}
		a.encode(v)
		c.body = a.Body
	}
}

func (c *call) conditional() bool {
	return c.r.Header.Get("If-Match") != "" || c.r.Header.Get("If-None-Match") != ""
}

// what a request is of.
type of int

const (
	anything of = iota
	list
	one
)

// on takes over requests of these methods, "" for any.
func on(methods string, what of, do func(c *call)) Middleware {
	return func(p Place, next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			isList, id := p.Where(r.URL.EscapedPath())
			if methods != "" && !slices.Contains(strings.Fields(methods), r.Method) || what == list && !isList || what == one && id == "" {
				next.ServeHTTP(w, r)
				return
			}
			body, err := io.ReadAll(http.MaxBytesReader(w, r.Body, 8<<20))
			if err != nil {
				http.Error(w, "the body is too long", http.StatusRequestEntityTooLarge)
				return
			}
			do(&call{p: p, next: next, w: w, r: r, body: body, list: isList, id: id})
		})
	}
}

// after lets the good service answer, and changes what it says.
func after(methods string, what of, change func(c *call, a *reply)) Middleware {
	return on(methods, what, func(c *call) {
		a := c.good()
		change(c, a)
		c.give(a)
	})
}

func chain(list ...Middleware) Middleware {
	return func(p Place, next http.Handler) http.Handler {
		for _, b := range list {
			next = b(p, next)
		}
		return next
	}
}

// with makes a fault that remembers something, anew for each service.
func with[T any](make func(m *between.Memory[T]) Middleware) Middleware {
	return func(p Place, next http.Handler) http.Handler { return make(&between.Memory[T]{})(p, next) }
}
