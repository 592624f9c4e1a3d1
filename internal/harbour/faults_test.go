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
	// What is asked of lists, and of names that nobody has.
	{"GET /boats?limit=many", "", ""}, {"GET /boats?limit=0", "", ""}, {"GET /boats?offset=-1", "", ""}, {"GET /boats?sort=none", "", ""}, {"GET /boats?filter=%27", "", ""}, {"GET /boats?flag=%27%20OR%20%271", "", ""}, {"GET /boats?flag=%27", "", ""}, {"HEAD /boats", "", ""},
	{"GET /boats/constructor", "", ""}, {"GET /boats/__proto__", "", ""}, {"GET /boats/" + strings.Repeat("n", 300), "", ""}, {"GET /boats/" + strings.Repeat("n", 2000), "", ""}, {"GET /boats/no%C3", "", ""}, {"GET /boats/no%C0%AE", "", ""},
	{"POST /boats", `{"name":"Twite","length_m":5}`, "Content-Encoding: x-gull-feathers"}, {"POST /boats", `{"name":"Twite","length_m":5}`, "Content-Encoding: gzip"}, {"POST /boats", `{"id":13,"name":"Twite","length_m":6}`, ""}, {"GET /boats/13", "", ""},
	{"GET /boats/13", "", "Accept: application/json;q=high"}, {"GET /boats/13", "", "Accept: ,,;,"},
	// Names that come and go.
	{"POST /boats", `{"name":"Redpoll","length_m":5}`, ""}, {"POST /boats", `{"name":"Siskin","length_m":5}`, ""}, {"PUT /boats/19", `{"name":"Siskin","length_m":5}`, ""}, {"PATCH /boats/19", `{"name":"Siskin"}`, ""}, {"PATCH /boats/19", `{"name":"Redpoll"}`, ""}, {"PATCH /boats/19", `{"name":"Serin"}`, ""}, {"POST /boats", `{"name":"Redpoll","length_m":5}`, ""}, {"POST /boats", `{"name":"Serin","length_m":5}`, ""}, {"DELETE /boats/20", "", ""}, {"POST /boats", `{"name":"Siskin","length_m":5}`, ""},
	// Writes over writes.
	{"PUT /boats/19", `{"name":"Serin","length_m":0}`, ""}, {"PATCH /boats/19", `{"length_m":0}`, ""}, {"PATCH /boats/19", `{"flag":""}`, ""}, {"PATCH /boats/19", `{"flag":"SE"}`, ""}, {"PATCH /boats/19", `{"home_port":"Reed Haven"}`, ""}, {"GET /boats/19", "", ""},
	{"PUT /boats/19", `{"name":"Serin & Linnet","length_m":5.5}`, ""}, {"PUT /boats/19", `{"name":"Serin & Linnet","length_m":5.5}`, ""}, {"PUT /boats/19", `{"name":"Serin & Linnet","length_m":5.5}`, ""}, {"GET /boats/19", "", ""}, {"PATCH /boats/19", `{"flag":"SE"}`, ""}, {"GET /boats/19", "", ""},
	{"PUT /boats/19", `{"name":"Serin","length_m":7.5,"home_port":"Reed Haven","registered_at":"2026-01-01T00:00:00Z"}`, ""}, {"GET /boats/19", "", ""}, {"PUT /boats/19", `{"name":"Serin","length_m":5.5}`, ""}, {"PUT /boats/19", `{"name":"Serin","length_m":5.5}`, ""}, {"GET /boats/19", "", ""},
	// Berths of near and odd names.
	{"PUT /berths/F12", `{"max_length_m":9,"power":true}`, ""}, {"GET /berths/F120", "", ""}, {"PUT /berths/F120", `{"max_length_m":8,"power":true}`, ""}, {"PUT /berths/f12", `{"max_length_m":7,"power":true}`, ""}, {"PUT /berths/aF12", `{"max_length_m":6,"power":true}`, ""}, {"PUT /berths/F12.b", `{"max_length_m":5,"power":true}`, ""}, {"PUT /berths/F12%20b", `{"max_length_m":5,"power":true}`, ""}, {"PUT /berths/F12+b", `{"max_length_m":5,"power":true}`, ""},
	{"PUT /berths/F12%25b", `{"max_length_m":5,"power":true}`, ""}, {"PUT /berths/F12%C3%A9", `{"max_length_m":5,"power":true}`, ""}, {"PUT /berths/F12;b", `{"max_length_m":5,"power":true}`, ""}, {"GET /berths/F12", "", ""}, {"DELETE /berths/F120", "", ""}, {"GET /berths/F12", "", ""}, {"PUT /berths/F12", `{"max_length_m":0,"power":true}`, ""}, {"PATCH /berths/F12", `{"power":false}`, ""},
	// Stays of boats that are gone, and of others.
	{"POST /boats/19/stays", `{"berth":"F1","from":"2032-06-01","nights":2}`, "Idempotency-Key: k9"}, {"POST /boats/2/stays", `{"berth":"F1","from":"2033-06-01","nights":2}`, "Idempotency-Key: k9"}, {"GET /boats/19/stays", "", ""}, {"GET /boats/1/stays/7", "", ""}, {"DELETE /boats/1/stays/7", "", ""}, {"GET /boats/19/stays/7", "", ""}, {"PATCH /boats/19/stays/7", `{"nights":3}`, ""}, {"POST /boats/19/stays", `{"berth":"F1","from":"2032-06-01","nights":2}`, "Idempotency-Key: k9"},
	{"DELETE /boats/19", "", ""}, {"GET /boats/19/stays/7", "", ""}, {"POST /boats/19/stays", `{"berth":"F1","from":"2034-06-01","nights":2}`, ""}, {"PUT /boats/19/stays/7", `{"berth":"F1","from":"2034-06-01","nights":2}`, ""}, {"PATCH /boats/19/stays/7", `{"nights":3}`, ""}, {"POST /boats", `{"name":"Knot again","length_m":5}`, ""}, {"GET /boats/23/stays", "", ""},
	// Values on limits, and beyond.
	{"POST /boats", `{"name":"` + strings.Repeat("n", 60) + `","length_m":5}`, ""}, {"POST /boats", `{"name":"q","length_m":5}`, ""}, {"POST /boats", `{"name":"Dunnock 3","length_m":60}`, ""}, {"POST /boats", `{"name":"Dunnock 4","length_m":0.1}`, ""},
	{"POST /boats", `{"name":"Dunnock 5","draught_m":60,"length_m":5}`, ""}, {"POST /boats", `{"name":"Dunnock 6","draught_m":null,"length_m":5}`, ""}, {"POST /boats", `{"name":"Dunnock 7","home_port":"` + strings.Repeat("p", 60) + `","length_m":5}`, ""}, {"POST /boats", `{"name":"Dunnock 8","flag":"DK","length_m":5}`, ""},
	{"POST /boats", `{"name":"` + strings.Repeat("🚢", 52) + `12345678","length_m":5}`, ""}, {"POST /boats", `{"name":"` + strings.Repeat("n", 61) + `","length_m":5}`, ""}, {"POST /boats", `{"name":"","length_m":5}`, ""}, {"POST /boats", `{"name":"Dunnock 12","length_m":60.1}`, ""},
	{"POST /boats", `{"name":"Dunnock 13","length_m":0}`, ""}, {"POST /boats", `{"name":"Dunnock 14","draught_m":0,"length_m":5}`, ""}, {"POST /boats", `{"name":"Dunnock 15","flag":"dk","length_m":5}`, ""}, {"POST /boats", `{"name":"Dunnock 16","flag":"D","length_m":5}`, ""},
	{"POST /boats", `{"name":"Dunnock 17","home_port":"","length_m":5}`, ""}, {"POST /boats", `{"name":"Dunnock 18","home_port":"` + strings.Repeat("p", 61) + `","length_m":5}`, ""}, {"POST /boats", `{"name":"` + strings.Repeat("m", 60) + `","home_port":"` + strings.Repeat("p", 60) + `","length_m":5}`, ""}, {"GET /boats", "", ""},
	{"POST /boats", `{"name":"Dunnock 20","length_m":60,"draught_m":60}`, ""}, {"POST /boats", `{"name":"","flag":"dk","length_m":0,"home_port":""}`, ""}, {"POST /boats", `{"name":"Dunnock 22","gull_unknown":1,"length_m":5}`, ""}, {"POST /boats", `{"name":"Dunnock 23","__proto__":1,"length_m":5}`, ""},
	{"POST /boats", `{"name":"Dunnock 24","NAME":"Wheatear","length_m":5}`, ""}, {"POST /boats", `{"name":"Dunnock 25","gull_deep":[],"length_m":5}`, ""}, {"POST /boats", `{"name":"Dunnock 26","gull_wide":{},"length_m":5}`, ""}, {"POST /boats", `{"name":"Dunnock 27","gull_digits":9,"length_m":5}`, ""},
	{"POST /boats", `{"name":"Dunnock 28","draught_m":1.25,"length_m":5}`, ""}, {"POST /boats", `{"name":"Tern 🚢","length_m":5}`, ""}, {"PUT /boats/1", `{"name":"Arctic Tern","length_m":60}`, ""}, {"PUT /boats/1", `{"name":"Arctic Tern","length_m":60.1}`, ""},
	{"PUT /boats/1", `{"name":"Arctic Tern","length_m":0.1}`, ""}, {"PATCH /boats/1", `{"flag":"Se"}`, ""}, {"POST /boats/2/stays", `{"berth":"F1","from":"2035-01-01","nights":60}`, ""}, {"POST /boats/2/stays", `{"berth":"F1","from":"2035-01-01","nights":61}`, ""},
	{"POST /boats/2/stays", `{"berth":"F1","from":"2035-01-01","nights":0}`, ""}, {"POST /boats/2/stays", `{"berth":"F1","from":"2035-01-01","nights":1.5}`, ""}, {"POST /boats/2/stays", `{"berth":"F1","from":"2028-02-29","nights":1}`, ""}, {"POST /boats/2/stays", `{"berth":"F1","from":"2027-02-30","nights":1}`, ""},
	{"PUT /boats/2/stays/4", `{"berth":"f1","from":"2036-01-01","nights":1}`, ""}, {"PATCH /boats/2/stays/4", `{"berth":"e2"}`, ""}, {"PUT /boats/2/stays/5", `{"berth":"f1","from":"2036-01-01","nights":1}`, ""}, {"PATCH /boats/2/stays/5", `{"berth":"e2"}`, ""},
	{"PUT /boats/2/stays/6", `{"berth":"f1","from":"2036-01-01","nights":1}`, ""}, {"PATCH /boats/2/stays/6", `{"berth":"e2"}`, ""}, {"PUT /boats/2/stays/7", `{"berth":"f1","from":"2036-01-01","nights":1}`, ""}, {"PATCH /boats/2/stays/7", `{"berth":"e2"}`, ""},
	{"PUT /boats/2/stays/8", `{"berth":"f1","from":"2036-01-01","nights":1}`, ""}, {"PATCH /boats/2/stays/8", `{"berth":"e2"}`, ""}, {"PUT /berths/F12", `{"max_length_m":9,"power":true,"notes":""}`, ""}, {"PUT /berths/F12", `{"max_length_m":9,"power":true,"notes":"` + strings.Repeat("n", 500) + `"}`, ""},
	{"PUT /berths/F12", `{"max_length_m":9,"power":true,"notes":"` + strings.Repeat("n", 501) + `"}`, ""}, {"PUT /berths/F12", `{"max_length_m":9,"power":true,"notes":"` + strings.Repeat("n", 300) + `"}`, ""}, {"PATCH /berths/F12", `{"power":true}`, ""}, {"POST /log", `{"text":"` + strings.Repeat("t", 2000) + `"}`, "Authorization: Bearer {token}"},
	{"POST /log", `{"text":""}`, "Authorization: Bearer {token}"},
	// A refusal, and what it left.
	{"PATCH /boats/1", `{"flag":"SE"}`, ""}, {"PUT /boats/1", `{"name":`, ""}, {"GET /boats/1", "", ""},
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
