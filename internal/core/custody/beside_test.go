package custody

import (
	"context"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/state"
	"usualpath/internal/core/value"
)

// looks reads the list as a scenario sees it.
func (tr *trip) looks(t *testing.T) *Sight {
	t.Helper()
	s, err := tr.Look(boatsList, "observed", false)
	require.NoError(t, err)
	require.Empty(t, s.Problem)
	return s
}

// pair are two scenarios under way at one service.
func pair(t *testing.T, odd string, beside bool) (q *quay, a, b *trip) {
	q = newQuay(t, odd, `{"id": 1, "name": "Auk"}`)
	run := NewRun(Options{Stopped: func() bool { return false }, Harmed: func(*Harm) {}})
	return q, newTrip(t, q, run, 1, How{Check: true, Beside: beside}), newTrip(t, q, run, 2, How{Check: true, Beside: beside})
}

// What another scenario has done to its own items is no effect of this one; anything else is.
func TestWhatOthersExplain(t *testing.T) {
	const mine = `POST /boats {"name": "Tern 123456"}`
	for name, c := range map[string]struct {
		// first and then are what is done before and between two looks: `a ` or `b ` and a request,
		// or `! ` and an item that somebody else puts there, `- ` and one that goes.
		first, then string
		alone       bool
		want        string
	}{
		"the other makes one":             {"", "b " + mine, false, "unchanged"},
		"this one makes one":              {"", "a " + mine, false, "1 gained"},
		"somebody else makes one":         {"", `! {"id": 9, "name": "x"}`, false, "1 gained"},
		"with nothing beside it":          {"", "b " + mine, true, "1 gained"},
		"the other changes its own":       {"b " + mine, `b PATCH /boats/{id} {"n": 1}`, false, "unchanged"},
		"the other has changed it before": {"b " + mine + "\nb PATCH /boats/{id} {}", `! {"id": 51, "name": "x"}`, false, "1 changed"},
		"the other removes its own":       {"b " + mine, "b DELETE /boats/{id}", false, "unchanged"},
		"somebody else removes it":        {"b " + mine, "- 51", false, "1 lost"},
		"somebody else changes it":        {"b " + mine, `! {"id": 51, "name": "x"}`, false, "1 changed"},
		"this one removes its own":        {"a " + mine, "a DELETE /boats/{id}", false, "1 lost"},
		"this one changes its own":        {"a " + mine, `a PATCH /boats/{id} {"n": 1}`, false, "1 changed"},
		"the other names one by PUT":      {"b GET /boats/b2", `b PUT /boats/b2 {"n": 1}`, false, "unchanged"},
		"this one names one by PUT":       {"a GET /boats/b2", `a PUT /boats/b2 {"n": 1}`, false, "1 gained"},
		"in other letters":                {"b GET /boats/Bx2", `b PUT /boats/Bx2 {"n": 1}`, false, "unchanged"},
		"another method":                  {"b " + mine, "b BREW /boats/{id}", false, "unchanged"},
		"a create that is refused":        {"", "b POST /none {}", false, "unchanged"},
		"both make one":                   {"", "a " + mine + "\nb " + mine, false, "1 gained"},
		"the other reads":                 {"b " + mine, "b GET /boats/{id}\n! {\"id\": 51, \"name\": \"x\"}", false, "1 changed"},
		"the other's change is refused":   {"b " + mine, "- 51\nb PATCH /boats/{id} {}\n! {\"id\": 51, \"name\": \"x\"}", false, "1 changed"},
	} {
		t.Run(name, func(t *testing.T) {
			q, a, b := pair(t, "", !c.alone)
			act := func(text string) {
				for _, line := range lines(text) {
					who, what, _ := strings.Cut(line, " ")
					switch who {
					case "a":
						a.do(what)
					case "b":
						b.do(what)
					case "!":
						q.put(decode(t, what))
					case "-":
						q.drop(what)
					}
				}
			}
			act(c.first)
			before := a.looks(t)
			act(c.then)
			after := a.looks(t)
			d := a.s.Explained(a.deck, state.Between(before.S, after.S), List{}, before, after)
			assert.Equal(t, c.want, d.Lines()[0])
		})
	}
}

// Items are those of one service and list; of a list below another those above it count where there
// is none of its own.
func TestItemsOfLists(t *testing.T) {
	o := newOthers()
	o.items["7"] = []*item{{host: "h", list: "/boats", owner: 1}, {host: "h", list: "/boats/mine", owner: 2}, {host: "g", list: "/boats", owner: 3}, {host: "h", list: "/", owner: 4}}
	any := func(*item) bool { return true }
	for _, c := range []struct {
		host, list string
		is         func(*item) bool
		want       []int
	}{
		{"h", "/boats", any, []int{1}}, {"h", "/boats/mine", any, []int{2}}, {"h", "/boats/mine/old", any, []int{1, 2, 4}}, {"g", "/boats", any, []int{3}}, {"x", "/boats", any, nil}, {"h", "/boatsy", any, []int{4}},
		{"h", "/boats/mine", func(i *item) bool { return i.owner != 2 }, []int{1, 4}},
	} {
		var got []int
		for _, i := range o.of("7", c.host, c.list, c.is) {
			got = append(got, i.owner)
		}
		assert.Equal(t, c.want, got, "%s%s", c.host, c.list)
	}
	assert.Empty(t, o.of("8", "h", "/boats", any))
}

// What others have under way is waited for, not longer than the run.
func TestWaitingForOthers(t *testing.T) {
	request := func(b *trip, method, at, body string) *exchange.Request {
		r := &exchange.Request{Method: method, URL: quayURL + at, Body: []byte(body)}
		b.s.Sent(b.deck, []*exchange.Request{r})
		return r
	}
	for name, c := range map[string]struct {
		first, method, at, body string
		// open tells that it is to be waited for.
		open bool
	}{
		"a create":                  {"", "POST", "/boats", `{"name": "Tern 123456"}`, true},
		"a create in another list":  {"", "POST", "/berths", `{}`, false},
		"a read":                    {"", "GET", "/boats", "", false},
		"a delete of its own":       {`POST /boats {"name": "Tern 123456"}`, "DELETE", "/boats/51", "", true},
		"a delete of nobody's item": {"", "DELETE", "/boats/99", "", false},
	} {
		t.Run(name, func(t *testing.T) {
			q, a, b := pair(t, "", true)
			if c.first != "" {
				b.do(c.first)
			}
			before := a.looks(t)
			r := request(b, c.method, c.at, c.body)
			x := q.serve(r)
			after := a.looks(t)
			done := make(chan string)
			go func() {
				a.s.Effects([]*expect.Reply{nil}, nil, map[string]*Sight{"boats": after})
				done <- a.s.Explained(a.deck, state.Between(before.S, after.S), List{}, before, after).Lines()[0]
			}()
			early := ""
			select {
			case early = <-done:
				assert.False(t, c.open, "it was waited for")
			case <-time.After(50 * time.Millisecond):
				assert.True(t, c.open, "it was not waited for")
			}
			b.s.Answered(b.deck, []*expect.Reply{expect.NewReply(x)}, []event.Sent{{Exchange: x}}, 0)
			if early == "" {
				early = <-done
			}
			assert.Equal(t, "unchanged", early)
		})
	}
	// What is under way of its own is not waited for, nor what is elsewhere.
	_, own, _ := pair(t, "", true)
	seen := own.looks(t)
	request(own, "POST", "/boats", `{"name": "Tern 123456"}`)
	own.s.Effects([]*expect.Reply{nil}, nil, map[string]*Sight{"boats": seen})
	_, there, other := pair(t, "", true)
	elsewhere := *there.looks(t)
	elsewhere.Host = "127.0.0.1:9"
	request(other, "POST", "/boats", `{"name": "Tern 246912"}`)
	there.s.Effects([]*expect.Reply{nil}, nil, map[string]*Sight{"boats": &elsewhere})
	// A run that ends waits for nothing.
	_, a, b := pair(t, "", true)
	after := a.looks(t)
	request(b, "POST", "/boats", `{"name": "Tern 123456"}`)
	ctx, cancel := context.WithCancel(context.Background())
	a.s.ctx = ctx
	time.AfterFunc(20*time.Millisecond, cancel)
	a.s.Effects([]*expect.Reply{nil}, nil, map[string]*Sight{"boats": after})
}

// A scenario whose item others have changed is run once more.
func TestDisturbed(t *testing.T) {
	for name, c := range map[string]struct {
		made, own, shown string
		want             bool
	}{
		"as it was made":    {`{"name": "Tern 123456", "n": 1}`, "", `{"id": 51, "name": "Tern 123456", "n": 1}`, false},
		"with more":         {`{"name": "Tern 123456"}`, "", `{"id": 51, "name": "Tern 123456", "n": 1}`, false},
		"otherwise":         {`{"name": "Tern 123456", "n": 1}`, "", `{"id": 51, "name": "Tern 123456", "n": 2}`, true},
		"with less":         {`{"name": "Tern 123456", "n": 1}`, "", `{"id": 51, "name": "Tern 123456"}`, false},
		"changed by itself": {`{"name": "Tern 123456", "n": 1}`, `PATCH /boats/51 {}`, `{"id": 51, "name": "Tern 123456", "n": 2}`, false},
		"deleted by itself": {`{"name": "Tern 123456", "n": 1}`, `DELETE /boats/51`, `{"id": 51, "name": "Tern 123456", "n": 2}`, false},
		"another item":      {`{"name": "Tern 123456", "n": 1}`, "", `{"id": 52, "name": "Tern 123456", "n": 2}`, false},
	} {
		t.Run(name, func(t *testing.T) {
			q, a, _ := pair(t, "", true)
			a.do("POST /boats " + c.made)
			if c.own != "" {
				a.do(c.own)
			}
			q.put(decode(t, c.shown))
			s := a.looks(t)
			a.s.Explained(a.deck, &state.Delta{}, List{}, s, s)
			assert.Equal(t, c.want, a.s.Disturbed())
		})
	}
	for _, c := range []struct{ sent, shown, want string }{
		{`{"a": 1, "b": 2}`, `{"a": 1.0, "b": 3, "c": 4}`, "a"}, {`{"a": 1}`, `[1]`, ""}, {`[1]`, `{"a": 1}`, ""}, {`{`, `{"a": 1}`, ""}, {`{"a": 1}`, `{`, ""},
	} {
		r := expect.NewReply(&exchange.Exchange{Request: &exchange.Request{Body: []byte(c.sent)}, Answer: &exchange.Answer{Body: []byte(c.shown)}})
		var names []string
		for n := range shownAsSent(r) {
			names = append(names, n)
		}
		assert.Equal(t, c.want, strings.Join(names, " "), "%s and %s", c.sent, c.shown)
	}
	reply := func(status int) *expect.Reply {
		return expect.NewReply(&exchange.Exchange{Request: &exchange.Request{}, Answer: &exchange.Answer{Status: status}})
	}
	silent := expect.NewReply(&exchange.Exchange{Request: &exchange.Request{}, Failure: &exchange.Failure{}})
	for _, c := range []struct {
		replies []*expect.Reply
		n       int
		acted   bool
	}{{[]*expect.Reply{reply(200)}, 0, true}, {[]*expect.Reply{reply(404)}, 0, false}, {[]*expect.Reply{reply(500)}, 0, true}, {[]*expect.Reply{reply(404)}, 1, true}, {[]*expect.Reply{nil}, 0, true}, {[]*expect.Reply{silent}, 0, true}, {[]*expect.Reply{reply(404), reply(200)}, 1, true}} {
		assert.Equal(t, c.acted, acted(c.replies, c.n))
	}
	assert.True(t, CanName(value.NewInt(1)) && CanName(value.NewString("a")) && !CanName(nil) && !CanName(value.NewNull()))
}

// What a run has made is its own in that list only, and never what stood there at first.
func TestWhatARunHasMade(t *testing.T) {
	_, a, _ := pair(t, "", false)
	a.do(mine)
	r := a.run
	assert.True(t, r.ours(boatsList, "51"))
	assert.False(t, r.ours(List{Host: boatsList.Host, Path: "/berths"}, "51"), "another list has names of its own")
	r.ledger.add(boatsList.Host, "/boats/1", "")
	assert.False(t, r.ours(boatsList, "1"), "it was there before the run")
}

// What one scenario has made, another may remove that it was lent to, and give back.
func TestLending(t *testing.T) {
	q, a, b := pair(t, "", false)
	a.do(mine)
	a.do("GET /boats/66")
	a.do("GET /boats/51")
	a.do("GET /boats/77")
	a.do(`PUT /boats/77 {"n": 1}`)
	assert.Contains(t, b.do("DELETE /boats/51"), "held")
	b.s.own.made["/x"] = 1
	a.s.Lend(a.deck, b.s)
	assert.Empty(t, b.s.own.made)
	assert.True(t, b.s.own.gone["/boats/66"] && b.s.own.shown["/boats/51"] && b.s.drawn.In("123456"))
	assert.Equal(t, a.s.own.paths, b.s.own.paths)
	assert.Equal(t, a.s.own.names, b.s.own.names)
	assert.Equal(t, "204", b.do("DELETE /boats/77"))
	assert.Equal(t, "204", b.do("DELETE /boats/51"))
	assert.Contains(t, b.do("DELETE /boats/1"), "was there before")
	b.s.drawn.Note(value.NewInt(777777))
	b.do("PUT /boats/boat777777 {\"n\": 1}")
	b.do(mine)
	_, named := a.s.own.of("/boats/52")
	assert.False(t, named)
	a.s.own.seen["/boats"] = a.view.Absent()
	b.s.Return(a.s)
	assert.True(t, a.s.own.proven["/boats/boat777777"])
	assert.True(t, a.s.drawn.In("777777"), "what the other has drawn")
	assert.Equal(t, map[string]int{"/boats": 4}, a.s.own.made)
	assert.Empty(t, a.s.own.seen, "what was seen before does not show what has come")
	assert.Contains(t, a.s.own.paths, "/boats/52")
	assert.Contains(t, a.s.own.names, "52")
	assert.Equal(t, "204", a.do("DELETE /boats/52"))
	assert.Equal(t, "1 boat777777", q.items())
	b.s.Forget(b.deck)
	_, known := a.run.watch.lists[boatsList.key()]
	assert.True(t, known, "a list below nothing stays known")
	b.lists = []List{{Host: boatsList.Host, Path: "/boats", Written: "/{x}", Keyed: true}}
	b.s.Forget(b.deck)
	_, known = a.run.watch.lists[boatsList.key()]
	assert.False(t, known)
	assert.Empty(t, a.run.watch.asked)
}
