package tests

import (
	"encoding/json"
	"encoding/xml"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"unicode"
	"unicode/utf8"

	"github.com/goccy/go-yaml"
	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"
)

// nasty is an answer that would do harm where it is shown as it is.
const nasty = "<script>alert(1)</script>\x1b[31m\u202egnol\u0000]]>--><!-- ``` # | \\ \"'&amp; \u2028"

var reportFormats = []string{"html", "junit", "tap", "json", "markdown", "har"}

// reported runs a project with every kind of report, live and afterwards.
func reported(t *testing.T, dir string, args ...string) (map[string]string, result) {
	t.Helper()
	all := append([]string{"run", "--save", "run.jsonl"}, args...)
	for _, f := range reportFormats {
		all = append(all, "--report", f+"=live."+f)
	}
	r := run(t, dir, all...)
	out := map[string]string{}
	for _, f := range reportFormats {
		later := run(t, dir, "report", "run.jsonl", "--as", f)
		require.Equal(t, 0, later.code, later.err)
		data, err := os.ReadFile(filepath.Join(dir, "live."+f))
		require.NoError(t, err, r.out+r.err)
		assert.Equal(t, string(data), later.out, "%s: live and afterwards", f)
		out[f] = string(data)
	}
	return out, r
}

func TestReportsAreValidWhateverIsAnswered(t *testing.T) {
	t.Parallel()
	base := service(t, func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("X-Odd", "<b>&\"'")
		switch r.URL.Path {
		case "/bytes":
			_, _ = w.Write([]byte{0xff, 0xfe, 0x00, 0x1b})
		case "/long":
			fmt.Fprint(w, strings.Repeat("é", 90_000))
		default:
			w.Header().Set("Content-Type", "application/json")
			_ = json.NewEncoder(w).Encode(map[string]string{"name": nasty})
		}
	})
	dir := folder(t, "a.upath", "base "+base+"\nsecret token from env HARBOUR_TOKEN\n\nscenario \"<b>odd</b> & 'quoted' # title | `ticks`\"\n  tags one\n  step \"a ``` fence\"\n    send POST /x\n      header X-Token: {token}\n      json { \"t\": {token} }\n    expect $.name is \"]]>\"  because \"<i>why</i>\"\n  step \"bytes\"\n    send GET /bytes\n    expect status 404\n  step \"long\"\n    send GET /long\n    prefer body empty\n\nscenario \"lacks\"\n  step \"t\"\n    send GET /x\n    keep id from $.none\n    expect status 200\n  step \"u\"\n    send GET /x/{id}\n    expect status 200\n\nscenario \"needs\"\n  step \"t\"\n    send GET /x\n    need status 201\n")
	docs, r := reported(t, dir)
	require.Equal(t, 1, r.code, r.out+r.err)
	for f, text := range docs {
		assert.True(t, utf8.ValidString(text), f)
		assert.NotContains(t, text, "sesame", f)
		assert.NotContains(t, text, "c2VzYW1l", f)
		for _, c := range text {
			// JSON may hold what it escapes; nothing holds what a terminal or a page would act on.
			if unicode.IsControl(c) && c != '\n' && c != '\t' || c == '\u202e' && f != "json" && f != "har" {
				assert.Fail(t, "a raw control character", "%s: %U", f, c)
				break
			}
		}
	}
	var suites struct {
		Tests    int `xml:"tests,attr"`
		Failures int `xml:"failures,attr"`
		Errors   int `xml:"errors,attr"`
		Suite    []struct {
			Name string `xml:"name,attr"`
			Case []struct {
				Name    string `xml:"name,attr"`
				Failure *struct {
					Message string `xml:"message,attr"`
					Text    string `xml:",chardata"`
				} `xml:"failure"`
				Error *struct{} `xml:"error"`
			} `xml:"testcase"`
		} `xml:"testsuite"`
	}
	require.NoError(t, xml.Unmarshal([]byte(docs["junit"]), &suites))
	assert.Equal(t, []int{3, 2, 1}, []int{suites.Tests, suites.Failures, suites.Errors})
	require.Len(t, suites.Suite, 1)
	require.Len(t, suites.Suite[0].Case, 3)
	assert.Equal(t, "<b>odd</b> & 'quoted' # title | `ticks`", suites.Suite[0].Case[0].Name)
	assert.Contains(t, suites.Suite[0].Case[0].Failure.Text, "<i>why</i>")
	assert.NotNil(t, suites.Suite[0].Case[2].Error)

	checkTAP(t, docs["tap"])
	var doc struct {
		Run       map[string]any
		Scenarios []struct {
			Scenario map[string]any
			Steps    []map[string]any
		}
		Result struct {
			Counts struct{ Scenarios, Steps map[string]int }
		}
	}
	require.NoError(t, json.Unmarshal([]byte(docs["json"]), &doc))
	assert.Len(t, doc.Scenarios, 3)
	assert.Equal(t, 2, doc.Result.Counts.Scenarios["failed"])
	var har struct {
		Log struct {
			Version string
			Creator struct{ Name, Version string }
			Entries []struct {
				StartedDateTime string
				Time            float64
				Request         struct{ Method, URL string }
				Response        struct {
					Status  int
					Content struct {
						Size     int
						Encoding string
						Comment  string
					}
				}
				Timings struct{ Send, Wait, Receive float64 }
			}
		}
	}
	require.NoError(t, json.Unmarshal([]byte(docs["har"]), &har))
	assert.Equal(t, "1.2", har.Log.Version)
	assert.Equal(t, "usualpath", har.Log.Creator.Name)
	require.Len(t, har.Log.Entries, 5)
	assert.Equal(t, "base64", har.Log.Entries[1].Response.Content.Encoding)
	assert.Equal(t, 180_000, har.Log.Entries[2].Response.Content.Size)
	assert.Contains(t, har.Log.Entries[2].Response.Content.Comment, "of 180000 bytes")
	checkHTML(t, docs["html"])
	assert.Contains(t, docs["markdown"], "<summary>▲ failed: <b>&lt;b&gt;odd&lt;/b&gt;")
	assert.Contains(t, docs["markdown"], "````text", "the fence is longer than any inside")
}

var tapPoint = regexp.MustCompile(`^(not )?ok (\d+) - (.*)$`)

func checkTAP(t *testing.T, text string) {
	lines := strings.Split(strings.TrimRight(text, "\n"), "\n")
	require.Equal(t, "TAP version 14", lines[0])
	points, block := 0, []string(nil)
	for _, l := range lines {
		switch {
		case l == "  ---":
			block = []string{}
		case l == "  ...":
			var v map[string]any
			require.NoError(t, yaml.Unmarshal([]byte(strings.Join(block, "\n")), &v), strings.Join(block, "\n"))
			assert.Contains(t, v, "verdict")
			block = nil
		case block != nil:
			block = append(block, strings.TrimPrefix(l, "  "))
		case tapPoint.MatchString(l):
			points++
			assert.Equal(t, fmt.Sprint(points), tapPoint.FindStringSubmatch(l)[2])
		}
	}
	assert.Equal(t, fmt.Sprintf("1..%d", points), lines[len(lines)-1])
}

// checkHTML parses the page, and holds that nothing of an answer became markup
// and that nothing is loaded from elsewhere.
func checkHTML(t *testing.T, text string) {
	root, err := html.Parse(strings.NewReader(text))
	require.NoError(t, err)
	scripts, opened := 0, 0
	policy := ""
	var walk func(n *html.Node)
	walk = func(n *html.Node) {
		if n.Type == html.ElementNode {
			if n.Data == "script" {
				scripts++
			}
			if n.Data == "details" {
				opened++
			}
			for _, a := range n.Attr {
				assert.NotContains(t, []string{"style", "onclick", "onerror", "onload"}, a.Key)
				if a.Key == "src" || a.Key == "href" {
					assert.True(t, strings.HasPrefix(a.Val, "#"), a.Val)
				}
				if a.Key == "content" && strings.Contains(a.Val, "default-src") {
					policy = a.Val
				}
			}
			assert.NotContains(t, []string{"link", "img", "iframe", "b", "i"}, strings.Replace(n.Data, "b", map[bool]string{true: "ok", false: "b"}[n.Data == "b" && n.Parent.Data == "li"], 1))
		}
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			walk(c)
		}
	}
	walk(root)
	assert.Equal(t, 1, scripts)
	assert.GreaterOrEqual(t, opened, 3)
	assert.Contains(t, policy, "default-src 'none'")
	assert.NotContains(t, policy, "unsafe")
}

func TestRecordsFitTheirSchemaAndSurviveAKill(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	r := run(t, dir, "demo", "--fault", "put-appends", "--save", "run.jsonl", "-qq")
	require.Equal(t, 1, r.code, r.out+r.err)
	schema, err := jsonschema.NewCompiler().Compile("../docs/record.schema.json")
	require.NoError(t, err)
	data, err := os.ReadFile(filepath.Join(dir, "run.jsonl"))
	require.NoError(t, err)
	kinds := map[string]int{}
	for i, l := range strings.Split(strings.TrimSpace(string(data)), "\n") {
		v, err := jsonschema.UnmarshalJSON(strings.NewReader(l))
		require.NoError(t, err, "line %d", i+1)
		require.NoError(t, schema.Validate(v), "line %d", i+1)
		kinds[fmt.Sprint(v.(map[string]any)["event"])]++
	}
	for _, k := range []string{"run started", "scenario started", "step", "scenario finished", "run finished"} {
		assert.Positive(t, kinds[k], k)
	}
	whole := run(t, dir, "report", "run.jsonl", "-qq")
	assert.Equal(t, r.out, whole.out, "the terminal's view again")
	for _, n := range []int{400, 5_000, 77_777, len(data) - 1} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, "cut.jsonl"), data[:n], 0o644))
		cut := run(t, dir, "report", "cut.jsonl", "-q")
		if n == len(data)-1 {
			assert.Equal(t, 0, cut.code, "only the line's end is missing: "+cut.err)
			continue
		}
		assert.Equal(t, 2, cut.code, cut.out)
		assert.Contains(t, cut.out, "the run was ended before it was done")
		assert.Contains(t, cut.err, "the run was ended before it was done")
	}
	for text, says := range map[string]string{"": "it is empty", "{}\n": "no event", "hello": "is not a run record", `{"event":"step"}` + "\n": "does not start with", `{"event":"run started","record":9}` + "\n": "version 9"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, "bad.jsonl"), []byte(text), 0o644))
		bad := run(t, dir, "report", "bad.jsonl", "--as", "json", "--out", "x.json")
		assert.Equal(t, 2, bad.code)
		assert.Contains(t, bad.err, says)
		_, err := os.Stat(filepath.Join(dir, "x.json"))
		assert.True(t, os.IsNotExist(err), "nothing half-written")
	}
}

func TestShardsMergeIntoTheWhole(t *testing.T) {
	t.Parallel()
	plainOnly(t)
	dir := t.TempDir()
	require.Equal(t, 0, run(t, dir, "demo", "--save", "all.jsonl", "-q", "--seed", "1").code)
	names := []string{}
	for i := 1; i <= 3; i++ {
		name := fmt.Sprintf("part%d.jsonl", i)
		r := run(t, dir, "demo", "--save", name, "-q", "--shard", fmt.Sprintf("%d/3", i), "--balance", "all.jsonl", "--seed", "1")
		require.Equal(t, 0, r.code, r.out+r.err)
		names = append(names, name)
	}
	titles := func(args ...string) []string {
		r := run(t, dir, append([]string{"report", "--as", "tap"}, args...)...)
		require.Equal(t, 0, r.code, r.err)
		assert.NotContains(t, r.out, "is missing")
		set := map[string]bool{}
		for _, l := range strings.Split(r.out, "\n") {
			if m := tapPoint.FindStringSubmatch(l); m != nil && !strings.Contains(m[3], "setup/") && !strings.Contains(m[3], "before all") {
				assert.False(t, set[m[3]], "%s runs twice", m[3])
				set[m[3]] = true
			}
		}
		var out []string
		for k := range set {
			out = append(out, k)
		}
		return out
	}
	assert.ElementsMatch(t, titles("all.jsonl"), titles(names...))
	r := run(t, dir, "report", names[0], names[2])
	assert.Contains(t, r.out, "the record of shard 2 of 3 is missing")
	for _, bad := range [][]string{{"--shard", "4/3"}, {"--shard", "x"}, {"--balance", "all.jsonl"}, {"--report", "html"}, {"--report", "pdf=x"}} {
		assert.Equal(t, 2, run(t, dir, append([]string{"demo"}, bad...)...).code, bad)
	}
}

func TestCompareTellsWhatChanged(t *testing.T) {
	t.Parallel()
	plainOnly(t)
	dir := t.TempDir()
	for name, args := range map[string][]string{"a": nil, "b": nil, "c": {"--fault", "deleted-still-there"}, "d": {"--fault", "create-answers-200"}} {
		run(t, dir, append([]string{"demo", "-q", "--save", name + ".jsonl"}, args...)...)
	}
	r := run(t, dir, "compare", "a.jsonl", "b.jsonl")
	assert.Equal(t, 0, r.code, r.out)
	assert.NotRegexp(t, `failing newly|mended|new |gone|answered differently`, r.out)
	r = run(t, dir, "compare", "a.jsonl", "c.jsonl")
	assert.Equal(t, 1, r.code)
	assert.Contains(t, r.out, "boats lifecycle/deleted-is-gone: was held, is failed")
	r = run(t, dir, "compare", "c.jsonl", "a.jsonl", "--as", "markdown")
	assert.Equal(t, 0, r.code)
	assert.Contains(t, r.out, "### mended (")
	r = run(t, dir, "compare", "a.jsonl", "d.jsonl", "--as", "json")
	var out map[string]any
	require.NoError(t, json.Unmarshal([]byte(r.out), &out), r.out)
	assert.Contains(t, fmt.Sprint(out["answered_differently"]), "status was 201 Created, is 200 OK")
	assert.Equal(t, 2, run(t, dir, "compare", "a.jsonl").code)
	assert.Equal(t, 2, run(t, dir, "compare", "a.jsonl", "none.jsonl").code)
	assert.Contains(t, run(t, dir, "compare").err, "there is no history of two runs here")
}

func TestHistoryTellsSinceWhenAndWhatFlickers(t *testing.T) {
	t.Parallel()
	n := 0
	base := service(t, func(w http.ResponseWriter, _ *http.Request) {
		n++
		w.WriteHeader([]int{200, 500}[n%2])
	})
	steady := service(t, func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(404) })
	dir := folder(t, "project.upath", "project p\n", "a.upath", "scenario \"flips\"\n  step \"t\"\n    send GET "+base+"/x\n    expect status 200\n\nscenario \"fails\"\n  step \"t\"\n    send GET "+steady+"/x\n    expect status 200\n")
	var r result
	for range 4 {
		r = run(t, dir, "run", "--history")
		require.Equal(t, 1, r.code, r.out+r.err)
	}
	assert.Regexp(t, `since     failing since \d{4}-\d\d-\d\d \d\d:\d\d, in the 3 runs before this too`, r.out)
	assert.Contains(t, r.out, "flickers without a change: a.upath: flips (flipped 3 times)")
	assert.NotContains(t, r.out, "flickers without a change: a.upath: fails")
	c := run(t, dir, "compare")
	assert.Contains(t, c.out, "a.upath: flips")
}
