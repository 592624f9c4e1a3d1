// Package examples is the harbour project as a tester would keep it. The tool
// carries it along for its demo.
package examples

import "embed"

// Files are the scenario files.
//
//go:embed *.upath
var Files embed.FS
