package harbour

import (
	"encoding/json"
	"net/http"
	"sync"
	"time"

	"usualpath/internal/between"
)

// crossing counts what is under way on each path, by method.
type crossing struct {
	mu sync.Mutex
	n  map[string]int
}

// enter notes that a request of the method is under way.
func (x *crossing) enter(c *call) {
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.n == nil {
		x.n = map[string]int{}
	}
	x.n[c.r.Method+c.r.URL.Path]++
}

func (x *crossing) leave(c *call) {
	x.mu.Lock()
	defer x.mu.Unlock()
	x.n[c.r.Method+c.r.URL.Path]--
}

func (x *crossing) busy(method, at string) bool {
	x.mu.Lock()
	defer x.mu.Unlock()
	return x.n[method+at] > 0
}

// brief is how long a careless service takes over a write here.
const brief = 4 * time.Millisecond

// beside takes over what of one method is done to an item while another method is
// under way on it, or was when it began.
func beside(pattern, one, other string, do func(c *call)) middleware {
	var x crossing
	return on(one+" "+other, pattern, func(c *call) {
		x.enter(c)
		defer x.leave(c)
		if c.r.Method != one {
			time.Sleep(brief)
			a := c.good()
			time.Sleep(brief)
			c.give(a)
			return
		}
		met := x.busy(other, c.r.URL.Path)
		time.Sleep(brief)
		if met || x.busy(other, c.r.URL.Path) {
			do(c)
			return
		}
		c.give(c.good())
	})
}

// revived writes an item that is deleted meanwhile, and brings it back for that; old
// gives what brings it back, nil where it is not there.
func revived(old func(c *call) func()) func(c *call) {
	return func(c *call) {
		restore := old(c)
		time.Sleep(2 * brief)
		a := c.good()
		if restore != nil && a.Status == http.StatusNotFound {
			restore()
			a = c.good()
		}
		c.give(a)
	}
}

func oldBoat(c *call) func() {
	old := c.item()
	if old == nil {
		return nil
	}
	return func() { c.h.restore(old) }
}

func oldStay(c *call) func() {
	_, id := c.stayAt()
	old := &Stay{}
	if c.h.store.get("stays", number(id), old) != nil {
		return nil
	}
	return func() { _ = c.h.store.put("stays", number(id), old) }
}

// clientFaults show only between clients, where no derived check looks: beside each
// other there are always requests of one kind.
func clientFaults() []Fault {
	const boat, stay = "/boats/*", "/boats/*/stays/*"
	var out []Fault
	add := func(name, says string, m middleware) {
		out = append(out, Fault{Name: name, Says: says, Roams: true, Clients: true, middleware: m})
	}
	addStay := func(name, says string, m middleware) {
		out = append(out, Fault{Name: name, Says: says, Roams: true, Clients: true, Below: true, middleware: m})
	}
	add("patch-beside-put-lost", "a PATCH beside a PUT of the same boat writes over what the PUT has stored", beside(boat, "PATCH", "PUT", func(c *call) {
		old := c.version()
		time.Sleep(2 * brief)
		a := c.good()
		if a.Status == http.StatusOK && old != nil {
			a = c.askPlain(http.MethodPut, "", overlaid(old, c.members()))
		}
		c.give(a)
	}))
	add("put-beside-patch-lost", "a PUT beside a PATCH of the same boat answers 200 and is not stored", beside(boat, "PUT", "PATCH", unsaved))
	add("patch-beside-delete-revives", "a boat that is deleted while it is PATCHed comes back", beside(boat, "PATCH", "DELETE", revived(oldBoat)))
	add("put-beside-delete-revives", "a boat that is deleted while it is PUT comes back", beside(boat, "PUT", "DELETE", revived(oldBoat)))
	add("patch-beside-delete-500", "a PATCH beside a DELETE of the same boat answers 500", beside(boat, "PATCH", "DELETE", breaks))
	add("put-beside-patch-500", "a PUT beside a PATCH of the same boat answers 500", beside(boat, "PUT", "PATCH", breaks))
	add("put-beside-patch-torn", "of a PUT beside a PATCH the length is not stored", beside(boat, "PUT", "PATCH", func(c *call) {
		old := c.version()
		a := c.good()
		if a.Status == http.StatusOK && old != nil {
			c.h.change(c.number(), func(b *Boat) { _ = json.Unmarshal(old["length_m"], &b.LengthM) })
		}
		c.give(a)
	}))
	add("patch-beside-put-nobodys", "a PATCH beside a PUT leaves a length that nobody has sent", beside(boat, "PATCH", "PUT", func(c *call) {
		a := c.good()
		time.Sleep(3 * brief)
		if a.Status == http.StatusOK {
			c.h.change(c.number(), func(b *Boat) { b.LengthM = "41" })
		}
		c.give(a)
	}))
	add("tags-looked-at-once", "of a PUT and a PATCH on the same tag both are taken", func() middleware {
		var tags between.Memory[string]
		return on("PUT PATCH", boat, func(c *call) {
			tag := c.r.Header.Get("If-Match")
			now := c.item()
			if tag == "" || now == nil || now.Fields.Get("ETag") != tag {
				c.give(c.good())
				return
			}
			// Looked at first, and not again when it is written.
			before, _ := tags.Swap(c.r.URL.Path+tag, c.r.Method)
			time.Sleep(2 * brief)
			if before != "" && before != c.r.Method {
				c.r.Header.Del("If-Match")
			}
			a := c.good()
			if a.Status == http.StatusPreconditionFailed {
				if other, _ := tags.Swap(c.r.URL.Path+tag, c.r.Method); other != c.r.Method {
					c.r.Header.Del("If-Match")
					a = c.good()
				}
			}
			c.give(a)
		})
	}())
	addStay("stay-patch-beside-put-lost", "a PATCH beside a PUT of the same stay answers 200 and is not stored", beside(stay, "PATCH", "PUT", unsavedStay))
	addStay("stay-put-beside-delete-revives", "a stay that is deleted while it is PUT comes back", beside(stay, "PUT", "DELETE", revived(oldStay)))
	addStay("stay-patch-beside-delete-500", "a PATCH beside a DELETE of the same stay answers 500", beside(stay, "PATCH", "DELETE", breaks))
	add("delete-beside-put-unheard", "a DELETE beside a PUT of the same boat answers 204, and the boat stays", beside(boat, "DELETE", "PUT", func(c *call) {
		if c.item() == nil {
			c.give(c.good())
			return
		}
		c.w.WriteHeader(http.StatusNoContent)
	}))
	return out
}
