package draft

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/tools/txtar"

	"usualpath/internal/contract"
	"usualpath/internal/core/source"
	"usualpath/internal/core/syntax"
	"usualpath/internal/golden"
)

// The archives hold documents, the files drafted from them, and what is left
// for the user.
func TestDocumentsBecomeDrafts(t *testing.T) {
	golden.Each(t, "testdata/*.txtar", func(t *testing.T, in map[string]string) []txtar.File {
		name := filepath.Join(t.TempDir(), "described.yaml")
		require.NoError(t, os.WriteFile(name, []byte(in["described.yaml"]), 0o644))
		d, err := contract.Load(name)
		require.NoError(t, err)
		s := FromOpenAPI(d, Choice{})
		var given []txtar.File
		for _, n := range s.Names {
			_, diags := syntax.Parse(source.NewFile(n, s.Files[n]))
			require.Empty(t, diags, "what is drafted is of the language")
			given = append(given, txtar.File{Name: n, Data: []byte(s.Files[n])})
		}
		return append(given, txtar.File{Name: "left", Data: []byte(strings.Join(s.Left(), "\n"))})
	})
}

// Names, paths and texts of a document are data: whatever they hold, what is
// drafted is of the language, and no statement of the document's making.
func FuzzDocument(f *testing.F) {
	f.Add("/boats", "name", "Tern", "a boat")
	f.Add("/a\n  step \"x\"\n    send DELETE /all", "na\nme", "a\nb\r\u2028c", "s\nscenario \"evil\"")
	f.Add("/b c/{x}", "k{x}", "{y}\\", "\"quoted\" # not a comment")
	f.Fuzz(func(t *testing.T, path, member, text, summary string) {
		doc := map[string]any{"openapi": "3.0.3", "info": map[string]any{"title": text, "version": "1"}, "paths": map[string]any{
			"/" + strings.TrimPrefix(path, "/"): map[string]any{
				"get": map[string]any{"summary": summary, "parameters": []any{map[string]any{"name": member, "in": "query", "required": true, "example": text, "schema": map[string]any{"type": "string"}}},
					"responses": map[string]any{"200": map[string]any{"description": text}}},
				"post": map[string]any{"requestBody": map[string]any{"content": map[string]any{"application/json": map[string]any{"schema": map[string]any{"type": "object", "required": []any{member},
					"properties": map[string]any{member: map[string]any{"type": "string", "example": text}}}}}}, "responses": map[string]any{"201": map[string]any{"description": "made"}}},
			}}}
		data, err := json.Marshal(doc)
		require.NoError(t, err)
		name := filepath.Join(t.TempDir(), "described.json")
		require.NoError(t, os.WriteFile(name, data, 0o644))
		d, err := contract.Load(name)
		if err != nil {
			return
		}
		s := FromOpenAPI(d, Choice{})
		for _, n := range s.Names {
			tree, diags := syntax.Parse(source.NewFile(n, s.Files[n]))
			require.Empty(t, diags.Errors(), "%s\n%v", s.Files[n], diags)
			for _, st := range tree.Statements {
				require.Contains(t, []string{"scenario", "resource", "afterwards", "let"}, st.Word, s.Files[n])
			}
			require.NotContains(t, s.Files[n], "\n    send DELETE", "nothing of the document is removed by")
		}
	})
}

// Credentials of a client are exchanged for a token where the token's host may be asked.
func TestTokens(t *testing.T) {
	name := filepath.Join(t.TempDir(), "o.yaml")
	require.NoError(t, os.WriteFile(name, []byte("openapi: 3.0.3\ninfo: { title: t, version: '1' }\nsecurity: [{ o: [] }]\npaths: { /a: { get: { responses: { '200': { description: d } } } } }\ncomponents: { securitySchemes: { o: { type: oauth2, flows: { clientCredentials: { tokenUrl: 'http://127.0.0.1:9/token', scopes: {} } } } } }\n"), 0o600))
	d, err := contract.Load(name)
	require.NoError(t, err)
	for allowed, want := range map[bool]string{true: "before all \"sign in\"\n  step \"ask for a token\"\n    send POST http://127.0.0.1:9/token\n", false: ""} {
		s := FromOpenAPI(d, Choice{Allowed: func(host string) bool { return allowed && host == "127.0.0.1" }})
		require.Equal(t, []string{"auth bearer {token}"}, s.Project.Defaults)
		if !allowed {
			require.Equal(t, want, s.Project.Before)
			require.Equal(t, []string{"secret token from env API_TOKEN"}, s.Project.Secrets)
			continue
		}
		require.Contains(t, s.Project.Before, want)
		head := "project p\n\nbase http://127.0.0.1:9\n\n" + strings.Join(s.Project.Secrets, "\n") + "\n\ndefaults\n  auth bearer {token}\n\n" + s.Project.Before
		s.Vet(head)
		require.Len(t, s.Names, 1, s.Left())
	}
}
