package main

import (
	_ "embed"
	"fmt"
	"slices"
	"strings"
)

// switches is the file that is added to a package: which of its sites is broken is said by the
// environment, so that it is compiled once for all of them.
//
//go:embed switches.go.txt
var switches string

// woven is a file with all its sites in it.
func woven(src []byte, sites []*site) []byte {
	type one struct {
		edit
		text string
	}
	var all []one
	for _, s := range sites {
		for _, e := range s.edits {
			text := e.text
			if strings.Contains(text, "%d") {
				text = fmt.Sprintf(text, s.id)
			}
			all = append(all, one{e, text})
		}
	}
	// What ends at a place comes before what begins there; inner ends come first, outer beginnings.
	ends := func(e one) bool {
		return e.from == e.to && (strings.HasPrefix(e.text, ")") || strings.HasPrefix(e.text, " })") || e.text == " }")
	}
	slices.SortStableFunc(all, func(a, b one) int {
		switch {
		case a.from != b.from:
			return a.from - b.from
		case ends(a) != ends(b):
			if ends(a) {
				return -1
			}
			return 1
		case ends(a):
			return a.outer - b.outer
		}
		return b.outer - a.outer
	})
	var out strings.Builder
	last := 0
	for _, e := range all {
		out.Write(src[last:e.from])
		out.WriteString(e.text)
		last = e.to
	}
	out.Write(src[last:])
	return []byte(out.String())
}
