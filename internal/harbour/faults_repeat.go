package harbour

import (
	"bytes"
	"fmt"
	"net/http"
	"sync/atomic"

	"usualpath/internal/between"
)

// repeatFaults are about what a second request of the same kind does.
func repeatFaults() []Fault {
	return []Fault{
		{Name: "reads-are-counted", Says: "reading a boat counts up a number that the list shows",
			Finds: []string{"repeat/read-is-safe"}, Also: []string{"limits/on-replace", "limits/on-amend", "input/refused-changes-nothing", "precondition/stale-write-refused", "repeat/amend-repeat", "repeat/replace-is-idempotent"},
			middleware: func() middleware {
				var views atomic.Int64
				return chain(
					after("GET", "/boats/*", func(*call, *reply) { views.Add(1) }),
					after("GET HEAD", "/boats", func(_ *call, a *reply) {
						n := views.Load()
						a.edit(func(m map[string]any) { m["views"] = n })
					}))
			}()},
		{Name: "reads-differ", Says: "each read of a boat shows another hint",
			Finds: []string{"repeat/read-is-stable"}, Also: []string{"limits/on-replace", "limits/on-amend", "input/refused-changes-nothing", "lifecycle/amend-merges", "lifecycle/create-overwrites-none", "precondition/stale-write-refused", "repeat/amend-repeat", "repeat/replace-does-not-drift", "repeat/replace-is-idempotent"},
			middleware: func() middleware {
				var n atomic.Int64
				return after("GET", "/boats/*", func(_ *call, a *reply) {
					if a.Status == http.StatusOK {
						hint := fmt.Sprintf("tide table %d", n.Add(1))
						a.edit(func(m map[string]any) { m["hint"] = hint })
					}
				})
			}()},
		{Name: "second-put-conflicts", Says: "the same PUT once more answers 409",
			Finds: []string{"repeat/replace-is-idempotent"},
			middleware: func() middleware {
				var puts between.Memory[string]
				return on("PUT", "/boats/*", func(c *call) {
					before, known := puts.Swap(c.r.URL.Path, string(c.Body))
					if known && before == string(c.Body) && c.item() != nil {
						refuse(c.w, c.r, http.StatusConflict, "nothing would change")
						return
					}
					c.give(c.good())
				})
			}()},
		{Name: "put-counts-up", Says: "the same PUT once more changes the home port",
			Finds: []string{"repeat/replace-is-idempotent"}, Also: []string{"repeat/replace-does-not-drift"},
			middleware: func() middleware {
				var puts between.Memory[string]
				var n atomic.Int64
				return after("PUT", "/boats/*", func(c *call, a *reply) {
					if a.Status != http.StatusOK {
						return
					}
					if before, known := puts.Swap(c.r.URL.Path, string(c.Body)); known && before == string(c.Body) {
						c.h.change(a.id(), func(b *Boat) { port := fmt.Sprintf("Skerry %d", n.Add(1)); b.HomePort = &port })
					}
				})
			}()},
		{Name: "second-delete-500", Says: "deleting a boat that is gone answers 500",
			Finds: []string{"repeat/delete-is-idempotent", "absence/deleted-delete"}, Also: []string{"race/deletes-together"},
			middleware: after("DELETE", "/boats/*", func(c *call, a *reply) {
				if id := c.number(); a.Status == http.StatusNotFound && id > 0 && id <= c.h.store.last("boats") {
					a.Status = http.StatusInternalServerError
					a.edit(func(m map[string]any) { m["status"], m["title"] = 500, "Internal Server Error" })
				}
			})},
		{Name: "berth-put-always-creates", Says: "PUT on a berth that is there answers 201 as if it were new",
			Finds: []string{"repeat/put-create-is-idempotent"}, Also: []string{"lifecycle/replace-answers", "race/one-put-makes-it"}, Resource: "berths",
			middleware: after("PUT", "/berths/*", func(_ *call, a *reply) {
				if a.Status == http.StatusOK {
					a.Status = http.StatusCreated
				}
			})},
		{Name: "berth-put-repeat-refused", Says: "PUT on a berth that is there answers 409",
			Finds: []string{"repeat/put-create-is-idempotent", "lifecycle/replace-answers"}, Also: []string{"limits/on-replace"}, Resource: "berths",
			middleware: on("PUT", "/berths/*", func(c *call) {
				if c.item() != nil && !c.conditional() {
					refuse(c.w, c.r, http.StatusConflict, "there is such a berth already")
					return
				}
				c.give(c.good())
			})},
		{Name: "patch-appends", Says: "the same PATCH once more adds to a text",
			Finds: []string{"repeat/amend-repeat"}, Also: []string{"lifecycle/amend-merges"},
			middleware: after("PATCH", "/boats/*", func(c *call, a *reply) {
				if a.Status == http.StatusOK {
					c.h.change(a.id(), func(b *Boat) {
						port := "Skerry"
						if b.HomePort != nil {
							port = *b.HomePort + "+"
						}
						b.HomePort = &port
					})
				}
			})},
		{Name: "post-refused-and-stored", Says: "a POST that was sent before answers 409, and stores the boat all the same",
			Finds: []string{"repeat/post-makes-another", "input/duplicate-unique"}, Also: []string{"input/unique-on-change", "race/unique-together"},
			middleware: on("POST", "/boats", func(c *call) {
				a := c.good()
				if a.Status == http.StatusConflict {
					m := c.members()
					m["name"] = []byte(`"Shadow ` + fmt.Sprint(c.h.store.last("boats")) + `"`)
					c.askPlain("POST", "/boats", encoded(m))
				}
				c.give(a)
			})},
		{Name: "key-unheard", Says: "Idempotency-Key is ignored",
			Finds: []string{"repeat/key-replays"}, Also: []string{"repeat/key-differs", "repeat/key-says-what-was-said"},
			middleware: on("POST", "/boats/*/stays", func(c *call) {
				c.r.Header.Del("Idempotency-Key")
				c.give(c.good())
			})},
		{Name: "key-ignores-body", Says: "an Idempotency-Key gives the first answer again, whatever is sent with it",
			Finds:      []string{"repeat/key-differs"},
			middleware: replaying(func(c *call) string { return c.r.URL.Path + c.r.Header.Get("Idempotency-Key") })},
		{Name: "keys-are-mixed-up", Says: "any Idempotency-Key gives the answer of the key before",
			Finds: []string{"repeat/keys-are-separate"}, Also: []string{"repeat/key-differs"},
			middleware: replaying(func(c *call) string { return c.r.URL.Path })},
	}
}

// replaying gives a stay's first answer again, as often as a key comes again.
func replaying(key func(c *call) string) middleware {
	var first between.Memory[*reply]
	return on("POST", "/boats/*/stays", func(c *call) {
		if c.r.Header.Get("Idempotency-Key") == "" {
			c.give(c.good())
			return
		}
		k := key(c)
		before, _ := first.Get(k)
		if before != nil {
			c.give(before)
			return
		}
		c.r.Header.Del("Idempotency-Key")
		a := c.good()
		if a.Status == http.StatusCreated {
			first.Swap(k, &reply{between.Reply{Status: a.Status, Fields: a.Fields.Clone(), Body: bytes.Clone(a.Body)}})
		}
		c.give(a)
	})
}
