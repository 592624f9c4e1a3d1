package harbour

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"sync"
)

// stayAt are the boat and the stay of a path, 0 for what is not a number.
func (c *call) stayAt() (boat, stay uint64) {
	parts := strings.Split(c.r.URL.Path, "/")
	boat, _ = strconv.ParseUint(parts[2], 10, 64)
	if len(parts) > 4 {
		stay, _ = strconv.ParseUint(parts[4], 10, 64)
	}
	return boat, stay
}

// was tells whether a boat was there once, and is not now.
func (c *call) was(boat uint64) bool {
	return boat > 0 && boat <= c.h.store.last("boats") && c.h.store.get("boats", number(boat), &Boat{}) != nil
}

// belowGone takes over requests to the stays of boats that were deleted.
func belowGone(methods, pattern string, do func(c *call)) middleware {
	return on(methods, pattern, func(c *call) {
		if boat, _ := c.stayAt(); c.was(boat) {
			do(c)
			return
		}
		c.give(c.good())
	})
}

// keepStays leaves the stays of a boat that is deleted in the store.
func keepStays(gone func(c *call, list []Stay)) middleware {
	return on("DELETE", "/boats/*", func(c *call) {
		list, _ := c.h.staysOf(c.number())
		a := c.good()
		if a.Status == http.StatusNoContent {
			gone(c, list)
		}
		c.give(a)
	})
}

func putStays(c *call, list []Stay) {
	for _, s := range list {
		_ = c.h.store.put("stays", number(s.ID), s)
	}
}

// belowFaults are about the stays of boats that are gone, or of others.
func belowFaults() []Fault {
	const one, many = "/boats/*/stays/*", "/boats/*/stays"
	stays := func(name, says string, finds []string, m middleware, also ...string) Fault {
		return Fault{Name: name, Says: says, Finds: finds, Also: also, middleware: m}
	}
	read, write, apart := []string{"absence/orphan-read"}, []string{"absence/orphan-write"}, []string{"absence/children-stay-apart"}
	of := func(c *call) *Stay {
		_, id := c.stayAt()
		s := &Stay{}
		if c.h.store.get("stays", number(id), s) != nil {
			return nil
		}
		return s
	}
	// asIfIts sends a request for a stay to the path of its own boat.
	asIfIts := func(c *call) {
		if s := of(c); s != nil {
			c.give(c.ask(c.r.Method, fmt.Sprintf("/boats/%d/stays/%d", s.Boat, s.ID), c.Body))
			return
		}
		c.give(c.good())
	}
	done := func(c *call) { show(c.w, c.r, http.StatusOK, c.members()) }
	return []Fault{
		stays("stays-outlive-boat", "the stays of a deleted boat can still be read", read, chain(keepStays(putStays), belowGone("GET", one, func(c *call) {
			if s := of(c); s != nil {
				show(c.w, c.r, http.StatusOK, s)
				return
			}
			c.give(c.good())
		}))),
		stays("stays-of-deleted-500", "reading a stay of a deleted boat answers 500", read, belowGone("GET", one, func(c *call) {
			refuse(c.w, c.r, http.StatusInternalServerError, "the boat cannot be read")
		})),
		stays("stay-made-after-boat", "a stay can be made at a boat that was deleted", write, belowGone("POST", many, func(c *call) {
			boat, _ := c.stayAt()
			s := &Stay{}
			id, err := c.h.store.next("stays")
			if json.Unmarshal(c.Body, s) != nil || err != nil {
				c.give(c.good())
				return
			}
			s.ID, s.Boat = id, boat
			_ = c.h.store.put("stays", number(id), s)
			c.w.Header().Set("Location", fmt.Sprintf("/boats/%d/stays/%d", boat, id))
			show(c.w, c.r, http.StatusCreated, s)
		})),
		stays("stay-replaced-after-boat", "PUT on a stay of a deleted boat answers 200 with what was sent", write, belowGone("PUT", one, done)),
		stays("stay-amended-after-boat", "PATCH on a stay of a deleted boat answers 200 with what was sent", write, belowGone("PATCH", one, done)),
		stays("stay-of-any-boat", "a stay can be read below any boat", apart, on("GET", one, asIfIts)),
		stays("stay-removed-at-any-boat", "a stay can be removed below any boat", apart, on("DELETE", one, asIfIts)),
		stays("stays-of-last-boat-too", "the list of stays shows those of the boat registered before too", apart, after("GET", many, func(c *call, a *reply) {
			boat, _ := c.stayAt()
			var list []Stay
			if a.Status != http.StatusOK || json.Unmarshal(a.Body, &list) != nil {
				return
			}
			more, _ := c.h.staysOf(boat - 1)
			a.Body, _ = encode(append(list, more...))
			a.Fields.Del("ETag")
		}), "repeat/key-per-path"),
		stays("stays-inherited", "the next boat that is registered gets the stays of the one that was deleted last", apart, func() middleware {
			var mu sync.Mutex
			var left []Stay
			return chain(
				keepStays(func(_ *call, list []Stay) {
					mu.Lock()
					defer mu.Unlock()
					left = list
				}),
				after("POST", "/boats", func(c *call, a *reply) {
					mu.Lock()
					defer mu.Unlock()
					for _, s := range left {
						if s.Boat = a.id(); s.Boat != 0 {
							_ = c.h.store.put("stays", number(s.ID), s)
						}
					}
					left = nil
				}))
		}(), "absence/empty-is-not-missing"),
		{Name: "missing-delete-done", Says: "DELETE answers 200 and says that it is done, whether there was a boat or not", Finds: []string{"absence/missing-delete-says"},
			middleware: after("DELETE", "/boats/*", func(_ *call, a *reply) {
				if a.Status == http.StatusNoContent || a.Status == http.StatusNotFound {
					a.Status = http.StatusOK
					a.Say("application/json", `{"done":true}`)
				}
			})},
	}
}
