package cli

import (
	"fmt"
	"runtime"
	"runtime/debug"

	"github.com/spf13/cobra"
)

// version is the module's version or the commit it was built from.
func version() string {
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return "unknown"
	}
	v, revision, dirty := info.Main.Version, "", ""
	for _, s := range info.Settings {
		switch s.Key {
		case "vcs.revision":
			revision = s.Value
		case "vcs.modified":
			if s.Value == "true" {
				dirty = "+"
			}
		}
	}
	if v != "" && v != "(devel)" {
		return v
	}
	if len(revision) >= 12 {
		return "0.0.0-" + revision[:12] + dirty
	}
	return "0.0.0"
}

func agent() string { return "usualpath/" + version() }

func (a *app) version() *cobra.Command {
	return &cobra.Command{
		Use: "version", Short: "Print the version", Example: "  usualpath version", Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			fmt.Fprintf(a.out, "usualpath %s %s %s/%s\n", version(), runtime.Version(), runtime.GOOS, runtime.GOARCH)
			return nil
		},
	}
}
