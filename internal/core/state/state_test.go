package state

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/jsonpath"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

func query(t *testing.T, text string) *jsonpath.Query {
	if text == "" {
		return nil
	}
	q, err := jsonpath.Parse(text)
	require.NoError(t, err)
	return q
}

func snap(t *testing.T, v View, text string) *Snapshot {
	body, err := value.Decode(text, value.Limits{})
	require.NoError(t, err)
	s := v.Absent()
	members, err := v.Members(body)
	require.NoError(t, err)
	list, err := v.Entries(members, nil)
	require.NoError(t, err)
	s.Put(list)
	return s
}

func effects(t *testing.T, text string) []syntax.Effect {
	tree, diags := syntax.Parse(source.NewFile("t", "scenario \"s\"\n  step \"t\"\n    send GET /\n    expect boats "+text+"\n"))
	require.Empty(t, diags, text)
	return tree.Statements[0].Children[0].Children[1].Body.(*syntax.Expect).Predicate.Effects
}

func TestJudge(t *testing.T) {
	const three = `[{"id":1,"n":"a"},{"id":2,"n":"b"},{"id":3,"n":"c"}]`
	for _, c := range []struct{ after, effect, found string }{
		{three, "unchanged", ""}, {`[{"n":"c","id":3.0},{"id":1,"n":"a"},{"id":2,"n":"b"}]`, "unchanged", ""}, {`[{"id":1,"n":"a"},{"id":3,"n":"c"}]`, "loses 1", ""}, {`[{"id":1,"n":"a"},{"id":3,"n":"c"}]`, `loses { "id": 2, ... }`, ""}, {`[{"id":1,"n":"a"},{"id":3,"n":"c"}]`, `loses { "id": 1, ... }`, "boats: 1 lost|- {\"id\": 2, \"n\": \"b\"}|$.id expected 1, found 2"},
		{`[]`, "loses 1", "boats: 3 lost|- {\"id\": 1, \"n\": \"a\"}|- {\"id\": 2, \"n\": \"b\"}|- {\"id\": 3, \"n\": \"c\"}"}, {three, "loses 1", "boats: unchanged; nothing is gone, all are still there"}, {three, "gains 1", "boats: unchanged; nothing came"}, {three, `changes { "id": 1 }`, "boats: unchanged; nothing changed"},
		{`[{"id":1,"n":"z"},{"id":2,"n":"b"},{"id":3,"n":"c"}]`, "changes 1", ""}, {`[{"id":1,"n":"z"},{"id":2,"n":"b"},{"id":3,"n":"c"}]`, "unchanged", "boats: 1 changed|~ id 1  $.n was \"a\", is \"z\""}, {`[{"id":1},{"id":2,"n":"b"},{"id":3,"n":"c","m":0}]`, "changes 1", "boats: 2 changed|~ id 1  $.n is gone: \"a\"|~ id 3  $.m is new: 0"},
		{`[{"id":1,"n":"a"},{"id":2,"n":"b"},{"id":3,"n":"c"},{"id":4,"n":"d"}]`, "gains 1", ""}, {`[{"id":1,"n":"a"},{"id":2,"n":"b"},{"id":4,"n":"c"}]`, "gains 1 and loses 1", ""}, {`[{"id":1,"n":"a"},{"id":2,"n":"b"},{"id":4,"n":"c"}]`, "gains 1", "boats: 1 gained, 1 lost|+ {\"id\": 4, \"n\": \"c\"}|- {\"id\": 3, \"n\": \"c\"}"},
		{`[{"id":1,"n":"a"},{"id":2,"n":"b"},{"id":3,"n":"c"},{"id":4,"n":"d"},{"id":5,"n":"e"}]`, `gains { "id": 5, ... } and gains { "id": 4, ... }`, ""}, {`[{"id":1,"n":"a"},{"id":2,"n":"b"},{"id":3,"n":"c"},{"id":3,"n":"c"}]`, "gains 1", ""}, {`[{"id":"1","n":"a"},{"id":2,"n":"b"},{"id":3,"n":"c"}]`, "unchanged", "boats: 1 gained, 1 lost|+ {\"id\": \"1\", \"n\": \"a\"}|- {\"id\": 1, \"n\": \"a\"}"},
		{`[{"id":1,"n":"a"},{"id":2,"n":"b"},{"id":3,"n":"c"},{"id":4,"n":"d"}]`, `gains {n}`, ""}, {`[{"id":1,"n":"a"},{"id":2,"n":"b"},{"id":3,"n":"c"},{"id":4,"n":"d"}]`, `gains { "id": integer as new, ... }`, ""},
	} {
		v := View{By: query(t, "$.id")}
		names := scope.New(&scope.World{Rand: scope.Seeded(1, ""), Now: time.Now})
		names.Bind("n", value.NewInt(1))
		r, err := Between(snap(t, v, three), snap(t, v, c.after)).Judge("boats", effects(t, c.effect), names)
		require.NoError(t, err)
		assert.Equal(t, c.found == "", r.Held, "%s %s", c.effect, c.after)
		assert.Equal(t, c.found, strings.Join(r.Found, "|"), "%s %s", c.effect, c.after)
		if strings.Contains(c.effect, "as new") {
			assert.Equal(t, "4", r.Bound["new"].String())
		}
	}
}

func TestViews(t *testing.T) {
	for _, c := range []struct{ in, by, ignoring, before, after, found string }{
		{"", "", "", `{"n":1}`, `{"n":2}`, "x: changed|~ $.n was 1, is 2"}, {"", "", "$.at", `{"n":1,"at":1}`, `{"at":2,"n":1.0}`, ""}, {"$.d", "$.id", "$.seen", `{"d":[{"id":1,"seen":1}],"t":1}`, `{"t":2,"d":[{"id":1,"seen":2}]}`, ""},
		{"$.a[*].b", "$.k", "", `{"a":[{"b":{"k":1}},{"b":{"k":2}}]}`, `{"a":[{"b":{"k":2}}]}`, "x: 1 lost|- {\"k\": 1}"}, {"$.d", "", "", `{"d":[1,2]}`, `{"d":[1,2]}`, ""}, {"", "$", "", `["a","b"]`, `["b","a","c"]`, "x: 1 gained|+ \"c\""},
	} {
		v := View{In: query(t, c.in), By: query(t, c.by)}
		if c.ignoring != "" {
			v.Ignoring = []*jsonpath.Query{query(t, c.ignoring)}
		}
		r, err := Between(snap(t, v, c.before), snap(t, v, c.after)).Judge("x", effects(t, "unchanged"), nil)
		require.NoError(t, err)
		assert.Equal(t, c.found, strings.Join(r.Found, "|"), c.before)
	}
	v := View{By: query(t, "$.id")}
	_, err := v.Members(value.NewObject())
	assert.ErrorContains(t, err, "it is not a list")
	_, err = v.Entries([]*value.Value{value.NewInt(1)}, nil)
	assert.ErrorContains(t, err, "tells members apart")
	for _, in := range []string{"$.none", "$.none[*]", "$.none[*].doc", "$.none.*"} {
		_, err = View{In: query(t, in), By: v.By}.Members(value.NewObject())
		assert.ErrorContains(t, err, "selects nothing", in)
	}
	empty, err := value.Decode(`{"rows":[]}`, value.Limits{})
	require.NoError(t, err)
	for _, in := range []string{"$.rows", "$.rows[*]", "$.rows[*].doc"} {
		members, err := View{In: query(t, in), By: v.By}.Members(empty)
		assert.NoError(t, err, in)
		assert.Empty(t, members, in)
	}
}

// What others explain is left out, by kind and identity.
func TestWithout(t *testing.T) {
	v := View{By: query(t, "$.id")}
	before, after := `[{"id":"A","n":1},{"id":2,"n":1},{"id":3,"n":1}]`, `[{"id":"A","n":2},{"id":3,"n":2},{"id":4,"n":1},{"id":"B","n":1}]`
	for _, c := range []struct {
		kind Kind
		id   string
		left [3]int
	}{
		{Gains, "4", [3]int{1, 1, 2}}, {Gains, "b", [3]int{1, 1, 2}}, {Loses, "2", [3]int{2, 0, 2}}, {Changes, "a", [3]int{2, 1, 1}},
		{Loses, "4", [3]int{2, 1, 2}}, {Changes, "2", [3]int{2, 1, 2}},
	} {
		d := Between(snap(t, v, before), snap(t, v, after)).Without(func(kind Kind, id string) bool { return kind == c.kind && id == c.id }, v)
		assert.Equal(t, c.left, [3]int{len(d.Gained), len(d.Lost), len(d.Changed)}, "%v", c)
	}
}
