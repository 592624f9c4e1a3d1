// Package traffic reads recordings of what a browser or a proxy has sent and received, and
// drafts scenarios of them.
package traffic

import (
	"bytes"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"
	"unicode"

	"golang.org/x/net/http/httpguts"

	"usualpath/internal/core/exchange"
)

// Call is one entry of a recording.
type Call struct {
	// Number is its place in the file, from 1.
	Number int
	At     time.Time
	// Kind is what the browser says that it was fetched as, "" for nothing: xhr, script …
	Kind string
	// Exchange is what was sent, and what was answered; without either an answer or a
	// failure nothing came.
	Exchange *exchange.Exchange
	// Fields are those of a form, Parts those of a multipart body that are texts.
	Fields, Parts []string
	// Polled is how long the same was asked again and again before this was answered, 0 for
	// not.
	Polled time.Duration
	// Unsaid tells that the recording leaves the body of the answer out.
	Unsaid bool
}

// Method, URL and Status of the call; 0 for no answer.
func (c *Call) Method() string { return c.Exchange.Request.Method }

// URL is where it went.
func (c *Call) URL() string { return c.Exchange.Request.URL }

// header is a header of the request, "" for none.
func (c *Call) header(name string) string {
	for _, f := range c.Exchange.Request.Header {
		if strings.EqualFold(f.Name, name) {
			return f.Value
		}
	}
	return ""
}

// Status is that of its answer, 0 for none.
func (c *Call) Status() int {
	if c.Exchange.Answer == nil {
		return 0
	}
	return c.Exchange.Answer.Status
}

// Recording is what could be read of a file, in order of time.
type Recording struct {
	Calls []*Call
	// Notes say what could not be read, or was left out.
	Notes []string
}

// Read reads a HAR 1.2 file. Entries that lack what matters are left out with a note; of a
// file that ends in the middle, what is whole is read. It is an error when there is nothing.
func Read(data []byte) (*Recording, error) {
	raw, cut, err := entries(bytes.TrimPrefix(data, []byte("\xef\xbb\xbf")))
	if err != nil {
		return nil, err
	}
	out := &Recording{}
	if cut {
		out.Notes = append(out.Notes, fmt.Sprintf("The file ends in the middle of entry %d: what comes before it was read.", len(raw)+1))
	}
	for i, e := range raw {
		c, why := read(e)
		if why != "" {
			out.Notes = append(out.Notes, fmt.Sprintf("Entry %d was left out: %s.", i+1, why))
			continue
		}
		c.Number = i + 1
		out.Calls = append(out.Calls, c)
	}
	// An entry without a time stays behind the one before it.
	last := time.Time{}
	for _, c := range out.Calls {
		if c.At.IsZero() {
			c.At = last
		}
		last = c.At
	}
	slices.SortStableFunc(out.Calls, func(a, b *Call) int { return a.At.Compare(b.At) })
	return out, nil
}

// object is a JSON object of which anything may be missing, or of another type.
type object map[string]any

func (o object) object(name string) object { v, _ := o[name].(map[string]any); return v }

func (o object) text(name string) string { v, _ := o[name].(string); return v }

func (o object) number(name string) int {
	v, _ := o[name].(json.Number)
	n, err := v.Int64()
	if err != nil {
		return 0
	}
	return int(n)
}

func (o object) list(name string) []object {
	v, _ := o[name].([]any)
	var out []object
	for _, one := range v {
		if m, is := one.(map[string]any); is {
			out = append(out, m)
		}
	}
	return out
}

var errNoEntries = errors.New("it is not a HAR file: there are no entries in a `log`")

// entries are those of the file's log; cut tells that it ends before they do.
func entries(data []byte) (out []object, cut bool, err error) {
	d := json.NewDecoder(bytes.NewReader(data))
	d.UseNumber()
	for _, name := range []string{"log", "entries"} {
		if !into(d, name) {
			return nil, false, errNoEntries
		}
	}
	if t, err := d.Token(); err != nil || t != json.Delim('[') {
		return nil, false, errNoEntries
	}
	for d.More() {
		var one any
		if d.Decode(&one) != nil {
			return out, true, nil
		}
		m, _ := one.(map[string]any)
		out = append(out, m)
	}
	if _, err := d.Token(); err != nil {
		return out, true, nil
	}
	return out, false, nil
}

// into goes to the value of a member of the object that begins next.
func into(d *json.Decoder, name string) bool {
	if t, err := d.Token(); err != nil || t != json.Delim('{') {
		return false
	}
	for d.More() {
		t, err := d.Token()
		if err != nil {
			return false
		}
		if t == name {
			return true
		}
		var other json.RawMessage
		if d.Decode(&other) != nil {
			return false
		}
	}
	return false
}

// read makes a call of an entry, or says why there can be none.
func read(e object) (*Call, string) {
	request, response := e.object("request"), e.object("response")
	method, at := request.text("method"), request.text("url")
	switch {
	case request == nil:
		return nil, "it has no request"
	case !httpguts.ValidHeaderFieldName(method):
		return nil, fmt.Sprintf("%.40q is not a method", method)
	case at == "":
		return nil, "it has no URL"
	}
	u, err := url.Parse(strings.Map(func(r rune) rune {
		if unicode.IsControl(r) {
			return ' '
		}
		return r
	}, at))
	if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" {
		return nil, fmt.Sprintf("%.60q is not the URL of a request", at)
	}
	u.Fragment = ""
	if strings.ContainsFunc(at, unicode.IsControl) {
		return nil, fmt.Sprintf("its URL has line ends or control characters: %.60q", at)
	}
	c := &Call{Kind: strings.ToLower(e.text("_resourceType")), Exchange: &exchange.Exchange{Request: &exchange.Request{Method: method, URL: u.String(), Header: fields(request)}}}
	c.At, _ = time.Parse(time.RFC3339Nano, e.text("startedDateTime"))
	c.body(request.object("postData"))
	if status := response.number("status"); status >= 100 && status <= 599 {
		a := &exchange.Answer{Proto: "HTTP/1.1", Status: status, Reason: response.text("statusText"), Header: http.Header{}}
		for _, f := range fields(response) {
			a.Header.Add(f.Name, f.Value)
		}
		content := response.object("content")
		a.Body = []byte(content.text("text"))
		if content.text("encoding") == "base64" {
			if a.Body, err = base64.StdEncoding.DecodeString(content.text("text")); err != nil {
				a.Body = nil
			}
		}
		c.Unsaid = len(a.Body) == 0 && (content.number("size") > 0 || err != nil)
		if a.Header.Get("Content-Type") == "" && content.text("mimeType") != "" && len(a.Body) > 0 {
			a.Header.Set("Content-Type", content.text("mimeType"))
		}
		c.Exchange.Answer = a
	}
	return c, ""
}

// fields are the headers of a message; those that are not valid are left out.
func fields(o object) []exchange.Field {
	var out []exchange.Field
	for _, h := range o.list("headers") {
		name, v := h.text("name"), h.text("value")
		if httpguts.ValidHeaderFieldName(name) && httpguts.ValidHeaderFieldValue(v) && !strings.HasPrefix(name, ":") {
			out = append(out, exchange.Field{Name: http.CanonicalHeaderKey(name), Value: v})
		}
	}
	return out
}

// body takes in what a request has sent.
func (c *Call) body(data object) {
	if data == nil {
		return
	}
	text := data.text("text")
	r := c.Exchange.Request
	r.Body = []byte(text)
	if data.text("encoding") == "base64" {
		if decoded, err := base64.StdEncoding.DecodeString(text); err == nil {
			r.Body = decoded
		}
	}
	media := exchange.MediaType(data.text("mimeType"))
	if c.header("Content-Type") == "" && data.text("mimeType") != "" {
		r.Header = append(r.Header, exchange.Field{Name: "Content-Type", Value: data.text("mimeType")})
	}
	var pairs []string
	for _, p := range data.list("params") {
		if p.text("name") != "" && p.text("fileName") == "" {
			pairs = append(pairs, p.text("name")+"="+p.text("value"))
		}
	}
	switch {
	case media == "multipart/form-data":
		c.Parts = pairs
	case media == "application/x-www-form-urlencoded" && len(pairs) > 0:
		c.Fields = pairs
	case media == "application/x-www-form-urlencoded":
		for _, pair := range strings.Split(string(r.Body), "&") {
			n, v, _ := strings.Cut(pair, "=")
			name, _ := url.QueryUnescape(n)
			plain, _ := url.QueryUnescape(v)
			if name != "" {
				c.Fields = append(c.Fields, name+"="+plain)
			}
		}
	}
}
