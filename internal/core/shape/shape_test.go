package shape

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/scope"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

func shapeOf(t testing.TB, text string) (*syntax.Node, bool) {
	tree, diags := syntax.Parse(source.NewFile("t", "scenario \"s\"\n  step \"t\"\n    send GET /\n    expect body is "+text+"\n"))
	if len(diags) > 0 {
		return nil, false
	}
	return tree.Statements[0].Children[0].Children[1].Body.(*syntax.Expect).Predicate.Shape, true
}

func names() *scope.Scope {
	s := scope.New(&scope.World{Rand: scope.Seeded(1, "x"), Now: time.Now})
	s.Bind("boat", value.NewInt(17))
	s.Bind("who", value.NewString("Eider"))
	return s
}

func TestMatch(t *testing.T) {
	for _, c := range []struct{ shape, v, want string }{
		{`1`, `1.0`, ``}, {`"a"`, `"b"`, `$ expected "a", found "b"`}, {`{boat}`, `17`, ``}, {`"{who} {boat}"`, `"Eider 17"`, ``}, {`{boat + 1}`, `18`, ``}, {`null`, `0`, `$ expected null, found 0`}, {`any`, `null`, ``},
		{`integer`, `1.0`, ``}, {`integer`, `1.5`, `$ expected integer, found 1.5`}, {`integer 1..60`, `60`, ``}, {`integer > 0`, `0`, `$ expected integer > 0, found 0`}, {`number > 0 <= 60`, `60.0`, ``}, {`number > 0 < 60`, `60.0`, `$ expected number > 0 < 60, found 60.0`}, {`number >= 1 < 2 or null`, `1`, ``}, {`integer 1..60`, `61`, `$ expected integer 1..60, found 61`}, {`number ..0.5`, `0.5`, ``}, {`number 0.1..`, `0.09999999999999999999`, `$ expected number 0.1.., found 0.09999999999999999999`},
		{`string length 2..3`, `"🚢x"`, ``}, {`string length 2`, `"x"`, `$ expected string length 2, found 1 characters: "x"`}, {`string /^a/`, `"ba"`, `$ expected string /^a/, found "ba"`}, {`/^A/i`, `"abc"`, ``}, {`/a/`, `1`, `$ expected a string that matches /a/, found 1`},
		{`array of integer`, `[1,"x"]`, `$[1] expected integer, found "x"`}, {`array count 1..2`, `[]`, `$ expected array count 1..2, found 0 elements`}, {`array of string count 2`, `["a","b"]`, ``}, {`object`, `[]`, `$ expected object, found []`}, {`boolean`, `true`, ``},
		{`uuid`, `"7d1f0c2e-9b5a-4386-8f00-0123456789ab"`, ``}, {`uuid`, `"7d1f0c2e9b5a43868f000123456789ab"`, `$ expected uuid, found "7d1f0c2e9b5a43868f000123456789ab"`}, {`datetime`, `"2026-11-24T05:00:00.25+01:00"`, ``}, {`datetime`, `"2026-02-30T05:00:00Z"`, `$ expected datetime, found "2026-02-30T05:00:00Z"`}, {`date`, `"2026-02-28"`, ``}, {`time`, `"23:59:60Z"`, ``}, {`time`, `"24:00"`, `$ expected time, found "24:00"`}, {`uri`, `"http://127.0.0.1/x"`, ``}, {`uri`, `"/x"`, `$ expected uri, found "/x"`}, {`email`, `"a@gull.example"`, ``}, {`email`, `"A <a@b.example>"`, `$ expected email, found "A <a@b.example>"`},
		{`{ "a": 1 }`, `{"a":1,"b":2}`, `$.b is extra: 2`}, {`{ "a": 1, ... }`, `{"a":1,"b":2}`, ``}, {`{ "a": 1, "b"?: 2 }`, `{"a":1}`, ``}, {`{ "a": integer }`, `{}`, `$.a is missing, expected integer`}, {`{ "a": { "b": string } }`, `{"a":{"b":1}}`, `$.a.b expected string, found 1`}, {`{}`, `[]`, `$ expected an object, found []`},
		{`[1, 2]`, `[1,2]`, ``}, {`[1, 2, 3]`, `[0,1,2,3]`, `$[0] is extra: 0`}, {`[1, ...]`, `[1,5,6]`, ``}, {`[1, ...]`, `[]`, `$[0] is missing, expected 1`}, {`any order [1, string]`, `["x",1]`, ``}, {`any order [1, integer]`, `[2,1]`, ``}, {`any order [1, 1]`, `[1,2]`, `$ has no element left that is 1|$[1] is extra: 2`}, {`any order [1, ...]`, `[3,2,1]`, ``},
		{`1 or 2`, `2`, ``}, {`1 or "x"`, `3`, `$ expected 1 or "x", found 3`}, {`null or { "a": 1 }`, `{"a":2}`, `$.a expected 1, found 2  (closest alternative: { "a": 1 })`}, {`[not 1]`, `[2]`, ``}, {`[not "x" or 5]`, `["x"]`, `$[0] expected not "x" or 5, found "x"`},
	} {
		n, ok := shapeOf(t, c.shape)
		require.True(t, ok, c.shape)
		v, err := value.Decode(c.v, value.Limits{})
		require.NoError(t, err)
		r, err := Match(n, v, names())
		require.NoError(t, err)
		var got []string
		for _, m := range r.Mismatches {
			got = append(got, m.String())
		}
		assert.Equal(t, c.want, strings.Join(got, "|"), "%s on %s", c.shape, c.v)
	}
}

func TestBindsWhatHeldByItself(t *testing.T) {
	n, _ := shapeOf(t, `{ "id": integer as id, "name": string as name, "kind": 1 or integer as other }`)
	v, err := value.Decode(`{"id":5,"name":7,"kind":9}`, value.Limits{})
	require.NoError(t, err)
	r, err := Match(n, v, names())
	require.NoError(t, err)
	assert.False(t, r.Held())
	assert.Equal(t, "5", r.Bound["id"].String())
	assert.Equal(t, "9", r.Bound["other"].String())
	assert.Nil(t, r.Bound["name"])
	missing, _ := shapeOf(t, `{nobody}`)
	_, err = Match(missing, v, names())
	var unbound *scope.Unbound
	assert.ErrorAs(t, err, &unbound)
}

func FuzzShape(f *testing.F) {
	f.Add(`{ "a": integer 1.. as x or null, "b"?: any order [1, ...], ... }`, `{"a":1,"b":[2,1]}`)
	f.Add(`array of string length 1..5 /x/ count 2`, `["x","xx"]`)
	f.Fuzz(func(t *testing.T, text, doc string) {
		n, ok := shapeOf(t, text)
		v, err := value.Decode(doc, value.Limits{})
		if !ok || err != nil || strings.Contains(text, "{") && strings.Contains(text, "(") {
			return
		}
		r, err := Match(n, v, names())
		if err != nil || n.Kind == syntax.Not {
			return
		}
		inverse := &syntax.Node{Kind: syntax.Not, Items: []*syntax.Item{{Value: n}}}
		other, err := Match(inverse, v, names())
		require.NoError(t, err)
		require.NotEqual(t, r.Held(), other.Held(), "%s on %s", text, doc)
	})
}
