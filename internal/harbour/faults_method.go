package harbour

import (
	"maps"
	"net/http"
	"strings"
	"time"
)

// methodFaults are about methods that a path does not have.
func methodFaults() []Fault {
	known := "GET HEAD POST PUT PATCH DELETE OPTIONS TRACE"
	asGet := func(unknown bool) middleware {
		return on("", "", func(c *call) {
			a := c.good()
			if a.Status == http.StatusMethodNotAllowed && matchAny(known, c.r.Method) != unknown {
				a = c.ask(http.MethodGet, "", nil)
			}
			c.give(a)
		})
	}
	refused := func(change func(c *call, a *reply)) middleware {
		return after("", "", func(c *call, a *reply) {
			if a.Status == http.StatusMethodNotAllowed {
				change(c, a)
			}
		})
	}
	return []Fault{
		{Name: "unhandled-as-get", Says: "a method that a path does not have is answered as if it were GET",
			Finds: []string{"method/unsupported-method"}, middleware: asGet(false)},
		{Name: "unknown-method-as-get", Says: "an invented method is answered as if it were GET",
			Finds: []string{"method/unknown-method"}, middleware: asGet(true)},
		{Name: "unhandled-never-answers", Says: "a method that a path does not have never gets an answer",
			Finds: []string{"method/unsupported-method"}, Slow: true,
			middleware: on("", "", func(c *call) {
				a := c.good()
				if a.Status == http.StatusMethodNotAllowed && matchAny(known, c.r.Method) {
					select {
					case <-c.r.Context().Done():
					case <-time.After(time.Minute):
					}
					return
				}
				c.give(a)
			})},
		{Name: "unhandled-500", Says: "a method that a path does not have answers 500",
			Finds: []string{"method/unsupported-method"}, Also: []string{"method/unknown-method"},
			middleware: refused(func(_ *call, a *reply) {
				a.Status = 500
				a.edit(func(m map[string]any) { m["status"], m["title"] = 500, "Internal Server Error" })
			})},
		{Name: "no-allow", Says: "405 is answered without an Allow header",
			Finds: []string{"method/allow-is-sent"}, middleware: refused(func(_ *call, a *reply) { a.Fields.Del("Allow") })},
		{Name: "allow-lies", Says: "Allow names methods that answer 405",
			Finds:      []string{"method/allow-is-true"},
			middleware: refused(func(_ *call, a *reply) { a.Fields.Set("Allow", "GET, HEAD, OPTIONS, POST, PUT, PATCH, DELETE") })},
		{Name: "allow-is-short", Says: "Allow leaves out methods that work",
			Finds:      []string{"method/allow-is-true"},
			middleware: refused(func(_ *call, a *reply) { a.Fields.Set("Allow", "HEAD") })},
		{Name: "head-differs", Says: "HEAD of a boat has another type and tag than GET",
			Finds: []string{"method/head-mirrors-get"},
			middleware: after("HEAD", "/boats/*", func(_ *call, a *reply) {
				a.Fields.Set("Content-Type", "text/plain")
				a.Fields.Set("ETag", `"head"`)
			})},
		{Name: "head-404", Says: "HEAD answers 404 where GET answers 200",
			Finds:      []string{"method/head-mirrors-get"},
			middleware: after("HEAD", "/boats/*", func(_ *call, a *reply) { a.Status = http.StatusNotFound })},
		{Name: "head-length-wrong", Says: "HEAD of a boat says that its body has one byte",
			Finds: []string{"method/head-length-agrees"},
			middleware: on("HEAD", "/boats/*", func(c *call) {
				a := c.good()
				maps.Copy(c.w.Header(), a.Fields)
				c.w.Header().Set("Content-Length", "1")
				c.w.WriteHeader(a.Status)
			})},
		{Name: "options-lies", Says: "OPTIONS names methods that answer 405",
			Finds: []string{"method/options-agrees"},
			middleware: after("OPTIONS", "", func(_ *call, a *reply) {
				a.Fields.Set("Allow", strings.Join(strings.Fields(known), ", "))
			})},
	}
}
