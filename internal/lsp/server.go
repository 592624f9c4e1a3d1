// Package lsp is the language server: it speaks the Language Server Protocol
// 3.17 over a stream, and knows what the core knows.
package lsp

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"runtime/debug"

	"github.com/sourcegraph/jsonrpc2"

	"usualpath/internal/core/syntax"
)

// runCommand is the command of the code lenses.
const runCommand = "usualpath.run"

// Run runs the tool with arguments and gives what it printed; editors start it
// by a command.
type Run func(ctx context.Context, args ...string) (string, error)

// Server is a language server for one editor.
type Server struct {
	Version string
	Run     Run
	open    map[string]*document
	closing bool
}

// Serve speaks over a stream until the editor ends it.
func (s *Server) Serve(ctx context.Context, stream io.ReadWriteCloser) error {
	s.open = map[string]*document{}
	conn := jsonrpc2.NewConn(ctx, jsonrpc2.NewBufferedStream(stream, jsonrpc2.VSCodeObjectCodec{}), jsonrpc2.HandlerWithError(s.handle).SuppressErrClosed())
	select {
	case <-conn.DisconnectNotify():
		if s.closing {
			return nil
		}
		return io.ErrUnexpectedEOF
	case <-ctx.Done():
		return conn.Close()
	}
}

// handle answers one message; they come one after the other.
func (s *Server) handle(ctx context.Context, conn *jsonrpc2.Conn, req *jsonrpc2.Request) (out any, err error) {
	defer func() {
		// A text that one feature stumbles over must not take the others along.
		if r := recover(); r != nil {
			err = fmt.Errorf("%s: %v\n%s", req.Method, r, debug.Stack())
		}
	}()
	switch req.Method {
	case "initialize":
		return s.initialize(), nil
	case "shutdown":
		s.closing = true
		return nil, nil
	case "exit":
		s.closing = true
		return nil, conn.Close()
	case "textDocument/didOpen":
		var p opened
		if err := read(req, &p); err != nil {
			return nil, err
		}
		s.open[p.TextDocument.URI] = &document{uri: p.TextDocument.URI, path: pathOf(p.TextDocument.URI), version: p.TextDocument.Version, text: p.TextDocument.Text}
		return nil, s.publish(ctx, conn)
	case "textDocument/didChange":
		var p changed
		if err := read(req, &p); err != nil {
			return nil, err
		}
		if d := s.open[p.TextDocument.URI]; d != nil && len(p.ContentChanges) > 0 {
			d.text, d.version = p.ContentChanges[len(p.ContentChanges)-1].Text, p.TextDocument.Version
		}
		return nil, s.publish(ctx, conn)
	case "textDocument/didClose":
		var p inDocument
		if err := read(req, &p); err != nil {
			return nil, err
		}
		delete(s.open, p.TextDocument.URI)
		return nil, conn.Notify(ctx, "textDocument/publishDiagnostics", published{URI: p.TextDocument.URI, Diagnostics: []diagnostic{}})
	case "workspace/executeCommand":
		return nil, s.execute(ctx, conn, req)
	case "initialized", "textDocument/didSave", "workspace/didChangeConfiguration", "workspace/didChangeWatchedFiles", "$/cancelRequest", "$/setTrace":
		return nil, nil
	}
	return s.ask(req)
}

// ask answers what is asked about a document.
func (s *Server) ask(req *jsonrpc2.Request) (any, error) {
	var p at
	if err := read(req, &p); err != nil {
		return nil, err
	}
	d := s.open[p.TextDocument.URI]
	if d == nil {
		if req.Notif {
			return nil, nil
		}
		return nil, &jsonrpc2.Error{Code: jsonrpc2.CodeMethodNotFound, Message: "no answer to " + req.Method + " of " + p.TextDocument.URI}
	}
	offset := offsetIn(d.text, p.Position)
	switch req.Method {
	case "textDocument/completion":
		return d.complete(offset), nil
	case "textDocument/hover":
		return orNull(d.hover(offset)), nil
	case "textDocument/definition":
		return orNull(d.definition(offset)), nil
	case "textDocument/prepareRename":
		if at, ok := d.renamed(offset); ok {
			return rangeIn(d.text, at), nil
		}
		return nil, nil
	case "textDocument/rename":
		if !syntax.IsName(p.NewName) {
			return nil, &jsonrpc2.Error{Code: jsonrpc2.CodeInvalidParams, Message: p.NewName + " is not a name: letters, digits and _ make one"}
		}
		edits := s.rename(d, offset, p.NewName)
		if edits == nil {
			return nil, &jsonrpc2.Error{Code: jsonrpc2.CodeInvalidParams, Message: "there is no name here that can be renamed"}
		}
		return workspaceEdit{edits}, nil
	case "textDocument/documentSymbol":
		return d.symbols(), nil
	case "textDocument/formatting":
		return d.formatted(), nil
	case "textDocument/foldingRange":
		return d.foldings(), nil
	case "textDocument/codeLens":
		return d.lenses(), nil
	}
	return nil, &jsonrpc2.Error{Code: jsonrpc2.CodeMethodNotFound, Message: req.Method + " is not spoken"}
}

// orNull makes a JSON null of a missing answer.
func orNull[T any](p *T) any {
	if p == nil {
		return nil
	}
	return p
}

func read(req *jsonrpc2.Request, into any) error {
	if req.Params == nil {
		return &jsonrpc2.Error{Code: jsonrpc2.CodeInvalidParams, Message: req.Method + " needs parameters"}
	}
	if err := json.Unmarshal(*req.Params, into); err != nil {
		return &jsonrpc2.Error{Code: jsonrpc2.CodeInvalidParams, Message: err.Error()}
	}
	return nil
}

func (s *Server) initialize() any {
	return map[string]any{
		"serverInfo": map[string]string{"name": "usualpath", "version": s.Version},
		"capabilities": map[string]any{
			"positionEncoding":           "utf-16",
			"textDocumentSync":           map[string]any{"openClose": true, "change": 1},
			"completionProvider":         map[string]any{"triggerCharacters": []string{"{", `"`, " ", "/"}},
			"hoverProvider":              true,
			"definitionProvider":         true,
			"renameProvider":             map[string]any{"prepareProvider": true},
			"documentSymbolProvider":     true,
			"documentFormattingProvider": true,
			"foldingRangeProvider":       true,
			"codeLensProvider":           map[string]any{},
			"executeCommandProvider":     map[string]any{"commands": []string{runCommand}},
		},
	}
}

// publish reads all open documents, since one may use another, and tells what is
// to be said about each.
func (s *Server) publish(ctx context.Context, conn *jsonrpc2.Conn) error {
	for _, d := range s.open {
		s.read(d)
		if err := conn.Notify(ctx, "textDocument/publishDiagnostics", published{d.uri, d.version, d.diagnostics()}); err != nil {
			return err
		}
	}
	return nil
}

// execute runs a scenario beside the conversation, and shows what came of it.
func (s *Server) execute(ctx context.Context, conn *jsonrpc2.Conn, req *jsonrpc2.Request) error {
	var p struct {
		Command   string   `json:"command"`
		Arguments []string `json:"arguments"`
	}
	if err := read(req, &p); err != nil {
		return err
	}
	if p.Command != runCommand || len(p.Arguments) == 0 || s.Run == nil {
		return &jsonrpc2.Error{Code: jsonrpc2.CodeInvalidParams, Message: "the command is " + runCommand + " with a file, --only and a title"}
	}
	go func() {
		text, err := s.Run(ctx, append([]string{"run", "--color", "never"}, p.Arguments...)...)
		kind := 3
		if err != nil {
			kind = 1
		}
		// An editor that has gone away need not hear it.
		_ = conn.Notify(ctx, "window/logMessage", message{kind, text})
		_ = conn.Notify(ctx, "window/showMessage", message{kind, summary(text)})
	}()
	return nil
}
