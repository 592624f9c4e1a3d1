package shape

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/value"
)

func decoded(t *testing.T, text string) *value.Value {
	t.Helper()
	v, err := value.Decode(text, value.Limits{})
	require.NoError(t, err, text)
	return v
}

// Texts that have a form, by the standard that says it.
func TestFormsOfTexts(t *testing.T) {
	for kind, c := range map[string]struct{ are, not []string }{
		"uuid": {[]string{"7d1f0c2e-9b5a-4386-8f00-0123456789ab", "7D1F0C2E-9B5A-4386-8F00-0123456789AB", "00000000-0000-0000-0000-000000000000"},
			[]string{"", "7d1f0c2e9b5a43868f000123456789ab", "{7d1f0c2e-9b5a-4386-8f00-0123456789ab}", "urn:uuid:7d1f0c2e-9b5a-4386-8f00-0123456789ab", "7d1f0c2e-9b5a-4386-8f00-0123456789ag"}},
		// RFC 3339 §5.6: T and Z in either case, a space for T, a leap second.
		"datetime": {[]string{"2026-11-24T05:00:00Z", "2026-11-24t05:00:00z", "2026-11-24 05:00:00Z", "2026-11-24T05:00:00.123456789+01:00", "2026-12-31T23:59:60Z", "2026-06-30T18:59:60-05:00"},
			[]string{"", "2026-11-24", "2026-11-24T05:00Z", "2026-11-24T05:00:00", "2026-11-24T05:00:00,5Z", "2026-02-30T05:00:00Z", "2026-11-24T24:00:00Z", "2026-11-24T05:00:60Z"}},
		"date":  {[]string{"2026-02-28", "2028-02-29"}, []string{"", "2026-02-29", "2026-2-28", "28.02.2026", "2026-02-28T00:00:00Z"}},
		"time":  {[]string{"05:00", "05:00:00", "23:59:60", "05:00:00.5", "05:00:00Z", "05:00z", "05:00:00+01:00"}, []string{"", "5:00", "24:00", "05:60", "05:00:61", "05:00:00.", "05:00+1"}},
		"uri":   {[]string{"http://127.0.0.1/x", "urn:isbn:1", "mailto:a@gull.example", "file:/x", "a:b"}, []string{"", "/x", "x", "http:", "http://a b", "http://a/{id}", "http://a/<b>", `http://a/"`, "http://a/`"}},
		"email": {[]string{"a@gull.example", "a.b+c@gull.example"}, []string{"", "a", "a@", "A <a@gull.example>", "<a@gull.example>", " a@gull.example", "a@gull.example, b@gull.example"}},
		"tide":  {nil, []string{"", "high"}},
	} {
		for _, s := range c.are {
			assert.True(t, IsText(kind, s), "%s: %s", kind, s)
		}
		for _, s := range c.not {
			assert.False(t, IsText(kind, s), "%s: %s", kind, s)
		}
	}
}

// within says how near a number, a time or a date is.
func TestNearness(t *testing.T) {
	for _, c := range []struct{ shape, v, want string }{
		{"number within 0.5 of 3", "3.5", ""},
		{"number within 0.5 of 3", "2.5", ""},
		{"number within 0.5 of 3", "3.50000000000000000001", "$ expected number within 0.5 of 3, found 3.50000000000000000001"},
		{"number within 0.5 of 3", "2.4", "$ expected number within 0.5 of 3, found 2.4"},
		{"number within {half} of {boat}", "17.5", ""},
		{"number within {half} of {boat}", "17.6", "$ expected number within {half} of {boat}, found 17.6"},
		{"number within 1 of {who}", "3", "error: \"Eider\" is not a number, and 1 is a distance of numbers"},
		{"number within {who} of 3", "3", "error: \"Eider\" is neither a number nor a duration"},
		{"number within {nobody} of 3", "3", "error: nobody"},
		{"number within 1 of {nobody}", "3", "error: nobody"},
		{`datetime within 5s of "2026-11-24T05:00:00Z"`, `"2026-11-24T05:00:05Z"`, ""},
		{`datetime within 5s of "2026-11-24T05:00:00Z"`, `"2026-11-24T06:59:55.5+02:00"`, ""},
		{`datetime within 5s of "2026-11-24T05:00:00Z"`, `"2026-11-24T04:59:54Z"`, `$ expected datetime within 5s of "2026-11-24T05:00:00Z", found "2026-11-24T04:59:54Z"`},
		{`datetime within 5s of "2026-11-24T05:00:00Z"`, `"2026-11-24t05:00:05z"`, ""},
		{`datetime within {gap} of "2026-11-24T05:00:00Z"`, `"2026-11-24T05:01:00Z"`, ""},
		{`datetime within {gap} of "2026-11-24T05:00:00Z"`, `"2026-11-24T05:01:01Z"`, `$ expected datetime within {gap} of "2026-11-24T05:00:00Z", found "2026-11-24T05:01:01Z"`},
		{`date within 1d of "2026-11-24"`, `"2026-11-25"`, ""},
		{`date within 1d of "2026-11-24"`, `"2026-11-26"`, `$ expected date within 1d of "2026-11-24", found "2026-11-26"`},
		{`datetime within 5s of {who}`, `"2026-11-24T05:00:00Z"`, `error: "Eider" is neither a time of RFC 3339 nor a date`},
		{`datetime within 5s of "2026-11-24"`, `"2026-11-24T05:00:00Z"`, `$ expected datetime within 5s of "2026-11-24", found "2026-11-24T05:00:00Z"`},
	} {
		s := names()
		s.Bind("half", decoded(t, "0.5"))
		s.Bind("gap", value.NewString("1m"))
		n, ok := shapeOf(t, c.shape)
		require.True(t, ok, c.shape)
		r, err := Match(n, decoded(t, c.v), s)
		got := ""
		if want, is := strings.CutPrefix(c.want, "error: "); is {
			assert.ErrorContains(t, err, want, c.shape)
			continue
		}
		require.NoError(t, err, c.shape)
		for _, m := range r.Mismatches {
			got += m.String()
		}
		assert.Equal(t, c.want, got, "%s on %s", c.shape, c.v)
	}
	// What is of another kind is no distance away.
	n, _ := shapeOf(t, "number within 1 of 3")
	near, kind, err := Near(n.Limits.Within, value.NewString("3"), names())
	assert.Equal(t, []any{false, false, nil}, []any{near, kind, err})
	n, _ = shapeOf(t, `datetime within 5s of "2026-11-24T05:00:00Z"`)
	for _, other := range []string{`3`, `"x"`, `"2026-11-24"`} {
		near, kind, err = Near(n.Limits.Within, decoded(t, other), names())
		assert.Equal(t, []any{false, false, nil}, []any{near, kind, err}, other)
	}
}

func TestOrderOfTimes(t *testing.T) {
	for _, c := range []struct {
		v, bound string
		order    int
		kind     bool
	}{
		{`"2026-11-24T05:00:00Z"`, `"2026-11-24T05:00:00Z"`, 0, true},
		{`"2026-11-24T06:00:00+02:00"`, `"2026-11-24T05:00:00Z"`, -1, true},
		{`"2026-11-24T05:00:00.1Z"`, `"2026-11-24T05:00:00Z"`, 1, true},
		{`"2026-11-25"`, `"2026-11-24"`, 1, true},
		{`"2026-11-25"`, `"2026-11-24T05:00:00Z"`, 0, false},
		{`"x"`, `"2026-11-24"`, 0, false},
		{`20261124`, `"2026-11-24"`, 0, false},
	} {
		order, kind, err := Compared(decoded(t, c.v), decoded(t, c.bound))
		require.NoError(t, err)
		assert.Equal(t, []any{c.order, c.kind}, []any{order, kind}, "%s and %s", c.v, c.bound)
	}
	_, _, err := Compared(decoded(t, `"2026-11-24"`), decoded(t, `"x"`))
	assert.ErrorContains(t, err, "neither a time")
}

// Each row is a shape, a value, and all that is said of the two.
func TestWhatIsSaid(t *testing.T) {
	for _, c := range []struct{ shape, v, want string }{
		{`{list}`, `[1, 2]`, ""},
		{`{list}`, `[1, 3]`, "$[1] expected 2, found 3"},
		{`{list}`, `{}`, "$ expected [1, 2], found {}"},
		{`{ "l": {list} }`, `{"l": [1, 2, 3]}`, "$.l[2] is extra: 3"},
		{`{object}`, `{"a": {"b": 2}}`, "$.a.b expected 1, found 2"},
		{`{object}`, `[]`, `$ expected {"a": {"b": 1}}, found []`},
		{`{ "n": {object} }`, `{"n": {"a": {"b": 2}}}`, "$.n.a.b expected 1, found 2"},
		{`array of { "a": 1 }`, `[{"a": 1}, {"a": 2}, {}]`, "$[1].a expected 1, found 2|$[2].a is missing, expected 1"},
		{`array count 1`, `[1, 2]`, "$ expected array count 1, found 2 elements"},
		{`array count 2`, `[1]`, "$ expected array count 2, found 1 element"},
		{`string length 3..`, `"ab"`, `$ expected string length 3.., found 2 characters: "ab"`},
		{`[1, ...]`, `{}`, "$ expected an array, found {}"},
		{`any order [1]`, `1`, "$ expected an array, found 1"},
		{`[1, 2, ...]`, `[1, 3]`, "$[1] expected 2, found 3"},
		{`[1, { "a": {boat} }, ...]`, `[1]`, `$[1] is missing, expected {"a": 17}`},
		{`[1, { "a": integer }]`, `[1, {"a": "x"}]`, `$[1].a expected integer, found "x"`},
		{`[{ "a": 1, "b": 1 }, { "a": 2, "b": 2 }]`, `[{"a": 2, "b": 2}]`, `$[0] is missing, expected {"a": 1, "b": 1}`},
		{`[{ "a": 1, "b": 1 }, { "a": 2, "b": 2 }]`, `[{"a": 1, "b": 2}, {"a": 2, "b": 2}]`, "$[0].b expected 1, found 2"},
		{`[{ "a": 1 }, { "a": 2 }]`, `[{"a": 1}, 5, {"a": 2}]`, "$[1] is extra: 5"},
		{`[1 as first, 2 as second]`, `[1, 2]`, ""},
		{`[integer as first, "x"]`, `[1, 2]`, `$[1] expected "x", found 2`},
		{`any order [1 as first, 2]`, `[2, 1]`, ""},
		{`any order [integer, 1]`, `[1, 2]`, ""},
		{`any order []`, `[1]`, "$[0] is extra: 1"},
		{`any order [1, 2]`, `[]`, "$ has no element left that is 1|$ has no element left that is 2"},
		{`any order [integer, 1]`, `[1]`, "$ has no element left that is 1"},
		{`{ "a": 1 } or { "b": 1 }`, `{"b": 2}`, "$.b expected 1, found 2  (closest alternative: { \"b\": 1 })"},
		{`{ "b": 3, "c": 1 } or { "b": 1 }`, `{"b": 2}`, "$.b expected 1, found 2  (closest alternative: { \"b\": 1 })"},
		{`{ "b": 1 } or { "b": 3 }`, `{"b": 2}`, "$.b expected 1, found 2  (closest alternative: { \"b\": 1 })"},
		{`{ "x": null or { "b": 1 } }`, `{"x": {"b": 2}}`, "$.x.b expected 1, found 2  (closest alternative: { \"b\": 1 })"},
		{`{ "x": null or 1 }`, `{"x": 2}`, "$.x expected null or 1, found 2"},
		{`/^a/`, `"ba"`, `$ expected a string that matches /^a/, found "ba"`},
		{`string /^a/`, `7`, `$ expected string /^a/, found 7`},
		{`object`, `{}`, ""},
		{`{ "a": 1, "b": 2 }`, `{"c": 3}`, "$.a is missing, expected 1|$.b is missing, expected 2|$.c is extra: 3"},
		{`{ "{who}": 1 }`, `{"Eider": 1}`, ""},
		// What cannot be worked out is an error, wherever it stands.
		{`{ "{nobody}": 1 }`, `{"Eider": 1}`, "error: nobody"},
		{`{ "a": 1 or {nobody} }`, `{"a": 2}`, "error: nobody"},
		{`[1, {nobody}]`, `[1, 2]`, "error: nobody"},
		{`any order [{nobody}]`, `[1]`, "error: nobody"},
		{`{ "a": not {nobody} }`, `{"a": 1}`, "error: nobody"},
		{`integer 1..{nobody}`, `1`, "error: nobody"},
		{`integer 1..{who}`, `1`, `error: "Eider" is not a number to end a range with`},
		{`string length 1..{who}`, `"a"`, `error: "Eider" is not a number`},
		{`[{nobody}, {other}]`, `[1, 2]`, "error: nobody"},
	} {
		s := names()
		s.Bind("list", decoded(t, `[1, 2]`))
		s.Bind("object", decoded(t, `{"a": {"b": 1}}`))
		n, ok := shapeOf(t, c.shape)
		require.True(t, ok, c.shape)
		r, err := Match(n, decoded(t, c.v), s)
		if want, is := strings.CutPrefix(c.want, "error: "); is {
			assert.ErrorContains(t, err, want, c.shape)
			continue
		}
		require.NoError(t, err, c.shape)
		var got []string
		for _, m := range r.Mismatches {
			got = append(got, m.String())
		}
		assert.Equal(t, c.want, strings.Join(got, "|"), "%s on %s", c.shape, c.v)
		for _, name := range []string{"first", "second"} {
			if strings.Contains(c.shape, "as "+name) {
				assert.NotNil(t, r.Bound[name], "%s binds %s", c.shape, name)
			}
		}
	}
	// Of alternatives the first that holds gives its names.
	n, _ := shapeOf(t, `{ "a": 1 as x } or { "a": integer as y }`)
	r, err := Match(n, decoded(t, `{"a": 1}`), names())
	require.NoError(t, err)
	assert.Len(t, r.Bound, 1)
	assert.NotNil(t, r.Bound["x"])
}
