package state

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/jsonpath"
	"usualpath/internal/core/scope"
	"usualpath/internal/core/value"
)

func decoded(t *testing.T, text string) *value.Value {
	t.Helper()
	v, err := value.Decode(text, value.Limits{})
	require.NoError(t, err, text)
	return v
}

// numbered is a list of objects with these identities; each can be followed by a text.
func numbered(ids ...string) string {
	var out []string
	for _, id := range ids {
		n, text, _ := strings.Cut(id, ":")
		out = append(out, fmt.Sprintf(`{"id": %s, "n": %q}`, n, text))
	}
	return "[" + strings.Join(out, ", ") + "]"
}

// An effect holds for just so many members, and each member stands for one effect.
func TestCounts(t *testing.T) {
	for _, c := range []struct{ before, after, effect, found string }{
		{numbered(), numbered("1"), "gains 1..2", ""},
		{numbered(), numbered("1", "2"), "gains 1..2", ""},
		{numbered(), numbered("1", "2", "3"), "gains 1..2", "x: 3 gained"},
		{numbered(), numbered(), "gains 1..2", "x: unchanged"},
		{numbered(), numbered(), "gains 0..", ""},
		{numbered(), numbered("1", "2", "3"), "gains 2..", ""},
		{numbered(), numbered("1"), "gains 2..", "x: 1 gained"},
		{numbered(), numbered("1", "2"), "gains 2..{three}", ""},
		{numbered(), numbered("1"), "gains 0..{one}", ""},
		{numbered(), numbered("1"), "gains 0..1 and loses 0..1", ""},
		{numbered("2"), numbered("1"), "gains 0..1 and loses 0..1", ""},
		{numbered("2", "3"), numbered("1"), "gains 0..1 and loses 0..1", "x: 1 gained, 2 lost"},
		{numbered("2"), numbered(), "gains 0..1", "x: 1 lost"},
		{numbered(), numbered("1", "2"), "gains 2", ""},
		{numbered(), numbered("1", "2"), "gains {two}", ""},
		{numbered(), numbered("1", "2"), "gains {three}", "x: 2 gained"},
		{numbered("1"), numbered(), "loses {text}", "x: 1 lost"},
		{`["a"]`, `[]`, "loses {text}", ""},
		{`["b"]`, `[]`, "loses {text}", "x: 1 lost"},
		{numbered(), numbered("1", "2"), `gains { "id": 1, ... } and gains { "id": integer, ... }`, ""},
		{numbered(), numbered("1", "2"), `gains { "id": 1, ... } and gains { "id": 1, ... }`, "x: 2 gained"},
		{numbered(), numbered("1", "2"), `gains { "id": integer, ... } and gains { "id": 1, ... }`, ""},
		{numbered(), numbered("1", "2", "3"), `gains { "id": integer, ... } and gains { "id": integer 1..2, ... } and gains { "id": 1, ... }`, ""},
		{numbered(), numbered("1", "2", "3"), `gains { "id": integer, ... } and gains { "id": 1, ... } and gains { "id": 1, ... }`, "x: 3 gained"},
		{numbered("1:a"), numbered("1:b"), `changes { "id": 1, ... }`, ""},
		{numbered("1:a"), numbered("1:b"), `changes { "n": "a", ... }`, "x: 1 changed"},
		{numbered("1:a", "2:a"), numbered("1:b"), `changes { "id": 1, ... } and loses { "id": 2, ... }`, ""},
	} {
		v := View{By: query(t, "$.id")}
		if strings.HasPrefix(c.before, `["`) {
			v.By = query(t, "$")
		}
		names := scope.New(&scope.World{Rand: scope.Seeded(1, ""), Now: time.Now})
		names.Bind("one", value.NewInt(1))
		names.Bind("two", value.NewInt(2))
		names.Bind("three", value.NewInt(3))
		names.Bind("text", value.NewString("a"))
		r, err := Between(snap(t, v, c.before), snap(t, v, c.after)).Judge("x", effects(t, c.effect), names)
		require.NoError(t, err, c.effect)
		first, _, _ := strings.Cut(strings.Join(r.Found, "|"), "|")
		first, _, _ = strings.Cut(first, ";")
		assert.Equal(t, c.found, first, "%s: %s -> %s", c.effect, c.before, c.after)
		assert.Equal(t, c.found == "", r.Held, c.effect)
	}
}

// What cannot be worked out is an error, and not a miss.
func TestEffectsThatCannotBeWorkedOut(t *testing.T) {
	names := scope.New(&scope.World{Rand: scope.Seeded(1, ""), Now: time.Now})
	names.Bind("text", value.NewString("a"))
	names.Bind("half", decoded(t, "1.5"))
	d := &Delta{Gained: []*value.Value{decoded(t, `{"a": 1}`)}}
	for effect, want := range map[string]string{
		"gains 1..{none}":       "none",
		"gains 0..{text}":       `"a" is not a count`,
		"gains 0..{half}":       "1.5 is not a count",
		"gains {none}":          "none",
		`gains { "a": {none} }`: "none",
	} {
		r, err := d.Judge("x", effects(t, effect), names)
		assert.ErrorContains(t, err, want, effect)
		assert.Nil(t, r, effect)
	}
}

// What came, went and changed is told one by one, as far as that helps.
func TestLines(t *testing.T) {
	many := func(n int, text string) string {
		var ids []string
		for i := range n {
			ids = append(ids, fmt.Sprint(i, ":", text))
		}
		return numbered(ids...)
	}
	wide := func(n int) string {
		var members []string
		for i := range 7 {
			members = append(members, fmt.Sprintf(`"m%d": %d`, i, n))
		}
		return `[{"id": 1, ` + strings.Join(members, ", ") + `}]`
	}
	for _, c := range []struct {
		by, before, after string
		want              []string
	}{
		{"$.id", many(0, ""), many(0, ""), []string{"unchanged"}},
		{"$.id", many(0, ""), many(5, ""), []string{"5 gained", `+ {"id": 0, "n": ""}`, `+ {"id": 1, "n": ""}`, `+ {"id": 2, "n": ""}`, `+ {"id": 3, "n": ""}`, `+ {"id": 4, "n": ""}`}},
		{"$.id", many(0, ""), many(7, ""), []string{"7 gained", `+ {"id": 0, "n": ""}`, `+ {"id": 1, "n": ""}`, `+ {"id": 2, "n": ""}`, `+ {"id": 3, "n": ""}`, `+ {"id": 4, "n": ""}`, "+ … and 2 more"}},
		{"$.id", many(6, ""), many(0, ""), []string{"6 lost", `- {"id": 0, "n": ""}`, `- {"id": 1, "n": ""}`, `- {"id": 2, "n": ""}`, `- {"id": 3, "n": ""}`, `- {"id": 4, "n": ""}`, "- … and 1 more"}},
		{"$.id", many(7, "a"), many(7, "b"), []string{"7 changed", `~ id 0  $.n was "a", is "b"`, `~ id 1  $.n was "a", is "b"`, `~ id 2  $.n was "a", is "b"`, `~ id 3  $.n was "a", is "b"`, `~ id 4  $.n was "a", is "b"`, "~ … and 2 more"}},
		{"$.id", wide(1), wide(2), []string{"1 changed", "~ id 1  $.m0 was 1, is 2", "~ id 1  $.m1 was 1, is 2", "~ id 1  $.m2 was 1, is 2", "~ id 1  $.m3 was 1, is 2", "~ id 1  $.m4 was 1, is 2", "~ … and 2 more differences"}},
		{"$.a.id", `[{"a": {"id": 1}, "n": 1}]`, `[{"a": {"id": 1}, "n": 2}]`, []string{"1 changed", "~ id 1  $.n was 1, is 2"}},
		{"$[0].id", `[[{"id": 1}, 1]]`, `[[{"id": 1}, 2]]`, []string{"1 changed", "~ id 1  $[1] was 1, is 2"}},
		{"$[0]", `[[1, 1]]`, `[[1, 2]]`, []string{"1 changed", "~ [1, 2]  $[1] was 1, is 2"}},
		{"", `{"n": 1}`, `{"m": 1}`, []string{"changed", "~ $.n is gone: 1", "~ $.m is new: 1"}},
	} {
		v := View{By: query(t, c.by)}
		assert.Equal(t, c.want, Between(snap(t, v, c.before), snap(t, v, c.after)).Lines(), "%s %s", c.before, c.after)
	}
}

// Where only what was sent counts, changes of other members are none.
func TestOnlyWhatWasSent(t *testing.T) {
	v := View{By: query(t, "$.id")}
	d := Between(snap(t, v, `[{"id": 1, "n": 1, "at": 1, "in": {"at": 1}}, {"id": 2, "at": 1}, {"id": 3}]`), snap(t, v, `[{"id": 1, "n": 2, "at": 2, "in": {"at": 2}}, {"id": 2, "at": 2}, {"id": 4}]`))
	for _, c := range []struct {
		names map[string]bool
		want  []string
	}{
		{nil, []string{"1 gained, 1 lost", `+ {"id": 4}`, `- {"id": 3}`}},
		{map[string]bool{"n": true}, []string{"1 changed, 1 gained, 1 lost", `+ {"id": 4}`, `- {"id": 3}`, "~ id 1  $.n was 1, is 2"}},
		{map[string]bool{"at": true}, []string{"2 changed, 1 gained, 1 lost", `+ {"id": 4}`, `- {"id": 3}`, "~ id 1  $.at was 1, is 2", "~ id 1  $.in.at was 1, is 2", "~ id 2  $.at was 1, is 2"}},
		{map[string]bool{"in": true}, []string{"1 changed, 1 gained, 1 lost", `+ {"id": 4}`, `- {"id": 3}`, "~ id 1  $.in.at was 1, is 2"}},
	} {
		assert.Equal(t, c.want, d.Of(c.names).Lines(), "%v", c.names)
	}
	assert.True(t, (&Delta{Single: true}).Of(nil).Single)
	assert.True(t, (&Delta{Single: true}).Without(nil, View{}).Single)
	same := snap(t, v, "[]")
	assert.Equal(t, []string{"unchanged"}, Between(same, same).Lines())
	assert.True(t, Between(&Snapshot{Single: true}, &Snapshot{}).Single)
}

// Members are told apart by their keys; the same key twice is two things.
func TestSnapshots(t *testing.T) {
	v := View{By: query(t, "$.id")}
	s := snap(t, v, `[{"id": "a"}, {"id": 1}, {"id": "a"}, {"id": "a"}, {"id": true}]`)
	assert.Equal(t, []string{`"a"`, "0.1e1", `"a" (2)`, `"a" (3)`, "true"}, s.Keys)
	assert.Equal(t, []string{"a", "1", "a", "a"}, v.Identities(s))
	assert.Equal(t, []string{`"a" (2)`, "0.1e1"}, s.Only([]string{`"a" (2)`, "none", "0.1e1"}).Keys)
	assert.Len(t, s.Only(nil).Members, 0)
	assert.True(t, View{}.Absent().Single)
	assert.True(t, (&Snapshot{Single: true}).Only(nil).Single)
	assert.Empty(t, View{By: query(t, "$.*")}.Identities(snap(t, View{By: query(t, "$.id")}, `[{"id": 1, "n": 2}]`)), "two values are no identity")
	s.Put([]Entry{{Key: "b", Value: value.NewInt(1)}})
	assert.Len(t, s.Keys, 6, "what is put is added")

	// One that others have made may be left out, by its key or by a text of it.
	for without, want := range map[string][]string{`"a"`: {"0.1e1"}, `1`: {`"a"`}, `"1"`: {`"a"`}, `"b"`: {`"a"`, "0.1e1"}} {
		v := View{By: query(t, "$.id"), Without: decoded(t, without)}
		assert.Equal(t, want, snap(t, v, `[{"id": "a"}, {"id": 1}]`).Keys, without)
	}

	// What was the same before is taken as it was.
	kept := Entry{Key: "kept", Value: value.NewInt(7)}
	list, err := v.Entries(decoded(t, `[{"id": 1}, {"id": 2}]`).Items, func(i int) (Entry, bool) { return kept, i == 0 })
	require.NoError(t, err)
	assert.Equal(t, "kept", list[0].Key)
	assert.Equal(t, "0.2e1", list[1].Key)
}

// What an answer shows of a list, and what it does not.
func TestMembers(t *testing.T) {
	for _, c := range []struct {
		in, by, body string
		ifThere      bool
		want, err    string
	}{
		{"", "", `{"a": 1}`, false, `{"a": 1}`, ""},
		{"", "$.id", `[1, 2]`, false, "1 2", ""},
		{"", "$.id", `{"a": 1}`, false, "", "it is not a list but"},
		{"$.d", "$.id", `{"d": [1, 2]}`, false, "1 2", ""},
		{"$.d", "$.id", `{"d": []}`, false, "", ""},
		{"$.d", "$.id", `{"d": {"x": 1}}`, false, `{"x": 1}`, ""},
		{"$.d.*", "$.id", `{"d": {"x": 1, "y": 2}}`, false, "1 2", ""},
		{"$.d", "$.id", `{}`, false, "", "$.d selects nothing in {}"},
		{"$.d", "$.id", `{}`, true, "", ""},
		{"$.d", "$.id", `{"d": null}`, true, "", ""},
		{"$.d", "$.id", `{"d": null}`, false, "null", ""},
		{"$.d.*", "$.id", `{"d": [null, 1]}`, true, "null 1", ""},
		{"$.d", "$.id", `{"d": 3}`, true, "3", ""},
		{"$.d.*", "$.id", `{"d": 3}`, false, "", "selects nothing"},
		{"$.d.*", "$.id", `{"d": {}}`, false, "", ""},
		{"$.d[*].x", "$.id", `{"d": []}`, false, "", ""},
	} {
		got, err := View{In: query(t, c.in), By: query(t, c.by), IfThere: c.ifThere}.Members(decoded(t, c.body))
		var texts []string
		for _, m := range got {
			texts = append(texts, m.String())
		}
		assert.Equal(t, c.want, strings.Join(texts, " "), "%s in %s", c.in, c.body)
		if c.err == "" {
			assert.NoError(t, err, "%s in %s", c.in, c.body)
		} else {
			assert.ErrorContains(t, err, c.err, "%s in %s", c.in, c.body)
		}
	}
	v := View{By: query(t, "$.id")}
	for _, bad := range []string{`{}`, `{"n": 1}`} {
		_, err := v.Entries([]*value.Value{decoded(t, bad)}, nil)
		assert.ErrorContains(t, err, "selects 0 in "+bad)
	}
	_, err := View{By: query(t, "$.*")}.Entries([]*value.Value{decoded(t, `{"a": 1, "b": 2}`)}, nil)
	assert.ErrorContains(t, err, "selects 2 in")
	// All that `in` selects is one thing where nothing tells it apart.
	list, err := View{In: query(t, "$.d")}.Entries(decoded(t, `[1, 2]`).Items, nil)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, "[1, 2]", list[0].Value.String())
}

// What is ignored is nowhere, and what stands around it stays as it is.
func TestWhatIsIgnored(t *testing.T) {
	for _, c := range []struct{ path, text, want string }{
		{"$.at", `{"at": 1, "n": 2}`, `{"n": 2}`},
		{"$.at", `{"n": 2}`, `{"n": 2}`},
		{"$..at", `{"at": 1, "in": {"at": 2, "n": 1}, "l": [{"at": 3}, 4]}`, `{"in": {"n": 1}, "l": [{}, 4]}`},
		{"$.l[0]", `{"l": [1, 2, 3]}`, `{"l": [2, 3]}`},
		{"$[?@.a]", `[{"a": 1}, 2]`, `[2]`},
		{"$.at", `7`, `7`},
		{"$.at", `"text"`, `"text"`},
	} {
		body := decoded(t, c.text)
		got, err := Without(body, query(t, c.path))
		require.NoError(t, err)
		assert.Equal(t, c.want, got.String(), "%s of %s", c.path, c.text)
		assert.Equal(t, decoded(t, c.text).String(), body.String(), "the value itself stays")
		v := View{By: query(t, "$"), Ignoring: []*jsonpath.Query{query(t, c.path)}}
		assert.Equal(t, c.want, v.Bare(&Snapshot{Keys: []string{"k"}, Members: map[string]*value.Value{"k": body}}).Members["k"].String())
	}
}

// An identity that a path or a header gave is a text, also where members have it as a number, and the
// other way round.
func TestFindInEitherSpelling(t *testing.T) {
	s := &Snapshot{Members: map[string]*value.Value{}}
	for _, id := range []string{`7`, `"8"`, `"x"`} {
		s.Members[decoded(t, id).Key()] = decoded(t, `{"of": `+id+`}`)
	}
	for id, of := range map[string]string{`7`: `7`, `"7"`: `7`, `"8"`: `"8"`, `8`: `"8"`, `"x"`: `"x"`, `"y"`: "", `9`: "", `"[1]"`: ""} {
		m, there := s.Find(decoded(t, id))
		assert.Equal(t, of != "", there, id)
		if there {
			got, _ := m.Get("of")
			assert.True(t, value.Equal(decoded(t, of), got), "%s: %s", id, m)
			continue
		}
		assert.Equal(t, decoded(t, id).Key(), s.KeyOf(decoded(t, id)))
	}
}
