// Package docs is what the tool carries along of its own documentation.
package docs

import _ "embed"

// Language is the reference of the scenario language, in Markdown.
//
//go:embed language.md
var Language string

// Roam tells how roaming works, in Markdown.
//
//go:embed roam.md
var Roam string

// Documents tells how documents are drafted from and held against, in Markdown.
//
//go:embed documents.md
var Documents string
