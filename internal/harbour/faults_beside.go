package harbour

import (
	"encoding/json"
	"net/http"
	"sync"
	"sync/atomic"
	"time"

	"usualpath/internal/between"
)

// besideFaults are about requests of several kinds at the same time.
func besideFaults() []Fault {
	amends := []string{"race/amends-together"}
	// busy counts the requests to one path that are under way.
	busy := func(methods, pattern string, do func(c *call, n int64)) middleware {
		var under sync.Map
		return on(methods, pattern, func(c *call) {
			v, _ := under.LoadOrStore(c.r.URL.Path, &atomic.Int64{})
			at := v.(*atomic.Int64)
			defer at.Add(-1)
			do(c, at.Add(1))
		})
	}
	return []Fault{
		{Name: "amends-race", Says: "of amends at the same time the last one wins, whole", Finds: amends, middleware: on("PATCH", "/boats/*", func(c *call) {
			old := c.version()
			if old == nil || c.conditional() {
				c.give(c.good())
				return
			}
			time.Sleep(window)
			c.give(c.askPlain(http.MethodPut, "", overlaid(old, c.members())))
		})},
		{Name: "amends-race-500", Says: "amends at the same time answer 500", Finds: amends, middleware: busy("PATCH", "/boats/*", func(c *call, n int64) {
			time.Sleep(window)
			if n > 1 {
				refuse(c.w, c.r, http.StatusInternalServerError, "the row is locked")
				return
			}
			c.give(c.good())
		})},
		{Name: "deletes-all-succeed", Says: "all deletes of one boat at the same time answer 204", Finds: []string{"race/deletes-say-once"}, middleware: busy("DELETE", "/boats/*", func(c *call, n int64) {
			time.Sleep(window)
			a := c.good()
			if n > 1 && a.Status == http.StatusNotFound {
				a = &reply{between.Reply{Status: http.StatusNoContent, Fields: http.Header{}}}
			}
			c.give(a)
		})},
		{Name: "put-takes-away-first", Says: "while a boat is replaced it is not there", Finds: []string{"race/reads-beside-replaces"}, middleware: func() middleware {
			var gone atomic.Int64
			return chain(
				on("PUT", "/boats/*", func(c *call) {
					if gone.CompareAndSwap(0, int64(c.number())) {
						defer gone.Store(0)
						time.Sleep(window)
					}
					c.give(c.good())
				}),
				on("GET", "/boats/*", func(c *call) {
					// A read that comes with replaces waits for the moment between.
					time.Sleep(window / 3)
					if n := gone.Load(); n > 0 && uint64(n) == c.number() {
						refuse(c.w, c.r, http.StatusNotFound, "there is no such boat")
						return
					}
					c.give(c.good())
				}))
		}()},
		{Name: "put-in-two-steps", Says: "while a boat is replaced it has a length of 1", Finds: []string{"race/reads-beside-replaces"}, middleware: func() middleware {
			var half atomic.Int64
			return chain(
				on("PUT", "/boats/*", func(c *call) {
					if half.CompareAndSwap(0, int64(c.number())) {
						defer half.Store(0)
						time.Sleep(window)
					}
					c.give(c.good())
				}),
				on("GET", "/boats/*", func(c *call) {
					time.Sleep(window / 3)
					a := c.good()
					if n := half.Load(); n > 0 && uint64(n) == c.number() {
						a.edit(func(m map[string]any) { m["length_m"] = json.Number("1") })
					}
					c.give(a)
				}))
		}()},
		{Name: "berth-puts-all-create", Says: "PUTs of one new berth at the same time all answer 201", Finds: []string{"race/one-put-makes-it"}, Resource: "berths", middleware: busy("PUT", "/berths/*", func(c *call, n int64) {
			time.Sleep(window)
			a := c.good()
			if n > 1 && a.Status == http.StatusOK {
				a.Status = http.StatusCreated
			}
			c.give(a)
		})},
		{Name: "berth-puts-collide", Says: "PUTs of one new berth at the same time answer 500", Finds: []string{"race/one-put-makes-it"}, Resource: "berths", middleware: busy("PUT", "/berths/*", func(c *call, n int64) {
			time.Sleep(window)
			if n > 1 {
				refuse(c.w, c.r, http.StatusInternalServerError, "there is such a row")
				return
			}
			c.give(c.good())
		})},
	}
}
