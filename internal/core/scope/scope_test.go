package scope

import (
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/core/value"
)

func world(seed uint64) *World {
	return &World{Rand: Seeded(seed, "k"), Now: func() time.Time { return time.Date(2026, 11, 24, 23, 30, 0, 0, time.FixedZone("x", 3600)) },
		ReadFile: func(name string) ([]byte, error) {
			if name == "a.json" {
				return []byte(`{"n": 1.10}`), nil
			}
			if name == "a.txt" {
				return []byte("text"), nil
			}
			return nil, errors.New(name + ": not there")
		}}
}

// node is the value in `let x = …`.
func node(t *testing.T, text string) *syntax.Node {
	tree, diags := syntax.Parse(source.NewFile("t", "let x = "+text+"\n"))
	require.Empty(t, diags, text)
	return tree.Statements[0].Body.(*syntax.Let).Value
}

func filled(t *testing.T, w *World) *Scope {
	s := New(w)
	v, err := value.Decode(`{"name":"Eider","list":[1,[2.50]],"o":{"deep":true,"{n}":7}}`, value.Limits{})
	require.NoError(t, err)
	s.Bind("boat", v)
	s.Bind("n", value.NewNumber("9007199254740993"))
	s.Define("lazy", node(t, `"{boat.name}!"`))
	s.Define("self", node(t, `{self}`))
	s.Define("waits", node(t, `{later}`))
	return s
}

func TestValues(t *testing.T) {
	for _, c := range []struct{ text, want, err string }{
		{`{boat.name}`, `"Eider"`, ""}, {`{boat.list[1][0]}`, `2.50`, ""}, {`{boat.list[-2]}`, `1`, ""}, {`{boat.o}`, `{"deep": true, "{n}": 7}`, ""}, {`{boat.o["{n}"]}`, `7`, ""}, {`{boat.o["\{n}"]}`, `7`, ""}, {`{n + 1}`, `9007199254740994`, ""}, {`{n - 0.1}`, `9007199254740992.9`, ""}, {`{n - 1 + 2}`, `9007199254740994`, ""},
		{`"{boat.name} {boat.o.deep} {n}"`, `"Eider true 9007199254740993"`, ""}, {`{lazy}`, `"Eider!"`, ""}, {`{ "{boat.name}": [{n}, null, "{ x }", "\{n}", "{}"] }`, `{"Eider": [9007199254740993, null, "{ x }", "{n}", "{}"]}`, ""},
		{`{boat.nme}`, "", "has no member `nme`: it has name, list, o"}, {`{boat.list[2]}`, "", "no element 2: it has 2"}, {`{boat.name.x}`, "", "is not an object"}, {`{boat[0]}`, "", "is not an array"}, {`{boat + 1}`, "", "is not a number"}, {`{nobody}`, "", "`nobody` has no value"}, {`{self}`, "", "defined by itself"}, {`{waits}`, "", "`later` has no value"},
		{`{lower("ÄB")}`, `"äb"`, ""}, {`{upper(boat.name)}`, `"EIDER"`, ""}, {`{length(boat)}`, `3`, ""}, {`{length("é🚢")}`, `2`, ""}, {`{length(n)}`, "", "has no length"}, {`{repeat("ab", 2)}`, `"abab"`, ""}, {`{repeat("ab", -1)}`, "", "a count from 0"}, {`{repeat("aaaaaaaaaa", 60000000)}`, "", "64 MiB"}, {`{base64("a?>")}`, `"YT8+"`, ""},
		{`{today()}`, `"2026-11-24"`, ""}, {`{in_days(8)}`, `"2026-12-02"`, ""}, {`{in_days("x")}`, "", "not a number of days"}, {`{now()}`, `"2026-11-24T22:30:00Z"`, ""}, {`{random_int(3, 3)}`, `3`, ""}, {`{random_int(3, 2)}`, "", "the smaller number comes first"}, {`{pick("a")}`, `"a"`, ""}, {`{length(random_text(12))}`, `12`, ""},
		{`{file("a.json")}`, `{"n": 1.10}`, ""}, {`{file("a.json").n}`, `1.10`, ""}, {`{file("a.txt")}`, `"text"`, ""}, {`{file("b")}`, "", "not there"},
		{`{join(boat.list, "; ")}`, `"1; [2.50]"`, ""}, {`{join(n, ",")}`, "", "takes a list"},
		{`{nth(boat.list, 1)}`, `1`, ""}, {`{nth(boat.list, 9)}`, "", "element 9 of a list of 2"}, {`{nth(n, 1)}`, "", "takes a list"}, {`{length(another("F12"))}`, `3`, ""}, {`{length(another("6ba7b810-9dad-41d1-80b4-00c04fd430c8"))}`, `36`, ""},
	} {
		v, err := filled(t, world(1)).Value(node(t, c.text))
		if c.err != "" {
			assert.ErrorContains(t, err, c.err, c.text)
			continue
		}
		if assert.NoError(t, err, c.text) {
			assert.Equal(t, c.want, v.String(), c.text)
		}
	}
	s := filled(t, world(1))
	_, err := s.Lookup("waits")
	assert.Error(t, err)
	s.Bind("later", value.NewInt(4))
	v, err := s.Lookup("waits")
	require.NoError(t, err, "a name may be bound later")
	assert.Equal(t, "4", v.String())
}

func TestRandomFollowsTheSeed(t *testing.T) {
	draw := func(seed uint64) string {
		v, err := filled(t, world(seed)).Value(node(t, `"{uuid()} {random_int(0, 1000000)} {random_text(8)} {pick("a", "b", "c")}"`))
		require.NoError(t, err)
		return v.Text
	}
	assert.Equal(t, draw(5), draw(5))
	assert.NotEqual(t, draw(5), draw(6))
	w := world(1)
	mark := w.Rand.Mark()
	first := w.Rand.Uint64()
	w.Rand.Back(mark)
	assert.Equal(t, first, w.Rand.Uint64())
	s := New(world(2))
	s.Define("id", node(t, `"{uuid()}"`))
	a, _ := s.Inner().Lookup("id")
	b, _ := s.Lookup("id")
	assert.Same(t, a, b, "worked out once")
}

func TestAnotherHasTheFormAndIsAnother(t *testing.T) {
	for like, form := range map[string]string{`17`: `^[78]\d{8}$`, `"F12"`: `^[A-EG-Z][02-9][013-9]$`, `"6ba7b810-9dad-41d1-80b4-00c04fd430c8"`: `^[0-9a-f]{8}-[0-9a-f]{4}-4[0-9a-f]{3}-`, `"/boats/17"`: `^/boats/[78]\d{8}$`, `"http://127.0.0.1:4710/x/ab"`: `^http://127.0.0.1:4710/x/[b-z][ac-z]$`,
		`"buoy-123456"`: `^buoy-\d{6}$`, `"01M8CNXGV2MV9EEYZ6RQKAW16R"`: `^01M8CNXGV2MV9E[0-9ACEGKMNQRVWXYZ]{12}$`, `"5f3a9c1be2d4a7b8c9d0e1f2"`: `^5f3a9c1be2d4a[0-9a-f]{11}$`, `"3f2a9c1b"`: `^[0-9a-f]{8}$`} {
		s := New(world(4))
		s.Define("like", node(t, like))
		v, err := s.Value(node(t, `{another(like)}`))
		require.NoError(t, err)
		assert.Regexp(t, form, v.Plain(), like)
	}
}

func TestAnotherThanThoseOfAList(t *testing.T) {
	s := New(world(4))
	var taken []string
	for d := range 10 {
		if d != 7 {
			taken = append(taken, fmt.Sprintf("%q", fmt.Sprint(d)))
		}
	}
	s.Define("taken", node(t, "["+strings.Join(taken, ", ")+"]"))
	v, err := s.Value(node(t, `{another("3", taken)}`))
	require.NoError(t, err)
	assert.Equal(t, "7", v.Plain(), "the only one that is free")
	_, err = s.Value(node(t, `{another("7", taken)}`))
	assert.ErrorContains(t, err, "none of the 9 has")
}

func TestCalls(t *testing.T) {
	assert.Len(t, Functions(), 19)
	for _, f := range Functions() {
		message, form := CheckCall(&syntax.Expr{Call: true, Name: f, Args: make([]*syntax.Expr, 5)})
		if f == "pick" {
			assert.Empty(t, message)
			continue
		}
		assert.Contains(t, message, f+"() takes")
		assert.NotEmpty(t, form)
	}
}
