package tests

import (
	"context"
	"encoding/json"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/sourcegraph/jsonrpc2"
	"github.com/stretchr/testify/require"
)

// editor is a client of the language server, as an editor would be.
type editor struct {
	t        *testing.T
	conn     *jsonrpc2.Conn
	dir      string
	told     chan map[string]any
	messages chan map[string]any
}

type pipes struct {
	io.Reader
	io.WriteCloser
}

func newEditor(t *testing.T, files map[string]string) *editor {
	t.Helper()
	dir := t.TempDir()
	for name, text := range files {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	cmd := exec.Command(program, "lsp", "--stdio")
	cmd.Dir = dir
	in, err := cmd.StdinPipe()
	require.NoError(t, err)
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	e := &editor{t: t, dir: dir, told: make(chan map[string]any, 64), messages: make(chan map[string]any, 64)}
	e.conn = jsonrpc2.NewConn(context.Background(), jsonrpc2.NewBufferedStream(pipes{out, in}, jsonrpc2.VSCodeObjectCodec{}),
		jsonrpc2.HandlerWithError(func(_ context.Context, _ *jsonrpc2.Conn, r *jsonrpc2.Request) (any, error) {
			var p map[string]any
			if err := json.Unmarshal(*r.Params, &p); err != nil {
				return nil, err
			}
			switch r.Method {
			case "textDocument/publishDiagnostics":
				e.told <- p
			case "window/logMessage":
				e.messages <- p
			}
			return nil, nil
		}))
	t.Cleanup(func() {
		e.ask("shutdown", nil)
		require.NoError(t, e.conn.Notify(context.Background(), "exit", nil))
		<-e.conn.DisconnectNotify()
		require.NoError(t, cmd.Wait())
	})
	got := e.ask("initialize", map[string]any{"capabilities": map[string]any{}}).(map[string]any)
	require.Equal(t, true, got["capabilities"].(map[string]any)["hoverProvider"])
	require.NoError(t, e.conn.Notify(context.Background(), "initialized", map[string]any{}))
	for name, text := range files {
		if name != "project.upath" {
			e.open(name, text)
		}
	}
	return e
}

func (e *editor) uri(name string) string {
	return "file://" + filepath.ToSlash(filepath.Join(e.dir, name))
}

// ask sends a request and gives its result; an error is given as text.
func (e *editor) ask(method string, params any) any {
	e.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	var out any
	if err := e.conn.Call(ctx, method, params, &out); err != nil {
		return err.Error()
	}
	return out
}

func (e *editor) open(name, text string) {
	require.NoError(e.t, e.conn.Notify(context.Background(), "textDocument/didOpen",
		map[string]any{"textDocument": map[string]any{"uri": e.uri(name), "languageId": "upath", "version": 1, "text": text}}))
}

// diagnostics are the messages told last of a file.
func (e *editor) diagnostics(name string, version int) []string {
	e.t.Helper()
	for {
		select {
		case p := <-e.told:
			if p["uri"] != e.uri(name) || p["version"] != float64(version) {
				continue
			}
			out := []string{}
			for _, d := range p["diagnostics"].([]any) {
				d := d.(map[string]any)
				at, _ := json.Marshal(d["range"].(map[string]any)["start"])
				out = append(out, string(at)+" "+d["message"].(string))
			}
			return out
		case <-time.After(20 * time.Second):
			require.Fail(e.t, "no diagnostics came")
		}
	}
}

// at is a place in a text: where `|` is.
func (e *editor) at(name, text, mark string, more ...any) map[string]any {
	e.t.Helper()
	i := strings.Index(text, mark)
	require.GreaterOrEqual(e.t, i, 0, mark)
	i += strings.Index(mark, "|") + 1
	before := strings.ReplaceAll(text, "|", "")[:i-1]
	line := strings.Count(before, "\n")
	out := map[string]any{"textDocument": map[string]any{"uri": e.uri(name)},
		"position": map[string]any{"line": line, "character": len([]rune(before[strings.LastIndex(before, "\n")+1:]))}}
	for k := 0; k+1 < len(more); k += 2 {
		out[more[k].(string)] = more[k+1]
	}
	return out
}

const edited = `use "common.upath"

scenario "one boat"
  observe boats at /boats by $.id

  step "register"
    send POST /boats
      json {heron}
    expect status 201
    keep boat from $.id
    expect boats gains 1

  step "read"
    send GET /boats/{boat}
    expect status 200
    expect $.name is {heron.name}
    expect $.id same as $.id of "register"

resource boats
  collection /boats
  make       { "name": "Knot {turn}", "length_m": 5 }
  skip       input/big-body  because "too slow here"
`

func TestLanguageServer(t *testing.T) {
	t.Parallel()
	common := "let heron = { \"name\": \"Grey Heron {uuid()}\", \"length_m\": 9 }\n"
	e := newEditor(t, map[string]string{"boats.upath": edited, "common.upath": common, "project.upath": "project p\n\nbase http://127.0.0.1:9\n"})
	require.Empty(t, e.diagnostics("boats.upath", 1))

	// A mistake is told while it is there, at its place in UTF-16.
	broken := strings.Replace(edited, "send GET /boats/{boat}", "send GET /boats/{boat} # 𝄞\n    expect $.name iss {bot}", 1)
	change := func(version int, text string) {
		require.NoError(t, e.conn.Notify(context.Background(), "textDocument/didChange", map[string]any{
			"textDocument": map[string]any{"uri": e.uri("boats.upath"), "version": version}, "contentChanges": []any{map[string]any{"text": text}}}))
	}
	change(2, broken)
	said := e.diagnostics("boats.upath", 2)
	require.Len(t, said, 1)
	require.Contains(t, said[0], `"line":14`)
	change(3, edited)
	require.Empty(t, e.diagnostics("boats.upath", 3))

	for _, c := range []struct {
		method, mark string
		// want are parts of the answer, as JSON.
		want []string
		more []any
	}{
		{"textDocument/hover", "/boats/{b|oat}", []string{"keep boat from $.id", "line 10"}, nil},
		{"textDocument/hover", "status 20|1", []string{"201 Created"}, nil},
		{"textDocument/hover", "input/big|-body", []string{"proves:", "usual mend:"}, nil},
		{"textDocument/hover", "col|lection", []string{"collection /boats"}, nil},
		{"textDocument/definition", "GET /boats/{boa|t}", []string{`"line":9`, "boats.upath"}, nil},
		{"textDocument/definition", "json {her|on}", []string{`"line":0`, "common.upath"}, nil},
		{"textDocument/definition", "common.up|ath", []string{"common.upath"}, nil},
		{"textDocument/rename", "keep bo|at", []string{`"newText":"ship"`, `"line":9`, `"line":13`}, []any{"newName", "ship"}},
		{"textDocument/rename", "{her|on}", []string{"common.upath", `"line":7`, `"line":15`}, []any{"newName", "bird"}},
		{"textDocument/rename", "keep bo|at", []string{"is not a name"}, []any{"newName", "a ship"}},
		{"textDocument/rename", "keep bo|at", []string{"heron is taken"}, []any{"newName", "heron"}},
		{"textDocument/rename", `step "regi|ster"`, []string{`"line":5`, `"newText":"make it"`, `"line":16`}, []any{"newName", "make it"}},
		{"textDocument/rename", `step "regi|ster"`, []string{"read is taken: boats.upath, line 13"}, []any{"newName", "read"}},
		{"textDocument/rename", `of "regi|ster"`, []string{`"line":5`, `"line":16`}, []any{"newName", "make it"}},
		{"textDocument/rename", "resource bo|ats", []string{`"line":18`, `"newText":"ships"`}, []any{"newName", "ships"}},
		{"textDocument/references", "keep bo|at", []string{`"line":9`, `"line":13`}, []any{"context", map[string]any{"includeDeclaration": true}}},
		{"textDocument/documentHighlight", "GET /boats/{boa|t}", []string{`"kind":3`, `"kind":2`}, nil},
		{"textDocument/definition", `of "regi|ster"`, []string{`"line":5`}, nil},
		{"textDocument/documentLink", "one b|oat", []string{"common.upath"}, nil},
		{"textDocument/selectionRange", "status 20|1", []string{"parent"}, []any{"positions", []any{map[string]any{"line": 8, "character": 20}}}},
		{"textDocument/hover", "is {heron|.name}", []string{"heron", "bound in common.upath"}, nil},
		{"textDocument/hover", "boats ga|ins 1", []string{"what the request did"}, nil},
		{"textDocument/rename", "expect sta|tus", []string{"no name here"}, []any{"newName", "x"}},
		{"textDocument/documentSymbol", "one b|oat", []string{`"name":"one boat"`, `"name":"read"`, `"name":"resource boats"`, `"name":"boat"`}, nil},
		{"textDocument/foldingRange", "one b|oat", []string{`{"endLine":16,"startLine":2}`}, nil},
		{"textDocument/codeLens", "one b|oat", []string{`"command":"usualpath.run"`, `"one boat"`, "derived checks"}, nil},
		{"textDocument/formatting", "one b|oat", []string{"[]"}, nil},
		{"textDocument/semanticTokens/full", "one b|oat", []string{`{"data":[0,0,3,0,0`}, nil},
		{"textDocument/moniker", "one b|oat", []string{"not spoken"}, nil},
	} {
		text := strings.Replace(edited, strings.Replace(c.mark, "|", "", 1), c.mark, 1)
		answer, err := json.Marshal(e.ask(c.method, e.at("boats.upath", text, c.mark, c.more...)))
		require.NoError(t, err)
		for _, w := range c.want {
			require.Contains(t, string(answer), w, "%s at %s", c.method, c.mark)
		}
	}

	// A top-level name is renamed from where it is made too, in all files.
	answer, err := json.Marshal(e.ask("textDocument/rename", e.at("common.upath", strings.Replace(common, "let heron", "let her|on", 1), "let her|on", "newName", "bird")))
	require.NoError(t, err)
	for _, w := range []string{"common.upath", "boats.upath", `"line":7`, `"line":15`} {
		require.Contains(t, string(answer), w)
	}
	answer, err = json.Marshal(e.ask("workspace/symbol", map[string]any{"query": "oneb"}))
	require.NoError(t, err)
	require.Contains(t, string(answer), `"name":"one boat"`)

	// Completion, by what comes before the cursor on a line of its own.
	version := 3
	for _, c := range []struct{ line, want, not string }{
		{"    send PO|", `"POST"`, `"GET"`},
		{"    expect |", `"boats"`, ""},
		{"    expect st|", `"status"`, `"body"`},
		{"    expect $.id |", `"is within"`, `"empty"`},
		{"    expect body |", `"agrees with"`, `"is within"`},
		{"    expect $.|", `"name"`, ""},
		{"    expect $.id is int|", `"integer"`, `"string"`},
		{"    send GET /b|", `"/boats/{boat}"`, ""},
		{"    expect body fits schema \"com|", `"common.upath"`, ""},
		{"    expect status 40|", `"Not Found"`, `"OK"`},
		{"    expect header Cont|", `"Content-Type"`, `"Accept"`},
		{"    expect status 200 when status 201 of \"reg|", `"register"`, ""},
		{"    expect $.id is {b|", `"boat"`, `"heron"`},
		{"    k|", `"keep"`, `"send"`},
		{"      q|", `"query"`, ""},
	} {
		version++
		text := strings.Replace(edited, "    send GET /boats/{boat}\n", "    send GET /boats/{boat}\n"+c.line+"\n", 1)
		change(version, strings.ReplaceAll(text, "|", ""))
		answer, err := json.Marshal(e.ask("textDocument/completion", e.at("boats.upath", text, c.line)))
		require.NoError(t, err)
		require.Contains(t, string(answer), c.want, c.line)
		if c.not != "" {
			require.NotContains(t, string(answer), `"label":`+c.not, c.line)
		}
	}

	// What is not in canonical layout is set so.
	change(90, "scenario   \"s\"\n    step \"t\"\n        send GET   /boats\n")
	answer, err = json.Marshal(e.ask("textDocument/formatting", e.at("boats.upath", "|", "|")))
	require.NoError(t, err)
	require.Contains(t, string(answer), `scenario \"s\"\n  step \"t\"\n    send GET /boats\n`)
}

func TestLanguageServerRunsAScenario(t *testing.T) {
	t.Parallel()
	h := gullPoint(t)
	text := "base " + h + "\n\nscenario \"look\"\n  step \"s\"\n    send GET /boats\n    expect status 200\n    keep first from $[0].id\n  step \"t\"\n    send GET /boats/{first}\n    expect status 200\n"
	e := newEditor(t, map[string]string{"look.upath": text})
	require.Nil(t, e.ask("workspace/executeCommand", map[string]any{"command": "usualpath.run", "arguments": []string{filepath.Join(e.dir, "look.upath"), "--only", "look"}}))
	select {
	case m := <-e.messages:
		require.Contains(t, m["message"], "1 scenario: 1 held")
	case <-time.After(30 * time.Second):
		require.Fail(t, "the run told nothing")
	}
	// What fails is said at its line, and what was found stands behind it.
	wrong := strings.Replace(text, "status 200", "status 404", 1)
	require.NoError(t, os.WriteFile(filepath.Join(e.dir, "look.upath"), []byte(wrong), 0o600))
	require.NoError(t, e.conn.Notify(context.Background(), "textDocument/didChange", map[string]any{
		"textDocument": map[string]any{"uri": e.uri("look.upath"), "version": 2}, "contentChanges": []any{map[string]any{"text": wrong}}}))
	require.Empty(t, e.diagnostics("look.upath", 2))
	require.Nil(t, e.ask("workspace/executeCommand", map[string]any{"command": "usualpath.run", "arguments": []string{filepath.Join(e.dir, "look.upath"), "--only", "look"}}))
	said := strings.Join(e.diagnostics("look.upath", 2), "\n")
	require.Contains(t, said, `"line":5`)
	require.Contains(t, said, "expected status 404")
	hints, err := json.Marshal(e.ask("textDocument/inlayHint", map[string]any{"textDocument": map[string]any{"uri": e.uri("look.upath")},
		"range": map[string]any{"start": map[string]any{"line": 0, "character": 0}, "end": map[string]any{"line": 99, "character": 0}}}))
	require.NoError(t, err)
	require.Contains(t, string(hints), "found 200 OK")
	require.Contains(t, string(hints), "= 1")
	hover, err := json.Marshal(e.ask("textDocument/hover", e.at("look.upath", strings.Replace(wrong, "{first}", "{fir|st}", 1), "{fir|st}")))
	require.NoError(t, err)
	require.Contains(t, string(hover), "last value: `1`")
	typed := strings.Replace(wrong, "    keep first", "    expect $[0].na|\n    keep first", 1)
	require.NoError(t, e.conn.Notify(context.Background(), "textDocument/didChange", map[string]any{
		"textDocument": map[string]any{"uri": e.uri("look.upath"), "version": 3}, "contentChanges": []any{map[string]any{"text": strings.Replace(typed, "|", "", 1)}}}))
	members, err := json.Marshal(e.ask("textDocument/completion", e.at("look.upath", typed, "expect $[0].na|")))
	require.NoError(t, err)
	require.Contains(t, string(members), `"detail":"\"Arctic Tern\""`)
}

// A burst of keys is looked at once; parts of a text are replaced as they are typed, and
// what is said of a word can be mended.
func TestLanguageServerWhileTyping(t *testing.T) {
	t.Parallel()
	text := "base http://127.0.0.1:9\n\nscenario \"s\"\n  step \"t\"\n    send GET /boats\n    expect status 200\n    keep id from $.id\n"
	e := newEditor(t, map[string]string{"a.upath": text})
	require.Len(t, e.diagnostics("a.upath", 1), 1)
	edit := func(version, line, from, to int, text string) {
		require.NoError(t, e.conn.Notify(context.Background(), "textDocument/didChange", map[string]any{
			"textDocument": map[string]any{"uri": e.uri("a.upath"), "version": version}, "contentChanges": []any{map[string]any{"text": text,
				"range": map[string]any{"start": map[string]any{"line": line, "character": from}, "end": map[string]any{"line": line, "character": to}}}}}))
	}
	for i, key := range "expct status 200" {
		edit(2+i, 5, 4+i, map[bool]int{true: 21, false: 4 + i}[i == 0], string(key))
	}
	last := 1 + len("expct status 200")
	require.Eventually(t, func() bool { return len(e.told) > 0 }, 10*time.Second, 5*time.Millisecond)
	require.Less(t, len(e.told), 6, "of a burst the last text is looked at")
	said := e.diagnostics("a.upath", last)
	require.Contains(t, strings.Join(said, "\n"), "did you mean `expect`?")
	answer, err := json.Marshal(e.ask("textDocument/codeAction", map[string]any{"textDocument": map[string]any{"uri": e.uri("a.upath")},
		"range": map[string]any{"start": map[string]any{"line": 5, "character": 4}, "end": map[string]any{"line": 5, "character": 5}}, "context": map[string]any{"diagnostics": []any{}}}))
	require.NoError(t, err)
	require.Contains(t, string(answer), `"newText":"expect"`)
	answer, err = json.Marshal(e.ask("textDocument/onTypeFormatting", map[string]any{"textDocument": map[string]any{"uri": e.uri("a.upath")}, "position": map[string]any{"line": 4, "character": 0}, "ch": "\n", "options": map[string]any{}}))
	require.NoError(t, err)
	require.Equal(t, "[]", string(answer), "below its step a line stands where it is")
}

// The conversation has a beginning and an end.
func TestLanguageServerLifeCycle(t *testing.T) {
	t.Parallel()
	begin := func() (*jsonrpc2.Conn, *exec.Cmd) {
		cmd := exec.Command(program, "lsp")
		in, err := cmd.StdinPipe()
		require.NoError(t, err)
		out, err := cmd.StdoutPipe()
		require.NoError(t, err)
		require.NoError(t, cmd.Start())
		return jsonrpc2.NewConn(context.Background(), jsonrpc2.NewBufferedStream(pipes{out, in}, jsonrpc2.VSCodeObjectCodec{}),
			jsonrpc2.HandlerWithError(func(context.Context, *jsonrpc2.Conn, *jsonrpc2.Request) (any, error) { return nil, nil })), cmd
	}
	code := func(err error) int64 {
		var e *jsonrpc2.Error
		require.ErrorAs(t, err, &e)
		return e.Code
	}
	ctx := context.Background()
	conn, cmd := begin()
	require.Equal(t, int64(-32002), code(conn.Call(ctx, "textDocument/hover", map[string]any{}, nil)), "before initialize")
	require.NoError(t, conn.Call(ctx, "initialize", map[string]any{"capabilities": map[string]any{}}, nil))
	require.NoError(t, conn.Call(ctx, "shutdown", nil, nil))
	require.Equal(t, int64(jsonrpc2.CodeInvalidRequest), code(conn.Call(ctx, "textDocument/hover", map[string]any{}, nil)), "after shutdown")
	require.NoError(t, conn.Notify(ctx, "exit", nil))
	require.NoError(t, cmd.Wait())
	conn, cmd = begin()
	require.NoError(t, conn.Call(ctx, "initialize", map[string]any{"capabilities": map[string]any{}}, nil))
	require.NoError(t, conn.Notify(ctx, "exit", nil))
	var ended *exec.ExitError
	require.ErrorAs(t, cmd.Wait(), &ended)
	require.Equal(t, 1, ended.ExitCode(), "exit without shutdown")
}

// Hints that say what to write are edits.
func TestWhatIsSaidCanBeMended(t *testing.T) {
	t.Parallel()
	head := "base http://127.0.0.1:9\n\nscenario \"s\"\n"
	step := "  step \"t\"\n    send GET /boats\n    expect status 200\n"
	for name, c := range map[string]struct {
		text, mark string
		// want is the line that the text has once it is mended.
		want string
	}{
		"expects nothing":       {head + "  step \"t\"\n    send GET /boats\n", "step", "    expect status 200\n"},
		"does nothing":          {head + "  step \"t\"\n", "step", "    send GET /path\n"},
		"lower case":            {head + strings.Replace(step, "GET", "get", 1), "get", "    send GET /boats\n"},
		"two braces":            {head + "  let id = 1\n" + strings.Replace(step, "/boats", "/boats/{{id}}", 1), "{{id", "    send GET /boats/{id}\n"},
		"above the request":     {head + "  step \"t\"\n    header A: b\n    send GET /boats\n    expect status 200\n", "header", "    send GET /boats\n      header A: b\n"},
		"outside a step":        {head + "  send GET /boats\n", "send", "  step \"title\"\n"},
		"an order of times":     {head + step + "    expect $.at < \"2031-05-17T08:30:00Z\"\n", "< \"", `    expect $.at before "2031-05-17T08:30:00Z"` + "\n"},
		"not observed":          {head + step + "    expect boats gains 1\n", "boats gains", "  observe boats at /boats by $.id\n"},
		"a step misspelled":     {head + strings.Replace(step, "\"t\"", "\"look at it\"", 1) + "  step \"u\"\n    send GET /boats\n    expect $.id same as $.id of \"lok at it\"\n", "\"lok", `    expect $.id same as $.id of "look at it"` + "\n"},
		"never bound":           {head + step + "  step \"u\"\n    send GET /boats/{wherry}\n    expect status 200\n", "{wherry", "    keep wherry from $.id\n"},
		"a secret written out":  {head + "  step \"t\"\n    send GET /boats\n      auth bearer \"abcdefgh12345678\"\n    expect status 200\n", "\"abcd", "secret token from env TOKEN\n"},
		"a duration of nothing": {head + step + "    expect $.at is within 5 of {now()}\n", "5 of", "    expect $.at is within 5m of {now()}\n"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			e := newEditor(t, map[string]string{"a.upath": c.text})
			said := e.diagnostics("a.upath", 1)
			require.NotEmpty(t, said)
			at := e.at("a.upath", strings.Replace(c.text, c.mark, "|"+c.mark, 1), "|")["position"]
			list := e.ask("textDocument/codeAction", map[string]any{"textDocument": map[string]any{"uri": e.uri("a.upath")}, "range": map[string]any{"start": at, "end": at}, "context": map[string]any{}}).([]any)
			var all []string
			for _, one := range list {
				all = append(all, applied(c.text, one.(map[string]any), e.uri("a.upath")))
			}
			require.True(t, slices.ContainsFunc(all, func(text string) bool { return strings.Contains(text, c.want) }), "%s\n---\n%s", strings.Join(said, "\n"), strings.Join(all, "\n---\n"))
		})
	}
}

// applied is a text with an action's edits made.
func applied(text string, action map[string]any, uri string) string {
	edits := action["edit"].(map[string]any)["changes"].(map[string]any)[uri].([]any)
	lines := strings.SplitAfter(text, "\n")
	offset := func(edit any, end string) int {
		at := edit.(map[string]any)["range"].(map[string]any)[end].(map[string]any)
		n := int(at["character"].(float64))
		for _, l := range lines[:int(at["line"].(float64))] {
			n += len(l)
		}
		return n
	}
	slices.SortStableFunc(edits, func(a, b any) int { return offset(b, "start") - offset(a, "start") })
	for _, one := range edits {
		text = text[:offset(one, "start")] + one.(map[string]any)["newText"].(string) + text[offset(one, "end"):]
	}
	return text
}

// What was tried last is filed where the cursor is; members and paths come from the
// project's document; a check is explained.
func TestLanguageServerFilesAndDescribes(t *testing.T) {
	t.Parallel()
	h := gullPoint(t)
	text := "base " + h + "\n\nscenario \"look\"\n  step \"s\"\n    send GET /boats/1\n    expect status 200\n\nscenario \"other\"\n  check lifecycle/deleted-is-gone of boats on delete\n  step \"u\"\n    send GET /boats\n    expect status 200\n"
	dir := folder(t, "look.upath", text)
	document, err := os.ReadFile("../examples/openapi.yaml")
	require.NoError(t, err)
	require.Equal(t, 0, run(t, dir, "try", "POST", "/boats", "--base", h, "--json", `{"name": "Curlew", "length_m": 8}`).code)
	e := newEditor(t, map[string]string{"look.upath": text})
	require.NoError(t, os.WriteFile(filepath.Join(e.dir, "openapi.yaml"), document, 0o600))
	require.NoError(t, os.CopyFS(filepath.Join(e.dir, ".usualpath"), os.DirFS(filepath.Join(dir, ".usualpath"))))
	at := map[string]any{"line": 4, "character": 6}
	list := e.ask("textDocument/codeAction", map[string]any{"textDocument": map[string]any{"uri": e.uri("look.upath")}, "range": map[string]any{"start": at, "end": at}, "context": map[string]any{}}).([]any)
	require.Len(t, list, 1)
	require.Contains(t, list[0].(map[string]any)["title"], "File the last try here: POST /boats, answered 201 just now")
	filed := applied(text, list[0].(map[string]any), e.uri("look.upath"))
	first, rest, _ := strings.Cut(filed, "scenario \"other\"")
	require.Contains(t, first, "    expect status 201\n")
	require.Contains(t, first, "as boat")
	require.Contains(t, rest, "step \"u\"")
	version := 1
	for mark, want := range map[string]string{"    expect $.|": `"label":"length_m"`, "    send GET /b|": `"label":"/boats/{boat}/stays"`} {
		version++
		typed := strings.Replace(text, "    expect status 200\n", "    expect status 200\n"+mark+"\n", 1)
		require.NoError(t, e.conn.Notify(context.Background(), "textDocument/didChange", map[string]any{
			"textDocument": map[string]any{"uri": e.uri("look.upath"), "version": version}, "contentChanges": []any{map[string]any{"text": strings.Replace(typed, "|", "", 1)}}}))
		answer, err := json.Marshal(e.ask("textDocument/completion", e.at("look.upath", typed, mark)))
		require.NoError(t, err)
		require.Contains(t, string(answer), want)
	}
	lenses, err := json.Marshal(e.ask("textDocument/codeLens", map[string]any{"textDocument": map[string]any{"uri": e.uri("look.upath")}}))
	require.NoError(t, err)
	require.Contains(t, string(lenses), `"explain lifecycle/deleted-is-gone"`)
}
