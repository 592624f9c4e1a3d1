package report

import (
	"fmt"
	"io"
	"strings"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/remark"
	"usualpath/internal/core/value"
)

// worthSeeing are the headers that `try` shows without -v.
var worthSeeing = map[string]bool{"Location": true, "Allow": true, "Etag": true, "Last-Modified": true, "Link": true,
	"Www-Authenticate": true, "Retry-After": true, "Content-Location": true, "Vary": true, "Set-Cookie": true,
	"Content-Encoding": true, "Deprecation": true, "Accept-Patch": true, "Preference-Applied": true}

// Answer writes one exchange as `try` shows it: request line, status, headers
// worth seeing, the body set out, and what is noteworthy.
func Answer(w io.Writer, x *exchange.Exchange, s *Style, verbose bool) {
	r := x.Request
	fmt.Fprintln(w, s.paint(s.strong, Clean(r.Method+" "+r.URL, false)))
	if verbose {
		for _, h := range r.Header {
			fmt.Fprintf(w, "  %s %s\n", s.paint(s.name, Clean(h.Name, false)+":"), Clean(h.Value, false))
		}
		if len(r.Body) > 0 {
			fmt.Fprintf(w, "  %s\n", Clean(Excerpt(r.Body, 400), false))
		}
		fmt.Fprintln(w)
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
	rest := []string{exchange.Took(x.Timing.Total), Size(len(a.Body))}
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
	body(w, a, s)
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

// Size is a number of bytes for people.
func Size(n int) string {
	switch {
	case n < 1<<10:
		return fmt.Sprintf("%d B", n)
	case n < 1<<20:
		return fmt.Sprintf("%.1f KiB", float64(n)/(1<<10))
	}
	return fmt.Sprintf("%.1f MiB", float64(n)/(1<<20))
}

// mostShown bounds how much of a body is printed.
const mostShown = 200_000

func body(w io.Writer, a *exchange.Answer, s *Style) {
	if len(a.Body) == 0 {
		return
	}
	fmt.Fprintln(w)
	text, problem := a.Text()
	v, err := value.Decode(text, value.Limits{})
	switch {
	case err == nil && len(a.Body) <= mostShown:
		var b strings.Builder
		paintJSON(&b, v, 0, s)
		fmt.Fprintln(w, b.String())
		return
	case err != nil && exchange.IsJSON(a.Header.Get("Content-Type")):
		fmt.Fprintf(w, "%s\n", s.paint(s.warned, "shown as it came, since it is not JSON: "+err.Error()))
	case problem != "":
		fmt.Fprintf(w, "%s\n", s.paint(s.warned, "shown as it came: "+problem))
	}
	if strings.ContainsRune(text, 0) {
		fmt.Fprintf(w, "%s, not text\n", Size(len(a.Body)))
		return
	}
	shown := text
	if len(shown) > mostShown {
		shown = shown[:mostShown]
	}
	fmt.Fprintln(w, strings.TrimRight(Clean(shown, true), "\n"))
	if len(text) > mostShown {
		fmt.Fprintf(w, "%s\n", s.paint(s.faint, fmt.Sprintf("… and %s more", Size(len(text)-mostShown))))
	}
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
