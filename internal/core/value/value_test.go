package value

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func must(t testing.TB, text string) *Value {
	v, err := Decode(text, Limits{})
	require.NoError(t, err, text)
	return v
}

func TestDecodeNamesEachMistake(t *testing.T) {
	for _, c := range []struct {
		text, name string
		offset     int
	}{
		{"", "empty text", 0}, {" \n", "empty text", 2}, {"\ufeff{}", "byte order mark", 0}, {"{} {}", "text after the value", 3}, {"1 2", "text after the value", 2}, {`{"a":1,"a":2}`, "duplicate member", 7}, {`{"a":1,"\u0061":2}`, "duplicate member", 7},
		{`"\ud800"`, "lone surrogate", 1}, {`"\udc00"`, "lone surrogate", 1}, {`"\ud800\u0041"`, "lone surrogate", 1}, {"\"\xff\"", "bad UTF-8", 1}, {"\"\xed\xa0\x80\"", "bad UTF-8", 1}, {"\"a\\n\xc0\x80\"", "bad UTF-8", 4}, {"\"\n\"", "control character", 1}, {"\"\\n\x00\"", "control character", 3},
		{`"\x"`, "bad escape", 1}, {`"\u12g4"`, "bad escape", 1}, {`"abc`, "cut off", 4}, {`"abc\`, "cut off", 5}, {`"\u12`, "cut off", 5}, {`[1`, "cut off", 2}, {`[`, "cut off", 1}, {`{"a"`, "cut off", 4}, {`{`, "cut off", 1}, {`{"a":`, "cut off", 5}, {`{"a":1`, "cut off", 6},
		{`[1,]`, "trailing comma", 2}, {`{"a":1,}`, "trailing comma", 6}, {`[,1]`, "missing value", 1}, {`[1 2]`, "missing comma", 3}, {`{"a" 1}`, "missing colon", 5}, {`{"a":1 "b":2}`, "missing comma", 7}, {`{a:1}`, "bad member name", 1}, {`{'a':1}`, "single quotes", 1}, {`'a'`, "single quotes", 0},
		{`01`, "bad number", 0}, {`-`, "bad number", 0}, {`1.`, "bad number", 0}, {`.5`, "bad number", 0}, {`+1`, "bad number", 0}, {`1e`, "bad number", 0}, {`NaN`, "bad number", 0}, {`-Infinity`, "bad number", 0}, {`True`, "unknown word", 0}, {`None`, "unknown word", 0}, {`nul`, "unknown word", 0}, {`<a>`, "not JSON", 0},
		{`// x`, "comment", 0}, {strings.Repeat("[", 1001), "too deep", 1000}, {"1\x00", "text after the value", 1}, {"tru", "unknown word", 0}, {"[1}", "missing comma", 2}, {"]", "missing value", 0},
	} {
		_, err := Decode(c.text, Limits{})
		var e *Error
		if assert.ErrorAs(t, err, &e, "%.40q", c.text) {
			assert.Equal(t, c.name, e.Name, "%.40q", c.text)
			assert.Equal(t, c.offset, e.Offset, "%.40q", c.text)
			assert.NotEmpty(t, e.Error())
		}
	}
	_, err := Decode("[1,2,3]", Limits{Bytes: 3})
	assert.ErrorContains(t, err, "too large")
	_, err = Decode("[[1]]", Limits{Depth: 1})
	assert.ErrorContains(t, err, "too deep")
}

func TestNumbersAreDecimals(t *testing.T) {
	long := strings.Repeat("7", 100_000)
	for _, c := range []struct {
		a, b string
		want int
	}{
		{"1", "1.0", 0}, {"1", "1e0", 0}, {"100", "1E+2", 0}, {"-0", "0", 0}, {"0.0", "-0e9", 0}, {"0.1", "1e-1", 0}, {"0.1", "0.10000000000000000001", -1}, {"9007199254740993", "9007199254740992", 1}, {"-2", "-10", 1}, {"-1", "1", -1},
		{"1e999999999999999999999", "1e999999999999999999998", 1}, {"1e-999999999999999999999", "0", 1}, {"10e999999999999999999999", "1e1000000000000000000000", 0}, {"12.5", "12.50", 0}, {"0.001", "0.01", -1}, {long + "1", long + "2", -1}, {long, long + ".0", 0}, {"5", "05e0", 0},
	} {
		assert.Equal(t, c.want, CompareNumbers(c.a, c.b), "%.30s and %.30s", c.a, c.b)
		assert.Equal(t, -c.want, CompareNumbers(c.b, c.a))
		assert.Equal(t, c.want == 0, NewNumber(c.a).Key() == NewNumber(c.b).Key())
	}
	for _, c := range [][3]string{{"0.1", "0.2", "0.3"}, {"9007199254740993", "1", "9007199254740994"}, {"1e3", "-1", "999"}, {"1.50", "1.5", "3.00"}} {
		sum, err := Add(c[0], c[1], false)
		require.NoError(t, err)
		assert.Equal(t, c[2], sum)
	}
	_, err := Add("1e999999999", "1", false)
	assert.Error(t, err)
	assert.True(t, NewNumber("1e2").IsInteger() && NewNumber("1.0").IsInteger() && !NewNumber("1.5").IsInteger() && !NewNumber("1e-1").IsInteger())
	assert.Equal(t, "1200", PlainInteger("1.2e3"))
}

func TestDifferencesAreSmall(t *testing.T) {
	for _, c := range []struct{ want, got, diff string }{
		{`1`, `1.0`, ``}, {`{"a":1,"b":2}`, `{"b":2.0,"a":1}`, ``}, {`1`, `2`, `$ expected 1, found 2`}, {`1`, `"1"`, `$ expected 1, found "1"`}, {`{"a":1}`, `{}`, `$.a is missing: 1`}, {`{}`, `{"a":1}`, `$.a is extra: 1`},
		{`{"a":{"b":[1,2]}}`, `{"a":{"b":[1,3]}}`, `$.a.b[1] expected 2, found 3`}, {`[1,2,3]`, `[0,1,2,3]`, `$[0] is extra: 0`}, {`[1,2,3]`, `[1,3]`, `$[1] is missing: 2`}, {`[1,2,3]`, `[3,2,1]`, `$[0] expected 1, found 3|$[2] expected 3, found 1`},
		{`[{"id":1,"n":"a"},{"id":2,"n":"b"}]`, `[{"id":9,"n":"z"},{"id":1,"n":"a"},{"id":2,"n":"c"}]`, `$[0] is extra: {"id": 9, "n": "z"}|$[2].n expected "b", found "c"`}, {`[]`, `[1]`, `$[0] is extra: 1`}, {`null`, `false`, `$ expected null, found false`},
	} {
		var got []string
		for _, d := range Differences(must(t, c.want), must(t, c.got)) {
			got = append(got, d.String())
		}
		assert.Equal(t, c.diff, strings.Join(got, "|"), "%s and %s", c.want, c.got)
		assert.Equal(t, c.diff == "", Equal(must(t, c.want), must(t, c.got)))
	}
	assert.Empty(t, Uncovered(must(t, `{"a":[{"b":1}]}`), must(t, `{"a":[{"b":1,"c":2}],"d":3}`)))
	assert.Len(t, Uncovered(must(t, `{"a":[1]}`), must(t, `{"a":[1,2]}`)), 1)
	long := `"` + strings.Repeat("x", 500)
	d := Differences(must(t, long+`a"`), must(t, long+`b"`))
	assert.Less(t, len(d[0].String()), 400)
	assert.Contains(t, d[0].String(), `xa"`)
}

func FuzzDecode(f *testing.F) {
	for _, s := range []string{`{"a":[1,-2.5e3,"x\u00e9\ud83d\udea2",null,true]}`, `[[[]]]`, `"\\"`, `{"a":1,"a":2}`, "1e400"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		v, err := Decode(text, Limits{})
		if err != nil {
			return
		}
		require.True(t, json.Valid([]byte(text)), "taken, but not JSON: %q", text)
		for _, out := range []string{v.String(), v.JSON(), v.Indented()} {
			again, err := Decode(out, Limits{})
			require.NoError(t, err)
			require.True(t, Equal(v, again))
			require.Equal(t, v.Key(), again.Key())
		}
		require.Empty(t, Differences(v, v))
	})
}

// The decoder beside encoding/json on the same bytes.
func BenchmarkDecode(b *testing.B) {
	text := `[` + strings.TrimSuffix(strings.Repeat(`{"id":17,"name":"Grey Heron","length_m":9.40,"flags":["NL","SE"],"note":null},`, 200), ",") + `]`
	b.Run("exact", func(b *testing.B) {
		for b.Loop() {
			_, _ = Decode(text, Limits{})
		}
	})
	b.Run("baseline", func(b *testing.B) {
		for b.Loop() {
			var v any
			_ = json.Unmarshal([]byte(text), &v)
		}
	})
}
