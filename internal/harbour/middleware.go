package harbour

import (
	"bytes"
	"encoding/json"
	"io"
	"net/http"
	"path"
	"strconv"
	"strings"

	"usualpath/internal/between"
)

// middleware puts a fault around the good service.
type middleware func(h *harbour, next http.Handler) http.Handler

// reply is an answer of the good service, before it is sent.
type reply struct{ between.Reply }

// edit changes the object in the body, or each of those in its array.
func (a *reply) edit(change func(m map[string]any)) {
	d := json.NewDecoder(bytes.NewReader(a.Body))
	d.UseNumber()
	var v any
	if d.Decode(&v) != nil {
		return
	}
	switch v := v.(type) {
	case map[string]any:
		change(v)
	case []any:
		for _, one := range v {
			if m, ok := one.(map[string]any); ok {
				change(m)
			}
		}
	}
	if data, err := encode(v); err == nil {
		a.Body = data
	}
}

// id is that of the item in the body, 0 for none.
func (a *reply) id() uint64 {
	var item struct{ ID uint64 }
	if json.Unmarshal(a.Body, &item) != nil {
		return 0
	}
	return item.ID
}

// call is one request to a bent service.
type call struct {
	h    *harbour
	next http.Handler
	w    http.ResponseWriter
	r    *http.Request
	Body []byte
}

// ask sends a request to the good service.
func (c *call) ask(method, at string, body []byte) *reply {
	r := c.r.Clone(c.r.Context())
	r.Method, r.Body, r.ContentLength = method, io.NopCloser(bytes.NewReader(body)), int64(len(body))
	if at != "" {
		r.URL.Path, r.URL.RawPath, r.URL.RawQuery = at, "", ""
	}
	r.RequestURI = r.URL.RequestURI()
	a := &reply{*between.New()}
	c.next.ServeHTTP(a, r)
	a.WriteHeader(http.StatusOK)
	return a
}

// askPlain is ask without conditions and without keys, and with a JSON body.
func (c *call) askPlain(method, at string, body []byte) *reply {
	plain := *c
	plain.r = c.r.Clone(c.r.Context())
	for _, n := range []string{"If-Match", "If-None-Match", "Idempotency-Key"} {
		plain.r.Header.Del(n)
	}
	plain.r.Header.Set("Content-Type", "application/json")
	return plain.ask(method, at, body)
}

// good is the answer of the good service to this request.
func (c *call) good() *reply { return c.ask(c.r.Method, "", c.Body) }

func (c *call) give(a *reply) {
	for n, values := range a.Fields {
		c.w.Header()[n] = values
	}
	if c.w.Header().Get("Content-Length") != "" {
		c.w.Header().Set("Content-Length", strconv.Itoa(len(a.Body)))
	}
	c.w.WriteHeader(a.Status)
	_, _ = c.w.Write(a.Body)
}

// item is the path's item as the good service shows it; nil when it is not
// there.
func (c *call) item() *reply {
	a := c.askPlain(http.MethodGet, "", nil)
	if a.Status != http.StatusOK {
		return nil
	}
	return a
}

// conditional tells whether the request has a precondition.
func (c *call) conditional() bool {
	return c.r.Header.Get("If-Match") != "" || c.r.Header.Get("If-None-Match") != ""
}

// members are those of the body, empty when it is not an object.
func (c *call) members() members {
	var m members
	if json.Unmarshal(c.Body, &m) != nil || m == nil {
		m = members{}
	}
	return m
}

func encoded(m members) []byte {
	// Members that were decoded can be encoded.
	data, _ := json.Marshal(m)
	return data
}

// matchAny tells whether a method is in a list such as "GET HEAD", "" for any.
func matchAny(methods, method string) bool {
	for _, m := range strings.Fields(methods) {
		if m == method {
			return true
		}
	}
	return methods == ""
}

// on takes over requests of these methods to a path; a `*` is one segment, ""
// any path.
func on(methods, pattern string, do func(c *call)) middleware {
	return func(h *harbour, next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			fits, err := path.Match(pattern, r.URL.EscapedPath())
			if !matchAny(methods, r.Method) || pattern != "" && (err != nil || !fits) {
				next.ServeHTTP(w, r)
				return
			}
			body, err := io.ReadAll(http.MaxBytesReader(w, r.Body, 8<<20))
			if err != nil {
				refuse(w, r, http.StatusRequestEntityTooLarge, "the body is too long")
				return
			}
			do(&call{h: h, next: next, w: w, r: r, Body: body})
		})
	}
}

// after lets the good service answer, and changes what it says.
func after(methods, pattern string, change func(c *call, a *reply)) middleware {
	return on(methods, pattern, func(c *call) {
		a := c.good()
		change(c, a)
		c.give(a)
	})
}

// onErrors changes what is said in answers with a status of 400 and above.
func onErrors(change func(c *call, a *reply)) middleware {
	return after("", "", func(c *call, a *reply) {
		if a.Status >= 400 {
			change(c, a)
		}
	})
}

// chain joins several into one.
func chain(list ...middleware) middleware {
	return func(h *harbour, next http.Handler) http.Handler {
		for _, b := range list {
			next = b(h, next)
		}
		return next
	}
}
