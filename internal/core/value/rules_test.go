package value

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What keeps a text from being JSON, word by word.
func TestWhatIsSaidOfMistakes(t *testing.T) {
	for _, c := range []struct{ text, said string }{
		{"", "empty text at byte 0: a JSON document holds one value"},
		{"\t\r\n ", "empty text at byte 4: a JSON document holds one value"},
		{"\ufeff1", "byte order mark at byte 0: RFC 8259 §8.1 forbids it"},
		{"1 2", "text after the value at byte 2: a JSON document holds one value; found `2`"},
		{"1 abcdefghijklmnop", "text after the value at byte 2: a JSON document holds one value; found `abcdefghijkl`"},
		{"1 A9z0 x", "text after the value at byte 2: a JSON document holds one value; found `A9z0`"},
		{"1 é", "text after the value at byte 2: a JSON document holds one value; found `é`"},
		{"1 \xff", "text after the value at byte 2: a JSON document holds one value; found byte 0xff"},
		{"1 \ufffd", "text after the value at byte 2: a JSON document holds one value; found `\ufffd`"},
		{"1 \x01", "text after the value at byte 2: a JSON document holds one value; found `\\u0001`"},
		{"1 @", "text after the value at byte 2: a JSON document holds one value; found `@`"},
		{"1 {", "text after the value at byte 2: a JSON document holds one value; found `{`"},
		{`{"a":1,"a":2}`, `duplicate member at byte 7: "a" appears twice in one object`},
		{`{"` + strings.Repeat("n", 70) + `":1,"` + strings.Repeat("n", 70) + `":2}`, `duplicate member at byte 76: "` + strings.Repeat("n", 40) + "…" + strings.Repeat("n", 19) + `" appears twice in one object`},
		{`"\ud800"`, `lone surrogate at byte 1: \ud800 is half of a pair`},
		{`"\udc00\udc00"`, `lone surrogate at byte 1: \udc00 is half of a pair`},
		{`"\ud800\ud800"`, `lone surrogate at byte 1: \ud800 is half of a pair`},
		{`"\ud800\u00zz"`, `bad escape at byte 7: four hexadecimal digits follow \u`},
		{`"\ud800\u00`, `cut off at byte 11: an escape is not finished`},
		{`"\ud800\n"`, `lone surrogate at byte 1: \ud800 is half of a pair`},
		{"\"a\xffb\"", "bad UTF-8 at byte 2: byte 0xff is not part of a character"},
		{"\"é\\n\xff\"", "bad UTF-8 at byte 5: byte 0xff is not part of a character"},
		{"\"\xff\\n\"", "bad UTF-8 at byte 1: byte 0xff is not part of a character"},
		{"\"a\x1f\"", `control character at byte 2: byte 0x1f inside a string must be written \u001f`},
		{"\"\\n\x01\"", `control character at byte 3: byte 0x01 inside a string must be written \u0001`},
		{`"\x"`, `bad escape at byte 1: no such escape: \x`},
		{`"\é"`, `bad escape at byte 1: no such escape: \é`},
		{`"\u12g4"`, `bad escape at byte 1: four hexadecimal digits follow \u`},
		{`"\u`, `cut off at byte 3: an escape is not finished`},
		{`"\`, `cut off at byte 2: an escape is not finished`},
		{`"abc`, `cut off at byte 4: the string that starts at byte 0 is not closed`},
		{`["abc\n`, `cut off at byte 7: the string that starts at byte 1 is not closed`},
		{`[`, "cut off at byte 1: a value is missing"},
		{`[1`, "cut off at byte 2: `]` is missing"},
		{`{"a":1`, "cut off at byte 6: `}` is missing"},
		{`{"a"`, "cut off at byte 4: `:` is missing"},
		{`{"a":`, "cut off at byte 5: a value is missing"},
		{`{"a":1,`, "cut off at byte 7: a member name is missing"},
		{`[1 ,]`, "trailing comma at byte 3: no comma before `]`"},
		{`{"a":1 , }`, "trailing comma at byte 7: no comma before `}`"},
		{`[,]`, "missing value at byte 1: expected a value before `,`"},
		{`[}`, "missing value at byte 1: expected a value before `}`"},
		{`]`, "missing value at byte 0: expected a value before `]`"},
		{`[1 2]`, "missing comma at byte 3: expected `,` or `]`, found `2`"},
		{`{"a":1 2}`, "missing comma at byte 7: expected `,` or `}`, found `2`"},
		{`{"a" 1}`, "missing colon at byte 5: expected `:` after \"a\", found `1`"},
		{`{a:1}`, "bad member name at byte 1: expected a name in double quotes, found `a`"},
		{`{'a':1}`, `single quotes at byte 1: member names are written in double quotes "…"`},
		{`'a'`, `single quotes at byte 0: strings are written in double quotes "…"`},
		{`// x`, "comment at byte 0: JSON has none"},
		{`/* x */`, "comment at byte 0: JSON has none"},
		{`/`, "unknown word at byte 0: expected a value, found `/`"},
		{`/x`, "unknown word at byte 0: expected a value, found `/`"},
		{`+1`, "bad number at byte 0: no `+` before a number"},
		{`.5`, "bad number at byte 0: write a digit before the point: 0.5"},
		{`<a/>`, "not JSON at byte 0: starts like markup"},
		{`NaN`, "bad number at byte 0: JSON has no NaN"},
		{`Infinity`, "bad number at byte 0: JSON has no Infinity"},
		{`TRUE`, "unknown word at byte 0: `TRUE`; JSON writes `true`"},
		{`False`, "unknown word at byte 0: `False`; JSON writes `false`"},
		{`None`, "unknown word at byte 0: `None`; JSON writes `null`"},
		{`undefined`, "unknown word at byte 0: `undefined`; JSON writes `null`"},
		{`tru`, "unknown word at byte 0: expected a value, found `tru`"},
		{`fals`, "unknown word at byte 0: expected a value, found `fals`"},
		{`-`, "bad number at byte 0: a digit is missing after `-`"},
		{`-01`, "bad number at byte 0: no zeros before a number"},
		{`1.e3`, "bad number at byte 0: a digit is missing after the point"},
		{`1e+`, "bad number at byte 0: a digit is missing in the exponent"},
		{`1E`, "bad number at byte 0: a digit is missing in the exponent"},
		{strings.Repeat("[", 1001), "too deep at byte 1000: more than 1000 levels of nesting"},
		{strings.Repeat(`{"a":`, 1001), "too deep at byte 5000: more than 1000 levels of nesting"},
	} {
		v, err := Decode(c.text, Limits{})
		assert.EqualError(t, err, c.said, "%.40q", c.text)
		assert.Nil(t, v)
	}
	assert.EqualError(t, &Error{Name: "odd", Offset: 3}, "odd at byte 3")
	_, err := Decode("1234", Limits{Bytes: 3})
	assert.EqualError(t, err, "too large at byte 3: 4 bytes, the limit is 3")
	_, err = Decode("123", Limits{Bytes: 3})
	assert.NoError(t, err)
}

// What is JSON is read as it was meant, and written so that no text drives a terminal.
func TestWhatIsRead(t *testing.T) {
	for _, c := range []struct{ text, shown, sent string }{
		{` { "a" : [ 1 , 2 ] , "b" : { } , "c" : [ ] } `, `{"a": [1, 2], "b": {}, "c": []}`, `{"a":[1,2],"b":{},"c":[]}`},
		{`[true, false, null, "", -0, 1.50e+2, 0.10E-3]`, `[true, false, null, "", -0, 1.50e+2, 0.10E-3]`, `[true,false,null,"",-0,1.50e+2,0.10E-3]`},
		{`"\"\\\/\b\f\n\r\t\u0041\u00e9\ud83d\ude00"`, `"\"\\/\b\f\n\r\tAé😀"`, `"\"\\/\b\f\n\r\tAé😀"`},
		{`"\u00AF\u00af"`, `"¯¯"`, `"¯¯"`},
		{`"a\u0000\u001f\u007f\u0080\u009f\u00a0b"`, "\"a\\u0000\\u001f\\u007f\\u0080\\u009f\u00a0b\"", "\"a\\u0000\\u001f\\u007f\\u0080\\u009f\u00a0b\""},
		{`"\u2028\u2029\ufeff\u200e\u200f\u200d"`, "\"\\u2028\\u2029\\ufeff\\u200e\\u200f\u200d\"", "\"\\u2028\\u2029\\ufeff\\u200e\\u200f\u200d\""},
		{`"\u202a\u202e\u2029x\u202f\u2066\u2069\u2065\u206a"`, "\"\\u202a\\u202e\\u2029x\u202f\\u2066\\u2069\u2065\u206a\"", "\"\\u202a\\u202e\\u2029x\u202f\\u2066\\u2069\u2065\u206a\""},
		{"\"é\\n\xc3\xa9\"", `"é\né"`, `"é\né"`},
		{strings.Repeat("[", 1000) + strings.Repeat("]", 1000), strings.Repeat("[", 1000) + strings.Repeat("]", 1000), strings.Repeat("[", 1000) + strings.Repeat("]", 1000)},
		{"[" + strings.Repeat("[],", 2000) + "{}]", "[" + strings.Repeat("[], ", 2000) + "{}]", "[" + strings.Repeat("[],", 2000) + "{}]"},
		{"[" + strings.Repeat(`{"a":{}},`, 2000) + "{}]", "[" + strings.Repeat(`{"a": {}}, `, 2000) + "{}]", "[" + strings.Repeat(`{"a":{}},`, 2000) + "{}]"},
	} {
		v := must(t, c.text)
		assert.Equal(t, c.shown, v.String(), "%.40q", c.text)
		assert.Equal(t, c.sent, v.JSON(), "%.40q", c.text)
		assert.True(t, Equal(v, must(t, v.Indented())))
	}
	assert.Equal(t, "{\n  \"a\": [\n    1,\n    {\n      \"b\": []\n    }\n  ],\n  \"c\": {}\n}", must(t, `{"a": [1, {"b": []}], "c": {}}`).Indented())
	assert.Equal(t, `"x"`, must(t, `"x"`).Indented())
	big := must(t, members(20))
	assert.Len(t, big.Names, 20)
	_, err := Decode(strings.Replace(members(20), `"m19"`, `"m3"`, 1), Limits{})
	assert.ErrorContains(t, err, `"m3" appears twice`)
	_, err = Decode(strings.Replace(members(20), `"m19"`, `"m17"`, 1), Limits{})
	assert.ErrorContains(t, err, `"m17" appears twice`)
}

func members(n int) string {
	var all []string
	for i := range n {
		all = append(all, fmt.Sprintf(`"m%d": %d`, i, i))
	}
	return "{" + strings.Join(all, ", ") + "}"
}

// For looking, much is taken that no judgement is based on.
func TestLenient(t *testing.T) {
	for text, want := range map[string]string{
		`{"a": 1, "b": 2, "a": 3}`:                        `{"a": 3, "b": 2}`,
		`{"x": {"a": 1, "b": 2, "b": 3}, "b": 4, "x": 5}`: `{"x": 5, "b": 4}`,
		`"\ud800"`:             "\"\ufffd\"",
		`"\ud800\u0041"`:       "\"\ufffdA\"",
		`"\udc00x"`:            "\"\ufffdx\"",
		`"\ud800\ud83d\ude00"`: "\"\ufffd😀\"",
		"\"\xffé\"":            "\"\ufffdé\"",
	} {
		v, err := Decode(text, Limits{Lenient: true})
		require.NoError(t, err, text)
		assert.Equal(t, want, v.String(), text)
	}
	for _, text := range []string{`{"a": 1,}`, `'a'`, `"\ud800\u00g0"`} {
		_, err := Decode(text, Limits{Lenient: true})
		assert.Error(t, err, text)
	}
}

// Numbers are decimals of any length, and what stands for one is written without an exponent.
func TestIntegersAndSums(t *testing.T) {
	for literal, want := range map[string]string{
		"0": "0", "-0": "0", "0.0": "0", "0e9": "0", "7": "7", "-7.0": "-7", "1.2e3": "1200", "12e-1": "12e-1", "1.5": "1.5", "120e-1": "12", "0.5e1": "5",
		"1e1000": "1e1000", "1e999": "1" + strings.Repeat("0", 999), "1e99999999999999999999": "1e99999999999999999999", "-1e2": "-100",
	} {
		assert.Equal(t, want, PlainInteger(literal), literal)
	}
	for literal, is := range map[string]bool{
		"0": true, "-0.0": true, "1.0": true, "1.5": false, "1e2": true, "1e-1": false, "10e-1": true, "0e-5": true, "1e99999999999999999999": true, "1e-99999999999999999999": false, "123e-2": false, "12300e-2": true,
	} {
		assert.Equal(t, is, NewNumber(literal).IsInteger(), literal)
	}
	for literal, want := range map[string]any{"7": 7, "-7": -7, "7e1": 70, "9223372036854775807": 9223372036854775807, "9223372036854775808": nil, "1.5": nil, "0": 0} {
		n, ok := NewNumber(literal).Int()
		assert.Equal(t, want != nil, ok, literal)
		if ok {
			assert.Equal(t, want, n, literal)
		}
	}
	_, ok := NewString("7").Int()
	assert.False(t, ok)
	for _, c := range []struct{ a, b, sum, difference string }{
		{"0.1", "0.2", "0.3", "-0.1"},
		{"1", "0.05", "1.05", "0.95"},
		{"-1", "0.05", "-0.95", "-1.05"},
		{"0.05", "0.05", "0.10", "0.00"},
		{"1e3", "1", "1001", "999"},
		{"1e3", "1e3", "2000", "0"},
		{"1e-3", "1", "1.001", "-0.999"},
		{"1.20", "-1.2", "0.00", "2.40"},
		{"0", "0.00", "0.00", "0.00"},
		{"0e5", "1", "1", "-1"},
		{"5", "0.0", "5.0", "5.0"},
		{"0.001", "0.001", "0.002", "0.000"},
		{"99999999999999999999", "1", "100000000000000000000", "99999999999999999998"},
	} {
		sum, err := Add(c.a, c.b, false)
		require.NoError(t, err)
		assert.Equal(t, c.sum, sum, "%s + %s", c.a, c.b)
		sum, err = Add(c.a, c.b, true)
		require.NoError(t, err)
		assert.Equal(t, c.difference, sum, "%s - %s", c.a, c.b)
	}
	for _, c := range [][2]string{{"1e200001", "1"}, {"1", "1e200001"}, {"1e-200002", "1"}, {"1e99999999999999999999", "1"}, {strings.Repeat("7", 200_001), "1"}} {
		_, err := Add(c[0], c[1], false)
		assert.ErrorContains(t, err, "is too large or too precise to calculate with", "%.20s", c[0])
	}
	_, err := Add("1e199999", "1", false)
	assert.NoError(t, err)
}

// The order of numbers, at the bounds of what an exponent may be.
func TestOrderOfNumbers(t *testing.T) {
	order := []string{"-1e99999999999999999999", "-1e2305843009213693953", "-2", "-1.5", "-1", "-1e-99999999999999999999", "0", "1e-99999999999999999999", "1e-2305843009213693953", "1e-3", "0.01", "1", "1.0000001", "9.99", "10", "1e2305843009213693952", "1e2305843009213693953", "2e2305843009213693953", "1e99999999999999999999", "2e99999999999999999999"}
	for i, a := range order {
		for j, b := range order {
			want := 0
			if i < j {
				want = -1
			} else if i > j {
				want = 1
			}
			assert.Equal(t, want, CompareNumbers(a, b), "%s and %s", a, b)
			assert.Equal(t, want == 0, NewNumber(a).Key() == NewNumber(b).Key(), "%s and %s", a, b)
		}
	}
}

// Keys are equal where values are, and only there.
func TestKeys(t *testing.T) {
	for _, same := range [][]string{
		{`1`, `1.0`, `10e-1`}, {`"1"`}, {`[1]`, `[1.0]`}, {`[[1]]`}, {`[1, 1]`}, {`[11]`}, {`{"a": 1, "b": [2]}`, `{"b": [2.0], "a": 1}`}, {`{"a": {"b": 1}}`}, {`{}`}, {`[]`}, {`null`}, {`false`}, {`true`}, {`""`}, {`"null"`}, {`{"a:1": 1}`}, {`{"a": "b", "c": 1}`}, {`{"a": "b\",\"c\":1"}`}, {`-1`}, {`-0`, `0`, `0.0e5`},
	} {
		for _, other := range [][]string{{`1`}, {`"1"`}, {`[1]`}, {`-1`}, {`0`}, {`{}`}, {`[]`}, {`null`}, {`{"a": 1, "b": [2]}`}} {
			a, b := must(t, same[len(same)-1]), must(t, other[0])
			assert.Equal(t, Equal(a, b), a.Key() == b.Key(), "%s and %s", a, b)
		}
		for _, text := range same {
			assert.Equal(t, must(t, same[0]).Key(), must(t, text).Key(), text)
			assert.True(t, Equal(must(t, same[0]), must(t, text)), text)
		}
	}
	assert.Equal(t, `{"a":0.1e1,"b":[0.2e1,],}`, must(t, `{"b": [2], "a": 1}`).Key())
	// Many members, in another order.
	a, b := must(t, members(12)), must(t, members(12))
	for i, j := 0, 11; i < j; i, j = i+1, j-1 {
		b.Names[i], b.Names[j], b.Items[i], b.Items[j] = b.Names[j], b.Names[i], b.Items[j], b.Items[i]
	}
	assert.True(t, Equal(a, b))
	for _, pair := range [][2]string{{`[1]`, `[1, 2]`}, {`[1, 2]`, `[2, 1]`}, {`{"a": 1}`, `{"a": 1, "b": 2}`}, {`{"a": 1}`, `{"b": 1}`}, {`{"a": 1, "b": 2}`, `{"b": 1, "a": 2}`}, {`true`, `false`}, {`"a"`, `"b"`}, {members(12), strings.Replace(members(12), "m11", "m12", 1)}, {members(12), strings.Replace(members(12), ": 11", ": 12", 1)}} {
		assert.False(t, Equal(must(t, pair[0]), must(t, pair[1])), "%s and %s", pair[0], pair[1])
	}
	one := must(t, `[1]`)
	assert.True(t, Equal(one, one))
}

func TestPaths(t *testing.T) {
	for _, c := range []struct {
		p           *Path
		text, exact string
		first       string
	}{
		{nil, "", "", ""},
		{(*Path)(nil).Member("a"), "$.a", "$['a']", "a"},
		{(*Path)(nil).Element(3), "$[3]", "$[3]", ""},
		{(*Path)(nil).Member("a").Element(0).Member("b2").Member("_c"), "$.a[0].b2._c", "$['a'][0]['b2']['_c']", "a"},
		{(*Path)(nil).Element(0).Member("Z"), "$[0].Z", "$[0]['Z']", ""},
		{(*Path)(nil).Member("2a"), "$['2a']", "$['2a']", "2a"},
		{(*Path)(nil).Member(""), "$['']", "$['']", ""},
		{(*Path)(nil).Member("a-b"), "$['a-b']", "$['a-b']", "a-b"},
		{(*Path)(nil).Member("é"), "$['é']", "$['é']", "é"},
		{(*Path)(nil).Member("it's\\"), `$['it\'s\\']`, `$['it\'s\\']`, "it's\\"},
		{(*Path)(nil).Member("\b\t\n\f\r\x01\x1f "), `$['\b\t\n\f\r\u0001\u001f ']`, `$['\b\t\n\f\r\u0001\u001f ']`, "\b\t\n\f\r\x01\x1f "},
	} {
		if c.p == nil {
			continue
		}
		assert.Equal(t, c.text, c.p.String())
		assert.Equal(t, c.exact, c.p.Normalized())
		assert.Equal(t, c.first, c.p.First())
	}
	assert.Equal(t, "$", Path{}.String())
	in := (*Path)(nil).Member("a").Element(1).Member("b")
	for _, c := range []struct {
		p     Path
		names []string
		is    bool
	}{
		{*in, []string{"a"}, true}, {*in, []string{"b"}, true}, {*in, []string{"c"}, false}, {*in, nil, false}, {Path{}, nil, true}, {*(*Path)(nil).Element(1), nil, true}, {*(*Path)(nil).Element(1), []string{""}, true},
	} {
		names := map[string]bool{}
		for _, n := range c.names {
			names[n] = true
		}
		assert.Equal(t, c.is, c.p.Within(names), "%s in %v", c.p, c.names)
	}
	assert.Equal(t, "$.x.a[1].b", (*Path)(nil).Member("x").Join(*in).String())
	assert.Equal(t, "$.a[1].b", (*Path)(nil).Join(*in).String())
	assert.Equal(t, "$.x", (*Path)(nil).Member("x").Join(Path{}).String())
	assert.Equal(t, "$", (*Path)(nil).Join(Path{}).String())
}

// Texts for messages keep both ends, or what differs in sight.
func TestCuts(t *testing.T) {
	for _, c := range []struct {
		text string
		n    int
		want string
	}{{"abcdefghi", 9, "abcdefghi"}, {"abcdefghij", 9, "abcdef…ij"}, {"éééééééééé", 9, "éééééé…éé"}, {"", 3, ""}} {
		assert.Equal(t, c.want, Cut(c.text, c.n))
	}
	x := strings.Repeat("x", 30)
	for _, c := range []struct{ a, b, shownA, shownB string }{
		{"a", "b", `"a"`, `"b"`},
		{strings.Repeat("x", 18), "b", `"` + strings.Repeat("x", 18) + `"`, `"b"`},
		{x + "a", x + "b", `…` + strings.Repeat("x", 18) + `a"`, `…` + strings.Repeat("x", 18) + `b"`},
		{"a" + x, "b" + x, `"a` + strings.Repeat("x", 18) + "… (33 characters)", `"b` + strings.Repeat("x", 18) + "… (33 characters)"},
		{x + "a" + x, x + "b" + x, "…" + strings.Repeat("x", 5) + "a" + strings.Repeat("x", 14) + "… (63 characters)", "…" + strings.Repeat("x", 5) + "b" + strings.Repeat("x", 14) + "… (63 characters)"},
		{x, "", `"` + strings.Repeat("x", 19) + "… (32 characters)", `""`},
	} {
		a, b := CutAround(NewString(c.a), NewString(c.b), 20)
		assert.Equal(t, []string{c.shownA, c.shownB}, []string{a, b}, "%s and %s", c.a, c.b)
	}
}

// The smallest set of differences, and what one side lacks of the other.
func TestDifferencesOneByOne(t *testing.T) {
	for _, c := range []struct{ want, got, all, lacks string }{
		{`{"a": 1, "b": 2}`, `{"a": 1, "c": 3}`, "$.b is missing: 2|$.c is extra: 3", "$.b is missing: 2"},
		{`{"a": {"b": 1}}`, `{"a": {"b": 2, "c": 3}}`, "$.a.b expected 1, found 2|$.a.c is extra: 3", "$.a.b expected 1, found 2"},
		{`[{"a": 1}]`, `[{"a": 1, "b": 2}]`, "$[0].b is extra: 2", ""},
		{`[{"a": 1}, {"a": 2}]`, `[{"a": 2, "b": 1}]`, `$[0] is missing: {"a": 1}|$[0].b is extra: 1`, `$[0] is missing: {"a": 1}`},
		{`[1]`, `{"a": 1}`, `$ expected [1], found {"a": 1}`, `$ expected [1], found {"a": 1}`},
		{`[1, [2, 3]]`, `[1, [2, 4]]`, "$[1][1] expected 3, found 4", "$[1][1] expected 3, found 4"},
		{`[[1, 2], [3]]`, `[[0], [1, 2], [3]]`, "$[0] is extra: [0]", "$[0] is extra: [0]"},
		{`["a", 1]`, `[1]`, `$[0] is missing: "a"`, `$[0] is missing: "a"`},
		{`["a", 1]`, `[1, "a"]`, `$[0] is missing: "a"|$[1] is extra: "a"`, `$[0] is missing: "a"|$[1] is extra: "a"`},
		{`[{"id": 1, "n": "a"}]`, `[{"id": 2, "n": "a"}]`, `$[0].id expected 1, found 2`, `$[0].id expected 1, found 2`},
		{`[{"id": 1, "n": "a", "m": 1}, {"id": 2, "n": "b", "m": 1}]`, `[{"id": 2, "n": "a", "m": 1}]`, `$[0] is missing: {"id": 1, "n": "a", "m": 1}|$[0].n expected "b", found "a"`, `$[0] is missing: {"id": 1, "n": "a", "m": 1}|$[0].n expected "b", found "a"`},
		{`[1, 2, 3, 4]`, `[1, 9, 3, 4]`, "$[1] expected 2, found 9", "$[1] expected 2, found 9"},
		{`[1, 1, 1]`, `[1, 1]`, "$[2] is missing: 1", "$[2] is missing: 1"},
		{`[1, 2]`, `[1, 2, 3, 4]`, "$[2] is extra: 3|$[3] is extra: 4", "$[2] is extra: 3|$[3] is extra: 4"},
		{`[{}, 5]`, `[5]`, "$[0] is missing: {}", "$[0] is missing: {}"},
	} {
		for i, list := range [][]Difference{Differences(must(t, c.want), must(t, c.got)), Uncovered(must(t, c.want), must(t, c.got))} {
			var got []string
			for _, d := range list {
				got = append(got, d.String())
			}
			assert.Equal(t, []string{c.all, c.lacks}[i], strings.Join(got, "|"), "%s and %s", c.want, c.got)
		}
	}
	long := strings.Repeat("x", 200)
	assert.Len(t, []rune(Difference{Change: Missing, Want: NewString(long)}.String()), len("$ is missing: ")+120)
	assert.Len(t, []rune(Difference{Change: Extra, Got: NewString(long)}.String()), len("$ is extra: ")+120)
	// Very long lists are paired by position.
	pairs := Align(501, 502, func(int, int) float64 { return 0 })
	assert.Equal(t, Pairing{-1, 501}, pairs[501])
	assert.Equal(t, Pairing{500, 500}, pairs[500])
	pairs = Align(502, 500, func(int, int) float64 { return 1.9 })
	assert.Equal(t, []Pairing{{499, 499}, {500, -1}, {501, -1}}, pairs[499:])
	assert.Len(t, Align(500, 500, func(i, j int) float64 {
		if j == i+1 {
			return 0
		}
		return 1.9
	}), 501, "as long as there is room, what costs least is found")
}

// Bits that others count on.
func TestParts(t *testing.T) {
	v := must(t, `{"a": 1, "b": [1, 2], "c": "é😀"}`)
	for name, want := range map[string]any{"b": 2, "c": 2, "a": nil} {
		one, ok := v.Get(name)
		require.True(t, ok)
		n, ok := one.Length()
		assert.Equal(t, want != nil, ok, name)
		if ok {
			assert.Equal(t, want, n, name)
		}
	}
	n, ok := v.Length()
	assert.Equal(t, []any{3, true}, []any{n, ok})
	_, ok = v.Get("d")
	assert.False(t, ok)
	_, ok = (*Value)(nil).Get("a")
	assert.False(t, ok)
	_, ok = must(t, `[1]`).Get("a")
	assert.False(t, ok)
	assert.Equal(t, `{"n":null,"b":true,"t":"x","i":-3,"l":[1.50]}`, NewObject().Add("n", NewNull()).Add("b", NewBool(true)).Add("t", NewString("x")).Add("i", NewInt(-3)).Add("l", NewArray(NewNumber("1.50"))).JSON())
	assert.Equal(t, []string{"x", "7", "null"}, []string{NewString("x").Plain(), NewInt(7).Plain(), NewNull().Plain()})
	assert.Equal(t, "object", Object.String())
}
