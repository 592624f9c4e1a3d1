package report

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"html"
	"image"
	_ "image/gif" // the types whose dimensions are told
	_ "image/jpeg"
	_ "image/png"
	"io"
	"net/http"
	"strings"

	"github.com/JohannesKaufmann/html-to-markdown/v2/converter"
	"github.com/JohannesKaufmann/html-to-markdown/v2/plugin/base"
	"github.com/JohannesKaufmann/html-to-markdown/v2/plugin/commonmark"
	tables "github.com/JohannesKaufmann/html-to-markdown/v2/plugin/table"
	"github.com/antchfx/xmlquery"
	"github.com/charmbracelet/lipgloss"
	"github.com/charmbracelet/lipgloss/table"
	_ "golang.org/x/image/webp"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/late"
	"usualpath/internal/core/value"
)

// mostShown bounds how much of a body is printed, in bytes; mostRows the rows of
// a table.
const (
	mostShown = 200_000
	mostRows  = 200
)

// body writes a body as people look at it: JSON and XML set out, HTML as text, CSV
// as a table, of other bytes what they are.
func body(w io.Writer, a *exchange.Answer, v *View) {
	if len(a.Body) == 0 {
		return
	}
	fmt.Fprintln(w)
	if v.Kept != "" {
		fmt.Fprintf(w, "the body, %s, is in %s\n", size(len(a.Body)), v.Kept)
		return
	}
	text := v.set(w, a)
	if text == "" {
		return
	}
	text = strings.TrimRight(text, "\n")
	if lines := strings.Split(text, "\n"); v.Fold > 0 && len(lines) > v.Fold {
		// The beginning says what it is, the end that it is whole.
		head, tail := v.Fold*2/3, v.Fold/4
		left := fmt.Sprintf("… %d lines left out: --out FILE keeps all of it, --raw prints it, --pick '$.path' shows a part", len(lines)-head-tail)
		text = strings.Join(append(append(lines[:head:head], v.Style.paint(v.Style.faint, left)), lines[len(lines)-tail:]...), "\n")
	}
	fmt.Fprintln(w, text)
}

// set is the body set out; "" when all has been said.
func (v *View) set(w io.Writer, a *exchange.Answer) string {
	s := v.Style
	text, problem := a.Text()
	doc, err := value.Decode(text, value.Limits{})
	media := exchange.MediaType(a.Header.Get("Content-Type"))
	switch {
	case err == nil && len(a.Body) <= mostShown:
		var b strings.Builder
		paintJSON(&b, doc, 0, s)
		return b.String()
	case err != nil && exchange.IsJSON(a.Header.Get("Content-Type")):
		fmt.Fprintf(w, "%s\n", s.paint(s.warned, "shown as it came, since it is not JSON: "+err.Error()))
	case strings.HasPrefix(media, "image/") || strings.ContainsRune(text, 0):
		fmt.Fprintln(w, picture(a.Body))
		return ""
	case problem != "":
		fmt.Fprintf(w, "%s\n", s.paint(s.warned, "shown as it came: "+problem))
	case len(a.Body) > mostShown:
	case media == "text/html":
		if out := page(text, s); out != "" {
			return out
		}
	case media == "text/csv":
		if out := grid(text, v.Width, s); out != "" {
			return out
		}
	case strings.HasSuffix(media, "/xml") || strings.HasSuffix(media, "+xml"):
		if out := setXML(text); out != "" {
			return out
		}
	}
	shown := text
	if len(shown) > mostShown {
		shown = shown[:mostShown]
	}
	shown = strings.TrimRight(Clean(shown, true), "\n")
	if len(text) > mostShown {
		shown += "\n" + s.paint(s.faint, fmt.Sprintf("… and %s more", size(len(text)-mostShown)))
	}
	return shown
}

// picture says what bytes are that are not text.
func picture(data []byte) string {
	if c, kind, err := image.DecodeConfig(bytes.NewReader(data)); err == nil {
		return fmt.Sprintf("a %s image, %d × %d, %s", strings.ToUpper(kind), c.Width, c.Height, size(len(data)))
	}
	kind := http.DetectContentType(data)
	if kind == "application/octet-stream" {
		return size(len(data)) + ", not text"
	}
	if strings.HasPrefix(kind, "text/") {
		return size(len(data)) + ", not all of it text"
	}
	return fmt.Sprintf("%s, not text: they look like %s", size(len(data)), kind)
}

var titleOf = late.Regexp(`(?is)<title[^>]*>(.*?)</title>`)

// page is an HTML page as text: its title, headings, paragraphs, lists, and what is
// preformatted.
func page(text string, s *Style) string {
	c := converter.NewConverter(converter.WithPlugins(base.NewBasePlugin(), commonmark.NewCommonmarkPlugin(), tables.NewTablePlugin()))
	out, err := c.ConvertString(text)
	if err != nil {
		return ""
	}
	out = Clean(strings.TrimSpace(out), true)
	if m := titleOf().FindStringSubmatch(text); m != nil {
		if title := Clean(strings.TrimSpace(html.UnescapeString(m[1])), false); !strings.Contains(out, title) {
			out = s.paint(s.strong, title) + "\n\n" + out
		}
	}
	return out
}

// grid is a CSV body as a table of at most mostRows rows; "" when it is none.
func grid(text string, width int, s *Style) string {
	r := csv.NewReader(strings.NewReader(text))
	r.FieldsPerRecord = -1
	rows, err := r.ReadAll()
	if err != nil || len(rows) == 0 {
		return ""
	}
	for _, row := range rows {
		for i := range row {
			row[i] = Clean(row[i], false)
		}
	}
	shown := rows[1:]
	if len(shown) > mostRows {
		shown = shown[:mostRows]
	}
	t := table.New().Headers(rows[0]...).Rows(shown...).BorderTop(false).BorderBottom(false).BorderLeft(false).BorderRight(false).
		Border(s.border()).StyleFunc(func(int, int) lipgloss.Style { return lipgloss.NewStyle().Padding(0, 1) })
	out := t.String()
	if width > 0 && lipgloss.Width(out) > width {
		out = t.Width(width).String()
	}
	if n := len(rows) - 1 - len(shown); n > 0 {
		out += "\n" + s.paint(s.faint, fmt.Sprintf("… and %d rows more", n))
	}
	return out
}

// setXML is an XML document with an element a line; "" when it is none.
func setXML(text string) string {
	doc, err := xmlquery.Parse(strings.NewReader(text))
	if err != nil {
		return ""
	}
	return Clean(strings.TrimSpace(doc.OutputXMLWithOptions(xmlquery.WithIndentation("  "), xmlquery.WithOutputSelf())), true)
}
