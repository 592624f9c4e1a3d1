package tests

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
)

// mirror answers with what it was sent: {method, path, query, header, body}.
func mirror(w http.ResponseWriter, r *http.Request) {
	data, _ := io.ReadAll(r.Body)
	head := map[string]string{}
	for n, v := range r.Header {
		head[strings.ToLower(n)] = strings.Join(v, "|")
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("X-Token", "abc")
	w.Header().Add("Set-Cookie", "ship=Eider; Path=/")
	_ = json.NewEncoder(w).Encode(map[string]any{"method": r.Method, "path": r.URL.EscapedPath(), "query": r.URL.RawQuery, "header": head, "body": string(data), "n": json.RawMessage("9007199254740993"), "list": []any{3, 1, 2}})
}

func TestLanguageHolds(t *testing.T) {
	t.Parallel()
	base := service(t, mirror)
	for name, steps := range map[string]string{
		"names in paths are encoded": `
  let id = "a b/ü?"
  step "t"
    send GET /x/{id}?q={id}&r=1
      query s = {id}
      query t = "x & y"
      query bare
    expect $.path is "/x/a%20b%2F%C3%BC%3F"
    expect $.query is "q=a%20b%2F%C3%BC%3F&r=1&s=a%20b%2F%C3%BC%3F&t=x%20%26%20y&bare"
  step "a path that is a value"
    let where = "/y/z?k=1"
    send GET {where}
    expect $.path is "/y/z"
    expect $.query is "k=1"`,
		"headers": `
  header X-All: yes {1 more}
  step "t"
    send GET /x
      header X-One: a {length("four")} \{x}  # comment
      header X-Two: 1
      header X-Two: 2
    expect $.header['x-all'] is "yes {1 more}"
    expect $.header['x-one'] is "a 4 \{x}"
    expect $.header['x-two'] is "1|2"
    again
      without header X-All
      header X-Two: 3
    expect $.header['x-all'] missing
    expect $.header['x-two'] is "3"`,
		"bodies": `
  let boat = { "n": 1.50, "s": "é\u0041", "list": [true, null] }
  step "json"
    send POST /x
      json { "boat": {boat}, "twice": "{boat.n}", "first": {boat.list[0]}, "more": {boat.n + 1} }
    expect $.body is "{\"boat\":{\"n\":1.50,\"s\":\"éA\",\"list\":[true,null]},\"twice\":\"1.50\",\"first\":true,\"more\":2.50}"
    expect $.header['content-type'] is "application/json"
  step "text"
    send POST /x
      text """
        one {boat.n}
          two
        """
    expect $.body is "one 1.50\n  two"
    expect $.header['content-type'] is "text/plain; charset=utf-8"
  step "form"
    send POST /x
      form a = 1 & 2
      form a = "x y"
    expect $.body is "a=1+%26+2&a=x+y"
  step "parts"
    send POST /x
      part a = hello
      part f file "f.txt" as text/x-log
    expect $.header['content-type'] starts with "multipart/form-data; boundary="
    expect $.body contains "name=\"a\"\r\n\r\nhello\r\n"
    expect $.body contains "filename=\"f.txt\"\r\nContent-Type: text/x-log\r\n\r\nlog line"
  step "file"
    send POST /x
      file "f.json"
    expect $.body is "[1]"
    expect $.header['content-type'] is "application/json"
  step "no type"
    send POST /x
      without header Content-Type
      xml "<a/>"
    expect $.header['content-type'] missing
    again
      json {} as application/merge-patch+json
      header Content-Type: text/odd
    expect $.header['content-type'] is "text/odd"`,
		"auth": `
  step "basic"
    send GET /x
      auth basic "tern" "pw"
    expect $.header.authorization is "Basic dGVybjpwdw=="
  step "bearer"
    send GET /x
      auth bearer "t{1 + 1}"
    expect $.header.authorization starts with "Bearer t"`,
		"keep and use": `
  step "t"
    send GET /x
    keep a from $.method
    keep b from header X-Token
    keep c from status
    keep d from cookie ship
    keep e from text /"path":"(.)/
    keep f from $.list[*]
    keep g from body
    expect header X-Token is "{b}"
    expect $.n is 9007199254740993
    expect $.n is not 9007199254740992
  step "u"
    send POST /{a}/{b}/{c}/{d}/{g.method}
      json {f}
    expect $.path is "/GET/abc/200/Eider/GET"
    expect $.body is "[3,1,2]"
    expect status {c}
    expect body same as "t" except $.method, $.path, $.body, $.header
    expect status same as "t"
    expect header X-Token same as "t"
    expect $.n same as $.n of "t"
    expect $.list same as $.list of "t"`,
		"predicates": `
  step "t"
    send GET /x
    expect status 2xx or 404
    expect status not 5xx
    expect header Content-Type is "application/json"
    expect header X-None missing
    expect header X-Token matches /^a.c$/
    expect header X-Token ends with "bc"
    expect cookie ship is "Eider"
    expect $.list count 3
    expect $.list count > 2
    expect $.list[*] count 2..3
    expect $.list every integer 1..3
    expect $.list some 2
    expect $.list none string
    expect $.list unique
    expect $.list contains 2
    expect $.list is any order [1, 2, 3]
    expect $.list[1:] sorted
    expect $.list[0] > 2
    expect $.list[0] between 3 and 3
    expect $.nothing missing
    expect $.method is "GET" or "HEAD"
    expect $[?@ == 'GET'] count 1
    expect body covers { "method": "GET" }
    expect body json
    expect body is not { "method": "GET" }
    expect text contains "9007199254740993"
    expect time under 5s
    expect size under 10KiB
    expect body leaks nothing
    expect body fits schema "s.json"
    expect body same as file "same.json" except $.header`,
		"functions": `
  let id = "{uuid()}"
  step "t"
    send POST /x
      json { "a": "{id}", "b": "{id}", "c": {random_int(5, 5)}, "d": {pick("x")}, "e": "{repeat("ab", 2)}", "f": "{base64("a")}", "g": "{upper("a")}{lower("B")}", "h": {length("é")}, "i": {file("f.json")}, "j": "{today()}" }
    keep sent from $.body
    expect $.body matches /"c":5,"d":"x","e":"abab","f":"YQ==","g":"Ab","h":1,"i":\[1\],"j":"20/`,
		"cases from files": `
  for each case in "rows.csv"
  step "t {name}"
    send GET /{name}
    expect $.path is "/{name}"
    expect $.query is ""
    let n = {count + 1}
    expect $.n > {n}`,
		"left out": `
  step "t"
    send GET /x
    expect status 200
  step "u"
    when status 404 of "t"
    send GET /never
    expect status 500
  step "v"
    when $.method is "GET" of "t"
    send GET /x
    expect status 200`,
		"conditions": `
  need status not 429 and not 503
  auth bearer {token}
  let token = "t1"
  step "t"
    send GET /x
    need status 2xx
    keep none from $.none if there
    keep n from $.n if there
    expect status 404 when $.method is "POST"
    expect $.path is "/x" when status 2xx
    expect header X-Token lacks abd, b
    expect header X-None lacks abc
    expect text lacks "harbour"
    expect $.method lacks "P"
    expect $.header.authorization is "Bearer t1"
  step "u"
    send POST /x
      without header Authorization
      json { "n": 1 }
    expect body agrees with "t" except $.method, $.body, $.header
    expect $.list agrees with $.list of "t"
    expect body resembles "t"
    expect status 500 when status 404 of "t"
    expect $.n is {n} when status 200 of "t"
    expect $.header.authorization missing`,
		"copies kept": `
  step "t"
    send GET /x?n={turn}
      together 3
    keep every queries from $.query
    expect status 200
  step "u"
    send GET /{nth(queries, 3)}/{length(queries)}
    expect $.path is "/n=3/3"
    expect status 200`,
		"together": `
  step "t"
    send GET /x?n={turn}
      together 4
    expect status 200
    expect exactly 1 $.query is "n=3"
    expect at least 3 $.path is "/x"
    expect at most 0 status 500`,
	} {
		t.Run(name, func(t *testing.T) {
			dir := folder(t, "a.upath", scenario(base, steps), "f.txt", "log line", "f.json", "[1]", "rows.csv", "name,count\nTern,1\n\"Eider\",2\n",
				"s.json", `{"type":"object","required":["n"],"properties":{"n":{"const":9007199254740993}}}`,
				"same.json", `{"method":"GET","path":"/x","query":"","body":"","n":9007199254740993,"list":[3,1,2]}`)
			r := run(t, dir, "run", "a.upath")
			assert.Equal(t, 0, r.code, r.out+r.err)
		})
	}
}

func TestCookiesRetryAndXML(t *testing.T) {
	t.Parallel()
	var tries atomic.Int64
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/in":
			http.SetCookie(w, &http.Cookie{Name: "pass", Value: "p1", Path: "/"})
		case "/who":
			fmt.Fprintf(w, "%q", r.Header.Get("Cookie"))
		case "/xml":
			w.Header().Set("Content-Type", "application/xml")
			fmt.Fprint(w, `<harbour><boat id="1"><name>Eider</name></boat><boat id="2"><name>Knot &amp; Co</name></boat></harbour>`)
		default:
			w.WriteHeader(map[bool]int{true: 200, false: 503}[tries.Add(1) > 3])
		}
	})
	steps := `
  step "in"
    send POST /in
    expect cookie pass is "p1"
  step "who"
    send GET /who
    expect $ is {cookie}
  step "xml"
    send GET /xml
    expect xml //boat count 2
    expect xml //boat[@id='2']/name is "Knot & Co"
    expect xml count(//boat) is "2"
    expect xml //ship missing
    keep name from xml //boat[1]/name
    expect text contains "{name}"
  step "retry"
    send GET /later
      retry for 5s every 20ms
    expect status 200
  step "restart is left out"
    restart service
    send GET /never
    expect status 500
`
	for cookies, says := range map[string]string{"on": "pass=p1", "off": ""} {
		tries.Store(0)
		dir := folder(t, "project.upath", "project p\nlet cookie = \""+says+"\"\ndefaults\n  cookies "+cookies+"\n", "a.upath", scenario(base, steps))
		r := run(t, dir, "run")
		assert.Equal(t, 0, r.code, r.out+r.err)
	}
	r := run(t, folder(t, "a.upath", scenario(base, "  step \"t\"\n    send GET /later\n      retry for 200ms every 50ms\n    expect status 404\n")), "run")
	assert.Equal(t, 1, r.code)
	assert.Regexp(t, `tried [2-5] times in 200ms`, r.out)
}

// A preference that is missed warns, and the run holds.
func TestPreferencesWarn(t *testing.T) {
	t.Parallel()
	base := service(t, mirror)
	r := run(t, folder(t, "a.upath", scenario(base, "  step \"t\"\n    send GET /x\n    prefer status 404\n    expect status 200\n")), "run")
	assert.Equal(t, 0, r.code, r.out)
	assert.Contains(t, r.out, "1 warned")
}

func TestBlockedStepsSayWhatTheyLacked(t *testing.T) {
	t.Parallel()
	base := service(t, mirror)
	r := run(t, folder(t, "a.upath", scenario(base, `
  step "create"
    send POST /x
    expect status 200
    keep boat from $.id
  step "read"
    send GET /x/{boat}
    expect status 200
afterwards
  step "clean"
    send DELETE /x/{boat}
`)), "run")
	assert.Equal(t, 1, r.code)
	assert.Contains(t, r.out, `lacks     `+"`boat`"+`, which step "create" should have kept`)
	assert.Contains(t, r.out, "1 failed, 1 blocked")
	assert.NotContains(t, r.out, "clean")
}

// A missed need is not a failure: nothing can be told, and nothing more is sent
// but what cleans up.
func TestNeedBlocksTheRest(t *testing.T) {
	t.Parallel()
	base := service(t, mirror)
	text := scenario(base, `
  step "start from"
    send POST /x
    need status 201
    expect $.none is 1
    keep id from $.n
  step "never"
    send GET /never
    expect status 200
afterwards
  step "clean"
    send DELETE /cleaned
`)
	r := run(t, folder(t, "a.upath", text), "run", "-v")
	assert.Equal(t, 5, r.code, "nothing failed, but something could not be judged")
	assert.Contains(t, r.out, "1 blocked")
	assert.Contains(t, r.out, "/cleaned")
	assert.NotContains(t, r.out, "/never")
	assert.NotContains(t, r.out, "$.none")
	r = run(t, folder(t, "a.upath", strings.Replace(text, base, "http://127.0.0.1:1", 1)), "run")
	assert.Equal(t, 3, r.code, r.out)
	assert.Contains(t, r.out, "1 blocked")
}

func TestRoutinesHooksAndUse(t *testing.T) {
	t.Parallel()
	base := service(t, mirror)
	dir := folder(t, "project.upath", "project p\nbase "+base+"\ndefaults\n  header X-Env: {env}\nenvironment one\n  let env = \"1\"\n  base "+base+"\n",
		"sub/common.upath", "let who = \"Ola\"\nroutine \"sign in\" takes pin\n  step \"ask\"\n    send POST /in/{pin}\n    expect status 200\n    keep path from $.path\n  give path\n",
		"sub/a.upath", "use \"common.upath\"\nbefore each\n  do \"sign in\" with pin = 7\nafter each\n  step \"bye\"\n    send GET /bye/{path}\nscenario \"s\"\n  step \"t\"\n    send GET /{who}{path}\n    expect $.path is \"/Ola%2Fin%2F7\"\n    expect $.header['x-env'] is \"1\"\n")
	r := run(t, dir, "run", "--env", "one", "-v")
	assert.Equal(t, 0, r.code, r.out+r.err)
	assert.Contains(t, r.out, "3 steps")
	assert.Contains(t, r.out, "/bye/%2Fin%2F7")
	r = run(t, dir, "run", "--env", "two")
	assert.Equal(t, 2, r.code)
	assert.Contains(t, r.err, "there is no environment two")
}

func TestSecretsAreNeverShown(t *testing.T) {
	t.Parallel()
	base := service(t, mirror)
	dir := folder(t, "a.upath", "base "+base+"\nsecret token from env HARBOUR_TOKEN\nscenario \"s {token}\"\n  step \"t {token}\"\n    send POST /x/{token}?k={base64(token)}\n      auth basic \"me\" {token}\n      json { \"t\": {token} }\n    expect $.body is \"no {token}\"\n    expect header X-None is {token}\n")
	r := run(t, dir, "run", "-v")
	assert.Equal(t, 1, r.code, r.out)
	for _, s := range []string{"sesame", "c2VzYW1l", "NlYmFtZ", "bWU6c2Vz"} {
		assert.NotContains(t, r.out+r.err, s)
	}
	assert.Contains(t, r.out, "•••")

	// What each answer of several gives is hidden, too.
	dir = folder(t, "a.upath", scenario(base, `  step "t"
    send POST /sesame-{turn}
    together 2
    keep every secret all from $.path
    expect status 200
  step "u"
    send POST {nth(all, 2)}
    expect status 404
`))
	r = run(t, dir, "run", "-v")
	assert.Equal(t, 1, r.code, r.out+r.err)
	assert.NotContains(t, r.out+r.err, "sesame-")
	assert.Contains(t, r.out, "•••")
}

func TestBaselines(t *testing.T) {
	t.Parallel()
	var n atomic.Int64
	n.Store(1)
	base := service(t, func(w http.ResponseWriter, _ *http.Request) { fmt.Fprintf(w, `{"n": %d.0, "t": "x"}`, n.Load()) })
	dir := folder(t, "a.upath", scenario(base, "  step \"t\"\n    send GET /x\n    expect body same as baseline\n"))
	assert.Equal(t, 5, run(t, dir, "run").code, "without one nothing can be told")
	assert.Contains(t, run(t, dir, "run", "--accept").out, "is new")
	assert.Equal(t, 0, run(t, dir, "run").code)
	n.Store(2)
	r := run(t, dir, "run")
	assert.Equal(t, 1, r.code)
	assert.Contains(t, r.out, "$.n expected 1.0, found 2.0")
	r = run(t, dir, "run", "--accept")
	assert.Regexp(t, `(?s)\$\.n expected 1\.0, found 2\.0\nthe baseline baselines/a/s/t.json is written anew`, r.out)
	assert.NotContains(t, run(t, dir, "run", "--accept").out, "is written anew")
}

// tally is a list of numbers that POST adds to, wrapped and paged.
type tally struct {
	mu   sync.Mutex
	list []int
}

func (c *tally) serve(w http.ResponseWriter, r *http.Request) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if r.Method == "POST" {
		c.list = append(c.list, len(c.list)+1)
		w.WriteHeader(201)
		return
	}
	var limit, offset int
	_, _ = fmt.Sscan(r.URL.Query().Get("limit"), &limit)
	_, _ = fmt.Sscan(r.URL.Query().Get("offset"), &offset)
	if limit == 0 || limit > 3 {
		limit = 3
	}
	page := []map[string]int{}
	for i := offset; i < len(c.list) && i < offset+limit; i++ {
		page = append(page, map[string]int{"id": c.list[i], "seen": i})
	}
	if r.URL.Path == "/linked" && offset+limit < len(c.list) {
		w.Header().Set("Link", fmt.Sprintf(`<?offset=%d>; rel="prev next"`, offset+limit))
	}
	_ = json.NewEncoder(w).Encode(map[string]any{"data": map[string]any{"members": page}})
}

func TestEffectsWalkPagesAndCountCopies(t *testing.T) {
	t.Parallel()
	c := &tally{list: []int{1, 2, 3, 4, 5, 6, 7}}
	base := service(t, c.serve)
	r := run(t, folder(t, "a.upath", scenario(base, `
  observe linked at /linked in $.data.members by $.id ignoring $.seen
  observe paged at /paged in $.data.members by $.id paging limit, offset
  observe whole at /paged in $.data.members
  step "one"
    send POST /x
    expect linked gains { "id": 8 }
    expect paged gains { "id": integer 8 as new, "seen": 7 }
    expect whole unchanged
    again 2 times
    expect paged gains 1 and loses 0
  step "many"
    send POST /x/{new}
      together 5
    expect status 201
    expect paged gains 5
  step "none"
    send GET /paged
    expect state unchanged
  step "wrong"
    send POST /x
    expect linked unchanged
`)), "run")
	assert.Equal(t, 1, r.code, r.out+r.err)
	assert.Contains(t, r.out, "linked: 1 gained")
	assert.Contains(t, r.out, `+ {"id": 16}`)
	assert.Equal(t, 1, strings.Count(r.out, "expected "), r.out)
}

// Names of parameters, fields and parts may be any text, in quotes.
func TestNamesInQuotes(t *testing.T) {
	t.Parallel()
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		_ = r.ParseMultipartForm(1 << 20)
		_ = json.NewEncoder(w).Encode(map[string]any{"query": r.URL.Query(), "fields": r.PostForm})
	})
	dir := folder(t, "a.upath", scenario(base, `  step "a form"
    send POST /x
      query "where [from]" = 2
      query page[size] = 3
      form "first name" = Ada
    expect $.query is { "where [from]": ["2"], "page[size]": ["3"] }
    expect $.fields is { "first name": ["Ada"] }

  step "parts"
    send POST /x
      part "first name" = "Ada"
    expect $.fields is { "first name": ["Ada"] }
`))
	tidy(t, dir)
	r := run(t, dir, "run")
	assert.Equal(t, 0, r.code, r.out+r.err)
}
