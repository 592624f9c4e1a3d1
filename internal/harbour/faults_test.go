package harbour

import (
	"fmt"
	"maps"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// tour is a walk along the whole harbour: what the good service answers to it,
// and what each fault changes of that.
var tour = []struct{ line, body, header string }{
	{"GET /boats", "", ""}, {"GET /boats?flag=NL", "", ""}, {"GET /boats?flag=ZZ", "", ""}, {"GET /boats?limit=2", "", ""}, {"GET /boats?limit=2&offset=2", "", ""},
	{"POST /boats", `{"name":"Avocet of Łódź <b>🐧</b>","length_m":7.123456789,"flag":"DK"}`, ""}, {"POST /boats", `{"name":"Avocet of Łódź <b>🐧</b>","length_m":7}`, ""},
	{"GET /boats/13", "", ""}, {"GET /boats/13", "", ""}, {"GET /boats", "", ""}, {"HEAD /boats/13", "", ""}, {"OPTIONS /boats", "", ""}, {"OPTIONS /boats/13", "", ""}, {"GET /boats/13", "", "If-None-Match: \"x\""}, {"GET /boats/13", "", "If-None-Match: *"},
	{"GET /boats/13", "", "Accept: application/x-none"}, {"POST /boats", `{"name":"Knot","length_m":5,"id":77}`, ""}, {"GET /boats/14", "", ""},
	{"PUT /boats/13", `{"name":"Ruff","length_m":8}`, ""}, {"GET /boats/13", "", ""}, {"PUT /boats/13", `{"name":"Ruff","length_m":8}`, ""}, {"GET /boats/13", "", ""}, {"PUT /boats/13", `{"name":"Ruff","length_m":8,"id":90}`, ""}, {"PUT /boats/13", `{"name":"Ruff"}`, ""},
	{"PUT /boats/13", `{"name":"Ruff","length_m":9}`, "If-Match: \"stale\""}, {"PATCH /boats/13", `{"flag":"SE","home_port":"Skagen"}`, ""}, {"GET /boats/13", "", ""}, {"PATCH /boats/13", `{"flag":"SE","home_port":"Skagen"}`, ""}, {"GET /boats/13", "", ""}, {"PATCH /boats/13", `{"flag":null}`, ""}, {"GET /boats/13", "", ""}, {"GET /boats", "", ""},
	{"POST /boats", `{"length_m":5}`, ""}, {"POST /boats", `{"name":"Smew"}`, ""}, {"POST /boats", `{"name":null,"length_m":5}`, ""}, {"POST /boats", `{"name":"Shag","length_m":null}`, ""}, {"PUT /boats/500", `{"name":"Shag","length_m":5}`, ""}, {"GET /boats/3/stays", "", ""}, {"POST /boats", `{"name":5,"length_m":5}`, ""}, {"POST /boats", `[{"name":"Smew","length_m":5}]`, ""}, {"POST /boats", `{"name":"Smew","length_m":5,}`, ""},
	{"POST /boats", `{"name":`, ""}, {"POST /boats", "", "Content-Type: application/json"}, {"POST /boats", `{"name":"Teal","length_m":5}`, "Content-Type: text/plain"}, {"POST /boats", `{"name":"a\u0000b","length_m":5}`, ""}, {"POST /boats", `{"name":"` + strings.Repeat("x", 1<<20) + `","length_m":5}`, ""},
	{"GET /boats/999", "", ""}, {"HEAD /boats/999", "", ""}, {"GET /boats/none", "", ""}, {"GET /boats/0", "", ""}, {"GET /nowhere", "", ""}, {"PUT /boats/999", `{"name":"Ruff","length_m":8}`, ""}, {"PATCH /boats/999", `{"flag":"SE"}`, ""}, {"DELETE /boats/999", "", ""},
	{"PUT /boats", `{}`, ""}, {"MOOR /boats", "", ""}, {"POST /boats/13", `{}`, ""}, {"DELETE /boats/14", "", ""}, {"GET /boats/14", "", ""}, {"DELETE /boats/14", "", ""}, {"PUT /boats/14", `{"name":"Knot","length_m":5}`, ""}, {"PATCH /boats/14", `{"flag":"SE"}`, ""}, {"GET /boats", "", ""}, {"POST /boats", `{"name":"Dotterel","length_m":5}`, ""}, {"POST /boats", `{"name":"Stint","length_m":5}`, ""},
	{"GET /berths/F97", "", ""}, {"PUT /berths/F97", `{"max_length_m":9,"power":true}`, ""}, {"PUT /berths/F97", `{"max_length_m":9,"power":true}`, ""}, {"PUT /berths/F97", `{"max_length_m":10,"power":true}`, "If-None-Match: *"}, {"DELETE /berths/F97", "", ""},
	{"GET /boats/1/stays", "", ""}, {"GET /boats/999/stays", "", ""}, {"POST /boats/2/stays", `{"berth":"F1","from":"2031-06-01","nights":2}`, "Idempotency-Key: k1"}, {"POST /boats/2/stays", `{"berth":"F1","from":"2031-06-01","nights":2}`, "Idempotency-Key: k1"}, {"POST /boats/2/stays", `{"berth":"F1","from":"2031-07-01","nights":3}`, "Idempotency-Key: k1"}, {"POST /boats/2/stays", `{"berth":"F1","from":"2031-08-01","nights":3}`, "Idempotency-Key: k2"}, {"GET /boats/2/stays", "", ""},
	{"GET /log", "", ""}, {"POST /log", `{"text":"x"}`, ""}, {"POST /sessions", `{"name":"pilot","pin":"2468"}`, ""}, {"GET /log", "", "Authorization: Bearer {token}"}, {"POST /log", `{"text":"fog"}`, "Authorization: Bearer {token}"}, {"GET /log/1", "", "Authorization: Bearer {token}"}, {"GET /log/1", "", ""}, {"GET /log/999", "", ""}, {"GET /log", "", "Authorization: Bearer nobody"}, {"DELETE /log/1", "", ""},
	{"GET /tides", "", ""}, {"GET /tides/2026-06-01", "", ""}, {"GET /tides/2026-06-01", "", "Accept: text/csv"}, {"GET /tides/2026-06-01", "", "Accept: application/xml"}, {"GET /tides/none", "", ""}, {"GET /tides/2026-06-01", "", "Accept: application/json"}, {"GET /log/1", "", "Authorization: Bearer {token}"},
}

var tokens = regexp.MustCompile(`"token":"([^"]+)"`)

var when = regexp.MustCompile(`\d{4}-\d\d-\d\dT[0-9:.]+Z|"[0-9a-f]{16}"`)

// walked are the answers to the tour, without what is another in each run.
func walked(t *testing.T, faults ...string) []string {
	s := start(t, Options{SeedData: true, Faults: faults})
	var out []string
	tags, token := map[string]string{}, ""
	for _, r := range tour {
		var headers []string
		if r.header != "" {
			headers = append(headers, strings.ReplaceAll(r.header, "{token}", token))
		}
		a := ask(t, s, r.line, r.body, headers...)
		if found := tokens.FindStringSubmatch(a.body); found != nil {
			token, a.body = found[1], "a token"
		}
		// A tag is told by what it was the tag of before.
		tag := a.header.Get("ETag")
		if tag != "" {
			if tags[tag] == "" {
				tags[tag] = fmt.Sprint("tag ", len(tags))
			}
			a.header.Set("ETag", tags[tag])
		}
		a.header.Del("Date")
		text := fmt.Sprint(r.line, " ", r.header, " ", a.status)
		for _, n := range slices.Sorted(maps.Keys(a.header)) {
			text += "\n" + n + ": " + strings.Join(a.header[n], ", ")
		}
		out = append(out, when.ReplaceAllString(text+"\n"+a.body, "…"))
	}
	return out
}

// A fault that a client never sees is none.
func TestEveryFaultShows(t *testing.T) {
	if os.Getenv("USUALPATH_RACE") != "" {
		t.Skip("the same without the race detector is enough")
	}
	good := walked(t)
	assert.Equal(t, good, walked(t), "the good service answers alike each time")
	for _, f := range Faults() {
		if f.Slow || f.Restart || !slices.ContainsFunc(f.Finds, func(id string) bool { return !strings.HasPrefix(id, "race/") }) {
			continue
		}
		t.Run(f.Name, func(t *testing.T) {
			t.Parallel()
			differ := 0
			for i, text := range walked(t, f.Name) {
				if text != good[i] {
					differ++
				}
			}
			assert.Positive(t, differ, f.Says)
			assert.Less(t, differ, len(tour)*3/4, "one habit, not another service")
		})
	}
}
