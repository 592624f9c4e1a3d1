package harbour

import (
	"bufio"
	"fmt"
	"net/http"
	"strings"
)

// representationFaults are about answers that a program can use.
func representationFaults() []Fault {
	item := func(change func(c *call, a *reply)) middleware {
		return after("GET HEAD", "/boats/*", func(c *call, a *reply) {
			if a.Status == http.StatusOK {
				change(c, a)
			}
		})
	}
	return []Fault{
		{Name: "json-as-text", Says: "a boat is answered as text/plain",
			Finds: []string{"representation/type-is-declared"}, Also: []string{"representation/accept-is-heard"},
			middleware: item(func(_ *call, a *reply) { a.Fields.Set("Content-Type", "text/plain; charset=utf-8") })},
		{Name: "type-undeclared", Says: "a boat is answered without a Content-Type",
			Finds: []string{"representation/type-is-declared"}, Also: []string{"representation/accept-is-heard"},
			middleware: item(func(_ *call, a *reply) { a.Fields["Content-Type"] = nil })},
		{Name: "members-twice", Says: "a member appears twice in the JSON of a boat",
			Finds: []string{"representation/json-is-json"}, Also: []string{"limits/pairs", "limits/on-replace", "limits/on-amend", "limits/edge-is-taken", "input/odd-text-survives", "input/refused-changes-nothing", "lifecycle/amend-after-replace", "lifecycle/amend-merges", "lifecycle/amend-null-removes", "lifecycle/amends-add-up", "lifecycle/assigned-is-assigned", "lifecycle/create-echo-agrees", "lifecycle/create-keeps-values", "lifecycle/create-overwrites-none", "lifecycle/created-are-distinct", "lifecycle/location-leads-there", "lifecycle/read-agrees-with-list", "lifecycle/replace-after-amend", "lifecycle/replace-drops-omitted", "lifecycle/replace-keeps-identity", "lifecycle/replace-takes-effect", "precondition/stale-write-refused", "race/amends-together", "race/replaces-together", "repeat/amend-repeat", "repeat/read-is-stable", "repeat/replace-does-not-drift", "repeat/replace-is-idempotent", "representation/single-is-object"},
			middleware: item(func(_ *call, a *reply) {
				a.Body = []byte(strings.Replace(string(a.Body), "{", `{"state":"in",`, 1))
				a.Body = []byte(strings.Replace(string(a.Body), "{", `{"state":"out",`, 1))
			})},
		{Name: "json-is-latin", Says: "the list is JSON in Latin-1",
			Finds: []string{"representation/json-is-json"}, Also: []string{"absence/deleted-amend", "absence/deleted-delete", "absence/missing-amend", "absence/missing-delete", "input/duplicate-unique", "input/empty-body", "input/malformed-json", "input/missing-member", "input/null-member", "input/refused-changes-nothing", "input/wrong-container", "input/wrong-media-type", "input/wrong-type", "lifecycle/amend-hits-one", "lifecycle/created-is-listed", "lifecycle/deleted-is-unlisted", "lifecycle/filter-selects", "lifecycle/links-lead-there", "lifecycle/list-is-a-list", "lifecycle/paging-covers", "lifecycle/replace-hits-one", "method/unknown-method", "method/unsupported-method", "precondition/stale-write-refused", "race/creates-together", "race/deletes-together", "race/unique-together", "repeat/amend-repeat", "repeat/delete-is-idempotent", "repeat/post-makes-another", "repeat/read-is-safe", "repeat/replace-is-idempotent"},
			middleware: after("GET", "/boats", func(_ *call, a *reply) {
				a.edit(func(m map[string]any) { m["moored"] = "Mole" })
				a.Body = []byte(strings.ReplaceAll(string(a.Body), `"Mole"`, "\"M\xf4le\""))
			})},
		{Name: "no-content-with-body", Says: "DELETE answers 204, followed by a body",
			Finds: []string{"representation/no-content-has-none"},
			middleware: on("DELETE", "/boats/*", func(c *call) {
				a := c.good()
				if a.Status != http.StatusNoContent {
					c.give(a)
					return
				}
				conn, buffer, err := http.NewResponseController(c.w).Hijack()
				if err != nil {
					c.give(a)
					return
				}
				defer conn.Close()
				gone(buffer, "HTTP/1.1 204 No Content\r\nContent-Type: application/json\r\nConnection: close\r\n\r\n{\"deleted\":true}")
			})},
		{Name: "read-says-fail", Says: "a boat that is not there answers 200 with the words of an error",
			Finds: []string{"absence/missing-read", "representation/success-means-success"}, Also: []string{"absence/deleted-read", "absence/deleted-replace", "absence/malformed-id", "absence/missing-head", "absence/missing-replace", "absence/neighbour-id", "lifecycle/deleted-is-gone", "lifecycle/deleted-stays-gone", "names/broken-escapes", "names/built-in-names", "names/long-names", "race/deletes-together"},
			middleware: after("GET", "/boats/*", func(_ *call, a *reply) {
				if a.Status == http.StatusNotFound {
					a.Status = http.StatusOK
					a.Say("application/json", `{"success":false,"error":"no such boat"}`)
				}
			})},
		{Name: "status-contradicts", Says: "the status in the body of an error is another than that of the answer",
			Finds:      []string{"representation/status-agrees"},
			middleware: onErrors(func(_ *call, a *reply) { a.edit(func(m map[string]any) { m["status"] = 500 }) })},
		{Name: "errors-differ", Says: "405 is explained in plain text, all else in JSON",
			Finds: []string{"representation/errors-look-alike"},
			middleware: onErrors(func(_ *call, a *reply) {
				if a.Status == http.StatusMethodNotAllowed {
					a.Say("text/plain; charset=utf-8", "that cannot be done here")
				}
			})},
		{Name: "errors-leak", Says: "a refusal holds a stack trace",
			Finds: []string{"representation/errors-leak-nothing"},
			middleware: onErrors(func(_ *call, a *reply) {
				if a.Status == http.StatusUnprocessableEntity {
					a.edit(func(m map[string]any) {
						m["debug"] = "goroutine 41 [running]:\nmain.(*register).add(0xc0000b4000)\n\t/srv/harbour/register.go:118 +0x2a1"
					})
				}
			})},
		{Name: "errors-leak-sql", Says: "a name that is taken answers with the statement of the database",
			Finds: []string{"representation/errors-leak-nothing"},
			middleware: onErrors(func(_ *call, a *reply) {
				if a.Status == http.StatusConflict || a.Status == http.StatusUnprocessableEntity {
					a.edit(func(m map[string]any) {
						m["detail"] = "ERROR: duplicate key value: INSERT INTO boats (name, length_m) VALUES ('x', 1)"
					})
				}
			})},
		{Name: "accept-500", Says: "an Accept of an unknown type answers 500",
			Finds: []string{"representation/accept-is-heard"}, Also: []string{"representation/any-accept"},
			middleware: after("", "", func(_ *call, a *reply) {
				if a.Status == http.StatusNotAcceptable {
					a.Status = 500
					a.edit(func(m map[string]any) { m["status"] = 500 })
				}
			})},
		{Name: "accept-unheard", Says: "the tides of a day come as CSV, whatever Accept says",
			Finds: []string{"representation/accept-is-heard"}, Also: []string{"lifecycle/read-agrees-with-list", "repeat/read-is-stable", "representation/single-is-object"}, Resource: "tides",
			middleware: on("GET HEAD", "/tides/*", func(c *call) {
				c.r.Header.Set("Accept", "text/csv")
				c.give(c.good())
			})},
		{Name: "no-vary", Says: "the tides depend on Accept and do not say so",
			Finds: []string{"representation/vary-is-said"}, Resource: "tides",
			middleware: chain(after("GET", "/tides", dropVary), after("GET", "/tides/*", dropVary))},
		{Name: "item-in-array", Says: "a boat by itself is an array of one",
			Finds: []string{"representation/single-is-object"}, Also: []string{"limits/pairs", "limits/on-replace", "limits/on-amend", "limits/edge-is-taken", "input/odd-text-survives", "lifecycle/amend-after-replace", "lifecycle/amend-merges", "lifecycle/amend-null-removes", "lifecycle/amends-add-up", "lifecycle/assigned-is-assigned", "lifecycle/create-echo-agrees", "lifecycle/create-keeps-values", "lifecycle/created-are-distinct", "lifecycle/location-leads-there", "lifecycle/read-agrees-with-list", "lifecycle/replace-after-amend", "lifecycle/replace-drops-omitted", "lifecycle/replace-keeps-identity", "lifecycle/replace-takes-effect", "race/amends-together", "race/replaces-together"},
			middleware: item(func(_ *call, a *reply) { a.Body = fmt.Appendf(nil, "[%s]", a.Body) })},
	}
}

func dropVary(_ *call, a *reply) { a.Fields.Del("Vary") }

// gone writes raw bytes; a client that went away is not our error.
func gone(w *bufio.ReadWriter, text string) {
	_, _ = w.WriteString(text)
	_ = w.Flush()
}
