package roam

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"reflect"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/engine"
	"usualpath/internal/core/event"
	"usualpath/internal/core/project"
	"usualpath/internal/core/resource"
)

// shed is a small service in memory, with faults that can be switched on.
type shed struct {
	mu    sync.Mutex
	items map[string]map[string]any
	gone  map[string]map[string]any
	order []string
	next  int
	// writes counts those of each item.
	writes map[string]int
	fault  string
	// slow is how long an answer takes, busy how many requests come between two that
	// are answered 429.
	slow time.Duration
	busy int
	n    int
	lost int
	// wraps makes it list with a total, by pages.
	wraps bool
}

func newShed(fault string) *shed {
	s := &shed{items: map[string]map[string]any{}, gone: map[string]map[string]any{}, writes: map[string]int{}, next: 5, fault: fault}
	s.items["1"], s.order = map[string]any{"id": 1, "tool": "the user's own", "worn": 0, "hook": "A1"}, []string{"1"}
	return s
}

func (s *shed) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	time.Sleep(s.slow)
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.n++; s.busy > 0 && s.n%s.busy == 0 {
		w.Header().Set("Retry-After", "0")
		w.WriteHeader(http.StatusTooManyRequests)
		return
	}
	var in map[string]any
	if data, _ := io.ReadAll(r.Body); len(data) > 0 && json.Unmarshal(data, &in) != nil {
		w.WriteHeader(http.StatusBadRequest)
		return
	}
	id := strings.TrimPrefix(r.URL.Path, "/tools/")
	switch item := s.items[id]; {
	case r.URL.Path == "/tools" && r.Method == "GET":
		list := []any{}
		for _, at := range s.order {
			if s.items[at] != nil {
				list = append(list, s.items[at])
			}
		}
		if s.fault == "hides the third" && len(list) > 4 {
			list = append(list[:3], list[4:]...)
		}
		if !s.wraps {
			s.say(w, 200, list)
			return
		}
		s.page(w, r, list)
	case r.URL.Path == "/tools" && r.Method == "POST":
		s.make(w, in)
	case item == nil && s.gone[id] != nil && s.fault == "revives" && r.Method == "PATCH":
		s.items[id] = s.gone[id]
		w.WriteHeader(http.StatusNotFound)
	case item == nil:
		w.WriteHeader(http.StatusNotFound)
	case r.Method == "GET" || r.Method == "HEAD":
		s.say(w, 200, item)
	case r.Method == "PUT" || r.Method == "PATCH":
		s.write(w, r.Method, id, item, in)
	case r.Method == "DELETE" && s.fault == "cannot delete" && s.writes[id] > 2:
		w.WriteHeader(http.StatusConflict)
	case r.Method == "DELETE" && s.fault == "keeps all":
		w.WriteHeader(http.StatusConflict)
	case r.Method == "DELETE":
		delete(s.items, id)
		s.gone[id] = item
		w.WriteHeader(http.StatusNoContent)
	}
}

// page shows a part of the list, and how long it is.
func (s *shed) page(w http.ResponseWriter, r *http.Request, list []any) {
	total := len(list)
	if s.fault == "counts to six" {
		total = min(total, 6)
	}
	limit, _ := strconv.Atoi(r.FormValue("limit"))
	offset, _ := strconv.Atoi(r.FormValue("offset"))
	if list = list[min(offset, len(list)):]; limit > 0 && limit < len(list) {
		list = list[:limit]
	}
	if s.fault == "loses on pages" && limit > 0 && limit < 4 && offset == 3 && len(list) > 0 {
		list = list[1:]
	}
	s.say(w, 200, map[string]any{"tools": list, "total": total})
}

func (s *shed) say(w http.ResponseWriter, status int, v any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(v) // the other side may be gone
}

func (s *shed) make(w http.ResponseWriter, in map[string]any) {
	tool, _ := in["tool"].(string)
	if tool == "" {
		w.WriteHeader(http.StatusUnprocessableEntity)
		return
	}
	for _, one := range s.items {
		if one["tool"] == tool {
			w.WriteHeader(http.StatusConflict)
			return
		}
	}
	s.next++
	id := strconv.Itoa(s.next)
	in["id"] = s.next
	s.items[id], s.order = in, append(s.order, id)
	if s.fault == "forgets the fifth" && len(s.items) > 5 {
		delete(in, "hook")
		s.say(w, 201, map[string]any{"id": s.next})
		return
	}
	s.say(w, 201, in)
}

func (s *shed) write(w http.ResponseWriter, method, id string, item, in map[string]any) {
	s.writes[id]++
	n := s.writes[id]
	next := map[string]any{"id": item["id"]}
	if method == "PATCH" {
		next = maps.Clone(item)
	}
	for k, v := range in {
		if next[k] = v; v == nil {
			delete(next, k)
		}
	}
	next["id"] = item["id"]
	switch {
	case s.fault == "fourth is lost" && n == 4:
	case s.fault == "once" && s.lost < 1 && n > 2 && !maps.Equal(item, next):
		s.lost++
	case s.fault == "harms" && n == 1:
		s.items[id] = next
		s.items["1"]["worn"] = s.items["1"]["worn"].(int) + 1
		s.lost++
	case s.fault == "third breaks" && n == 3:
		w.WriteHeader(http.StatusInternalServerError)
		return
	case s.fault == "writes the first" && n == 2 && len(s.order) > 2:
		s.items[id] = next
		for _, at := range s.order[1:] {
			if s.items[at] != nil && at != id {
				s.items[at]["worn"] = 77
				break
			}
		}
	default:
		s.items[id] = next
	}
	s.say(w, 200, next)
}

const tools = `resource tools
  collection /tools
  make { "tool": "Rake {turn}", "worn": 1, "hook": "B2" }
  remake { "tool": "Rake {turn}", "worn": 2, "hook": "C3" }
  amend { "worn": 3 }
  assigned id
  required tool
  unique tool
`

const wrapped = "  members $.tools[*]\n  total $.total\n  paging limit, offset\n"

// roams walks a service for a while, and gives what came of it, with all events.
func roams(t *testing.T, h http.Handler, text string, o *Options, seed uint64) (*Outcome, []event.Event) {
	t.Helper()
	server := httptest.NewServer(h)
	t.Cleanup(server.Close)
	dir := t.TempDir()
	name := filepath.Join(dir, "tools.upath")
	require.NoError(t, os.WriteFile(name, []byte("base "+server.URL+"\n\n"+text), 0o600))
	p, list := resource.Load([]string{name}, project.Options{})
	require.Empty(t, p.Diagnostics)
	var out *Outcome
	var events []event.Event
	engine.Run(context.Background(), p, engine.Options{Workers: 1, StopEarly: true, Level: "must", Seed: seed, Timeout: 2 * time.Second, Tool: "test",
		Select: engine.Selection{Chosen: func(*project.Scenario) bool { return false }},
		Emit:   func(e event.Event) { events = append(events, e) },
		Roam:   func(d *engine.Drive) { out = Roam(d, list, o) }})
	require.NotNil(t, out)
	return out, events
}

func TestWhatIsFound(t *testing.T) {
	for fault, c := range map[string]struct {
		kind  Kind
		steps int
		title string
	}{
		"fourth is lost":    {Unwritten, 6, "a write was acknowledged and is not there"},
		"third breaks":      {Broken, 4, "a server error"},
		"cannot delete":     {Refused, 8, "refused, although what reads the same is served"},
		"revives":           {CameBack, 4, "there again after a delete"},
		"writes the first":  {Unasked, 6, "a change that nobody asked for"},
		"forgets the fifth": {Unwritten, 6, "after a create: hook"},
		"hides the third":   {Unlisted, 6, "its list does not show it"},
		"counts to six":     {Miscounted, 9, "the total contradicts the list"},
		"loses on pages":    {Mispaged, 4, "the pages do not show each item once, after a create"},
	} {
		t.Run(fault, func(t *testing.T) {
			t.Parallel()
			s := newShed(fault)
			text := tools
			if s.wraps = c.kind == Miscounted || c.kind == Mispaged; s.wraps {
				text += wrapped
			}
			out, events := roams(t, s, text, &Options{For: 10 * time.Second, Clients: 1}, 11)
			require.NotEmpty(t, out.Findings)
			f := out.Findings[0]
			assert.Equal(t, c.kind, f.Kind, f.Text)
			assert.Contains(t, f.Title, c.title)
			assert.False(t, f.Once)
			assert.LessOrEqual(t, f.Steps, c.steps, "%s", f.Text)
			assert.Equal(t, 3, f.Shows)
			// It is told as a scenario that failed, with all that is known of it.
			var told *event.ScenarioStarted
			for _, e := range events {
				if st, ok := e.(*event.ScenarioStarted); ok && told == nil {
					told = st
				}
			}
			require.NotNil(t, told)
			require.NotNil(t, told.Found)
			assert.Equal(t, f.Text, told.Found.Text)
			s.mu.Lock()
			defer s.mu.Unlock()
			assert.Equal(t, map[string]any{"id": 1, "tool": "the user's own", "worn": 0, "hook": "A1"}, s.items["1"], "what was there before")
			if fault != "cannot delete" && fault != "revives" {
				assert.Len(t, s.items, 1, "nothing is left behind")
			}
		})
	}
}

// A service that keeps what is to be removed is not filled.
func TestAServiceIsNotFilled(t *testing.T) {
	for fault, says := range map[string]string{"keeps all": "items that it made could not be removed", "": "its items cannot be removed again"} {
		s := newShed(fault)
		text := tools
		if fault == "" {
			text += "  supports list, create, read, replace, amend\n"
		}
		out, _ := roams(t, s, text, &Options{For: 3 * time.Second, Clients: 1}, 11)
		require.Len(t, out.Told.Unwalked, 1)
		assert.Contains(t, out.Told.Unwalked[0].Why, says)
		assert.Less(t, len(s.items), 60)
		assert.Empty(t, out.Findings)
	}
}

// A service that changes what was there before is told of, after one repeat, and
// nothing more is sent.
func TestHarmEndsIt(t *testing.T) {
	s := newShed("harms")
	_, events := roams(t, s, tools, &Options{For: 10 * time.Second, Clients: 1}, 11)
	var told []string
	for _, e := range events {
		if e, is := e.(*event.ScenarioStarted); is {
			told = append(told, e.Title)
		}
	}
	assert.Equal(t, []string{"/tools: what was there before is left alone"}, told)
	s.mu.Lock()
	defer s.mu.Unlock()
	assert.LessOrEqual(t, s.lost, 3, "it is not tried again and again")
	assert.LessOrEqual(t, len(s.items), 2)
}

// What does not show again is told as seen once, and is no failure.
func TestSeenOnce(t *testing.T) {
	out, events := roams(t, newShed("once"), tools, &Options{For: 3 * time.Second, Clients: 1}, 11)
	require.Len(t, out.Findings, 1)
	f := out.Findings[0]
	assert.True(t, f.Once)
	assert.Zero(t, f.Shows)
	assert.Equal(t, mostReplays, f.Tries)
	var verdicts []event.Verdict
	for _, e := range events {
		if st, ok := e.(*event.ScenarioFinished); ok {
			verdicts = append(verdicts, st.Verdict)
		}
	}
	assert.Equal(t, []event.Verdict{event.Blocked}, verdicts)
	assert.Contains(t, f.About, "seen once")
}

// Legal manners are no findings, and what was there before stays.
func TestGoodServicesAreNotAccused(t *testing.T) {
	for name, s := range map[string]*shed{
		"quick": newShed(""),
		"slow":  {slow: 15 * time.Millisecond},
		"busy":  {busy: 7},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			fresh := newShed("")
			fresh.slow, fresh.busy = s.slow, s.busy
			out, _ := roams(t, fresh, tools, &Options{For: 3 * time.Second, Clients: 3}, 5)
			assert.Empty(t, out.Findings)
			assert.Positive(t, out.Steps)
			fresh.mu.Lock()
			defer fresh.mu.Unlock()
			assert.Len(t, fresh.items, 1)
		})
	}
}

// Things that a client cannot see may be reasons to refuse, once: an item that is
// refused is only told of when one that reads the same is served each time.
func TestRulesAreLegal(t *testing.T) {
	for name, rule := range map[string]func(s *shed, method, id string, in map[string]any) int{
		"no more than six": func(s *shed, method, _ string, _ map[string]any) int {
			if method == "POST" && len(s.items) > 6 {
				return http.StatusForbidden
			}
			return 0
		},
		"a hook holds one": func(s *shed, method, id string, in map[string]any) int {
			for at, one := range s.items {
				if at != id && in["hook"] != nil && one["hook"] == in["hook"] && at != "1" && method != "POST" {
					return http.StatusConflict
				}
			}
			return 0
		},
		"worn ones are locked": func(s *shed, method, id string, _ map[string]any) int {
			if it := s.items[id]; it != nil && fmt.Sprint(it["worn"]) == "3" && method == "PUT" {
				return http.StatusLocked
			}
			return 0
		},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			s := newShed("")
			out, _ := roams(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				body, _ := io.ReadAll(r.Body)
				var in map[string]any
				_ = json.Unmarshal(body, &in) // what is no JSON is refused by the shed
				s.mu.Lock()
				status := rule(s, r.Method, strings.TrimPrefix(r.URL.Path, "/tools/"), in)
				s.mu.Unlock()
				if status > 0 {
					w.WriteHeader(status)
					return
				}
				r.Body = io.NopCloser(strings.NewReader(string(body)))
				s.ServeHTTP(w, r)
			}), tools, &Options{For: 3 * time.Second, Clients: 3}, 3)
			var titles []string
			for _, f := range out.Findings {
				titles = append(titles, f.Title+"\n"+f.Text)
			}
			assert.Empty(t, titles)
		})
	}
}

func TestSeedAndStepsSayTheWay(t *testing.T) {
	asked := func(seed uint64) []string {
		s := newShed("")
		var mu sync.Mutex
		var lines []string
		roams(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			mu.Lock()
			lines = append(lines, r.Method+" "+r.URL.RequestURI())
			mu.Unlock()
			s.ServeHTTP(w, r)
		}), tools, &Options{Steps: 200, Clients: 1}, seed)
		return lines
	}
	first := asked(7)
	assert.Greater(t, len(first), 300)
	assert.Equal(t, first, asked(7))
	assert.NotEqual(t, first, asked(8))
}

func TestShorterWays(t *testing.T) {
	list := []int{1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13}
	needed := map[int]bool{3: true, 7: true, 13: true}
	kept := map[int]bool{}
	for _, n := range list {
		kept[n] = true
	}
	tries := 0
	halves(list, func(part []int) bool {
		tries++
		for _, n := range part {
			if needed[n] {
				return false
			}
		}
		for _, n := range part {
			delete(kept, n)
		}
		return true
	})
	assert.Equal(t, needed, kept, "no single one can be left out, and all others were")
	assert.Less(t, tries, 60)
}

func TestMoments(t *testing.T) {
	assert.Equal(t, "turn", number(0))
	assert.Equal(t, "turn + 3", number(3))
	assert.Equal(t, "turn_2", number(perBase))
	assert.Equal(t, "turn_3 + 1", number(2*perBase+1))
	for n, size := range map[int]int{0: 0, 1: 1, 4: 2, 11: 5, 13: 12, 119: 30, 400: 120} {
		assert.Equal(t, size, bucket(n), n)
	}
}

// A member's name is its own, whatever braces are in it.
func TestBodiesAreAsTheyAreNamed(t *testing.T) {
	m := &move{op: opAmend, fields: []field{{`{turn}`, `"a {turn}"`, 1}, {`say "so"`, "null", 1}}}
	assert.Equal(t, `{ "\{turn}": "a {turn + 1}", "say \"so\"": null }`, m.text(&resource.Resource{}))
}

// Each kind of move has all that one has: what is left out is named.
func TestKindsAreWhole(t *testing.T) {
	for o := range ops {
		k := reflect.ValueOf(kinds[o])
		for i := range k.NumField() {
			if f := k.Type().Field(i).Name; f != "of" {
				assert.False(t, k.Field(i).IsZero(), "move %d (%s) has no %s", o, kinds[o].name, f)
			}
		}
	}
}
