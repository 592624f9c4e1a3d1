package custody

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/state"
)

// atOnce sends copies of a request at once; refused is how many of them get no answer.
func (tr *trip) atOnce(t *testing.T, n, silent int, line string) string {
	t.Helper()
	tr.index++
	var requests []*exchange.Request
	for range n {
		requests = append(requests, &exchange.Request{Method: "POST", URL: quayURL + "/boats", Body: []byte(line)})
	}
	why, err := tr.s.May(tr.deck, requests...)
	require.NoError(t, err)
	if why != "" {
		return why
	}
	tr.s.Sent(tr.deck, requests)
	var answers []*expect.Reply
	var sent []event.Sent
	for i, r := range requests {
		x := tr.q.serve(r)
		if i < silent {
			x.Answer, x.Failure = nil, &exchange.Failure{Kind: exchange.SlowAnswer}
		}
		answers, sent = append(answers, expect.NewReply(x)), append(sent, event.Sent{Exchange: x})
	}
	assert.Nil(t, tr.s.Answered(tr.deck, answers, sent, 0))
	return ""
}

// Copies that are sent at once are counted each, and those without an answer are nobody's.
func TestCopies(t *testing.T) {
	q, run, _ := told(t, "shows what was there first", boats(1)...)
	tr := newTrip(t, q, run, 1, How{})
	assert.Empty(t, tr.atOnce(t, 2, 1, `{"name": "Pram"}`))
	assert.Equal(t, map[string]bool{"52": true}, run.book.page(boatsList.kind()).unproven)
	assert.Nil(t, tr.s.taken)
	assert.Contains(t, tr.atOnce(t, 3, 0, `{"name": "Pram"}`), "3 items that cannot be shown to be of this run")
	assert.Empty(t, tr.atOnce(t, 2, 0, `{"name": "Pram"}`))
	assert.Contains(t, tr.atOnce(t, 1, 0, `{"name": "Pram"}`), "3 items that cannot be shown")
	// What is sent once more for the same answer takes no other turn.
	q, run, _ = told(t, "no name", boats(1)...)
	tr = newTrip(t, q, run, 1, How{})
	create := &exchange.Request{Method: "POST", URL: quayURL + "/boats", Body: []byte(`{"name": "Pram"}`)}
	for range 2 {
		why, err := tr.s.May(tr.deck, create)
		require.NoError(t, err)
		assert.Empty(t, why)
		assert.NotNil(t, tr.s.taken)
	}
	tr.s.taken(nil)
	tr.s.taken = nil
	for _, other := range []*exchange.Request{{Method: "POST", URL: quayURL + "/berths"}, {Method: "GET", URL: quayURL + "/boats"}, {Method: "BREW", URL: quayURL + "/boats"}} {
		_, err := tr.s.May(tr.deck, other)
		require.NoError(t, err)
		assert.Nil(t, tr.s.taken, other.URL)
	}
	tr.s.Around = true
	_, err := tr.s.May(tr.deck, create)
	require.NoError(t, err)
	assert.Nil(t, tr.s.taken, "steps around it are not counted")
}

// With others beside it, copies that are refused one by one are told apart.
func TestCopiesBesideOthers(t *testing.T) {
	_, a, b := pair(t, "no name", true)
	before := a.looks(t)
	assert.Empty(t, b.atOnce(t, 2, 0, `{"name": "Tern 246912"}`))
	after := a.looks(t)
	d := a.s.Explained(a.deck, state.Between(before.S, after.S), List{}, before, after)
	assert.Equal(t, "2 gained", d.Lines()[0], "nothing names them")
	_, c, e := pair(t, "", true)
	before = c.looks(t)
	assert.Empty(t, e.atOnce(t, 2, 1, `{"name": "Tern 246912"}`))
	after = c.looks(t)
	d = c.s.Explained(c.deck, state.Between(before.S, after.S), List{}, before, after)
	assert.Equal(t, "1 gained", d.Lines()[0], "one was not answered")
	assert.Empty(t, c.run.others.creating)
	assert.Empty(t, a.run.others.creating)
}

// What is kept of a header names an item of others too.
func TestItemsOfHeaders(t *testing.T) {
	_, a, b := pair(t, "only Location, by header", true)
	before := a.looks(t)
	b.do(`POST /boats {"name": "Tern 246912"}`)
	after := a.looks(t)
	assert.Equal(t, "unchanged", a.s.Explained(a.deck, state.Between(before.S, after.S), List{}, before, after).Lines()[0])
	assert.Len(t, a.run.others.items["51"], 1)
}

// The request that is told for harm is the last one that may remove something.
func TestWhichRequestIsTold(t *testing.T) {
	for name, c := range map[string]struct {
		asked []string
		want  string
	}{
		"a delete":                    {[]string{"DELETE /boats/99", mine}, "DELETE /boats/99"},
		"a delete, then a change":     {[]string{"DELETE /boats/99", "BREW /boats/98"}, "DELETE /boats/99"},
		"changes only, the last":      {[]string{"BREW /boats/51", "BREW /boats/52"}, "BREW /boats/51"},
		"a create and then a change":  {[]string{mine, "BREW /boats/99"}, "BREW /boats/99"},
		"creates only, the last":      {[]string{mine, mine}, "POST /boats"},
		"the last of several deletes": {[]string{"DELETE /boats/99", "DELETE /boats/98"}, "DELETE /boats/98"},
	} {
		t.Run(name, func(t *testing.T) {
			q, run, harm := told(t, "", boats(1, 2)...)
			tr := newTrip(t, q, run, 1, How{})
			tr.do(mine)
			tr.looks(t)
			for _, line := range c.asked {
				tr.s.own.gone["/boats/99"], tr.s.own.gone["/boats/98"] = true, true
				tr.do(line)
			}
			q.drop("1")
			run.LastLook(t.Context(), func() bool { return false })
			require.Len(t, *harm, 1)
			h := (*harm)[0]
			r := h.Sent[h.At].Exchange.Request
			assert.Equal(t, c.want, r.Method+" "+r.URL[len(quayURL):])
		})
	}
}

// Several lists: one that cannot be read, and one where nothing was.
func TestWhatIsLookedAfter(t *testing.T) {
	news := List{N: 0, Host: boatsList.Host, Path: "/new", Written: "/new"}
	second := boatsList
	second.N = 1
	q, run, _ := told(t, "")
	tr := newTrip(t, q, run, 1, How{})
	tr.lists = []List{news, second}
	tr.do(mine)
	assert.Nil(t, run.watch.lists[second.key()].look, "nothing was there, and it is not the first list")
	q, run, _ = told(t, "", boats(1)...)
	tr = newTrip(t, q, run, 1, How{})
	tr.lists = []List{news, second}
	tr.do(mine)
	assert.NotNil(t, run.watch.lists[second.key()].look)
	q, run, _ = told(t, "")
	tr = newTrip(t, q, run, 1, How{})
	tr.do(mine)
	assert.NotNil(t, run.watch.lists[boatsList.key()].look, "the first list is looked at in the end")
	// What a list does not show is asked for once.
	q, run, _ = told(t, "", boats(1, 2)...)
	tr = newTrip(t, q, run, 1, How{})
	tr.do(mine)
	q.odd = []string{"items are forbidden"}
	q.drop("1")
	tr.looks(t)
	asked := len(q.asked)
	run.Harmed()
	assert.Equal(t, asked+1, len(q.asked))
	run.Harmed()
	assert.Equal(t, asked+1, len(q.asked))
	assert.False(t, run.Told(), "whether it is gone is not known")
	// At the end it is asked for again.
	q.odd = nil
	assert.Contains(t, ends(t, run), "what was there before this run is not left alone")
}
