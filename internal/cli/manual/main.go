// Command manual writes a manual page for each command of usualpath to a folder,
// for a release. The library that does it takes its time when a program starts;
// usualpath itself is spared that.
//
//	go run ./internal/cli/manual FOLDER VERSION
package main

import (
	"fmt"
	"os"
	"time"

	"github.com/spf13/cobra/doc"

	"usualpath/internal/cli"
)

func main() {
	if len(os.Args) != 3 {
		fmt.Fprintln(os.Stderr, "usage: manual FOLDER VERSION")
		os.Exit(2)
	}
	if err := write(os.Args[1], os.Args[2]); err != nil {
		fmt.Fprintln(os.Stderr, "manual:", err)
		os.Exit(1)
	}
}

func write(folder, version string) error {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	// A page that is made twice is the same twice.
	made := time.Unix(0, 0).UTC()
	root := cli.Commands()
	root.DisableAutoGenTag = true
	return doc.GenManTree(root, &doc.GenManHeader{Title: "USUALPATH", Section: "1", Source: "usualpath " + version, Manual: "Usual Path", Date: &made}, folder)
}
