package custody

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/state"
	"usualpath/internal/core/value"
)

func TestPathsOfItems(t *testing.T) {
	for raw, want := range map[string][2]string{
		"http://h/Boats/7/":      {"/boats/7", "/Boats/7"},
		"http://h//boats/./7":    {"/boats/7", "/boats/7"},
		"http://h/boats/x/../7":  {"/boats/7", "/boats/7"},
		"http://h/boats/%37":     {"/boats/7", "/boats/7"},
		"http://h/boats/%2537":   {"/boats/7", "/boats/%37"},
		"http://h/boats/%25zz":   {"/boats/%zz", "/boats/%zz"},
		"http://h/boats/7?q=1":   {"/boats/7", "/boats/7"},
		"http://h/boats/%207%20": {"/boats/ 7", "/boats/ 7 "},
		"http://h":               {"/", "/"},
		"http://[":               {"http://[", "http://["},
	} {
		assert.Equal(t, want, [2]string{PlainPath(raw), exactPath(raw)}, raw)
	}
	for raw, want := range map[string]string{"http://H:8/x": "h:8", "/x": "", "http://[": ""} {
		assert.Equal(t, want, HostOf(raw), raw)
	}
	for _, c := range []struct {
		identity, name string
		is             bool
	}{{"7", "7", true}, {"AbC", "abc", true}, {"http://h/boats/7/", "7", true}, {"/boats/7", "7", true}, {"/boats/7", "boats", false}, {"a7", "7", false}, {"7", "a/7", false}} {
		assert.Equal(t, c.is, sameName(c.identity, c.name), "%s and %s", c.identity, c.name)
	}
	for name, is := range map[string]bool{"/////": true, "::::::": true, "[[[[": true, "{{{{": true, "@@@@": true, "\x7f\x7f\x7f\x7f": true, "éééé": false, "AZaz": false, "zzzz": false, "AAAA": false, "aaaa": false, "00000": false, "9999": true, "ZZZZ": false} {
		assert.Equal(t, is, few(name), "%q", name)
	}
}

// Which list an item is in, and where what is in it is listed.
func TestListsOfItems(t *testing.T) {
	boats := List{Path: "/boats", Written: "/boats", Keyed: true}
	crew := List{N: 1, Path: "/boats/7/crew", Written: "/boats/{id}/crew", Keyed: true}
	made := List{N: 2, Path: "/new", Written: "/new"}
	root := List{N: 3, Path: "/", Written: "/", Keyed: true}
	inside := List{N: 4, Path: "/boats/new", Written: "/boats/new"}
	for _, c := range []struct {
		at    string
		lists []List
		item  string
		in    List
	}{
		{"/boats/7", []List{boats, crew}, "/boats/7", boats}, {"/boats/7/crew/1", []List{boats, crew}, "/boats/7/crew/1", crew}, {"/boats/7/crew/1/x", []List{crew, boats}, "/boats/7/crew/1", crew}, {"/boats/7/mast", []List{boats, crew}, "/boats/7", boats},
		{"/boats", []List{boats}, "/boats", List{}}, {"/boatsy/7", []List{boats}, "/boatsy/7", List{}}, {"/x/y", []List{root, boats}, "/x", root}, {"/boats/7", []List{boats, boats}, "/boats/7", boats},
	} {
		item, in := member(c.at, c.lists)
		assert.Equal(t, c.item, item, c.at)
		assert.Equal(t, c.in, in, c.at)
	}
	for _, c := range []struct {
		l     List
		lists []List
		want  List
	}{
		{made, []List{boats, made}, boats}, {made, []List{made, boats}, made}, {made, []List{made}, made}, {crew, []List{boats, crew}, crew}, {List{}, []List{boats, {}}, List{}}, {inside, []List{boats, inside}, inside}, {made, []List{{Path: "/x"}, made}, made}, {made, []List{boats, crew, made}, crew},
	} {
		assert.Equal(t, c.want, readable(c.l, c.lists))
	}
	assert.True(t, crew.Below())
	assert.False(t, boats.Below())
	assert.Equal(t, []string{"h /a", "h /{x}"}, []string{List{Host: "h", Path: "/a", Written: "/{x}"}.key(), List{Host: "h", Path: "/a", Written: "/{x}"}.kind()})
}

// How an item is read that a request is about.
func TestReadingAnItem(t *testing.T) {
	for _, c := range []struct{ url, at, item, want string }{
		{"http://h/boats/7?q=1#f", "/boats/7", "/boats/7", "http://h/boats/7"},
		{"http://h/boats/7/crew/1", "/boats/7/crew/1", "/boats/7", "http://h/boats/7"},
		{"http://h/Boats/a%2Fb/crew", "/boats/a/b/crew", "/boats/a/b", "http://h/Boats/a%2Fb"},
		{"http://h/boats/a%20b/crew", "/boats/a b/crew", "/boats/a b", "http://h/boats/a%20b"},
		{"http://h/crew", "/crew", "/boats/7", "http://h/crew"},
		{"http://h/a/b", "/a/b", "/", "http://h/a/b"},
		{"http://[", "x", "x", "http://["},
	} {
		r := &exchange.Request{Method: "PUT", URL: c.url, Timeout: 7, Body: []byte("x"), Header: []exchange.Field{{Name: "If-Match", Value: "a"}, {Name: "Content-Type", Value: "b"}, {Name: "Authorization", Value: "c"}, {Name: "If-None-Match"}, {Name: "if-modified-since"}, {Name: "If-Unmodified-Since"}, {Name: "Idempotency-Key"}, {Name: "X-Note", Value: "d"}}}
		got := reading(r, c.at, c.item)
		assert.Equal(t, &exchange.Request{Method: "GET", URL: c.want, Timeout: 7, Header: []exchange.Field{{Name: "Authorization", Value: "c"}, {Name: "X-Note", Value: "d"}}}, got)
	}
}

// A request carries a change where it sends all that has changed, with the values that it has now.
func TestWhatARequestCarries(t *testing.T) {
	for name, c := range map[string]struct {
		status              int
		body, before, after string
		lost                bool
		want                bool
	}{
		"what has changed":             {200, `{"n": 2}`, `{"id": 1, "n": 1}`, `{"id": 1, "n": 2}`, false, true},
		"a member that came":           {201, `{"n": 2, "m": 3}`, `{"id": 1}`, `{"id": 1, "n": 2}`, false, true},
		"another value":                {200, `{"n": 3}`, `{"id": 1, "n": 1}`, `{"id": 1, "n": 2}`, false, false},
		"not the member":               {200, `{"m": 2}`, `{"id": 1, "n": 1}`, `{"id": 1, "n": 2}`, false, false},
		"one of two":                   {200, `{"n": 2}`, `{"id": 1, "n": 1, "m": 1}`, `{"id": 1, "n": 2, "m": 2}`, false, false},
		"both of two":                  {200, `{"n": 2, "m": 2}`, `{"id": 1, "n": 1, "m": 1}`, `{"id": 1, "n": 2, "m": 2}`, false, true},
		"a member that went":           {200, `{"n": 2}`, `{"id": 1, "n": 1, "m": 1}`, `{"id": 1, "n": 2}`, false, false},
		"it is refused":                {409, `{"n": 2}`, `{"id": 1, "n": 1}`, `{"id": 1, "n": 2}`, false, false},
		"something is lost too":        {200, `{"n": 2}`, `{"id": 1, "n": 1}`, `{"id": 1, "n": 2}`, true, false},
		"a list":                       {200, `[2]`, `{"id": 1, "n": 1}`, `{"id": 1, "n": 2}`, false, false},
		"not JSON":                     {200, `n=2`, `{"id": 1, "n": 1}`, `{"id": 1, "n": 2}`, false, false},
		"nothing that differs":         {200, `{"id": 1}`, `{"id": 1}`, `{"id": 1}`, false, false},
		"a member as it was, and sent": {200, `{"id": 2, "n": 2}`, `{"id": 1, "n": 1}`, `{"id": 1, "n": 2}`, false, true},
	} {
		d := &state.Delta{Changed: []state.Change{{Before: decode(t, c.before), After: decode(t, c.after)}}}
		if c.lost {
			d.Lost = []*value.Value{value.NewInt(1)}
		}
		r := expect.NewReply(&exchange.Exchange{Request: &exchange.Request{Body: []byte(c.body)}, Answer: &exchange.Answer{Status: c.status}})
		assert.Equal(t, c.want, carries(r, d), name)
	}
	d := &state.Delta{Changed: []state.Change{{Before: decode(t, `{}`), After: decode(t, `{"n": 1}`)}}}
	assert.False(t, carries(nil, d))
	assert.False(t, carries(expect.NewReply(&exchange.Exchange{Request: &exchange.Request{Body: []byte(`{"n": 1}`)}, Failure: &exchange.Failure{}}), d))
	ok := expect.NewReply(&exchange.Exchange{Request: &exchange.Request{Body: []byte(`{"n": 1}`)}, Answer: &exchange.Answer{Status: 200}})
	assert.True(t, carries(ok, d))
	assert.False(t, carries(ok, &state.Delta{}))
}

// What a create's answer names.
func TestWhatACreateNames(t *testing.T) {
	for name, c := range map[string]struct {
		location, body, at string
		guarded            bool
		where, id          string
	}{
		"a path":                   {"/boats/7", `{"id": 8}`, "/boats", true, "/boats/7", "7"},
		"a relative one":           {"boats/a%20b", ``, "/boats", true, "/boats/a b", "a b"},
		"a URL":                    {quayURL + "/boats/7/", ``, "/boats", true, "/boats/7", "7"},
		"of another host":          {"http://127.0.0.1:9/boats/7", `{"id": 8}`, "/boats", true, "/boats/8", "8"},
		"the list itself":          {"/boats/", `{"id": 8}`, "/boats", true, "/boats/8", "8"},
		"not a URL":                {"http://[", `{"id": 8}`, "/boats", true, "/boats/8", "8"},
		"what is kept":             {"", `{"id": 8}`, "/boats", true, "/boats/8", "8"},
		"the member id":            {"", `{"id": "x"}`, "/berths", true, "/berths/x", "x"},
		"the member id, no list":   {"", `{"id": "x"}`, "/boats", false, "/boats/x", "x"},
		"an id that names nothing": {"", `{"id": null}`, "/berths", true, "", ""},
		"no id":                    {"", `{"name": "x"}`, "/berths", true, "", ""},
		"not JSON":                 {"", `<id>1</id>`, "/berths", true, "", ""},
	} {
		q := newQuay(t, "")
		tr := newTrip(t, q, NewRun(Options{}), 1, How{})
		tr.s.how.Guarded = c.guarded
		x := &exchange.Exchange{Request: &exchange.Request{Method: "POST", URL: quayURL + c.at}, Answer: &exchange.Answer{Status: 201, Header: map[string][]string{}, Body: []byte(c.body)}}
		if c.location != "" {
			x.Answer.Header.Set("Location", c.location)
		}
		where, id := (&turn{tr.s, tr.deck}).named(expect.NewReply(x))
		assert.Equal(t, []string{c.where, c.id}, []string{where, id}, name)
	}
}

// What is known to be made, gone and there again.
func TestTheLedger(t *testing.T) {
	l := &ledger{}
	l.add("h", "/boats/7", "POST /boats 7")
	l.add("h", "/boats/7", "POST /boats 7")
	l.add("h", "/boats/8", "POST /boats 8")
	l.add("g", "/boats/8", "POST g 8")
	l.add("h", "/boats/8/crew/1", "POST crew 1")
	assert.Len(t, l.left(nil), 4)
	l.read("h", "/boats/8", []byte("as it was"))
	l.read("h", "/boats/99", []byte("nobody's"))
	assert.Equal(t, map[string]string{"h/boats/8": "as it was", "h 8": "as it was"}, l.seen)
	l.read("h", "/berths/7", []byte("by its name"))
	assert.Equal(t, "by its name", l.asRead(made{host: "h", path: "/x/7"}))
	l.see("h", "/boats/8/crew/1", "a hand")
	l.drop("h", "/boats/8", false, 1)
	assert.Len(t, l.left(nil), 4, "the read was sent before it came")
	l.drop("h", "/boats/8", true, l.clock)
	assert.Equal(t, []string{"POST /boats 7", "POST g 8"}, l.left(nil), "what is below goes with it")
	assert.NotContains(t, l.seen, "h/boats/8/crew/1")
	assert.NotContains(t, l.seen, "h 1")
	l.drop("h", "/other/7", false, l.clock)
	assert.Len(t, l.left(nil), 2, "a read of another path says nothing")
	l.drop("h", "/other/7.json", true, l.clock)
	assert.Equal(t, []string{"POST g 8"}, l.left(nil), "a delete of its name does")
	m, known := l.gone("7")
	assert.True(t, known)
	assert.Equal(t, "/boats/7", m.path)
	_, known = l.gone("8")
	assert.True(t, known)
	_, known = l.gone("99")
	assert.False(t, known)

	l.add("h", "/boats/9", "POST /boats 9")
	read := l.clock
	l.drop("h", "/boats/9", true, l.clock)
	l.restore("h", "/boats/9", "", false, read)
	assert.Len(t, l.left(nil), 1, "the read was sent before it went")
	l.restore("h", "/boats/8", "otherwise", false, l.clock)
	assert.Len(t, l.left(nil), 1, "it reads otherwise than before: it may be kept in a state that says so")
	l.restore("h", "/boats/8", "as it was", false, l.clock)
	assert.Equal(t, []string{"POST g 8", "POST /boats 8"}, l.left(nil))
	assert.NotContains(t, l.removed, "h/boats/8")
	l.drop("h", "/boats/8", true, l.clock)
	l.away = noted(l.away, "h/boats/8")
	l.restore("h", "/boats/8", "as it was", false, l.clock)
	assert.Len(t, l.left(nil), 1, "a list was seen to lose it")
	l.restore("h", "/boats/none", "x", false, l.clock)
	assert.Len(t, l.left(nil), 1)

	for i := range mostRemoved + 10 {
		l.add("h", fmt.Sprint("/many/", i), "")
		l.see("h", fmt.Sprint("/many/", i), "x")
		l.drop("h", fmt.Sprint("/many/", i), true, l.clock)
	}
	assert.LessOrEqual(t, len(l.removed), mostRemoved)
	assert.LessOrEqual(t, len(l.seen), 2*mostRemoved+4)
	set := map[string]bool{}
	for i := range mostRemoved + 1 {
		set = noted(set, fmt.Sprint(i))
	}
	assert.Equal(t, map[string]bool{fmt.Sprint(mostRemoved): true}, set, "a set that is full begins anew")

	assert.Equal(t, "/a: the 2 items that are there stay as they are", l.stays("/a", 2))
	assert.Empty(t, l.stays("/a", 2), "it is told once")
	assert.Equal(t, "/b: the item that is there stays as it is", l.stays("/b", 1))
	assert.Empty(t, l.stays("/c", 0))

	run := NewRun(Options{})
	assert.Empty(t, run.TellLeft())
	for i := range 12 {
		run.ledger.add("h", fmt.Sprint("/boats/", i), fmt.Sprint("POST /boats ", i))
	}
	run.book.Unproven("x", "3")
	assert.Equal(t, 12, run.Left())
	assert.Equal(t, "left on the service: POST /boats 0, POST /boats 1, POST /boats 2, POST /boats 3 (it may have been there before), POST /boats 4, POST /boats 5, POST /boats 6, POST /boats 7, POST /boats 8, POST /boats 9 and 2 more", run.TellLeft())
	run.ledger.made = run.ledger.made[:10]
	assert.NotContains(t, run.TellLeft(), "more")

	get := func(method string, status int) *expect.Reply {
		x := &exchange.Exchange{Request: &exchange.Request{Method: method}}
		if status > 0 {
			x.Answer = &exchange.Answer{Status: status}
		}
		return expect.NewReply(x)
	}
	for _, c := range []struct {
		answers []*expect.Reply
		idle    bool
	}{{[]*expect.Reply{get("GET", 200)}, true}, {[]*expect.Reply{get("GET", 404)}, false}, {[]*expect.Reply{get("GET", 0)}, true}, {[]*expect.Reply{get("PUT", 200)}, false}, {[]*expect.Reply{nil}, false}, {[]*expect.Reply{get("GET", 200), get("DELETE", 200)}, false}} {
		assert.Equal(t, c.idle, (&ledger{}).idle(c.answers))
		assert.False(t, l.idle(c.answers), "something was made")
	}
}

// What a delete was seen to take out of a list does not count as kept for good.
func TestWhatADeleteTook(t *testing.T) {
	for name, c := range map[string]struct {
		method        string
		status        int
		before, after []string
		problem       string
		want          string
	}{
		"it went":          {"DELETE", 204, boats(1, 7), boats(1), "", "127.0.0.1:8123/boats/7"},
		"another went":     {"DELETE", 204, boats(1, 7), boats(7), "", ""},
		"it is refused":    {"DELETE", 409, boats(1, 7), boats(1), "", ""},
		"it is no delete":  {"POST", 200, boats(1, 7), boats(1), "", ""},
		"it was not read":  {"DELETE", 204, boats(1, 7), boats(1), "odd", ""},
		"there is no list": {"DELETE", 204, boats(1, 7), nil, "", ""},
	} {
		tr := newTrip(t, newQuay(t, ""), NewRun(Options{}), 1, How{})
		r := expect.NewReply(&exchange.Exchange{Request: &exchange.Request{Method: c.method, URL: quayURL + "/boats/7"}, Answer: &exchange.Answer{Status: c.status}})
		sight := func(items []string) *Sight {
			s := &Sight{View: tr.view, S: tr.view.Absent()}
			entries, _ := tr.view.Entries(decode(t, "["+strings.Join(items, ", ")+"]").Items, nil)
			s.S.Put(entries)
			return s
		}
		before, after := map[string]*Sight{"boats": sight(c.before)}, map[string]*Sight{}
		if c.after != nil {
			after["boats"] = sight(c.after)
			after["boats"].Problem = c.problem
		}
		tr.s.Effects([]*expect.Reply{r}, before, after)
		got := ""
		for at := range tr.run.ledger.away {
			got += at
		}
		assert.Equal(t, c.want, got, name)
		tr.run.ledger.away = nil
		before["boats"].View.By = nil
		tr.s.Effects([]*expect.Reply{nil}, before, after)
		tr.s.Effects([]*expect.Reply{r}, before, after)
		assert.Empty(t, tr.run.ledger.away, "one thing has no members")
	}
	silent := expect.NewReply(&exchange.Exchange{Request: &exchange.Request{Method: "DELETE", URL: "http://["}, Failure: &exchange.Failure{}})
	newTrip(t, newQuay(t, ""), NewRun(Options{}), 1, How{}).s.Effects([]*expect.Reply{silent}, nil, nil)
}

// Texts are gone through at any depth, until it is told to stop.
func TestTexts(t *testing.T) {
	v := decode(t, `{"a": "one", "b": [1, "two", {"c": ["three"]}], "d": "four"}`)
	for stop, want := range map[string]string{"": "one two three four", "two": "one two", "three": "one two three", "one": "one"} {
		var got []string
		whole := texts(v, func(text string) bool { got = append(got, text); return text != stop })
		assert.Equal(t, want, strings.Join(got, " "))
		assert.Equal(t, stop == "", whole)
	}
	var names []string
	whole := each(decode(t, `{"a": 1, "b": {"c": "x", "d": [1]}, "e": true, "f": "y"}`), func(n string, _ *value.Value) bool { names = append(names, n); return n != "c" })
	assert.False(t, whole)
	assert.Equal(t, []string{"a", "c"}, names)
	assert.True(t, each(nil, nil))
}

// Items with paths of their own are as if they were below their list.
func TestItemsElsewhere(t *testing.T) {
	for at, want := range map[string]string{"/lamp/7/latest": "/lamps/7", "/LAMP/K7/Latest": "/lamps/K7", "/lamp/7": "", "/lamp//latest": "", "/lamp/7/8/latest": "", "/lamps/7": ""} {
		below, its := List{Path: "/lamps", Items: "/lamp/*/latest"}.plainly(at)
		assert.Equal(t, want != "", its, at)
		if its {
			assert.Equal(t, want, below)
		}
	}
	_, its := List{Path: "/lamps"}.plainly("/lamps/7")
	assert.False(t, its)
}
