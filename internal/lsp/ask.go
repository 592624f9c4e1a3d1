package lsp

import (
	"context"

	"github.com/sourcegraph/jsonrpc2"
)

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
	s.fresh(d)
	offset := offsetIn(d.text, p.Position)
	switch req.Method {
	case "textDocument/completion":
		return s.complete(d, offset), nil
	case "textDocument/hover":
		return orNull(d.hover(offset)), nil
	case "textDocument/definition":
		return orNull(s.definition(d, offset)), nil
	case "textDocument/references":
		return s.references(d, offset, p.Context.IncludeDeclaration), nil
	case "textDocument/documentHighlight":
		return s.highlights(d, offset), nil
	case "textDocument/prepareRename":
		if m, ok := d.meant(offset); ok {
			return rangeIn(d.text, m.at), nil
		}
		return nil, nil
	case "textDocument/rename":
		edits, problem := s.rename(d, offset, p.NewName)
		if problem != "" {
			return nil, &jsonrpc2.Error{Code: jsonrpc2.CodeInvalidParams, Message: problem}
		}
		return workspaceEdit{edits}, nil
	case "textDocument/documentSymbol":
		return d.symbols(), nil
	case "textDocument/documentLink":
		return d.links(), nil
	case "textDocument/formatting":
		return d.formatted(), nil
	case "textDocument/onTypeFormatting":
		return d.indented(p.Position), nil
	case "textDocument/foldingRange":
		return d.foldings(), nil
	case "textDocument/selectionRange":
		return d.selections(p.Positions), nil
	case "textDocument/codeAction":
		return append(s.fixes(d, p.Range), d.filing(offsetIn(d.text, p.Range.Start))...), nil
	case "textDocument/inlayHint":
		return d.hints(p.Range), nil
	case "textDocument/codeLens":
		return d.lenses(), nil
	case "textDocument/semanticTokens/full":
		return map[string]any{"data": d.tokens()}, nil
	}
	return nil, &jsonrpc2.Error{Code: jsonrpc2.CodeMethodNotFound, Message: req.Method + " is not spoken"}
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
	args := p.Arguments
	switch args[0] {
	case "run", "roam", "derive", "explain":
	default:
		args = append([]string{"run"}, args...)
	}
	go func() {
		text, err := s.runs(ctx, args)
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
