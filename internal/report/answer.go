package report

import (
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/remark"
	"usualpath/internal/core/value"
)

// worthSeeing are the headers that `try` shows without -v.
var worthSeeing = map[string]bool{"Location": true, "Allow": true, "Etag": true, "Last-Modified": true, "Link": true,
	"Www-Authenticate": true, "Retry-After": true, "Content-Location": true, "Vary": true, "Set-Cookie": true,
	"Content-Encoding": true, "Deprecation": true, "Accept-Patch": true, "Preference-Applied": true}

// View is how an answer is shown.
type View struct {
	Style *Style
	// Verbose shows all headers, the request's too, and where the time went.
	Verbose bool
	// Agent is what the request said it was, where it did not say so itself.
	Agent string
	// Fold is how many lines of a body are shown, 0 for all; Width how wide a line
	// may be, in cells, 0 for any.
	Fold, Width int
	// Kept is the file that holds the body, which is not shown then.
	Kept string
}

// Request writes a request as it goes out: line, header and body.
func Request(w io.Writer, r *exchange.Request, v *View) {
	s := v.Style
	fmt.Fprintln(w, s.paint(s.strong, Clean(r.Method+" "+r.URL, false)))
	for _, h := range exchange.Wire(r, v.Agent) {
		fmt.Fprintf(w, "  %s %s\n", s.paint(s.name, Clean(h.Name, false)+":"), Clean(h.Value, false))
	}
	if len(r.Body) > 0 {
		text := string(r.Body)
		if strings.ContainsRune(text, 0) || !utf8.ValidString(text) {
			text = picture(r.Body)
		}
		fmt.Fprintf(w, "\n%s\n", strings.TrimRight(strings.ReplaceAll(Clean(value.Cut(text, 4000), true), `\r`, ""), "\n"))
	}
}

// Answer writes one exchange as `try` shows it: request line, status, headers
// worth seeing, the body set out, and what is noteworthy.
func Answer(w io.Writer, x *exchange.Exchange, v *View) {
	s, verbose := v.Style, v.Verbose
	if verbose {
		Request(w, x.Request, v)
		fmt.Fprintln(w)
	} else {
		fmt.Fprintln(w, s.paint(s.strong, Clean(x.Request.Method+" "+x.Request.URL, false)))
	}
	if x.Failure != nil {
		fmt.Fprintf(w, "%s\n", s.paint(s.failed, Clean("no answer: "+x.Failure.Error(), false)))
		if look := x.Failure.Look(); look != "" {
			fmt.Fprintf(w, "%s %s\n", s.paint(s.faint, s.arrow), look)
		}
		return
	}
	a := x.Answer
	line := []string{statusPaint(s, a.Status, a.StatusText())}
	rest := []string{exchange.Took(x.Timing.Total), size(len(a.Body))}
	if ct := a.Header.Get("Content-Type"); ct != "" {
		rest = append(rest, Clean(ct, false))
	}
	if verbose {
		rest = append(rest, a.Proto, fmt.Sprintf("connecting %s, waiting %s, reading %s",
			exchange.Took(x.Timing.Connect), exchange.Took(x.Timing.Wait), exchange.Took(x.Timing.Read)))
	}
	fmt.Fprintln(w, strings.Join(append(line, s.paint(s.faint, strings.Join(rest, "   "))), "   "))
	if a.From != "" {
		fmt.Fprintf(w, "  %s\n", s.paint(s.faint, "answered by "+Clean(a.From, false)))
	}
	for _, n := range a.Names() {
		if !verbose && !worthSeeing[n] {
			continue
		}
		for _, v := range a.Header[n] {
			fmt.Fprintf(w, "  %s %s\n", s.paint(s.name, headerName(n)+":"), Clean(v, false))
		}
	}
	body(w, a, v)
	if remarks := remark.Of(x); len(remarks) > 0 {
		fmt.Fprintf(w, "\n%s\n", s.paint(s.strong, "noteworthy"))
		for _, m := range remarks {
			text := Clean(m.Text, false)
			if m.Source != "" {
				text += s.paint(s.faint, " ("+m.Source+")")
			}
			fmt.Fprintf(w, "  %s %s\n", s.paint(s.warned, s.marks[2]), text)
		}
	}
}

// headerName writes the names that the canonical form spells oddly.
func headerName(n string) string {
	switch n {
	case "Etag":
		return "ETag"
	case "Www-Authenticate":
		return "WWW-Authenticate"
	}
	return Clean(n, false)
}

// size is a number of bytes for people.
func size(n int) string {
	switch {
	case n < 1<<10:
		return fmt.Sprintf("%d B", n)
	case n < 1<<20:
		return fmt.Sprintf("%.1f KiB", float64(n)/(1<<10))
	}
	return fmt.Sprintf("%.1f MiB", float64(n)/(1<<20))
}

// paintJSON writes JSON set out and coloured: the exact value, every digit.
// Arrays and objects that fit on a line stay on it.
func paintJSON(b *strings.Builder, v *value.Value, level int, s *Style) {
	flat := v.String()
	if v.Kind != value.Array && v.Kind != value.Object || len(v.Items) == 0 || level > 0 && len(flat)+2*level <= 88 {
		paintFlat(b, v, s)
		return
	}
	open, end := "{", "}"
	if v.Kind == value.Array {
		open, end = "[", "]"
	}
	b.WriteString(open)
	for i, item := range v.Items {
		if i > 0 {
			b.WriteByte(',')
		}
		b.WriteString("\n" + strings.Repeat("  ", level+1))
		if v.Kind == value.Object {
			b.WriteString(s.paint(s.name, value.Quoted(v.Names[i])) + ": ")
		}
		paintJSON(b, item, level+1, s)
	}
	b.WriteString("\n" + strings.Repeat("  ", level) + end)
}

func paintFlat(b *strings.Builder, v *value.Value, s *Style) {
	switch v.Kind {
	case value.String:
		b.WriteString(s.paint(s.text, v.String()))
	case value.Number:
		b.WriteString(s.paint(s.number, v.Text))
	case value.Bool, value.Null:
		b.WriteString(s.paint(s.word, v.String()))
	default:
		open, end := "{", "}"
		if v.Kind == value.Array {
			open, end = "[", "]"
		}
		b.WriteString(open)
		for i, item := range v.Items {
			if i > 0 {
				b.WriteString(", ")
			}
			if v.Kind == value.Object {
				b.WriteString(s.paint(s.name, value.Quoted(v.Names[i])) + ": ")
			}
			paintFlat(b, item, s)
		}
		b.WriteString(end)
	}
}
