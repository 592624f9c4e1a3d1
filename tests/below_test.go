package tests

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
)

// yards is a service whose sheds are below yards.
type yards struct {
	mu    sync.Mutex
	next  int
	there map[string]map[string]any
	// manner says what becomes of the sheds of a yard that is deleted.
	manner string
}

func (y *yards) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	y.mu.Lock()
	defer y.mu.Unlock()
	say := func(status int, v any) {
		w.Header().Set("Content-Type", "application/json")
		w.WriteHeader(status)
		_ = json.NewEncoder(w).Encode(v)
	}
	none := func() { say(404, map[string]any{"error": "not there"}) }
	at := strings.TrimSuffix(r.URL.Path, "/")
	parts := strings.Split(strings.Trim(at, "/"), "/")
	above := ""
	if len(parts) > 2 {
		if above = "/" + parts[0] + "/" + parts[1]; y.there[above] == nil && (y.manner != "keep" || len(parts) < 4) {
			none()
			return
		}
	}
	if len(parts)%2 == 1 {
		switch {
		case parts[0] != "yards" || len(parts) == 3 && parts[2] != "sheds":
			none()
		case r.Method == "GET" || r.Method == "HEAD":
			list := []any{}
			for i := range y.next {
				if v := y.there[at+"/"+strconv.Itoa(i+1)]; v != nil {
					list = append(list, v)
				}
			}
			say(200, list)
		case r.Method == "POST":
			y.write(w, r, say, at, 0)
		default:
			w.Header().Set("Allow", "GET, HEAD, POST")
			say(405, map[string]any{"error": "not so"})
		}
		return
	}
	v := y.there[at]
	switch {
	case v == nil:
		none()
	case r.Method == "GET" || r.Method == "HEAD":
		say(200, v)
	case r.Method == "PUT":
		y.write(w, r, say, at, v["id"].(int))
	case r.Method == "DELETE":
		for k := range y.there {
			if strings.HasPrefix(k, at+"/") {
				if y.manner == "refuse" {
					say(409, map[string]any{"error": "there are sheds"})
					return
				}
				if y.manner == "cascade" {
					delete(y.there, k)
				}
			}
		}
		delete(y.there, at)
		w.WriteHeader(204)
	default:
		w.Header().Set("Allow", "GET, HEAD, PUT, DELETE")
		say(405, map[string]any{"error": "not so"})
	}
}

func (y *yards) write(w http.ResponseWriter, r *http.Request, say func(int, any), at string, id int) {
	in := map[string]any{}
	d := json.NewDecoder(r.Body)
	if !strings.HasPrefix(r.Header.Get("Content-Type"), "application/json") || d.Decode(&in) != nil || d.More() || in["name"] == nil {
		say(422, map[string]any{"error": "name is missing"})
		return
	}
	if name, is := in["name"].(string); !is || name == "" {
		say(422, map[string]any{"error": "name is a text"})
		return
	}
	status := 200
	if id == 0 {
		y.next++
		id, status = y.next, 201
		at += "/" + strconv.Itoa(id)
		w.Header().Set("Location", at)
	}
	out := map[string]any{"id": id, "name": in["name"]}
	y.there[at] = out
	say(status, out)
}

// Whatever becomes of what is below a deleted item, as long as it is said: no
// check complains, and nothing stays behind but what the service keeps.
func TestWhatIsBelowADeletedItem(t *testing.T) {
	for _, c := range []struct{ manner, says string }{{"cascade", ""}, {"refuse", ""}, {"keep", "  keeps children\n"}} {
		t.Run(c.manner, func(t *testing.T) {
			t.Parallel()
			y := &yards{there: map[string]map[string]any{}, manner: c.manner}
			base := service(t, y.ServeHTTP)
			dir := folder(t, "a.upath", fmt.Sprintf("base %s\n\nresource yards\n  collection /yards\n%s  make { \"name\": \"Slip {turn}\" }\n  supports list, create, read, delete\n\nresource sheds\n  under yards\n  collection /yards/{yards.id}/sheds\n  make { \"name\": \"Shed {turn}\" }\n  remake { \"name\": \"Loft {turn}\" }\n  assigned id\n  required name\n  supports list, create, read, replace, delete\n", base, c.says))
			r := run(t, dir, "run", "--level", "usual")
			for _, id := range []string{"orphan", "children-stay-apart", "cannot tell"} {
				assert.NotContains(t, r.out, id)
			}
			assert.NotContains(t, r.out, "left on the service")
			y.mu.Lock()
			defer y.mu.Unlock()
			assert.Empty(t, y.there)
		})
	}
	// What is left below, and is not meant to be, is told.
	y := &yards{there: map[string]map[string]any{}, manner: "keep"}
	base := service(t, y.ServeHTTP)
	dir := folder(t, "a.upath", "base "+base+"\n\nresource yards\n  collection /yards\n  make { \"name\": \"Slip {turn}\" }\n  supports list, create, read, delete\n\nresource sheds\n  under yards\n  collection /yards/{yards.id}/sheds\n  make { \"name\": \"Shed {turn}\" }\n  remake { \"name\": \"Loft {turn}\" }\n  supports list, create, read, replace, delete\n")
	out := run(t, dir, "run", "--check", "absence/orphan-read,absence/orphan-write", "--level", "usual").out
	assert.Contains(t, out, "absence/orphan-read")
	assert.Contains(t, out, "absence/orphan-write")
}
