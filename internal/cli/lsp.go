package cli

import (
	"bytes"
	"context"
	"errors"
	"io"
	"os"
	"os/exec"

	"github.com/spf13/cobra"

	"usualpath/internal/lsp"
)

// stdio is the stream that an editor speaks over.
type stdio struct {
	io.Reader
	io.Writer
}

func (stdio) Close() error { return os.Stdin.Close() }

func (a *app) lsp() *cobra.Command {
	c := &cobra.Command{
		Use: "lsp", Short: "Language server for editors",
		Long: `Speaks the Language Server Protocol over standard input and output: editors start
it for files that end in .upath. It offers diagnostics while you type with edits
that mend them, completion, hover, definitions, references, rename across files,
links, symbols, folding, formatting, semantic colours, and lenses that run a
scenario, print or run a resource's checks, or roam. editors/README.md of the
project has set-ups.`,
		Example: `  usualpath lsp`,
		Args:    cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			ctx := c.Context()
			if ctx == nil {
				ctx = context.Background()
			}
			s := &lsp.Server{Version: version(), Run: func(ctx context.Context, args ...string) (string, error) {
				self, err := os.Executable()
				if err != nil {
					return "", err
				}
				var out bytes.Buffer
				run := exec.CommandContext(ctx, self, args...)
				run.Stdout, run.Stderr = &out, &out
				err = run.Run()
				return out.String(), err
			}}
			err := s.Serve(ctx, stdio{os.Stdin, a.out})
			if errors.Is(err, lsp.ErrNoShutdown) {
				// The protocol has this code for it.
				return &exit{code: exitFailed, message: "the editor ended without shutting down first"}
			}
			if err != nil {
				return &exit{code: exitBroken, message: "the editor ended without shutting down first: " + err.Error()}
			}
			return nil
		},
	}
	// Editors add it, and there is no other way to speak.
	c.Flags().Bool("stdio", true, "speak over standard input and output")
	return c
}
