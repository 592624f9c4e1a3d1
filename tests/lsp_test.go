package tests

import (
	"context"
	"encoding/json"
	"io"
	"os"
	"os/exec"
	"path/filepath"
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

resource boats
  collection /boats
  make       { "name": "Knot {turn}", "length_m": 5 }
  skip       input/big-body  because "too slow here"
`

func TestLanguageServer(t *testing.T) {
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
		{"textDocument/rename", "expect sta|tus", []string{"no name here"}, []any{"newName", "x"}},
		{"textDocument/documentSymbol", "one b|oat", []string{`"name":"one boat"`, `"name":"read"`, `"name":"resource boats"`, `"name":"boat"`}, nil},
		{"textDocument/foldingRange", "one b|oat", []string{`{"endLine":15,"startLine":2}`}, nil},
		{"textDocument/codeLens", "one b|oat", []string{`"command":"usualpath.run"`, `"one boat"`, "derived checks"}, nil},
		{"textDocument/formatting", "one b|oat", []string{"[]"}, nil},
		{"textDocument/semanticTokens/full", "one b|oat", []string{"not spoken"}, nil},
	} {
		text := strings.Replace(edited, strings.Replace(c.mark, "|", "", 1), c.mark, 1)
		answer, err := json.Marshal(e.ask(c.method, e.at("boats.upath", text, c.mark, c.more...)))
		require.NoError(t, err)
		for _, w := range c.want {
			require.Contains(t, string(answer), w, "%s at %s", c.method, c.mark)
		}
	}

	// Completion, by what comes before the cursor on a line of its own.
	version := 3
	for _, c := range []struct{ line, want, not string }{
		{"    send PO|", `"POST"`, `"GET"`},
		{"    expect |", `"boats"`, ""},
		{"    expect st|", `"status"`, `"body"`},
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
	answer, err := json.Marshal(e.ask("textDocument/formatting", e.at("boats.upath", "|", "|")))
	require.NoError(t, err)
	require.Contains(t, string(answer), `scenario \"s\"\n  step \"t\"\n    send GET /boats\n`)
}

func TestLanguageServerRunsAScenario(t *testing.T) {
	h := gullPoint(t)
	text := "base " + h + "\n\nscenario \"look\"\n  step \"s\"\n    send GET /boats\n    expect status 200\n"
	e := newEditor(t, map[string]string{"look.upath": text})
	require.Nil(t, e.ask("workspace/executeCommand", map[string]any{"command": "usualpath.run", "arguments": []string{filepath.Join(e.dir, "look.upath"), "--only", "look"}}))
	select {
	case m := <-e.messages:
		require.Contains(t, m["message"], "1 scenario: 1 held")
	case <-time.After(30 * time.Second):
		require.Fail(t, "the run told nothing")
	}
}
