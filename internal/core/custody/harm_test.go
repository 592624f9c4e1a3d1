package custody

import (
	"context"
	"errors"
	"strings"
	"sync"
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

const mine = `POST /boats {"name": "Tern 123456"}`

// told is a run at a quay that keeps what it tells of harm.
func init() { betweenAsks = time.Millisecond }

func told(t *testing.T, odd string, there ...string) (*quay, *Run, *[]*Harm) {
	q := newQuay(t, odd, there...)
	var all []*Harm
	return q, NewRun(Options{Stopped: func() bool { return false }, Harmed: func(h *Harm) { all = append(all, h) }}), &all
}

func ends(t *testing.T, run *Run) string {
	var out []string
	for _, n := range run.LastLook(t.Context(), func() bool { return false }) {
		out = append(out, n.Text)
	}
	return strings.Join(out, "|")
}

// What is gone of what was there is told at once by a walk, which writes there no more.
func TestAWalkSeesHarmAtOnce(t *testing.T) {
	q, run, harm := told(t, "DELETE of nothing removes the first", boats(1, 2, 3)...)
	tr := newTrip(t, q, run, 1, How{Patient: true})
	tr.do(mine)
	assert.False(t, run.Harmed())
	assert.Equal(t, "204", tr.do("DELETE /boats/51"))
	assert.Equal(t, "405", tr.do("BREW /boats/51"))
	assert.False(t, run.Told())
	assert.Equal(t, "204", tr.do("DELETE /boats/99"))
	assert.Equal(t, "held: "+harmText, tr.do(mine), "before it writes once more it looks")
	assert.True(t, run.Told())
	assert.True(t, run.Harmed())
	require.Len(t, *harm, 1)
	h := (*harm)[0]
	assert.Equal(t, "/boats: "+harmText, h.Why())
	assert.Equal(t, []any{0, "/boats", "", "what was sent between two looks at the list", "a.upath", 1}, []any{h.Number, h.List, h.Of, h.Step, h.File, h.Line})
	assert.Equal(t, "DELETE "+quayURL+"/boats/99", h.Sent[h.At].Exchange.Request.Method+" "+h.Sent[h.At].Exchange.Request.URL)
	assert.Equal(t, []string{"1 lost", `- {"id": 1, "name": "Auk"}`, "between two looks at the list, the second after DELETE " + quayURL + "/boats/99"}, h.Observed)
	assert.Len(t, h.By, 1)
	other := newTrip(t, q, run, 2, How{})
	assert.Contains(t, other.do(mine), "held: ")
	// One that is run again because of a doubt is not held back.
	again := newTrip(t, q, run, 3, How{Closely: &Doubt{w: run.watch.lists[boatsList.key()]}})
	assert.Equal(t, "201", again.do(mine))
	around := newTrip(t, q, run, 4, How{})
	around.s.Around = true
	assert.Equal(t, "201", around.do(mine), "nor are steps around it")
}

// A walk looks before it writes where something may have been removed, or after many writes.
func TestWhenAWalkLooks(t *testing.T) {
	q, run, _ := told(t, "", boats(1)...)
	tr := newTrip(t, q, run, 1, How{Patient: true})
	looks := func(line string) int {
		before := q.looks
		tr.do(line)
		return q.looks - before
	}
	assert.Equal(t, 1, looks(mine), "the first time")
	for range mostUnseen - 1 {
		assert.Equal(t, 0, looks(mine))
	}
	assert.Equal(t, 1, looks(mine), "after %d writes", mostUnseen)
	assert.Equal(t, 1, looks("DELETE /boats/51"), "to know whose it is")
	assert.Equal(t, 1, looks(mine), "after a delete")
	assert.Equal(t, 0, looks(mine))
	one := run.watch.lists[boatsList.key()]
	for range 3 * mostUnseen {
		run.watch.lists[boatsList.key()].deletes = 0
		tr.s.how.Patient = false
		tr.do(mine)
	}
	assert.Len(t, one.since, 2*mostUnseen, "only the last are kept")
	assert.False(t, run.unseen("nowhere"))
	one.before = one.before.Only(nil)
	assert.False(t, run.unseen(boatsList.key()), "nothing was there before")
}

// Of two that work at once, one settles what has changed while the other waits.
func TestOneSettlesForAll(t *testing.T) {
	q, run, harm := told(t, "PATCH changes all", boats(1, 2)...)
	a, b := newTrip(t, q, run, 1, How{}), newTrip(t, q, run, 2, How{})
	run.Enters()
	run.Enters()
	a.do(mine)
	b.do(mine)
	assert.Equal(t, "200", a.do(`PATCH /boats/{id} {"n": 1}`))
	a.looks(t)
	require.Len(t, run.watch.doubts, 1)
	var mu sync.Mutex
	var order []string
	note := func(text string) { mu.Lock(); defer mu.Unlock(); order = append(order, text) }
	var all sync.WaitGroup
	all.Go(func() { run.Pause(t.Context()); note("settled"); run.Leaves() })
	time.Sleep(30 * time.Millisecond)
	assert.Empty(t, *harm, "it waits until nobody is about to write")
	all.Go(func() { note("paused"); run.Pause(t.Context()); note("settled"); run.Leaves() })
	all.Wait()
	assert.Equal(t, []string{"paused", "settled", "settled"}, order)
	require.Len(t, *harm, 1)
	assert.Equal(t, "trip 1", (*harm)[0].Of)
	assert.Equal(t, "2 changed", (*harm)[0].Observed[0])
	assert.Equal(t, "and when it was sent once more:", (*harm)[0].Observed[3])
	assert.Equal(t, []int{0, 0}, []int{run.watch.active, run.watch.waiting})
	run.Pause(t.Context())
	assert.Contains(t, b.do(`DELETE /boats/52`), "held")
	// One that leaves without a pause is not waited for.
	q2, run2, harm2 := told(t, "PATCH changes all", boats(1)...)
	c := newTrip(t, q2, run2, 1, How{})
	run2.Enters()
	run2.Enters()
	c.do(mine)
	c.do(`PATCH /boats/{id} {"n": 1}`)
	c.looks(t)
	time.AfterFunc(20*time.Millisecond, run2.Leaves)
	run2.Pause(t.Context())
	assert.Len(t, *harm2, 1)
}

// Whoever may have done it is run once more, the last first; nobody when the run has ended.
func TestWhoIsSuspected(t *testing.T) {
	for name, c := range map[string]struct {
		stopped, suspect bool
		told             string
	}{
		"all that have written": {false, false, "in step 2 of trip 1 changes what it does not name"},
		"the run has ended":     {true, false, "no check of it did so again"},
		"another is named":      {false, true, "in step 1 of trip 9 changes"},
	} {
		t.Run(name, func(t *testing.T) {
			q, run, _ := told(t, "PATCH changes all", boats(1)...)
			run.o.Stopped = func() bool { return c.stopped }
			a, b := newTrip(t, q, run, 1, How{}), newTrip(t, q, run, 2, How{})
			b.do("POST /boats {\"name\": \"Gull 123456\"}")
			a.do(mine)
			a.do(`PATCH /boats/{id} {"n": 1}`)
			b.looks(t)
			require.Len(t, run.watch.doubts, 1)
			assert.Len(t, run.watch.doubts[0].jobs, 2)
			if c.suspect {
				run.Suspect(Writer{ID: 9, Name: "trip 9", Again: func(context.Context, *Doubt) (Deed, bool) {
					x := &exchange.Exchange{Request: &exchange.Request{Method: "PUT", URL: "u"}}
					return Deed{Name: "step 1", Sent: []event.Sent{{Exchange: x}}}, true
				}})
			}
			assert.Contains(t, ends(t, run), c.told)
		})
	}
	// A check that has ended since all was seen to be as it was is not suspected.
	q, run, _ := told(t, "", boats(1)...)
	a, b := newTrip(t, q, run, 1, How{}), newTrip(t, q, run, 2, How{})
	a.do(mine)
	assert.True(t, a.s.Wrote())
	assert.False(t, b.s.Wrote())
	a.over = true
	b.do(mine)
	b.looks(t)
	assert.False(t, a.s.Wrote())
	assert.True(t, b.s.Wrote(), "it is under way")
}

// What cannot be read at the end is told, with the step since which that is so.
func TestTheLastLook(t *testing.T) {
	for name, c := range map[string]struct {
		then, want string
		lost       bool
	}{
		"it can be read":            {"", "", false},
		"not any more":              {"look", "/boats can no longer be read, since step 1 of trip 1: GET /boats was not answered with 200. What this run has left there, and whether what was there before is as it was, cannot be told", false},
		"only at the end":           {"odd", "/boats can no longer be read: GET /boats was not answered with 200. What this run has left there, and whether what was there before is as it was, cannot be told", false},
		"the service has gone away": {"odd", "", true},
		"it could be read again":    {"look, back", "", false},
	} {
		t.Run(name, func(t *testing.T) {
			q, run, _ := told(t, "", boats(1)...)
			tr := newTrip(t, q, run, 1, How{})
			tr.do(mine)
			for _, what := range strings.Split(c.then, ", ") {
				switch what {
				case "odd":
					q.odd = []string{"the list is not read"}
				case "look":
					q.odd = []string{"the list is not read"}
					_, err := tr.Look(boatsList, "observed", false)
					require.NoError(t, err)
					_, err = tr.Look(boatsList, "observed", false)
					require.NoError(t, err)
				case "back":
					q.odd = nil
					tr.looks(t)
					q.odd = []string{""}
				}
			}
			var out []string
			for _, n := range run.LastLook(t.Context(), func() bool { return c.lost }) {
				out = append(out, n.Text)
			}
			assert.Equal(t, c.want, strings.Join(out, "|"))
		})
	}
	// Where nothing was written nothing is looked at; what was noted is told all the same.
	q, run, _ := told(t, "", boats(1)...)
	tr := newTrip(t, q, run, 1, How{})
	tr.do("DELETE /boats/1")
	run.AtEnd(event.Notice{Text: "noted"})
	looks := q.looks
	assert.Equal(t, "noted", ends(t, run))
	assert.Equal(t, looks, q.looks)
	// Only so many items are looked after.
	var many []int
	for i := range mostWatched + 5 {
		many = append(many, 1000+i)
	}
	q, run, _ = told(t, "", boats(many...)...)
	tr = newTrip(t, q, run, 1, How{})
	tr.do("DELETE /boats/2004")
	assert.Equal(t, []string{"/boats: the first 1000 of 1005 items are looked after; all of them are left alone", "/boats: the 1005 items that are there stay as they are"}, tr.told)
	assert.Len(t, run.watch.lists[boatsList.key()].before.Keys, mostWatched)
}

// What a service makes of a request that names nothing is removed at the end, if only this run can
// have sent it.
func TestWhatIsRemovedAtTheEnd(t *testing.T) {
	for name, c := range map[string]struct {
		appears string
		deletes bool
		odd     string
		left    string
		told    string
	}{
		"a text that was sent":        {`{"id": 90, "name": "Tern 123456"}`, true, "", "1", ""},
		"nothing was deleted before":  {`{"id": 90, "name": "Tern 123456"}`, false, "", "1 51 90", "left on the service: POST /boats 51, /boats 90"},
		"a part of a text":            {`{"id": 90, "name": "Tern 123456 jr"}`, true, "", "1 90", "left on the service: /boats 90"},
		"anybody's":                   {`{"id": 90, "name": "Skua"}`, true, "", "1 90", ""},
		"it cannot be read by itself": {`{"id": 90, "name": "Tern 123456"}`, true, "items are forbidden", "1 90", "left on the service: /boats 90"},
		"it is kept":                  {`{"id": 90, "name": "Tern 123456"}`, true, "DELETE keeps", "1 90", "left on the service: /boats 90"},
		"one that was there before":   {`{"id": 1, "name": "Tern 123456"}`, true, "", "1 52", "left on the service: POST /boats 52"},
	} {
		t.Run(name, func(t *testing.T) {
			q, run, _ := told(t, "", boats(1)...)
			tr := newTrip(t, q, run, 1, How{Check: true})
			tr.do(mine)
			if c.deletes {
				require.Equal(t, "204", tr.do("DELETE /boats/51"))
			}
			q.put(decode(t, c.appears))
			q.odd = []string{c.odd}
			run.LastLook(t.Context(), func() bool { return false })
			assert.Equal(t, c.left, q.items())
			assert.Equal(t, c.told, run.TellLeft())
		})
	}
	// What is kept in a state that says so is not told.
	q, run, _ := told(t, "", boats(1)...)
	tr := newTrip(t, q, run, 1, How{Check: true})
	tr.do(`POST /boats {"name": "Tern 123456", "state": "afloat"}`)
	tr.do("DELETE /boats/51")
	q.put(decode(t, `{"id": 51, "name": "Tern 123456", "state": "gone"}`))
	assert.Empty(t, ends(t, run))
	assert.Empty(t, run.TellLeft())
	for _, c := range []struct {
		before, now string
		other       bool
	}{{`{"a": 1}`, `{"a": 2}`, true}, {`{"a": 1}`, `{"a": 1}`, false}, {`{"a": 1}`, `{"b": 2}`, false}, {`{"a": 1}`, `{"a": "Tern 123456"}`, false}, {`[1]`, `{"a": 2}`, false}, {`{"a": 1}`, `[2]`, false}, {`{`, `{"a": 2}`, false}, {`{"a": 1, "b": 1}`, `{"a": 1, "b": 2}`, true}} {
		assert.Equal(t, c.other, run.watch.otherState(c.before, decode(t, c.now)), "%s and %s", c.before, c.now)
	}
	assert.False(t, run.watch.sentThis([]byte("{")))
	long := strings.Repeat("x", mostText-7)
	tr.do(`POST /boats {"name": "` + long + `123456"}`)
	tr.do(`POST /boats {"name": "` + long + `x123456"}`)
	assert.True(t, run.watch.sentThis([]byte(`["`+long+`123456"]`)))
	assert.False(t, run.watch.sentThis([]byte(`["`+long+`x123456"]`)), "a long text is not remembered")
	assert.True(t, run.watch.sentThis([]byte(`{"name": "Tern 123456"}`)))
	assert.False(t, run.watch.sentThis([]byte(`{"state": "afloat"}`)), "anybody may say that")
}

// What other scenarios of the run have put there is not what was there before.
func TestWhatOthersOfTheRunHavePut(t *testing.T) {
	q, run, _ := told(t, "", boats(1)...)
	a := newTrip(t, q, run, 1, How{})
	a.do("GET /boats/a7")
	a.do(`PUT /boats/a7 {"n": 1}`)
	other := List{N: 0, Host: boatsList.Host, Path: "/boats", Written: "/boats/", Keyed: true}
	a.do(mine)
	delete(run.watch.lists, boatsList.key())
	b := newTrip(t, q, run, 2, How{})
	b.lists = []List{other}
	b.do(mine)
	assert.Equal(t, []string{"0.1e1"}, run.watch.lists[other.key()].before.Keys)
}

// Lists that cannot be told apart, or read, and steps that clean up.
func TestSteps(t *testing.T) {
	q, run, _ := told(t, "", boats(1)...)
	tr := newTrip(t, q, run, 1, How{})
	tr.do(mine)
	tr.do("DELETE /boats/51")
	tr.after = true
	assert.Equal(t, "held: nothing to do: it has been removed", tr.do("DELETE /boats/51"))
	tr.after = false
	tr.lists = []List{boatsList, {N: 1, Host: boatsList.Host, Path: "/new", Written: "/new"}}
	assert.Equal(t, "201", tr.do(`POST /new {"name": "Tern 123456"}`), "made elsewhere than it is listed")
	assert.Equal(t, "204", tr.do("DELETE /boats/52"))
	assert.Equal(t, "held: may write to an item that was there before: its name \"Auk\" stands in the list already; write '{turn}' in it, or 'disposable' where all may be lost", tr.do(`POST /new {"name": "Auk"}`))
	nobody := newTrip(t, q, run, 2, How{})
	nobody.lists = nil
	assert.Equal(t, "held: was not made here", nobody.do("DELETE /boats/1"), "a list whose names have no values")

	e := errors.New("no")
	broken := newTrip(t, q, run, 3, How{})
	broken.fails = e
	_, err := broken.s.May(broken.deck, &exchange.Request{Method: "DELETE", URL: quayURL + "/boats/1"})
	assert.ErrorIs(t, err, e)
	why, err := broken.s.May(broken.deck, &exchange.Request{Method: "POST", URL: quayURL + "/boats"})
	assert.ErrorIs(t, err, e)
	assert.Empty(t, why)
	broken.s.how.Guarded = false
	_, err = broken.s.May(broken.deck, &exchange.Request{Method: "DELETE", URL: quayURL + "/boats/1"})
	assert.NoError(t, err, "what is not guarded is not looked at")
	assert.Nil(t, broken.s.Answered(broken.deck, []*expect.Reply{nil}, nil, 0))
}

// A list that is read page by page, while others write to it, may skip an item: that it does not
// show it once more tells that it leaves it out.
func TestWhatAListSkips(t *testing.T) {
	for odd, want := range map[string]bool{"": true, "skips the first for a moment": true, "skips the first": false, "the list is not read": false} {
		q, run, _ := told(t, odd, boats(1, 2)...)
		tr := newTrip(t, q, run, 1, How{})
		one := &watched{List: boatsList, view: tr.view, look: func(bool) *Sight {
			s, err := tr.Look(boatsList, "", false)
			require.NoError(t, err)
			return s
		}}
		assert.Equal(t, want, one.shows([]*value.Value{decode(t, q.item["2"]), decode(t, q.item["1"])}), odd)
		assert.False(t, run.book.Slides(boatsList.kind()))
	}
}

// What changes by itself is told once of a list, in a few lines.
func TestWhatMovesIsToldShortly(t *testing.T) {
	was, is := value.NewObject(), value.NewObject()
	for i := range 9 {
		was.Add(strings.Repeat("a", i+1), value.NewInt(1))
		is.Add(strings.Repeat("a", i+1), value.NewInt(2))
	}
	d := &Doubt{w: &watched{List: boatsList}, delta: &state.Delta{Changed: []state.Change{{Before: was, After: is}, {Before: was, After: is}}}}
	w := &watch{}
	for range 3 {
		w.moved(d)
	}
	require.Len(t, w.ends, 1)
	assert.Regexp(t, `^/boats: what was .*: 2 changed; ~ .*; … and \d+ more; and more of it later$`, w.ends[0].Text)
	assert.Equal(t, 6, strings.Count(w.ends[0].Text, ";"))
}

// What a walk makes of nothing drawn is shown to be its own while the list tells: later it may not.
func TestAWalkProvesAtOnce(t *testing.T) {
	q, run, _ := told(t, "shows its newest three")
	tr := newTrip(t, q, run, 1, How{Patient: true})
	for _, line := range []string{mine, "DELETE /boats/51", `POST /boats {"name": "Pram"}`, mine, mine, mine} {
		assert.NotContains(t, tr.do(line), "held", line)
	}
	assert.True(t, tr.s.own.proven["/boats/52"])
	assert.Equal(t, "204", tr.do("DELETE /boats/52"))
}

// What goes after a delete that was answered 202 is asked for by itself where no list tells: the one
// that was deleted last for a while.
func TestWhatGoesLate(t *testing.T) {
	for name, c := range map[string]struct {
		odd  string
		want string
	}{
		"it has gone": {"DELETE is taken", ""},
		"it stays":    {"DELETE is taken, DELETE keeps", "left on the service: POST /boats 51, POST /boats 52"},
	} {
		q, run, _ := told(t, c.odd, boats(1)...)
		tr := newTrip(t, q, run, 1, How{})
		tr.lists = []List{boatsList}
		tr.lists[0].Keyed = false
		for _, line := range []string{mine, mine, "DELETE /boats/51", "DELETE /boats/52"} {
			tr.do(line)
		}
		ends(t, run)
		assert.Equal(t, c.want, run.TellLeft(), name)
		gone, cancel := context.WithCancel(t.Context())
		cancel()
		asked := len(q.asked)
		run.askForGoing(gone)
		assert.Equal(t, asked, len(q.asked), "nobody waits any more")
	}
}
