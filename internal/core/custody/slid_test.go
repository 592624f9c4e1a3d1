package custody

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/state"
)

// boats are items by number; those from 50 on show what a scenario has drawn.
func boats(ids ...int) []string {
	var out []string
	for _, id := range ids {
		name := "Auk"
		if id >= 50 {
			name = "Tern 123456"
		}
		out = append(out, fmt.Sprintf(`{"id": %d, "name": "%s"}`, id, name))
	}
	return out
}

// What only leaves the part of a list that is shown is not lost.
func TestWhatSlides(t *testing.T) {
	for name, c := range map[string]struct {
		// shown are the list before and after, kept what can be read by itself.
		before, after, kept []int
		keyed, known        bool
		want                string
		slides              bool
	}{
		"the oldest leaves as a new one comes":       {[]int{1, 2, 3}, []int{2, 3, 50}, []int{1, 2, 3, 50}, true, false, "1 gained", true},
		"it is gone":                                 {[]int{1, 2, 3}, []int{2, 3, 50}, []int{2, 3, 50}, true, false, "1 gained, 1 lost", false},
		"one in the middle":                          {[]int{1, 2, 3}, []int{1, 3, 50}, []int{1, 2, 3, 50}, true, false, "1 gained, 1 lost", false},
		"a list without keys":                        {[]int{1, 2, 3}, []int{2, 3, 50}, []int{1, 2, 3, 50}, false, false, "1 gained, 1 lost", false},
		"only one leaves":                            {[]int{1, 2, 3}, []int{2, 3}, []int{1, 2, 3}, true, false, "1 lost", false},
		"two leave":                                  {[]int{1, 2, 3}, []int{3}, []int{1, 2, 3}, true, false, "2 lost", false},
		"only new ones":                              {[]int{1}, []int{1, 50, 51}, []int{1, 50, 51}, true, false, "2 gained", false},
		"it is known to slide":                       {[]int{1, 2, 3}, []int{1, 3, 4}, []int{1, 2, 3, 4}, true, true, "1 gained", true},
		"known, and one is gone, and one came back":  {[]int{50, 2, 3}, []int{2, 3, 4}, []int{2, 3, 4}, true, true, "1 lost", true},
		"known, and one is gone, and a new one came": {[]int{50, 2, 3}, []int{2, 3, 51}, []int{2, 3, 51}, true, true, "1 gained, 1 lost", true},
		"known, and two came":                        {[]int{2, 3}, []int{2, 3, 4, 51}, []int{2, 3, 4, 51}, true, true, "2 gained", true},
	} {
		t.Run(name, func(t *testing.T) {
			q := newQuay(t, "", boats(c.kept...)...)
			run := NewRun(Options{})
			tr := newTrip(t, q, run, 1, How{Check: true})
			l := boatsList
			l.Keyed = c.keyed
			if c.known {
				run.book.SetSlides(l.kind())
			}
			sight := func(ids []int) *Sight {
				s := &Sight{Host: l.Host, Path: l.Path, View: tr.view, S: tr.view.Absent()}
				list, err := tr.view.Entries(decode(t, "["+strings.Join(boats(ids...), ", ")+"]").Items, nil)
				require.NoError(t, err)
				s.S.Put(list)
				return s
			}
			before, after := sight(c.before), sight(c.after)
			d := tr.s.Explained(tr.deck, state.Between(before.S, after.S), l, before, after)
			assert.Equal(t, c.want, d.Lines()[0])
			assert.Equal(t, c.slides, run.Partly(l))
		})
	}
	// Of very many that leave at once none is asked for.
	var many, others []int
	for i := range mostSlid + 1 {
		many, others = append(many, i+1), append(others, i+1000)
	}
	for n, slid := range map[int]bool{mostSlid: true, mostSlid + 1: false} {
		q := newQuay(t, "", boats(many...)...)
		run := NewRun(Options{})
		tr := newTrip(t, q, run, 1, How{Check: true})
		d := &state.Delta{}
		before, after := list(t, boats(many[:n]...)...), list(t, boats(others[:n]...)...)
		for i, k := range after.Keys {
			after.Keys[i] = "new" + k
			after.Members["new"+k] = after.Members[k]
			delete(after.Members, k)
		}
		d = state.Between(before, after)
		sight := func(s *state.Snapshot) *Sight {
			return &Sight{Host: boatsList.Host, Path: boatsList.Path, View: tr.view, S: s}
		}
		tr.s.Explained(tr.deck, d, boatsList, sight(before), sight(after))
		assert.Equal(t, slid, run.Partly(boatsList), "%d", n)
	}
}

// What a list does not show any more is gone only where asking for it says so, and another item can
// be read so.
func TestWhatIsMissing(t *testing.T) {
	for name, c := range map[string]struct {
		status map[string]int
		lost   string
		now    []string
		want   existence
	}{
		"gone":                     {map[string]int{"1": 404, "2": 200}, `{"id": 1}`, boats(2, 3), isGone},
		"gone for good":            {map[string]int{"1": 410, "2": 200}, `{"id": 1}`, boats(2), isGone},
		"there":                    {map[string]int{"1": 200}, `{"id": 1}`, boats(2), isThere},
		"forbidden":                {map[string]int{"1": 403, "2": 200}, `{"id": 1}`, boats(2), isUntold},
		"no answer":                {map[string]int{"2": 200}, `{"id": 1}`, boats(2), isUntold},
		"items cannot be read so":  {map[string]int{"1": 404, "2": 404}, `{"id": 1}`, boats(2), isUntold},
		"it was the last":          {map[string]int{"1": 404}, `{"id": 1}`, nil, isGone},
		"without an identity":      {map[string]int{"1": 404}, `{"n": 1}`, nil, isUntold},
		"the first of those shown": {map[string]int{"1": 404, "2": 404, "3": 200}, `{"id": 1}`, boats(3, 2), isGone},
	} {
		tr := newTrip(t, newQuay(t, ""), NewRun(Options{}), 1, How{})
		one := &watched{view: tr.view, asks: func(id string) int { return c.status[id] }}
		assert.Equal(t, c.want, one.status(decode(t, c.lost), list(t, c.now...)), name)
		one.asks = nil
		assert.Equal(t, isUntold, one.status(decode(t, c.lost), list(t, c.now...)), "nobody can be asked")
	}
}

// What a list leaves out, and can be read by itself, is asked for once more at the end.
func TestWhatIsNotListed(t *testing.T) {
	for name, c := range map[string]struct {
		after []string
		want  string
	}{
		"still there":     {[]string{"! hides"}, ""},
		"gone at the end": {[]string{"! hides", "- 1"}, `/boats: what was there before has changed while the run went on, and no check of it did so again: 1 lost; - {"id": 1, "name": "Auk"}`},
	} {
		q := newQuay(t, "", boats(1, 2)...)
		run := NewRun(Options{Stopped: func() bool { return false }, Harmed: func(*Harm) {}})
		tr := newTrip(t, q, run, 1, How{Check: true})
		tr.do(`POST /boats {"name": "Tern 123456"}`)
		q.odd = append(q.odd, "shows its newest three")
		tr.do(`POST /boats {"name": "Tern 123456"}`)
		tr.looks(t)
		assert.False(t, run.Harmed(), "it can be read by itself")
		assert.True(t, run.Partly(boatsList), name)
		for _, line := range c.after {
			if id, ok := strings.CutPrefix(line, "- "); ok {
				q.drop(id)
			}
		}
		var told []string
		for _, n := range run.LastLook(t.Context(), func() bool { return false }) {
			told = append(told, n.Text)
		}
		assert.Equal(t, c.want, strings.Join(told, "|"), name)
	}
}
