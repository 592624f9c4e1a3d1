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
	v, _, err := r.Again(a, nil)
	return v, err
}

// Again is Value where much the same was read before: before are the elements that it
// gave then, nil for none. It gives those of now, nil where it is not JSON.
func (r Reading) Again(a *exchange.Answer, before *value.Elements) (*value.Value, *value.Elements, error) {
	if !r.takes(a) {
		return value.Again(a.Body, value.Limits{Bytes: 1 << 31, Lenient: true}, before)
	}
	if exchange.IsXML(a.Header.Get("Content-Type")) {
		v, err := markup.Document(a.Body)
		return v, nil, err
	}
	text, _ := a.Text()
	return value.NewString(strings.TrimSuffix(strings.TrimSuffix(text, "\n"), "\r")), nil, nil
}
