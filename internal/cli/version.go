package cli

import (
	"encoding/json"
	"fmt"
	"runtime"
	"runtime/debug"
	"strings"

	"github.com/spf13/cobra"
)

// A release says what it was made of (-ldflags -X); other builds ask the toolchain.
var released, commit, date string

// build is what a binary was made of.
type build struct {
	Version string `json:"version"`
	// Commit is the whole hash, "" where it is not known; Changed marks one with changes that
	// were not committed.
	Commit  string `json:"commit,omitempty"`
	Changed bool   `json:"changed,omitempty"`
	// Date is when the commit was made (RFC 3339).
	Date   string `json:"date,omitempty"`
	Go     string `json:"go"`
	System string `json:"system"`
	Arch   string `json:"arch"`
}

func built() build {
	b := build{Version: released, Commit: commit, Date: date, Go: runtime.Version(), System: runtime.GOOS, Arch: runtime.GOARCH}
	info, ok := debug.ReadBuildInfo()
	if b.Version != "" || !ok {
		return b
	}
	for _, s := range info.Settings {
		switch s.Key {
		case "vcs.revision":
			b.Commit = s.Value
		case "vcs.time":
			b.Date = s.Value
		case "vcs.modified":
			b.Changed = s.Value == "true"
		}
	}
	switch v := info.Main.Version; {
	case v != "" && v != "(devel)":
		b.Version = strings.TrimPrefix(v, "v")
	case len(b.Commit) >= 12:
		b.Version = "0.0.0-" + b.Commit[:12]
		if b.Changed {
			b.Version += "+"
		}
	default:
		b.Version = "0.0.0"
	}
	return b
}

// version is that of the release, the module's, or the commit it was built from.
func version() string { return built().Version }

func agent() string { return "usualpath/" + version() }

func (a *app) version() *cobra.Command {
	asJSON := false
	c := &cobra.Command{
		Use: "version", Short: "Print the version", Example: "  usualpath version\n  usualpath version --json", Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			b := built()
			if asJSON {
				text, err := json.MarshalIndent(b, "", "  ")
				if err != nil {
					return &exit{code: exitBroken, message: err.Error()}
				}
				fmt.Fprintf(a.out, "%s\n", text)
				return nil
			}
			fmt.Fprintf(a.out, "usualpath %s %s %s/%s\n", b.Version, b.Go, b.System, b.Arch)
			return nil
		},
	}
	c.Flags().BoolVar(&asJSON, "json", false, "print version, commit, date and platform as JSON")
	return c
}
