package expect

import (
	"strings"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/markup"
	"usualpath/internal/core/value"
)

// Reading says which bodies that are not JSON are read as values all the same: those of XML
// as trees, those of plain text as strings.
type Reading struct{ XML, Text bool }

// takes tells whether an answer is read in a way of its own.
func (r Reading) takes(a *exchange.Answer) bool {
	if r == (Reading{}) {
		return false
	}
	ct := a.Header.Get("Content-Type")
	if exchange.IsXML(ct) {
		return r.XML
	}
	return r.Text && (ct == "" || strings.HasPrefix(exchange.MediaType(ct), "text/") && !exchange.IsJSON(ct))
}

// Value is the body of an answer: a tree of XML, the characters of plain text without a
// line break at the end, or what JSON says, read leniently.
func (r Reading) Value(a *exchange.Answer) (*value.Value, error) {
	switch ct := a.Header.Get("Content-Type"); {
	case !r.takes(a):
		return value.Decode(string(a.Body), value.Limits{Bytes: 1 << 31, Lenient: true})
	case exchange.IsXML(ct):
		return markup.Document(a.Body)
	}
	text, _ := a.Text()
	return value.NewString(strings.TrimSuffix(strings.TrimSuffix(text, "\n"), "\r")), nil
}
