package harbour

import (
	"encoding/json"
	"fmt"
	"net/http"
	"sync"
	"sync/atomic"
	"time"
)

// window is how long a careless service leaves between a check and the write
// that relies on it.
const window = 30 * time.Millisecond

// raceFaults are about requests that come at the same time.
func raceFaults() []Fault {
	return []Fault{
		{Name: "creates-collide", Says: "boats made at the same time may get the same id",
			Finds: []string{"race/creates-together"},
			// What it moves onto a neighbour's item stays broken.
			Also: []string{"limits/edge-is-taken"},
			middleware: func() middleware {
				var busy atomic.Int64
				var order sync.Mutex
				return on("POST", "/boats", func(c *call) {
					// Who is first has the smallest id, whatever else runs: so two meet.
					order.Lock()
					n := busy.Add(1)
					defer busy.Add(-1)
					a := c.good()
					order.Unlock()
					time.Sleep(window)
					if id := a.id(); n > 1 && a.Status == http.StatusCreated {
						c.h.store.writing.Lock()
						c.h.move(id, id-1)
						c.h.store.writing.Unlock()
						a.edit(func(m map[string]any) { m["id"] = id - 1 })
						a.Fields.Set("Location", fmt.Sprintf("/boats/%d", id-1))
					}
					c.give(a)
				})
			}()},
		{Name: "deletes-collide", Says: "deletes of one boat at the same time answer 500",
			Finds: []string{"race/deletes-together"}, Also: []string{"race/deletes-say-once"},
			middleware: func() middleware {
				var busy atomic.Int64
				return on("DELETE", "/boats/*", func(c *call) {
					n := busy.Add(1)
					defer busy.Add(-1)
					time.Sleep(window)
					a := c.good()
					if n > 1 {
						a.Status = http.StatusInternalServerError
						a.Say("application/problem+json", `{"type":"about:blank","title":"Internal Server Error","status":500}`)
					}
					c.give(a)
				})
			}()},
		{Name: "replaces-tear", Says: "replaces at the same time are mixed: the name of one, the port of another",
			Finds: []string{"race/replaces-together"},
			middleware: func() middleware {
				var busy atomic.Int64
				return on("PUT", "/boats/*", func(c *call) {
					n := busy.Add(1)
					defer busy.Add(-1)
					a := c.good()
					time.Sleep(window)
					if n > 1 && a.Status == http.StatusOK {
						c.h.store.writing.Lock()
						c.h.change(a.id(), func(b *Boat) {
							var port string
							if json.Unmarshal(c.members()["home_port"], &port) == nil {
								b.HomePort = &port
							} else {
								b.LengthM = "1"
							}
						})
						c.h.store.writing.Unlock()
					}
					c.give(a)
				})
			}()},
		{Name: "unique-races", Says: "boats of one name made at the same time are all stored",
			Finds: []string{"race/unique-together"},
			middleware: func() middleware {
				var busy atomic.Int64
				return on("POST", "/boats", func(c *call) {
					n := busy.Add(1)
					time.Sleep(window)
					defer busy.Add(-1)
					a := c.good()
					if a.Status == http.StatusConflict && n > 1 {
						a = c.h.forced(c)
					}
					c.give(a)
				})
			}()},
	}
}

// durabilityFaults only show when the service is started anew.
func durabilityFaults() []Fault {
	return []Fault{
		{Name: "lost-on-restart", Says: "what was written is gone after a restart",
			Finds: []string{"durability/survives-restart"}, Also: []string{"durability/ids-after-restart", "durability/survives-kill"}, Restart: true},
		{Name: "lost-on-kill", Says: "what was written is gone when the process is killed",
			Finds: []string{"durability/survives-kill"}, Restart: true},
		{Name: "ids-start-again", Says: "ids start again from 1 after a restart, over what is there",
			Finds: []string{"durability/ids-after-restart"}, Also: []string{"durability/survives-kill", "durability/survives-restart"}, Restart: true},
	}
}
