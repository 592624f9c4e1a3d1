// Package lsp is the language server: it speaks the Language Server Protocol
// 3.17 over a stream, and knows what the core knows.
package lsp

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"runtime/debug"
	"sync"
	"time"

	"github.com/sourcegraph/jsonrpc2"

	"usualpath/internal/core/project"
)

// runCommand is the command of the code lenses.
const runCommand = "usualpath.run"

// Errors that the protocol has beside those of JSON-RPC.
const (
	codeNotInitialized = -32002
	codeCancelled      = -32800
)

// settle is how long a text must rest before it is looked at by itself.
const settle = 60 * time.Millisecond

// ErrNoShutdown is what Serve gives when the editor ends without `shutdown`.
var ErrNoShutdown = errors.New("it ended without shutdown")

// Run runs the tool with arguments and gives what it printed; editors start it
// by a command.
type Run func(ctx context.Context, args ...string) (string, error)

// Server is a language server for one editor.
type Server struct {
	Version string
	Run     Run
	open    map[string]*document
	// begun and ended are set by initialize and shutdown.
	begun, ended bool
	// watches tells that the editor can be asked to watch files, root where it works.
	watches bool
	root    string
	// doc is the OpenAPI document that was read last.
	doc described
	// all is the project as it was last read whole.
	all *project.Project

	// mu guards all above while messages and the looking at texts that rest take turns.
	mu    sync.Mutex
	rests *time.Timer
	conn  *jsonrpc2.Conn

	// queue are the messages to answer, in order; cancelled are requests that nobody
	// waits for any more.
	queue chan *jsonrpc2.Request
	calls sync.Mutex
	// pending are the requests in the queue.
	pending, cancelled map[jsonrpc2.ID]bool
}

// Serve speaks over a stream until the editor ends it.
func (s *Server) Serve(ctx context.Context, stream io.ReadWriteCloser) error {
	s.open = map[string]*document{}
	s.queue = make(chan *jsonrpc2.Request, 4096)
	s.pending, s.cancelled = map[jsonrpc2.ID]bool{}, map[jsonrpc2.ID]bool{}
	s.conn = jsonrpc2.NewConn(ctx, jsonrpc2.NewBufferedStream(stream, frames{}), s)
	done := make(chan struct{})
	go func() {
		defer close(done)
		for req := range s.queue {
			s.answer(ctx, req)
		}
	}()
	var err error
	select {
	case <-s.conn.DisconnectNotify():
	case <-ctx.Done():
		err = s.conn.Close()
	}
	close(s.queue)
	<-done
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.rests != nil {
		s.rests.Stop()
	}
	if err == nil && !s.ended {
		return ErrNoShutdown
	}
	return err
}

// Handle takes a message in; what is cancelled meanwhile is never looked at.
func (s *Server) Handle(_ context.Context, _ *jsonrpc2.Conn, req *jsonrpc2.Request) {
	if req.Method == "$/cancelRequest" {
		var p struct {
			ID jsonrpc2.ID `json:"id"`
		}
		if read(req, &p) == nil {
			s.calls.Lock()
			if s.pending[p.ID] {
				s.cancelled[p.ID] = true
			}
			s.calls.Unlock()
		}
		return
	}
	if !req.Notif {
		s.calls.Lock()
		s.pending[req.ID] = true
		s.calls.Unlock()
	}
	defer func() {
		// The queue is closed once the editor has gone.
		_ = recover()
	}()
	s.queue <- req
}

// answer handles a message, and sends what comes of it.
func (s *Server) answer(ctx context.Context, req *jsonrpc2.Request) {
	var out any
	var err error
	s.calls.Lock()
	off := s.cancelled[req.ID]
	delete(s.pending, req.ID)
	delete(s.cancelled, req.ID)
	s.calls.Unlock()
	if off && !req.Notif {
		err = &jsonrpc2.Error{Code: codeCancelled, Message: "cancelled"}
	} else {
		s.mu.Lock()
		out, err = s.handle(ctx, s.conn, req)
		s.mu.Unlock()
	}
	if req.Notif {
		return
	}
	// An editor that has gone away need not hear it.
	if err == nil {
		_ = s.conn.Reply(ctx, req.ID, out)
		return
	}
	var spoken *jsonrpc2.Error
	if !errors.As(err, &spoken) {
		spoken = &jsonrpc2.Error{Code: jsonrpc2.CodeInternalError, Message: err.Error()}
	}
	_ = s.conn.ReplyWithError(ctx, req.ID, spoken)
}

// handle answers one message; they come one after the other.
func (s *Server) handle(ctx context.Context, conn *jsonrpc2.Conn, req *jsonrpc2.Request) (out any, err error) {
	defer func() {
		// A text that one feature stumbles over must not take the others along.
		if r := recover(); r != nil {
			err = fmt.Errorf("%s: %v\n%s", req.Method, r, debug.Stack())
		}
	}()
	switch {
	case req.Method == "exit":
		return nil, conn.Close()
	case req.Method == "initialize" && !s.begun:
		return s.initialize(req)
	case !s.begun:
		return nil, &jsonrpc2.Error{Code: codeNotInitialized, Message: "initialize comes first"}
	case s.ended, req.Method == "initialize":
		return nil, &jsonrpc2.Error{Code: jsonrpc2.CodeInvalidRequest, Message: "not now: " + req.Method}
	}
	switch req.Method {
	case "initialized":
		return nil, s.watch(ctx, conn)
	case "shutdown":
		s.ended = true
		return nil, nil
	case "textDocument/didOpen":
		var p opened
		if err := read(req, &p); err != nil {
			return nil, err
		}
		s.open[p.TextDocument.URI] = &document{uri: p.TextDocument.URI, path: pathOf(p.TextDocument.URI), version: p.TextDocument.Version, text: p.TextDocument.Text, stale: true}
		s.changedText()
		return nil, nil
	case "textDocument/didChange":
		var p changed
		if err := read(req, &p); err != nil {
			return nil, err
		}
		if d := s.open[p.TextDocument.URI]; d != nil {
			for _, c := range p.ContentChanges {
				d.change(c)
			}
			d.version = p.TextDocument.Version
			s.changedText()
		}
		return nil, nil
	case "textDocument/didClose":
		var p inDocument
		if err := read(req, &p); err != nil {
			return nil, err
		}
		delete(s.open, p.TextDocument.URI)
		s.changedText()
		return nil, conn.Notify(ctx, "textDocument/publishDiagnostics", published{URI: p.TextDocument.URI, Diagnostics: []diagnostic{}})
	case "workspace/didChangeWatchedFiles":
		s.changedText()
		return nil, nil
	case "workspace/executeCommand":
		return nil, s.execute(ctx, conn, req)
	case "workspace/symbol":
		return s.everywhere(req)
	case "textDocument/didSave", "workspace/didChangeConfiguration", "$/setTrace":
		return nil, nil
	}
	return s.ask(req)
}

// changedText marks all documents to be read anew, since one may use another, and looks
// at them once the texts rest: of a burst of keys only the last text is looked at.
func (s *Server) changedText() {
	for _, d := range s.open {
		d.stale = true
	}
	if s.rests == nil {
		s.rests = time.AfterFunc(settle, s.publish)
		return
	}
	s.rests.Reset(settle)
}

// publish tells what is to be said about each open document.
func (s *Server) publish() {
	s.mu.Lock()
	defer s.mu.Unlock()
	defer func() {
		// One text must not end the conversation.
		_ = recover()
	}()
	for _, d := range s.open {
		s.fresh(d)
		if err := s.conn.Notify(context.Background(), "textDocument/publishDiagnostics", published{d.uri, d.version, d.diagnostics()}); err != nil {
			return
		}
	}
}

// fresh reads a document whose text, or one that it may use, has changed.
func (s *Server) fresh(d *document) {
	if d.stale {
		d.stale = false
		s.read(d)
	}
}

// watch asks the editor to tell of scenario files that change on disk.
func (s *Server) watch(ctx context.Context, conn *jsonrpc2.Conn) error {
	if !s.watches {
		return nil
	}
	go func() {
		// An editor that does not want to has answered so.
		_ = conn.Call(ctx, "client/registerCapability", map[string]any{"registrations": []any{map[string]any{"id": "files", "method": "workspace/didChangeWatchedFiles",
			"registerOptions": map[string]any{"watchers": []any{map[string]any{"globPattern": "**/*.upath"}}}}}}, nil)
	}()
	return nil
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

func (s *Server) initialize(req *jsonrpc2.Request) (any, error) {
	var p struct {
		RootURI      string `json:"rootUri"`
		Capabilities struct {
			Workspace struct {
				DidChangeWatchedFiles struct {
					DynamicRegistration bool `json:"dynamicRegistration"`
				} `json:"didChangeWatchedFiles"`
			} `json:"workspace"`
		} `json:"capabilities"`
	}
	if err := read(req, &p); err != nil {
		return nil, err
	}
	s.begun, s.root, s.watches = true, pathOf(p.RootURI), p.Capabilities.Workspace.DidChangeWatchedFiles.DynamicRegistration
	return map[string]any{
		"serverInfo": map[string]string{"name": "usualpath", "version": s.Version},
		"capabilities": map[string]any{
			"positionEncoding":                 "utf-16",
			"textDocumentSync":                 map[string]any{"openClose": true, "change": 2, "save": false},
			"completionProvider":               map[string]any{"triggerCharacters": []string{"{", `"`, " ", "/", ".", "$"}},
			"hoverProvider":                    true,
			"definitionProvider":               true,
			"referencesProvider":               true,
			"documentHighlightProvider":        true,
			"renameProvider":                   map[string]any{"prepareProvider": true},
			"documentSymbolProvider":           true,
			"workspaceSymbolProvider":          true,
			"documentLinkProvider":             map[string]any{},
			"documentFormattingProvider":       true,
			"documentOnTypeFormattingProvider": map[string]any{"firstTriggerCharacter": "\n"},
			"foldingRangeProvider":             true,
			"selectionRangeProvider":           true,
			"codeActionProvider":               map[string]any{"codeActionKinds": []string{"quickfix", "refactor"}},
			"codeLensProvider":                 map[string]any{},
			"inlayHintProvider":                true,
			"semanticTokensProvider":           map[string]any{"legend": map[string]any{"tokenTypes": tokenTypes, "tokenModifiers": []string{"declaration"}}, "full": true},
			"executeCommandProvider":           map[string]any{"commands": []string{runCommand}},
		},
	}, nil
}
