package jsonpath

import (
	"errors"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/value"
)

const quay = `{"berths":[{"code":"A1","len":8,"power":true},{"code":"A2","len":12.50,"boat":{"name":"Eider","crew":["Ola","Per"]}},{"code":"B1","len":30,"boat":null}],"open":true,"':\"":{"\u263a":1},"n":{"a":[1,2,3,4,5],"b":{"c":null}}}`

func decode(t testing.TB, text string) *value.Value {
	v, err := value.Decode(text, value.Limits{})
	require.NoError(t, err, text)
	return v
}

func TestSelect(t *testing.T) {
	for _, c := range []struct{ query, doc, want string }{
		// RFC 9535 §2.2, 2.3.1: root and names.
		{`$`, `5`, `5`}, {`$.open`, quay, `true`}, {`$['open']`, quay, `true`}, {`$["open"]`, quay, `true`}, {`$.none`, quay, ``},
		{`$.open.x`, quay, ``}, {`$ . open`, quay, "!"}, {`$ .open`, quay, `true`}, {"$\n['n']\t.b", quay, `{"c": null}`}, {`$["':\""]["\u263A"]`, quay, `1`},
		{`$["':\""].☺`, quay, `1`}, {`$['\'']`, `{"'":1}`, `1`}, {`$["\uD83D\uDEA2"]`, `{"🚢":1}`, `1`}, {`$['a\/b\\c\b\f\n\r\t']`, `{"a/b\\c\b\f\n\r\t":1}`, `1`}, {`$['']`, `{"":7}`, `7`},
		{`$.length`, `[1,2]`, ``}, {`$._a1`, `{"_a1":1}`, `1`},
		// §2.3.2 wildcard, §2.3.3 index, §2.3.4 slice.
		{`$.*`, `[1,2]`, `1;2`}, {`$[*]`, `{"a":1,"b":[2]}`, `1;[2]`}, {`$.*`, `"x"`, ``}, {`$[0]`, `[1,2]`, `1`}, {`$[-1]`, `[1,2]`, `2`}, {`$[2]`, `[1,2]`, ``}, {`$[-3]`, `[1,2]`, ``},
		{`$[0]`, `{"0":1}`, ``}, {`$['0']`, `[1]`, ``}, {`$[0, 0, 1]`, `[1,2]`, `1;1;2`}, {`$['a','b',*]`, `{"a":1,"b":2}`, `1;2;1;2`}, {`$[9007199254740991]`, `[1]`, ``},
		{`$[1:3]`, `[0,1,2,3,4]`, `1;2`}, {`$[3:]`, `[0,1,2,3,4]`, `3;4`}, {`$[:2]`, `[0,1,2]`, `0;1`}, {`$[::2]`, `[0,1,2,3,4]`, `0;2;4`}, {`$[5:1:-2]`, `[0,1,2,3,4,5,6]`, `5;3`},
		{`$[::-1]`, `[0,1,2]`, `2;1;0`}, {`$[-2:]`, `[0,1,2]`, `1;2`}, {`$[:-2]`, `[0,1,2]`, `0`}, {`$[1:2:0]`, `[0,1,2]`, ``}, {`$[1 : 5 : 2]`, `[0,1,2,3,4,5]`, `1;3`}, {`$[10:]`, `[0]`, ``},
		{`$[-10:10]`, `[0,1]`, `0;1`}, {`$[3:0:-1]`, `[0,1,2,3]`, `3;2;1`}, {`$[-1:-4:-1]`, `[0,1,2,3]`, `3;2;1`}, {`$[0:1]`, `{"a":1}`, ``}, {`$[::-9007199254740991]`, `[0,1]`, `1`},
		// §2.5.2 descendants.
		{`$..code`, quay, `"A1";"A2";"B1"`}, {`$..[0]`, `[[1],[2]]`, `[1];1;2`}, {`$..*`, `{"a":[1,{"b":2}]}`, `[1, {"b": 2}];1;{"b": 2};2`}, {`$..[*,0]`, `[1]`, `1;1`}, {`$..crew[-1]`, quay, `"Per"`},
		// §2.3.5 filters: tests, comparisons, logic.
		{`$.berths[?@.boat].code`, quay, `"A2";"B1"`}, {`$.berths[?!@.boat].code`, quay, `"A1"`}, {`$.berths[?@.boat == null].code`, quay, `"B1"`}, {`$.berths[?@.len > 8 && @.len < 30].code`, quay, `"A2"`},
		{`$.berths[?@.len<=8||@.code=='B1'].code`, quay, `"A1";"B1"`}, {`$.berths[?(@.len == 12.5)].code`, quay, `"A2"`}, {`$.berths[?@.len == 1.25e1].code`, quay, `"A2"`}, {`$.berths[?!(@.len == 8)].code`, quay, `"A2";"B1"`},
		{`$[?@.a == @.b]`, `[{"a":1,"b":1.0},{"a":1},{}]`, `{"a": 1, "b": 1.0};{}`}, {`$[?@.a != @.b]`, `[{"a":1},{}]`, `{"a": 1}`}, {`$[?@ == $[0]]`, `[{"x":[1]},2,{"x":[1.0]}]`, `{"x": [1]};{"x": [1.0]}`},
		{`$[?@ < 'b']`, `["a","b",1,null]`, `"a"`}, {`$[?@ <= true]`, `[true,false]`, `true`}, {`$[?@ >= null]`, `[null,0]`, `null`}, {`$[?@ < 3]`, `[1,"2",3,[0]]`, `1`}, {`$[?@.*]`, `[[],[0],{}]`, `[0]`},
		{`$[?@[0] == -0]`, `[[0],[-0.0],[1]]`, `[0];[-0.0]`}, {`$[?@==9007199254740993]`, `[9007199254740992,9007199254740993]`, `9007199254740993`}, {`$[?true == true]`, `[1]`, `1`}, {`$[?'a' == "a"]`, `[1]`, `1`},
		{`$[?@.a && @.b || @.c]`, `[{"a":1},{"a":1,"b":1},{"c":1}]`, `{"a": 1, "b": 1};{"c": 1}`}, {`$[?$.k == @.k]`, `{"k":1,"x":{"k":1}}`, `{"k": 1}`}, {`$[?@..z]`, `[{"y":{"z":1}},{}]`, `{"y": {"z": 1}}`},
		{`$[?@[?@ > 1]]`, `[[1],[1,2]]`, `[1, 2]`}, {`$[?@.a, ?@.b]`, `[{"a":1,"b":2}]`, `{"a": 1, "b": 2};{"a": 1, "b": 2}`}, {`$[? @.a == 1 ]`, `[{"a":1}]`, `{"a": 1}`}, {`$[?(((@.a)))]`, `[{"a":1}]`, `{"a": 1}`},
		{`$[?@.a == 1E0]`, `[{"a":1}]`, `{"a": 1}`}, {`$[?@ == 'b\u0062']`, `["bb"]`, `"bb"`}, {`$[?@.x == 1 && !@.y]`, `[{"x":1},{"x":1,"y":0}]`, `{"x": 1}`},
		// §2.4 functions.
		{`$[?length(@) == 2]`, `["ab","🚢x",[1,2],{"a":1,"b":2},12,null]`, `"ab";"🚢x";[1, 2];{"a": 1, "b": 2}`}, {`$[?length(@.a) == length(@.b)]`, `[{}]`, `{}`}, {`$[?count(@.*) == 2]`, `[[1,2],{"a":1},[]]`, `[1, 2]`},
		{`$[?count(@..*) > 2]`, `[[1,2],[[1],2]]`, `[[1], 2]`}, {`$[?value(@..c) == 1]`, `[{"a":{"c":1}},{"c":1,"a":{"c":1}}]`, `{"a": {"c": 1}}`}, {`$[?length(value(@.*)) == 1]`, `[["x"],["xy"]]`, `["x"]`},
		{`$[?match(@, 'a.c')]`, `["abc","xabc","a\nc",1]`, `"abc"`}, {`$[?search(@, 'b+')]`, `["abbc","ac"]`, `"abbc"`}, {`$[?match(@.a, @.re)]`, `[{"a":"xy","re":"x."},{"a":"xy","re":"x"},{"a":"x","re":1}]`, `{"a": "xy", "re": "x."}`},
		{`$[?match(@, '\\p{Lu}[a-z]{2,3}')]`, `["Abc","abc","Élan"]`, `"Abc";"Élan"`}, {`$[?match(@, '(a|b)*')]`, `["","abab","c"]`, `"";"abab"`}, {`$[?match(@, '[^0-9]')]`, `["x","1"]`, `"x"`}, {`$[?match(@, '\\d')]`, `["1"]`, ``},
		{`$[?match(@, '[')]`, `["["]`, ``}, {`$[?!match(@, 'a{1')]`, `["a"]`, `"a"`}, {`$[?match(@, 'a\\.b')]`, `["a.b","axb"]`, `"a.b"`}, {`$[?search(@, '[\\]]')]`, `["]","x"]`, `"]"`}, {`$[?match(@,'.*bc$')]`, `["abc","abcx"]`, `"abc"`},
		{`$[?match(@, '[-a]|[a-]')]`, `["-","a","b"]`, `"-";"a"`}, {`$[?match(@, '\\P{L}')]`, `["1","a"]`, `"1"`}, {`$[?length(@) == 1 && match(@, '.')]`, `["\r","x"]`, `"x"`},
	} {
		q, err := Parse(c.query)
		if c.want == "!" {
			assert.Error(t, err, c.query)
			continue
		}
		if !assert.NoError(t, err, c.query) {
			continue
		}
		var got []string
		for _, n := range selected(t, q, decode(t, c.doc)) {
			got = append(got, n.Value.String())
		}
		assert.Equal(t, c.want, strings.Join(got, ";"), "%s on %s", c.query, c.doc)
	}
}

func selected(t *testing.T, q *Query, v *value.Value) []Node {
	nodes, err := q.Select(v)
	require.NoError(t, err)
	return nodes
}

// What would take too long ends with a word about it.
func TestTooWide(t *testing.T) {
	deep := decode(t, strings.Repeat("[", 200)+strings.Repeat("]", 200))
	wide := decode(t, "["+strings.Repeat("1,", 9_999)+"1]")
	for query, doc := range map[string]*value.Value{"$..*..*..*..*": deep, "$[?count($[*]) > 1]": wide, "$[*]..*": wide, "$..[?@ == $[-1]]": wide} {
		q, err := Parse(query)
		require.NoError(t, err)
		_, err = q.Select(doc)
		var wider *tooWide
		assert.Equal(t, strings.Contains(query, "count") || doc == deep, errors.As(err, &wider), query)
	}
}

func TestRefused(t *testing.T) {
	for _, q := range []string{
		``, ` $`, `$ `, `a`, `$.`, `$..`, `$a`, `$.'a'`, `$. a`, `$.-1`, `$.1a`, `$.a-b`, `$[`, `$[]`, `$[a]`, `$[0`, `$[0,]`, `$[,0]`, `$[01]`, `$[-01]`, `$[-0]`, `$[1.0]`, `$[1e2]`, `$[+1]`,
		`$[9007199254740992]`, `$[-9007199254740992]`, `$['a]`, `$['a"]`, `$["a']`, `$['\"']`, `$["\'"]`, `$['\a']`, `$['\u12']`, `$['\ud800']`, `$['\udc00x']`, `$['\ud800\u0041']`, "$['\n']", "$['\x01']", `$[1:2:3:4]`, `$[1:a]`, `$[1:-0]`, `$[::01]`,
		`$[?]`, `$[?@.a==]`, `$[?==1]`, `$[?@.a = 1]`, `$[?@.a === 1]`, `$[?1]`, `$[?'a']`, `$[?true]`, `$[?null]`, `$[?@.a == 1 &&]`, `$[?(@.a]`, `$[?@.a)]`, `$[?!@.a == 1]`, `$[?@.a & @.b]`, `$[?@.a and @.b]`, `$[?not @.a]`,
		`$[?@.* == 1]`, `$[?@..a == 1]`, `$[?@[0,1] == 1]`, `$[?@[0:1] == 1]`, `$[?1 == @[*]]`, `$[?@ == [1]]`, `$[?@ == {}]`, `$[?@ == 01]`, `$[?@ == 1.]`, `$[?@ == .1]`, `$[?@ == +1]`, `$[?@ == 1e]`, `$[?@ == True]`, `$[?@ == nil]`, `$[?(@.a == 1) == true]`,
		`$[?length(@)]`, `$[?length() == 1]`, `$[?length(@, @) == 1]`, `$[?length(@.*) == 1]`, `$[?length(@.a == 1) == 1]`, `$[?count(1) == 1]`, `$[?count() == 1]`, `$[?count(@.a, @.b) == 1]`, `$[?count(count(@)) == 1]`, `$[?match(@)]`, `$[?match(@, 'a') == true]`,
		`$[?match(@, 'a', 'b')]`, `$[?match(@.*, 'a')]`, `$[?search(@ 'a')]`, `$[?value(1) == 1]`, `$[?value(@.a)]`, `$[?nope(@)]`, `$[?LENGTH(@) == 1]`, `$[?length (@) == 1]`, `$[?length(match(@, 'a')) == 1]`, `$.a.`, `$.a..`, `$.a[`, `$...a`, `$.&`, `$[?@.a]]`, `$['a'] extra`, "$\xff", `$.a $.b`, `$()`,
		`$[?` + strings.Repeat("(", 200) + `@` + strings.Repeat(")", 200) + `]`, `$[?@.a == "x]`, `$[?@['a'=='b']]`, `@`, `$[@.a]`, `$[?@.a, ]`, `$[?@.a == 'b' 'c']`,
	} {
		_, err := Parse(q)
		if !assert.Error(t, err, "%s must be refused", q) {
			continue
		}
		var e *Error
		require.ErrorAs(t, err, &e)
		assert.NotEmpty(t, e.Message)
		assert.True(t, e.Offset >= 0 && e.Offset <= len(q), "%s: offset %d", q, e.Offset)
	}
}

func TestNormalizedPaths(t *testing.T) {
	doc := decode(t, `{"a":[{"b'\\":1}],"\u0001\n":2,"ü":3}`)
	for query, want := range map[string]string{`$`: `$`, `$.a[0].*`: `$['a'][0]['b\'\\']`, `$["\u0001\n"]`: `$['\u0001\n']`, `$.ü`: `$['ü']`, `$.a[-1]`: `$['a'][0]`} {
		q, err := Parse(query)
		require.NoError(t, err)
		nodes := selected(t, q, doc)
		require.Len(t, nodes, 1, query)
		assert.Equal(t, want, nodes[0].Path())
		again, err := Parse(nodes[0].Path())
		require.NoError(t, err)
		assert.True(t, again.Singular())
		v, ok := again.First(doc)
		assert.True(t, ok && value.Equal(v, nodes[0].Value))
	}
}

func FuzzParse(f *testing.F) {
	for _, s := range []string{`$.a[?@.b == 1 && match(@.c, 'x.*')]`, `$..[1:2:-1, *, 'x']`, `$[?count(@..*) > 2]`} {
		f.Add(s)
	}
	doc := decode(f, quay)
	f.Fuzz(func(t *testing.T, text string) {
		q, err := Parse(text)
		if err != nil {
			return
		}
		if q.Singular() {
			assert.LessOrEqual(t, len(selected(t, q, doc)), 1)
		}
		if strings.Count(text, "..")+strings.Count(text, "*")+strings.Count(text, ",") < 6 {
			for _, n := range selected(t, q, doc) {
				_, err := Parse(n.Path())
				require.NoError(t, err)
			}
		}
	})
}
