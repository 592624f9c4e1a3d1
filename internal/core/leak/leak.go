// Package leak finds in a text what a service should keep to itself: stack
// traces, source paths, SQL, keys, a framework's debug page.
package leak

import (
	"html"
	"regexp"
	"strings"
	"sync"

	"usualpath/internal/core/late"
)

// Finding is one leak.
type Finding struct {
	// What names the kind of leak; Excerpt is the piece of text that shows it.
	What, Excerpt string
}

type rule struct {
	what    string
	pattern *regexp.Regexp
}

// rules are compiled on first need, since most runs never look for leaks.
var rules = sync.OnceValue(func() []rule {
	return []rule{
		{"a stack trace", regexp.MustCompile(`(?m)\bgoroutine \d+ \[[a-z ,0-9]+\]:|\bpanic: |^\s+at [\w$.<>]+\([\w$]+\.(java|kt|scala):\d+\)|^\s+at (?:.+ )?\(?(?:node:[\w/]+|[^\s()]+\.[cm]?[jt]s):\d+:\d+\)?|Traceback \(most recent call last\)|^\s*File "[^"]+", line \d+, in |^\s*from [^\s:]+\.rb:\d+:in |^\s+at [\w.<>]+\(.*\) in .+\.cs:line \d+|^#\d+ .+\.php\(\d+\)|thread '[^']*' panicked at`)},
		{"a source path", regexp.MustCompile(`(?:/[\w./@-]*/(?:node_modules|site-packages|gems)/[\w./@-]+)|(?:/(?:home|Users|usr|opt|srv|app|src|var|go|root)/[\w./@-]+\.(?:go|py|rb|js|ts|java|kt|php|cs|rs|ex|erl)\b(?::\d+)?)|[A-Z]:\\[\w\\ .-]+\.(?:go|py|rb|js|ts|java|php|cs)\b`)},
		{"SQL", regexp.MustCompile(`\bSELECT\s+[\w*,."\s]{1,200}\s+FROM\s+[\w."]+|(?i:\bselect\s+(?:\*|[\w."]+(?:\s*,\s*[\w."]+)+)\s+from\s+[\w."]+\s+(?:where|order|limit|group|inner|left|join)\b)|(?i)\binsert\s+into\s+[\w."]+\s*\(|\bupdate\s+[\w."]+\s+set\s+\w+\s*=|\bdelete\s+from\s+[\w."]+\s+where\b|SQLSTATE\[?\w*|syntax error at or near|ORA-\d{5}|near ".*": syntax error|UNIQUE constraint failed: [\w.]+`)},
		{"a key or password", regexp.MustCompile(`-----BEGIN (?:[A-Z]+ )?PRIVATE KEY-----|\b(?:postgres|postgresql|mysql|mongodb|redis|amqp)://[^:\s/]+:[^@\s]+@`)},
		{"a debug page", regexp.MustCompile(`(?i)<title>[^<]*(?:exception|debugger|stack ?trace|internal server error at)[^<]*</title>|You're seeing this error because you have|Whitelabel Error Page`)},
		{"an exception's class", regexp.MustCompile(`\b(?:java|javax|org|com|kotlin|scala)\.[\w.]+(?:Exception|Error)\b|\bSystem\.[\w.]*Exception\b|\b(?:Null(?:Pointer|Reference)|IllegalArgument|IllegalState|IndexOutOfRange)Exception\b`)},
	}
})

var breaks = late.Regexp(`(?i)<br\s*/?>|\\r?\\n|\\n`)

// plain is a text as a reader sees it: pages break lines by markup, JSON by
// escapes.
func plain(text string) string {
	text = breaks().ReplaceAllString(text, "\n")
	if strings.ContainsRune(text, '&') {
		text = html.UnescapeString(text)
	}
	return strings.NewReplacer("\u00a0", " ", `\t`, "\t").Replace(text)
}

// Find gives the leaks in a text, one of a kind.
func Find(text string) []Finding {
	text = plain(text)
	var out []Finding
	for _, r := range rules() {
		if at := r.pattern.FindStringIndex(text); at != nil {
			excerpt := strings.Join(strings.Fields(text[at[0]:min(at[1], at[0]+160)]), " ")
			out = append(out, Finding{r.what, excerpt})
		}
	}
	return out
}
