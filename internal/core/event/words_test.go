package event

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestWordsForCounts(t *testing.T) {
	for n, want := range map[int]string{0: "0 steps", 1: "1 step", 2: "2 steps"} {
		assert.Equal(t, want, Count(n, "step"))
	}
	assert.Equal(t, []string{"step", "steps"}, []string{Word(1, "step"), Word(3, "step")})
	assert.Equal(t, "lifecycle", (&Check{ID: "lifecycle/deleted-is-gone"}).Family())
	v := Verdicts{}
	for _, is := range []Verdict{Held, Failed, Warned, Blocked, Skipped, NotReached} {
		v.add(is)
	}
	assert.Equal(t, Verdicts{All: 6, Held: 1, Failed: 1, Warned: 1, Blocked: 1, Skipped: 1, NotReached: 1}, v)
	assert.Equal(t, 4, v.Ran())
	assert.Equal(t, Verdicts{All: 12, Held: 2, Failed: 2, Warned: 2, Blocked: 2, Skipped: 2, NotReached: 2}, v.Plus(v))
}

// What was touched of a document, in words; operations that it does not have are not counted.
func TestWhatWasTouched(t *testing.T) {
	for name, c := range map[string]struct {
		of       Against
		words    string
		departed string
		short    bool
		failed   int
	}{
		"nothing is described": {Against{}, "0 of 0 operations touched", "", false, 0},
		"one of two": {Against{Operations: []Touched{{Operation: "GET /boats", Requests: 2}, {Operation: "PUT /boats/{id}"}, {Operation: "MOOR /boats", Requests: 1, Beside: true}}},
			"1 of 2 operations touched", "", false, 0},
		"with parts": {Against{Operations: []Touched{{Requests: 1, Parts: 5, Never: []string{"a", "b"}}, {Requests: 1, Parts: 1, Beside: true, Never: []string{"c"}}}},
			"1 of 1 operation touched, 3 of 5 parts of their descriptions", "", false, 0},
		"too few": {Against{Operations: []Touched{{Requests: 1}, {}}, Least: 0.75},
			"1 of 2 operations touched; at least 75% are asked for", "", true, 0},
		"just enough": {Against{Operations: []Touched{{Requests: 1}, {}}, Least: 0.5}, "1 of 2 operations touched", "", false, 0},
		"departures": {Against{Document: "boats.json", Departures: []Departure{{Text: "a"}, {Text: "b", Warns: true}, {Text: "c"}}},
			"0 of 0 operations touched", "2 departures from boats.json, 1 request that it forbids", false, 2},
		"one that is forbidden": {Against{Document: "boats.json", Departures: []Departure{{Text: "b", Warns: true}}},
			"0 of 0 operations touched", "1 request that it forbids", false, 0},
	} {
		assert.Equal(t, c.words, c.of.Words(), name)
		assert.Equal(t, c.departed, c.of.Departed(), name)
		assert.Equal(t, c.short, c.of.Short(), name)
		assert.Len(t, c.of.Failed(), c.failed, name)
	}
	assert.Equal(t, `a.upath:7 step "make"`, (&Departure{File: "a.upath", Line: 7, Step: "make"}).Where())
	assert.Equal(t, []string{"200×3", "404×1"}, (&Touched{Statuses: []Seen{{200, 3}, {404, 1}}}).Said())
	assert.Nil(t, (&Touched{}).Said())
}

// Parts of one run are put together: each departure once, and never what none has touched.
func TestWhatWasTouchedInParts(t *testing.T) {
	a := Against{Document: "boats.json", Least: 0.5,
		Departures: []Departure{{Text: "x", Times: 2}},
		Operations: []Touched{{Operation: "GET /boats", Requests: 1, Statuses: []Seen{{404, 1}}, Never: []string{"200", "500"}}}}
	b := Against{Least: 0.9,
		Departures: []Departure{{Text: "x", Times: 3}, {Text: "y", Times: 1}},
		Operations: []Touched{{Operation: "GET /boats", Requests: 2, Statuses: []Seen{{200, 1}, {404, 1}}, Never: []string{"500"}}, {Operation: "PUT /boats", Requests: 1}}}
	a.Merge(&b)
	assert.Equal(t, Against{Document: "boats.json", Least: 0.9,
		Departures: []Departure{{Text: "x", Times: 5}, {Text: "y", Times: 1}},
		Operations: []Touched{{Operation: "GET /boats", Requests: 3, Statuses: []Seen{{200, 1}, {404, 2}}, Never: []string{"500"}}, {Operation: "PUT /boats", Requests: 1}}}, a)
	a.Merge(&Against{Least: 0.1})
	assert.Equal(t, 0.9, a.Least)
}

// What roaming says of a finding, and of how far it went.
func TestWhatRoamingSays(t *testing.T) {
	for want, f := range map[string]Found{
		"seen once: it did not show again in 5 replays":                 {Once: true, Tries: 5},
		"shows in 4 of 5 replays":                                       {Shows: 4, Tries: 5, Times: 3},
		"shows in 5 of 5 replays, and in 3 rounds with several clients": {Shows: 5, Tries: 5, Times: 3, Moments: make([]Moment, 1)},
		"shows in 1 of 5 replays":                                       {Shows: 1, Tries: 5, Times: 1, Moments: make([]Moment, 1)},
	} {
		assert.Equal(t, want, f.Replays())
	}
	for _, c := range []struct {
		m                     Moment
		bars, who, when, what string
	}{
		{Moment{At: 1500, Client: 1, Text: "PUT /boats/7", Open: []bool{true, false}}, "┐   ", "client 1", "1.5 ms", "PUT /boats/7"},
		{Moment{At: 2000, Client: 2, Text: "204", Answer: true, Open: []bool{true, true}}, "│ ┘ ", "client 2", "2.0 ms", "→ 204"},
		{Moment{Text: "GET /boats/7"}, "", "", "0.0 ms", "GET /boats/7"},
		{Moment{Client: 2, Answer: true, Open: []bool{true, false}}, "│   ", "client 2", "0.0 ms", "→ "},
	} {
		assert.Equal(t, []string{c.bars, c.who, c.when, c.what}, []string{c.m.Bars(), c.m.Who(), c.m.When(), c.m.What()})
	}
	r := Roamed{Steps: 1, Walks: 2, Requests: 30, Replays: 4, Took: 1500, Also: map[string][]string{"b": {"x"}, "a": {"y", "z"}}}
	assert.Equal(t, "roamed: 1 step in 2 walks, 30 requests (4 of them in replays)", r.Words())
	assert.Equal(t, []string{`the steps of "a" also show: y; z`, `the steps of "b" also show: x`}, r.Others())
	assert.Equal(t, 1500*time.Microsecond, r.Duration())
	assert.Equal(t, "boats was not walked: it is in XML", (&Unwalked{"boats", "it is in XML"}).Words())
	for want, w := range map[string]Walked{
		"pairs of writes on one item: 3 of 9":                                 {Pairs: 3, Of: 9},
		"pairs of writes on one item: 0 of 0; 1 round with several clients":   {Rounds: 1},
		"pairs of writes on one item: 1 of 1; 12 rounds with several clients": {Pairs: 1, Of: 1, Rounds: 12},
	} {
		assert.Equal(t, want, w.Tally())
	}
}
