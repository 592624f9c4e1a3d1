package harbour

import (
	"encoding/json"
	"fmt"
	"maps"
	"net/http"
	"strings"
	"sync/atomic"

	"usualpath/internal/between"
)

// leavingOut sends a write on without the members whose values are as told, and
// fills them in from the item as it is where all are needed.
func leavingOut(methods, pattern string, is func(raw string) bool) middleware {
	return on(methods, pattern, func(c *call) {
		m, left := c.members(), false
		var now members
		if item := c.item(); item != nil {
			_ = json.Unmarshal(item.Body, &now)
		}
		for n, raw := range m {
			if is(string(raw)) {
				left = true
				if delete(m, n); c.r.Method == http.MethodPut && now[n] != nil {
					m[n] = now[n]
				}
			}
		}
		if left {
			c.Body = encoded(m)
		}
		c.give(c.good())
	})
}

// version is the boat of the path as PUT would write it; nil for none.
func (c *call) version() members {
	var m members
	if item := c.item(); item != nil {
		_ = json.Unmarshal(item.Body, &m)
		delete(m, "id")
		delete(m, "registered_at")
	}
	return m
}

// overlaid is an older version with a patch over it, as a body for PUT.
func overlaid(old, patch members) []byte {
	out := maps.Clone(old)
	for n, v := range patch {
		if string(v) == "null" {
			delete(out, n)
		} else {
			out[n] = v
		}
	}
	return encoded(out)
}

// overwriteFaults are about what a write leaves of the one before it.
func overwriteFaults() []Fault {
	zero := func(raw string) bool { return raw == "0" }
	empty := func(raw string) bool { return raw == `""` || raw == "false" }
	drift, back := []string{"repeat/replace-does-not-drift"}, []string{"repeat/reads-write-back"}
	// from applies a PATCH to an older version, where the fault has one.
	from := func(c *call, old members) {
		if len(old) == 0 || c.item() == nil || c.conditional() {
			c.give(c.good())
			return
		}
		c.give(c.askPlain(http.MethodPut, "", overlaid(old, c.members())))
	}
	wholes := func(do func(c *call, m members) bool) middleware {
		return on("PUT", "/boats/*", func(c *call) {
			m := c.members()
			if m["registered_at"] != nil && do(c, m) {
				c.Body = encoded(m)
			}
			c.give(c.good())
		})
	}
	return []Fault{
		{Name: "put-zero-unheard", Says: "PUT with a length of 0 answers 200 and keeps the length", Finds: []string{"lifecycle/replace-empties"}, Also: []string{"limits/on-replace"}, middleware: leavingOut("PUT", "/boats/*", zero)},
		{Name: "berth-put-zero-unheard", Says: "PUT with a length of 0 answers 200 and keeps the length of the berth", Finds: []string{"lifecycle/replace-empties"}, Also: []string{"limits/on-replace"}, Resource: "berths", middleware: leavingOut("PUT", "/berths/*", zero)},
		{Name: "patch-zero-unheard", Says: "PATCH with a length of 0 answers 200 and keeps the length", Finds: []string{"lifecycle/amend-empties"}, middleware: leavingOut("PATCH", "/boats/*", zero)},
		{Name: "patch-empty-unheard", Says: "PATCH with an empty text answers 200 and keeps the text", Finds: []string{"lifecycle/amend-empties"}, middleware: leavingOut("PATCH", "/boats/*", empty)},
		{Name: "berth-patch-false-unheard", Says: "PATCH with false answers 200 and keeps true", Finds: []string{"lifecycle/amend-empties", "lifecycle/amend-merges"}, Also: []string{"limits/on-amend", "lifecycle/amends-add-up", "race/amends-together"}, Resource: "berths", middleware: leavingOut("PATCH", "/berths/*", empty)},
		{Name: "patches-stay-on-top", Says: "what a PATCH has set stays, also after a PUT", Finds: []string{"lifecycle/replace-after-amend"}, middleware: func() middleware {
			var patches between.Memory[json.RawMessage]
			return chain(
				after("PATCH", "/boats/*", func(c *call, a *reply) {
					if name := c.members()["name"]; a.Status == http.StatusOK && name == nil {
						patches.Swap(c.r.URL.Path, json.RawMessage(c.Body))
					}
				}),
				after("PUT", "/boats/*", func(c *call, a *reply) {
					patch, _ := patches.Get(c.r.URL.Path)
					if a.Status == http.StatusOK && patch != nil {
						c.h.change(a.id(), func(b *Boat) { _ = json.Unmarshal(patch, b); b.LengthM = "3" })
					}
				}))
		}()},
		{Name: "patch-on-first-version", Says: "PATCH is applied to the boat as it was registered", Finds: []string{"lifecycle/amend-after-replace", "lifecycle/amends-add-up"}, Also: []string{"race/amends-together"}, middleware: func() middleware {
			var first between.Memory[members]
			return on("PUT PATCH", "/boats/*", func(c *call) {
				now := c.version()
				if before, known := first.Swap(c.r.URL.Path, now); known {
					first.Swap(c.r.URL.Path, before)
					now = before
				}
				if c.r.Method == http.MethodPatch {
					from(c, now)
					return
				}
				c.give(c.good())
			})
		}()},
		{Name: "second-patch-undoes", Says: "a PATCH undoes the one before it", Finds: []string{"lifecycle/amends-add-up"}, Also: []string{"race/amends-together"}, middleware: func() middleware {
			var before between.Memory[members]
			return chain(
				on("PATCH", "/boats/*", func(c *call) {
					old, _ := before.Swap(c.r.URL.Path, c.version())
					from(c, old)
				}),
				after("PUT", "/boats/*", func(c *call, _ *reply) { before.Swap(c.r.URL.Path, nil) }))
		}()},
		{Name: "patch-after-put-is-old", Says: "PATCH after a PUT is applied to the boat as it was before the PUT", Finds: []string{"lifecycle/amend-after-replace"}, middleware: func() middleware {
			var before between.Memory[members]
			return chain(
				on("PUT", "/boats/*", func(c *call) {
					before.Swap(c.r.URL.Path, c.version())
					c.give(c.good())
				}),
				on("PATCH", "/boats/*", func(c *call) {
					old, _ := before.Swap(c.r.URL.Path, nil)
					from(c, old)
				}))
		}()},
		{Name: "create-overwrites", Says: "a POST that gives the id of a boat writes over that boat", Finds: []string{"lifecycle/create-overwrites-none"}, middleware: on("POST", "/boats", func(c *call) {
			var id uint64
			if _ = json.Unmarshal(c.members()["id"], &id); id > 0 && c.h.store.get("boats", number(id), &Boat{}) == nil {
				a := c.askPlain(http.MethodPut, fmt.Sprintf("/boats/%d", id), c.Body)
				if a.Status == http.StatusOK {
					a.Status = http.StatusCreated
				}
				c.give(a)
				return
			}
			c.give(c.good())
		})},
		{Name: "create-with-taken-id-500", Says: "a POST that gives the id of a boat answers 500", Finds: []string{"lifecycle/create-overwrites-none"}, middleware: on("POST", "/boats", func(c *call) {
			var id uint64
			if _ = json.Unmarshal(c.members()["id"], &id); id > 0 && c.h.store.get("boats", number(id), &Boat{}) == nil {
				refuse(c.w, c.r, http.StatusInternalServerError, "there is such a row")
				return
			}
			c.give(c.good())
		})},
		{Name: "put-escapes-again", Says: "each PUT of the same escapes an ampersand once more", Finds: drift, middleware: func() middleware {
			var puts between.Memory[string]
			var n atomic.Int64
			return after("PUT", "/boats/*", func(c *call, a *reply) {
				before, known := puts.Swap(c.r.URL.Path, string(c.Body))
				if a.Status == http.StatusOK && known && before == string(c.Body) {
					times := int(n.Add(1))
					c.h.change(a.id(), func(b *Boat) { b.Name = strings.ReplaceAll(b.Name, "&", "&"+strings.Repeat("amp;", times)) })
				}
			})
		}()},
		{Name: "put-wears-out", Says: "a boat that is replaced more than three times gets longer", Finds: drift, Also: []string{"race/reads-beside-replaces", "race/replaces-together"}, middleware: func() middleware {
			var puts between.Memory[int]
			return after("PUT", "/boats/*", func(c *call, a *reply) {
				n, _ := puts.Swap(c.r.URL.Path, 0)
				if puts.Swap(c.r.URL.Path, n+1); a.Status == http.StatusOK && n >= 4 {
					c.h.change(a.id(), func(b *Boat) { b.LengthM = "11" })
				}
			})
		}()},
		{Name: "home-port-lost-on-return", Says: "a PUT of the whole boat as it was read loses its home port", Finds: back,
			middleware: wholes(func(_ *call, m members) bool { delete(m, "home_port"); return true })},
		{Name: "length-cut-on-return", Says: "a PUT of the whole boat as it was read cuts the length to whole metres", Finds: back,
			middleware: wholes(func(_ *call, m members) bool {
				m["length_m"] = json.RawMessage(strings.Split(string(m["length_m"]), ".")[0])
				return true
			})},
	}
}
