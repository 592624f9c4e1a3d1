package harbour

import (
	"encoding/json"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"sync"

	"usualpath/internal/between"
)

// trails remember, for each path, what was done there: a letter for each request
// that was served, as in steps.
type trails struct {
	mu sync.Mutex
	of map[string]string
}

var letters = map[string]string{"PUT": "U", "PATCH": "A", "DELETE": "D", "GET": "g", "HEAD": "h"}

// with is the trail of a path with the letter of this request behind it.
func (t *trails) with(c *call) string {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.of[c.r.URL.Path] + letters[c.r.Method]
}

func (t *trails) set(at, trail string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.of == nil {
		t.of = map[string]string{}
	}
	t.of[at] = trail[max(0, len(trail)-40):]
}

// bare is a trail without looks.
func bare(trail string) string {
	return strings.NewReplacer("g", "", "h", "").Replace(trail)
}

// afterTrail takes over the request with which the writes of an item end in one of a
// list of ways, such as "UA": a PATCH after a PUT.
func afterTrail(pattern string, do func(c *call), ends ...string) middleware {
	return trailed(pattern, func(trail string) bool {
		return !strings.ContainsAny(trail[len(trail)-1:], "gh") && slices.ContainsFunc(ends, func(end string) bool { return strings.HasSuffix(bare(trail), end) })
	}, do)
}

// trailed takes over the requests to an item whose trail is as asked for; nil
// refuses them with 409.
func trailed(pattern string, is func(trail string) bool, do func(c *call)) middleware {
	var t trails
	return on("PUT PATCH DELETE GET HEAD", pattern, func(c *call) {
		trail := t.with(c)
		if is(trail) {
			// What is refused each time is not done.
			if do != nil {
				t.set(c.r.URL.Path, trail)
				do(c)
			} else {
				refuse(c.w, c.r, http.StatusConflict, "the boat is busy")
			}
			return
		}
		a := c.good()
		if a.Status/100 == 2 {
			t.set(c.r.URL.Path, trail)
		}
		c.give(a)
	})
}

// unsaved answers as if a boat was written, and leaves it as it was.
func unsaved(c *call) {
	old := c.item()
	a := c.good()
	if old != nil && a.Status/100 == 2 {
		c.h.restore(old)
	}
	c.give(a)
}

// unsavedStay does the same with a stay.
func unsavedStay(c *call) {
	_, id := c.stayAt()
	old := &Stay{}
	known := c.h.store.get("stays", number(id), old) == nil
	a := c.good()
	if known && a.Status/100 == 2 {
		_ = c.h.store.put("stays", number(id), old)
	}
	c.give(a)
}

// thenChanged lets a boat be written, and then changes what was stored.
func thenChanged(do func(b *Boat)) func(c *call) {
	return func(c *call) {
		a := c.good()
		if a.Status/100 == 2 {
			c.h.change(c.number(), do)
		}
		c.give(a)
	}
}

// breaks answers 500, and does nothing.
func breaks(c *call) { refuse(c.w, c.r, http.StatusInternalServerError, "this went wrong") }

// recent are the boats that were registered since the start and are still there, in
// order.
func (h *harbour) recent(since uint64) []Boat {
	list, _ := all[Boat](h.store, "boats")
	return slices.DeleteFunc(list, func(b Boat) bool { return b.ID <= since })
}

// crowded tells a fault how many boats were made since the start.
func crowded(do func(c *call, made []Boat, good func() *reply) *reply) middleware {
	var once sync.Once
	var since uint64
	return on("", "", func(c *call) {
		once.Do(func() { since = c.h.store.last("boats") })
		c.give(do(c, c.h.recent(since), c.good))
	})
}

// at tells whether a call is of a method to a path of so many segments.
func (c *call) at(method string, segments int) bool {
	return c.r.Method == method && strings.HasPrefix(c.r.URL.Path, "/boats") && strings.Count(c.r.URL.Path, "/") == segments
}

// roamFaults show only off the usual path: no check that is derived finds them.
func roamFaults() []Fault {
	const boat, stay = "/boats/*", "/boats/*/stays/*"
	var out []Fault
	add := func(name, says string, steps int, m middleware) {
		out = append(out, Fault{Name: name, Says: says, Roams: true, Steps: steps, middleware: m})
	}
	addStay := func(name, says string, steps int, m middleware) {
		out = append(out, Fault{Name: name, Says: says, Roams: true, Steps: steps, Below: true, middleware: m})
	}
	add("patch-between-puts-lost", "a PATCH after PUT, PATCH, PUT answers 200 and is not stored", 6, afterTrail(boat, unsaved, "UAUA"))
	add("put-between-patches-lost", "a PUT after PATCH, PUT, PATCH answers 200 and is not stored", 6, afterTrail(boat, unsaved, "AUAU"))
	add("sixth-patch-lost", "each sixth PATCH in a row answers 200 and is not stored", 8, afterTrail(boat, unsaved, "AAAAAA"))
	add("other-length-after-patches", "a PUT after three PATCHes stores a length of 33 m", 6, afterTrail(boat, thenChanged(func(b *Boat) { b.LengthM = "33" }), "AAAU"))
	add("patch-after-two-puts-swaps", "a PATCH after PATCH, PUT, PUT stores a length of 34 m", 6, afterTrail(boat, thenChanged(func(b *Boat) { b.LengthM = "34" }), "AUUA"))
	add("deleted-after-work-stays", "a boat that was PATCHed and then PUT is still there after its DELETE", 5, afterTrail(boat, func(c *call) { c.w.WriteHeader(http.StatusNoContent) }, "AUD"))
	add("delete-after-puts-500", "DELETE after PUT, PATCH, PUT answers 500", 5, afterTrail(boat, breaks, "UAUD"))
	add("second-patch-after-puts-500", "the second PATCH after two PUTs answers 500", 5, afterTrail(boat, breaks, "UUAA"))
	add("delete-refused-after-work", "a boat that was PUT, PATCHed, PUT cannot be deleted: 409", 9, afterTrail(boat, nil, "UAUD"))
	add("put-refused-after-patches", "a boat that was PATCHed twice after a PUT refuses a PUT: 409", 9, afterTrail(boat, nil, "UAAU"))
	add("closes-on-third-change", "the connection is closed on a PATCH after PATCH, PUT, PUT", 5, afterTrail(boat, func(*call) { panic(http.ErrAbortHandler) }, "AUUA"))
	add("head-forgets", "HEAD answers 404 once a boat was PUT, PATCHed and PUT", 5, trailed(boat, func(trail string) bool {
		return strings.HasSuffix(trail, "h") && strings.HasSuffix(bare(trail), "UAU")
	}, func(c *call) { refuse(c.w, c.r, http.StatusNotFound, "there is no such boat") }))
	add("eighth-write-lost", "the eighth write of a boat answers 200 and is not stored", 10, trailed(boat, func(trail string) bool {
		b := bare(trail)
		return len(b) == 8 && !strings.Contains(b, "D") && strings.HasSuffix(trail, b[7:]) && strings.Contains(b, "U") && strings.Contains(b, "A")
	}, unsaved))
	add("read-three-times-spoils", "a PATCH after three reads in a row is not stored, if the boat was PUT before", 7, trailed(boat, func(trail string) bool {
		return strings.HasSuffix(trail, "gggA") && strings.Contains(trail, "U")
	}, unsaved))
	add("put-of-earlier-version-ignored", "a PUT of what the boat was two versions ago is taken for a repeat, and ignored", 5, func() middleware {
		var bodies between.Memory[[]string]
		return on("PUT", boat, func(c *call) {
			before, _ := bodies.Swap(c.r.URL.Path, nil)
			body := string(c.Body)
			if n := len(before); n > 1 && before[n-2] == body && before[n-1] != body {
				bodies.Swap(c.r.URL.Path, append(before, body))
				unsaved(c)
				return
			}
			bodies.Swap(c.r.URL.Path, append(before, body))
			c.give(c.good())
		})
	}())
	add("same-patch-elsewhere-ignored", "a PATCH that says what the last one said, of another boat, is taken for a repeat", 5, func() middleware {
		var mu sync.Mutex
		lastBody, lastPath := "", ""
		return chain(on("POST DELETE PUT", "", func(c *call) {
			a := c.good()
			mu.Lock()
			lastBody = ""
			mu.Unlock()
			c.give(a)
		}), on("PATCH", boat, func(c *call) {
			mu.Lock()
			same := lastBody == string(c.Body) && lastPath != c.r.URL.Path
			lastBody, lastPath = string(c.Body), c.r.URL.Path
			mu.Unlock()
			if same {
				unsaved(c)
				return
			}
			c.give(c.good())
		}))
	}())
	add("patch-of-several-after-put", "a PATCH of several members after PATCH, PUT stores a length of 35 m", 5, afterTrail(boat, func(c *call) {
		m := c.members()
		a := c.good()
		if len(m) > 1 && a.Status == http.StatusOK {
			c.h.change(c.number(), func(b *Boat) { b.LengthM = "35" })
		}
		c.give(a)
	}, "AUA"))
	add("null-then-value-lost", "a flag that was set to null by a PATCH, and is set again by one, stays away", 4, func() middleware {
		var nulls between.Memory[bool]
		return on("PATCH", boat, func(c *call) {
			m := c.members()["flag"]
			was, _ := nulls.Swap(c.r.URL.Path, string(m) == "null")
			if was && m != nil && string(m) != "null" {
				unsaved(c)
				return
			}
			c.give(c.good())
		})
	}())
	add("longest-boat-shrinks", "a boat of 60 m that is PATCHed is cut to 59 m", 4, on("PATCH", boat, func(c *call) {
		old := &Boat{}
		long := c.h.store.get("boats", number(c.number()), old) == nil && old.LengthM == "60"
		a := c.good()
		if long && c.members()["length_m"] == nil && a.Status == http.StatusOK {
			c.h.change(c.number(), func(b *Boat) { b.LengthM = "59" })
		}
		c.give(a)
	}))
	add("second-patch-revives", "the second PATCH of a deleted boat brings it back", 6, func() middleware {
		var gone between.Memory[*reply]
		var tries between.Memory[int]
		return chain(on("DELETE", boat, func(c *call) {
			old := c.item()
			a := c.good()
			if a.Status/100 == 2 && old != nil {
				gone.Swap(c.r.URL.Path, old)
			}
			c.give(a)
		}), on("PATCH", boat, func(c *call) {
			old, _ := gone.Swap(c.r.URL.Path, nil)
			gone.Swap(c.r.URL.Path, old)
			if a := c.good(); a.Status != http.StatusNotFound || old == nil {
				c.give(a)
				return
			}
			n, _ := tries.Swap(c.r.URL.Path, 0)
			if tries.Swap(c.r.URL.Path, n+1); n > 0 {
				c.h.restore(old)
			}
			c.give(c.good())
		}))
	}())
	add("put-elsewhere-revives", "a PUT right after a DELETE of another boat brings that one back", 5, func() middleware {
		var mu sync.Mutex
		var gone *reply
		return chain(on("POST PATCH", "", func(c *call) {
			mu.Lock()
			gone = nil
			mu.Unlock()
			c.give(c.good())
		}), on("DELETE", boat, func(c *call) {
			old := c.item()
			a := c.good()
			mu.Lock()
			if gone = nil; a.Status/100 == 2 {
				gone = old
			}
			mu.Unlock()
			c.give(a)
		}), on("PUT", boat, func(c *call) {
			a := c.good()
			mu.Lock()
			if gone != nil && a.Status == http.StatusOK {
				c.h.restore(gone)
			}
			gone = nil
			mu.Unlock()
			c.give(a)
		}))
	}())
	add("stale-tag-taken-late", "a tag that is out of date is taken after four writes", 8, func() middleware {
		var writes between.Memory[int]
		return on("PUT PATCH", boat, func(c *call) {
			n, _ := writes.Swap(c.r.URL.Path, 0)
			a := c.good()
			if a.Status == http.StatusPreconditionFailed && n >= 4 {
				c.r.Header.Del("If-Match")
				a = c.good()
			}
			if a.Status/100 == 2 {
				n++
			}
			writes.Swap(c.r.URL.Path, n)
			c.give(a)
		})
	}())
	add("name-kept-after-two-renames", "a name that a boat had before two renames by PATCH is not free again", 8, func() middleware {
		var old names
		var before between.Memory[string]
		return chain(on("PATCH", boat, func(c *call) {
			was := &Boat{}
			_ = c.h.store.get("boats", number(c.number()), was)
			a := c.good()
			if name := c.named(); a.Status == http.StatusOK && name != "" && name != was.Name {
				if first, known := before.Swap(c.r.URL.Path, was.Name); known && first != "" {
					old.add(first)
				}
			}
			c.give(a)
		}), keeping(&old))
	}())
	add("name-kept-of-renamed-and-deleted", "the last name of a boat that was renamed twice and deleted is not free again", 8, func() middleware {
		var old names
		var renames between.Memory[int]
		return chain(on("PATCH", boat, func(c *call) {
			a := c.good()
			if a.Status == http.StatusOK && c.named() != "" {
				n, _ := renames.Swap(c.r.URL.Path, 0)
				renames.Swap(c.r.URL.Path, n+1)
			}
			c.give(a)
		}), on("DELETE", boat, func(c *call) {
			was := &Boat{}
			_ = c.h.store.get("boats", number(c.number()), was)
			n, _ := renames.Swap(c.r.URL.Path, 0)
			a := c.good()
			if a.Status/100 == 2 && n > 1 {
				old.add(was.Name)
			}
			c.give(a)
		}), keeping(&old))
	}())
	add("list-late-after-work", "the list shows a boat as it was, once it was PATCHed, PUT and PATCHed", 5, stalely("AUA"))
	add("filter-late-after-work", "the filtered list leaves out a boat whose flag was changed by a PATCH after a PUT and a PATCH", 5, filtersLate())
	add("thirteenth-loses-port", "of the thirteenth boat, and those after it, the home port is not stored", 15, crowded(func(c *call, made []Boat, good func() *reply) *reply {
		a := good()
		if c.at("POST", 1) && a.Status == http.StatusCreated && len(made) >= 12 {
			c.h.change(a.id(), func(b *Boat) { b.HomePort = nil })
		}
		return a
	}))
	add("twelve-and-the-sixth-hides", "of twelve new boats, or more, the list leaves out the sixth", 13, crowded(func(c *call, made []Boat, good func() *reply) *reply {
		a := good()
		if c.at("GET", 1) && len(made) >= 12 && a.Status == http.StatusOK {
			a.leaveOut(made[5].ID)
		}
		return a
	}))
	add("pages-of-few-skip-the-sixth", "by pages of fewer than eight the list leaves out the sixth of the new boats, once there are seven", 7, crowded(func(c *call, made []Boat, good func() *reply) *reply {
		a := good()
		if limit, _ := strconv.Atoi(c.r.URL.Query().Get("limit")); c.at("GET", 1) && len(made) >= 7 && limit > 0 && limit < 8 && a.Status == http.StatusOK {
			a.leaveOut(made[5].ID)
		}
		return a
	}))
	add("thirty-and-the-second-changes", "among thirty new boats a PATCH of the first changes the second too", 33, crowded(func(c *call, made []Boat, good func() *reply) *reply {
		a := good()
		if c.at("PATCH", 2) && a.Status == http.StatusOK && len(made) >= 30 && c.number() == made[0].ID {
			c.h.change(made[1].ID, func(b *Boat) { b.LengthM = "36" })
		}
		return a
	}))
	add("five-and-the-last-goes", "a DELETE of the first of five new boats, or more, takes the last one along", 7, crowded(func(c *call, made []Boat, good func() *reply) *reply {
		first := len(made) >= 5 && c.number() == made[0].ID
		a := good()
		if c.at("DELETE", 2) && a.Status/100 == 2 && first {
			_ = c.h.store.remove("boats", number(made[len(made)-1].ID))
		}
		return a
	}))
	add("five-and-the-middle-is-hit", "a PUT of the last of five new boats, or more, also writes the length of the third", 7, crowded(func(c *call, made []Boat, good func() *reply) *reply {
		a := good()
		if c.at("PUT", 2) && a.Status == http.StatusOK && len(made) >= 5 && c.number() == made[len(made)-1].ID {
			c.h.change(made[2].ID, func(b *Boat) { b.LengthM = "37" })
		}
		return a
	}))
	add("nameless-when-crowded", "a boat without a name is taken once eight new ones are there", 9, crowded(func(c *call, made []Boat, good func() *reply) *reply {
		m := c.members()
		if c.at("POST", 1) && m["name"] == nil && len(made) >= 8 {
			m["name"] = json.RawMessage(`"Nobody ` + made[0].Name + `"`)
			return c.askPlain(http.MethodPost, "", encoded(m))
		}
		return good()
	}))
	add("alike-boats-are-one", "a PATCH of a boat changes an older one of the same flag, once that one was PATCHed", 6, func() middleware {
		var patched between.Memory[bool]
		return on("PATCH", boat, func(c *call) {
			list := c.h.recent(0)
			me := &Boat{}
			known := c.h.store.get("boats", number(c.number()), me) == nil
			for _, b := range list {
				at := boatPath(b.ID)
				was, _ := patched.Swap(at, false)
				patched.Swap(at, was)
				if known && b.ID < me.ID && was && b.Flag != nil && me.Flag != nil && *b.Flag == *me.Flag && c.members()["flag"] == nil {
					a := c.good()
					c.h.change(b.ID, func(b *Boat) { b.LengthM = "38" })
					c.give(a)
					return
				}
			}
			a := c.good()
			if a.Status == http.StatusOK {
				patched.Swap(c.r.URL.Path, true)
			}
			c.give(a)
		})
	}())
	add("whole-returned-twice-loses", "a PUT of what was read, twice after a PATCH, sets the flag to ZZ", 6, func() middleware {
		var returned between.Memory[int]
		return on("PUT PATCH", boat, func(c *call) {
			n, _ := returned.Swap(c.r.URL.Path, 0)
			whole := c.members()["registered_at"] != nil
			a := c.good()
			switch {
			case a.Status != http.StatusOK:
			case c.r.Method == http.MethodPatch:
				n = 1
			case whole && n > 0:
				n++
			default:
				n = 0
			}
			if n == 3 {
				zz := "ZZ"
				c.h.change(c.number(), func(b *Boat) { b.Flag = &zz })
				n = 0
			}
			returned.Swap(c.r.URL.Path, n)
			c.give(a)
		})
	}())

	addStay("stay-patch-after-puts-lost", "a PATCH of a stay after PATCH, PUT answers 200 and is not stored", 6, afterTrail(stay, unsavedStay, "AUA"))
	addStay("stay-delete-unheard", "a stay that was PUT, PATCHed, PUT is still there after its DELETE", 7, afterTrail(stay, func(c *call) { c.w.WriteHeader(http.StatusNoContent) }, "UAUD"))
	addStay("stay-of-sixty-nights", "a stay of 60 nights that is PATCHed is cut to 30", 5, on("PATCH", stay, func(c *call) {
		_, id := c.stayAt()
		old := &Stay{}
		long := c.h.store.get("stays", number(id), old) == nil && old.Nights == "60"
		a := c.good()
		if long && a.Status == http.StatusOK && c.members()["nights"] == nil {
			s := &Stay{}
			_ = c.h.store.get("stays", number(id), s)
			s.Nights = "30"
			_ = c.h.store.put("stays", number(id), s)
		}
		c.give(a)
	}))
	addStay("sibling-shortened", "a PATCH of the fourth of five stays of a boat changes the nights of the first", 8, on("PATCH", stay, func(c *call) {
		of, id := c.stayAt()
		a := c.good()
		list, _ := c.h.staysOf(of)
		if a.Status == http.StatusOK && len(list) >= 5 && list[3].ID == id {
			list[0].Nights = "7"
			_ = c.h.store.put("stays", number(list[0].ID), list[0])
		}
		c.give(a)
	}))
	addStay("stay-put-after-patches-500", "a PUT of a stay after PATCH, PUT, PATCH answers 500", 6, afterTrail(stay, breaks, "AUAU"))
	return slices.Concat(out, clientFaults())
}

// leaveOut takes an item out of a list.
func (a *reply) leaveOut(id uint64) {
	var list []json.RawMessage
	if json.Unmarshal(a.Body, &list) != nil {
		return
	}
	list = slices.DeleteFunc(list, func(raw json.RawMessage) bool {
		var b struct{ ID uint64 }
		return json.Unmarshal(raw, &b) == nil && b.ID == id
	})
	if data, err := json.Marshal(list); err == nil {
		a.Body = data
	}
}

// boatPath is where a boat is.
func boatPath(id uint64) string { return "/boats/" + strconv.FormatUint(id, 10) }

// stalely shows a boat in the list as it was before the last write of a trail.
func stalely(end string) middleware {
	var t trails
	var old between.Memory[json.RawMessage]
	return chain(on("PUT PATCH DELETE", "/boats/*", func(c *call) {
		before := c.item()
		trail := t.with(c)
		a := c.good()
		if a.Status/100 == 2 {
			t.set(c.r.URL.Path, trail)
			if old.Swap(c.r.URL.Path, nil); strings.HasSuffix(trail, end) && before != nil {
				old.Swap(c.r.URL.Path, before.Body)
			}
		}
		c.give(a)
	}), after("GET", "/boats", func(_ *call, a *reply) {
		var list []json.RawMessage
		if json.Unmarshal(a.Body, &list) != nil {
			return
		}
		for i, raw := range list {
			var b struct{ ID uint64 }
			if json.Unmarshal(raw, &b) != nil {
				continue
			}
			at := boatPath(b.ID)
			was, _ := old.Swap(at, nil)
			if old.Swap(at, was); was != nil {
				list[i] = was
			}
		}
		if data, err := json.Marshal(list); err == nil {
			a.Body = data
		}
	}))
}

// filtersLate leaves boats out of the filtered list whose flag has come by a PATCH
// after a PUT and a PATCH.
func filtersLate() middleware {
	var t trails
	var hidden between.Memory[bool]
	return chain(on("PUT PATCH DELETE", "/boats/*", func(c *call) {
		trail := t.with(c)
		a := c.good()
		if a.Status/100 == 2 {
			t.set(c.r.URL.Path, trail)
			hidden.Swap(c.r.URL.Path, strings.HasSuffix(trail, "AUA") && c.members()["flag"] != nil)
		}
		c.give(a)
	}), after("GET", "/boats", func(c *call, a *reply) {
		if !c.r.URL.Query().Has("flag") {
			return
		}
		for at, is := range hidden.All() {
			if is {
				var id uint64
				if json.Unmarshal([]byte(strings.TrimPrefix(at, "/boats/")), &id) == nil {
					a.leaveOut(id)
				}
			}
		}
	}))
}
