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

// Recordings tells what becomes of a HAR file, in Markdown.
//
//go:embed recordings.md
var Recordings string

// Guide teaches the language in one sitting, Cookbook has short recipes; both in Markdown.
//
//go:embed guide.md
var Guide string

//go:embed cookbook.md
var Cookbook string
