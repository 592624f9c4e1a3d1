// Package cli is the interface: flags in, text out. It computes nothing.
package cli

import (
	"errors"
	"fmt"
	"io"
	"log"
	"os"
	"runtime/debug"
	"slices"
	"strings"

	"github.com/mattn/go-isatty"
	"github.com/spf13/cobra"
	"golang.org/x/term"

	"usualpath/internal/core/bound"
	"usualpath/internal/core/event"
	"usualpath/internal/core/source"
	"usualpath/internal/report"
)

// Exit codes.
const (
	exitHeld        = 0
	exitFailed      = 1
	exitUsage       = 2
	exitUnreachable = 3
	exitBroken      = 4
	exitUnjudged    = 5
	exitInterrupted = 130
)

// exit is an error that has been told already, or is told as it is.
type exit struct {
	code int
	// message may be empty: then all has been said.
	message, hint string
}

func (e *exit) Error() string { return e.message }

func usage(message, hint string) error { return &exit{exitUsage, message, hint} }

// unread is wrong usage: an option names a file that is not there, or cannot be read.
func unread(option, name string, err error) error {
	if errors.Is(err, os.ErrNotExist) {
		return usage(option+": there is no file "+name, "")
	}
	return usage(option+" "+name+" cannot be read: "+err.Error(), "")
}

// app is what all commands share.
type app struct {
	out, err io.Writer
	color    string
	ascii    bool
}

// Main runs the tool and gives its exit code.
func Main(args []string, stdout, stderr io.Writer) (code int) {
	spendMemory()
	// What the HTTP library has to say of odd answers, the findings say better.
	log.SetOutput(io.Discard)
	a := &app{out: stdout, err: stderr}
	defer func() {
		if r := recover(); r != nil {
			fmt.Fprintf(stderr, "usualpath itself failed: %v\nThis is a mistake in the tool, not in your files.\n", r)
			if os.Getenv("USUALPATH_TRACE") != "" {
				stack := debug.Stack()
				if there, ok := r.(interface{ Stack() []byte }); ok {
					// It happened beside the main line.
					stack = there.Stack()
				}
				fmt.Fprintf(stderr, "%s", stack)
			}
			code = exitBroken
		}
	}()
	for _, w := range []*io.Writer{&a.out, &a.err} {
		if tty, width := terminal(*w); tty && width < report.Narrowest {
			n := &report.Narrow{W: *w, Width: width}
			defer n.Flush()
			*w = n
		}
	}
	root := a.root()
	root.SetArgs(args)
	root.SetOut(a.out)
	root.SetErr(a.err)
	err := root.Execute()
	if err == nil {
		return exitHeld
	}
	var e *exit
	if !errors.As(err, &e) {
		// What cobra refuses: unknown flags, wrong arguments.
		e = &exit{code: exitUsage, message: err.Error(), hint: "usualpath --help shows the commands, usualpath COMMAND --help one of them"}
	}
	if e.message != "" {
		s := a.style(stderr)
		fmt.Fprintf(stderr, "usualpath: %s\n", report.Clean(e.message, true))
		if e.hint != "" {
			fmt.Fprintf(stderr, "%s %s\n", s.Arrow(), report.Clean(e.hint, true))
		}
	}
	return e.code
}

// Commands is the tree of commands, for whoever makes pages of it.
func Commands() *cobra.Command {
	return (&app{out: io.Discard, err: io.Discard}).root()
}

func (a *app) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "usualpath",
		Short: "Run request scenarios against a local service, and check what they did",
		Long: `usualpath runs request scenarios against a service on your own machine and checks
what each request did, not only what the service says it did.

Look at one answer, write it down as a scenario, run it again and again:

  usualpath demo serve --seed-data --listen 127.0.0.1:4710 &
  usualpath try GET /boats --base http://127.0.0.1:4710
  usualpath run boats.upath

Exit codes: 0 all held, 1 an expectation failed, 2 wrong usage or a file with
errors (nothing was sent), 3 the service could not be started or reached,
4 the tool itself failed, 5 nothing failed but something could not be judged,
130 interrupted.

Help that teaches: usualpath help language, or a part of it, listed below.`,
		SilenceUsage: true, SilenceErrors: true,
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) == 0 {
				return nil
			}
			hint := "usualpath --help shows the commands"
			if n := source.Nearest(args[0], []string{"try", "new", "run", "roam", "lint", "fmt", "derive", "explain", "report", "compare", "demo", "lsp", "version", "completion"}); n != "" {
				hint = "did you mean usualpath " + n + "?"
			}
			return usage(fmt.Sprintf("unknown command %q", args[0]), hint)
		},
		RunE: func(c *cobra.Command, _ []string) error { return c.Help() },
	}
	root.PersistentFlags().StringVar(&a.color, "color", "auto", "colour: auto, always or never (NO_COLOR is honoured)")
	root.PersistentFlags().BoolVar(&a.ascii, "ascii", false, "use ASCII characters only for marks and lines")
	effort := root.PersistentFlags().Int("effort", 1, fmt.Sprintf("how many times the usual limits one path, schema or value may take, 1 to %d", bound.Most))
	root.PersistentPreRunE = func(c *cobra.Command, _ []string) error {
		if *effort < 1 || *effort > bound.Most {
			return usage(fmt.Sprintf("--effort takes a number from 1 to %d, not %d", bound.Most, *effort), "")
		}
		bound.Widen(*effort)
		switch a.color {
		case "auto", "always", "never":
			return temporary(c)
		}
		return usage("--color takes auto, always or never, not "+a.color, "")
	}
	root.AddCommand(a.try(), a.new(), a.run(), a.roam(), a.lint(), a.fmt(), a.derive(), a.explain(), a.report(), a.compare(), a.demo(), a.lsp(), a.version())
	a.help(root)
	return root
}

// temporary wants the folder for temporary files, for commands that need one:
// later it would be missed in the middle of a run.
func temporary(c *cobra.Command) error {
	if !slices.Contains([]string{"run", "demo", "report", "serve"}, c.Name()) {
		return nil
	}
	if info, err := os.Stat(os.TempDir()); err != nil || !info.IsDir() {
		return usage(os.TempDir()+" is not a folder, and temporary files would go there", "set TMPDIR to a folder that can be written to")
	}
	return nil
}

// terminal tells whether a writer is a terminal, and how wide it is.
func terminal(w io.Writer) (bool, int) {
	if n, narrow := w.(*report.Narrow); narrow {
		return true, n.Width
	}
	f, ok := w.(*os.File)
	if !ok || !isatty.IsTerminal(f.Fd()) {
		return false, 100
	}
	width, _, err := term.GetSize(int(f.Fd()))
	if err != nil || width < 1 {
		width = 100
	}
	return true, max(width, 20)
}

func (a *app) style(w io.Writer) *report.Style {
	tty, _ := terminal(w)
	color := a.color == "always" || a.color == "auto" && tty && os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb"
	return report.NewStyle(color, a.ascii)
}

// diagnose writes what is wrong with files, and counts it; after is put behind
// the count.
func (a *app) diagnose(list source.Diagnostics, after string) {
	if len(list) == 0 {
		return
	}
	report.Diagnostics(a.err, list, a.style(a.err))
	n := list.Errors()
	var parts []string
	if n > 0 {
		parts = append(parts, event.Count(n, "error"))
	}
	if w := len(list) - n; w > 0 {
		parts = append(parts, event.Count(w, "warning"))
	}
	fmt.Fprintf(a.err, "\n%s%s\n", strings.Join(parts, ", "), after)
}
