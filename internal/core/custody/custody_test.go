package custody

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/state"
	"usualpath/internal/core/value"
)

// What is known of an item decides whether it may be written to.
func TestWhoseItIs(t *testing.T) {
	for name, c := range map[string]struct {
		e    evidence
		ours bool
		// why is a part of the reason.
		why string
	}{
		"nobody has named it":                       {evidence{List: whole, Now: there, Status: 201}, false, "was not made here"},
		"it shows what was drawn":                   {evidence{Named: true, Status: 201, Drawn: true}, true, ""},
		"drawn, and any status":                     {evidence{Named: true, Status: 200, Drawn: true}, true, ""},
		"drawn, of a list that leaves things out":   {evidence{Named: true, Status: 201, Drawn: true, List: partial, Now: missing}, true, ""},
		"drawn, and never named":                    {evidence{Drawn: true}, true, ""},
		"drawn, and new in the list":                {evidence{Named: true, Drawn: true, List: whole, Now: there}, true, ""},
		"drawn, and not in a list that shows all":   {evidence{Named: true, Status: 201, Drawn: true, List: whole, Now: missing}, false, "not in the list"},
		"drawn, and the list was not read":          {evidence{Named: true, Status: 201, Drawn: true, List: whole}, true, ""},
		"plain, 201, new in a list that shows all":  {evidence{Named: true, Status: 201, List: whole, Now: there}, true, ""},
		"plain, 200, new in a list that shows all":  {evidence{Named: true, Status: 200, List: whole, Now: there}, false, "not answered with 201"},
		"plain, 200, as creates are answered here":  {evidence{Named: true, Status: 200, Usual: true, List: whole, Now: there}, true, ""},
		"plain, 201, not in a list that shows all":  {evidence{Named: true, Status: 201, List: whole, Now: missing}, false, "not in the list"},
		"plain, 201, and the list was not read":     {evidence{Named: true, Status: 201, List: whole}, false, "shows nothing"},
		"plain, 201, and nothing known of the list": {evidence{Named: true, Status: 201, Now: there}, false, "`{turn}`"},
		"plain, 201, of a list that leaves out":     {evidence{Named: true, Status: 201, List: partial, Now: there}, false, "`disposable`"},
	} {
		t.Run(name, func(t *testing.T) {
			ours, why := c.e.Ours()
			assert.Equal(t, c.ours, ours)
			assert.Contains(t, why, c.why)
			assert.Equal(t, c.ours, why == "")
		})
	}
}

func TestWhatAListIs(t *testing.T) {
	for _, c := range []struct {
		gained, lost, made int
		named, alone       bool
		want               listing
	}{
		{1, 0, 1, true, true, whole}, {1, 0, 1, true, false, whole}, {3, 0, 3, true, true, whole},
		{1, 0, 0, true, true, unknown}, {0, 0, 0, false, true, unknown},
		{0, 0, 1, false, true, partial}, {1, 1, 1, true, true, partial}, {1, 0, 1, false, true, partial}, {2, 0, 1, true, true, partial}, {1, 0, 2, true, true, partial},
		{0, 0, 1, false, false, unknown}, {1, 1, 1, true, false, unknown}, {2, 0, 1, true, false, unknown},
	} {
		assert.Equal(t, c.want, learn(c.gained, c.lost, c.made, c.named, c.alone), "%+v", c)
	}
	var b book
	b.Set("boats", unknown)
	assert.Equal(t, unknown, b.Listing("boats"))
	b.Set("boats", whole)
	assert.Equal(t, whole, b.Listing("boats"))
	b.Set("boats", partial)
	b.Set("boats", whole)
	assert.Equal(t, partial, b.Listing("boats"), "what was left out once may be left out again")
	assert.False(t, b.Slides("boats"))
	b.SetSlides("boats")
	assert.True(t, b.Slides("boats"))
	assert.Equal(t, unknown, b.Listing("berths"))
	assert.True(t, b.Waits("boats"))
	b.Waited("boats")
	assert.False(t, b.Waits("boats"))
	assert.False(t, b.Usual("boats", 200))
	b.Made("boats", 200)
	assert.True(t, b.Usual("boats", 200))
	assert.False(t, b.Usual("boats", 201))
}

// At most three items are made that cannot be shown to be of this run.
func TestWhatCannotBeProvenIsBounded(t *testing.T) {
	var b book
	take := func(list string, n int, drawn bool) bool {
		done, ok := b.Take(list, n, drawn)
		if ok {
			names := make([]string, n)
			for i := range names {
				names[i] = fmt.Sprint(list, len(b.page(list).unproven)+i)
			}
			done(names)
		}
		return ok
	}
	b.Set("all", whole)
	for range 5 {
		assert.True(t, take("all", 1, false))
	}
	assert.Empty(t, b.page("all").unproven, "what a list shows is proven by that")
	for _, n := range []string{"X", "Y", "Z"} {
		b.Unproven("all", n)
	}
	assert.False(t, take("all", 1, true), "its list did not show three of them")

	for range 3 {
		assert.True(t, take("some", 1, false))
	}
	assert.False(t, take("some", 1, false))
	assert.False(t, take("some", 1, true), "nothing drawn has ever shown")
	b.Made("some", 201)
	assert.True(t, take("some", 1, true))
	assert.False(t, take("some", 1, false))
	assert.False(t, b.Certain("SOME0"))
	b.Proven("some", "Some0")
	assert.True(t, b.Certain("some0"))
	assert.True(t, take("some", 1, false))

	assert.True(t, take("few", 2, false))
	assert.False(t, take("few", 2, false), "four would be too many")
	assert.True(t, take("few", 1, false))
}

func TestFewNames(t *testing.T) {
	for name, is := range map[string]bool{"": true, "E12": true, "e1234": true, "e12345": false, "boat-123456": false, "x": true, "abc": true, "abcd": false, "æøåx": false, "a-b-c": true, "1234": true, "99999": false} {
		assert.Equal(t, is, few(name), name)
	}
}

// list is a snapshot of objects in JSON, with their places as keys.
func list(t *testing.T, items ...string) *state.Snapshot {
	t.Helper()
	s := &state.Snapshot{Members: map[string]*value.Value{}}
	for i, text := range items {
		v, err := value.Decode(text, value.Limits{})
		require.NoError(t, err)
		s.Keys = append(s.Keys, fmt.Sprint(i))
		s.Members[fmt.Sprint(i)] = v
	}
	return s
}

// A fixed value that may be a key, and stands in the list, is found.
func TestWhatStandsInAList(t *testing.T) {
	five := []string{`{"kind": "a", "n": 1}`, `{"kind": "b", "n": 2}`, `{"kind": "c", "n": 3}`, `{"kind": "d", "n": 4}`, `{"kind": "e", "n": 5}`}
	for name, c := range map[string]struct {
		items []string
		body  string
		want  string
	}{
		"the same text":                 {[]string{`{"code": "A-1"}`}, `{"code": "A-1"}`, "code"},
		"in other letters, with blanks": {[]string{`{"code": "A-1"}`, `{"code": "B-1"}`}, `{"code": " a-1 "}`, "code"},
		"another text":                  {[]string{`{"code": "A-1"}`}, `{"code": "A-2"}`, ""},
		"a text with what was drawn":    {[]string{`{"code": "drawn 1"}`}, `{"code": "drawn 1"}`, ""},
		"the same in two items":         {[]string{`{"code": "A-1"}`, `{"code": "a-1"}`}, `{"code": "A-1"}`, ""},
		"missing in one item":           {[]string{`{"code": "A-1"}`, `{}`}, `{"code": "A-1"}`, ""},
		"deeper, in both":               {[]string{`{"boat": {"code": "A-1"}}`}, `{"data": {"code": "A-1"}}`, "code"},
		"a word under another name":     {[]string{`{"kind": "sloop"}`, `{"kind": "ketch"}`}, `{"kind": "sloop"}`, ""},
		"a word, in many items":         {five, `{"kind": "C"}`, "kind"},
		"a word by name":                {[]string{`{"name": "sloop"}`, `{"name": "ketch"}`}, `{"name": "sloop"}`, "name"},
		"a number by name":              {[]string{`{"berthNumber": 7}`, `{"berthNumber": 8}`}, `{"berthNumber": 7}`, "berthNumber"},
		"a number under another name":   {[]string{`{"length": 7}`, `{"length": 8}`}, `{"length": 7}`, ""},
		"a number, in many items":       {five, `{"n": 3}`, "n"},
		"a part of a number":            {[]string{`{"number": 7.5}`}, `{"number": 7.5}`, ""},
		"no text":                       {[]string{`{"name": ""}`}, `{"name": " "}`, ""},
		"a truth":                       {[]string{`{"code": true}`}, `{"code": true}`, ""},
		"an empty list":                 {nil, `{"code": "A-1"}`, ""},
		"not an object":                 {[]string{`{"code": "A-1"}`}, `["A-1"]`, ""},
	} {
		t.Run(name, func(t *testing.T) {
			body, err := value.Decode(c.body, value.Limits{})
			require.NoError(t, err)
			x := NewIndex(list(t, c.items...))
			drawn := func(text string) bool { return strings.Contains(text, "drawn") }
			got, _ := x.Standing(body, drawn)
			assert.Equal(t, c.want, got)
			got, _ = x.Standing(body, drawn)
			assert.Equal(t, c.want, got, "the same when it is asked again")
		})
	}
	var none *Index
	got, _ := none.Standing(value.NewObject(), nil)
	assert.Empty(t, got)
}

func TestAListThatMovesOn(t *testing.T) {
	of := func(keys string) *state.Snapshot {
		s := &state.Snapshot{Members: map[string]*value.Value{}}
		for _, k := range strings.Fields(keys) {
			s.Keys = append(s.Keys, k)
			s.Members[k] = value.NewObject()
		}
		return s
	}
	for _, c := range []struct {
		before, after string
		slid          bool
	}{
		{"1 2 3", "2 3 4", true}, {"3 2 1", "4 3 2", true}, {"1 2 3 4", "3 4 5 6", true}, {"1 2", "3 4", true},
		{"1 2 3", "1 2 3", false}, {"1 2 3", "1 3 4", false}, {"1 2 3", "2 3", false}, {"1 2 3", "1 2 3 4", false}, {"1 2 3", "4 2 3", false}, {"1 2 3", "2 4 3", false}, {"", "1", false},
	} {
		assert.Equal(t, c.slid, Slid(of(c.before), of(c.after)), "%s to %s", c.before, c.after)
	}
}
