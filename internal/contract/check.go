package contract

import (
	"encoding/json"
	"fmt"
	"net/url"
	"slices"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/mask"
	"usualpath/internal/core/value"
)

// Departure is something in an exchange that the document does not allow.
type Departure struct {
	// Operation is the method and the path, as the document has them or as they were sent.
	Operation string
	// Status is that of the answer.
	Status int
	Text   string
	// Warns marks what may be meant: a request that the document forbids.
	Warns bool
}

// Check says what of an exchange the document does not allow: operation, status, headers
// and body of the answer (OpenAPI 3.1 §4.8.10 to §4.8.21).
func (d *Document) Check(x *exchange.Exchange) []Departure {
	if x.Answer == nil || d.bare {
		return nil
	}
	if _, err := url.Parse(x.Request.URL); err != nil {
		// What is no URL is of no operation: a server refuses it before any.
		return nil
	}
	o, known := d.Find(x.Request.Method, x.Request.URL)
	status := x.Answer.Status
	one := func(operation, text string) []Departure {
		return []Departure{{Operation: operation, Status: status, Text: text}}
	}
	sent := x.Request.Method + " " + template(x.Request.URL)
	switch {
	case o == nil && (status == 404 || status == 405 || status == 501 || x.Request.Method == "OPTIONS" || x.Request.Method == "HEAD"):
		// What is not described is not there.
		return nil
	case o == nil && known:
		return one(sent, sent+" is answered, and only other methods of that path are described")
	case o == nil:
		return one(sent, sent+" is answered, and no such path is described")
	}
	response := d.response(o, status)
	if response == nil {
		return one(o.Title(), fmt.Sprintf("%s does not describe the status %s", o.Title(), x.Answer.StatusText()))
	}
	var out []Departure
	for _, text := range append(d.headers(response, x.Answer), d.body(o, response, x.Answer)...) {
		out = append(out, one(o.Title(), fmt.Sprintf("%s, %d: %s", o.Title(), status, text))...)
	}
	return out
}

// headers says which headers of an answer are missing, or not as they are described.
func (d *Document) headers(r *openapi3.Response, a *exchange.Answer) []string {
	var out []string
	for _, n := range sorted(r.Headers) {
		h := r.Headers[n]
		if h == nil || h.Value == nil || strings.EqualFold(n, "Content-Type") {
			// Content-Type is said by `content` (OpenAPI 3.1 §4.8.17).
			continue
		}
		values := a.Header.Values(n)
		if len(values) == 0 {
			if h.Value.Required {
				out = append(out, "the header "+n+" is missing")
			}
			continue
		}
		if h.Value.Schema == nil || h.Value.Schema.Value == nil || strings.Contains(strings.Join(values, ""), mask.Hidden) {
			continue
		}
		// A field that comes several times is a list (RFC 9110 §5.3), but for Set-Cookie.
		list := []string{strings.Join(values, ", ")}
		if strings.EqualFold(n, "Set-Cookie") {
			list = values
		}
		for _, text := range list {
			explode := h.Value.Explode != nil && *h.Value.Explode
			for _, why := range d.scalar(h.Value.Schema, text, explode) {
				if say := "the header " + n + strings.TrimPrefix(why, "body at $"); !slices.Contains(out, say) {
					out = append(out, say)
				}
			}
		}
	}
	return out
}

// scalar holds a text of a header or a parameter against a schema, in the style simple.
func (d *Document) scalar(ref *openapi3.SchemaRef, text string, explode bool) []string {
	v, ok := decoded(ref.Value, text, explode)
	if !ok {
		return nil
	}
	return d.fits(ref, v, false)
}

// decoded is a text as the value that a schema means; false where that cannot be told.
func decoded(s *openapi3.Schema, text string, explode bool) (*value.Value, bool) {
	text = strings.TrimSpace(text)
	switch {
	case s.Type == nil:
		return nil, false
	case s.Type.Includes("array"):
		out := value.NewArray()
		for _, part := range strings.Split(text, ",") {
			if s.Items == nil || s.Items.Value == nil {
				return nil, false
			}
			v, ok := decoded(s.Items.Value, part, false)
			if !ok {
				return nil, false
			}
			out.Items = append(out.Items, v)
		}
		return out, true
	case s.Type.Includes("object") || explode:
		return nil, false
	case s.Type.Includes("integer") || s.Type.Includes("number") || s.Type.Includes("boolean"):
		if v, err := value.Decode(text, value.Limits{}); err == nil && (v.Kind == value.Number || v.Kind == value.Bool) {
			return v, true
		}
	}
	return value.NewString(text), true
}

// body says what of a body is not as it is described.
func (d *Document) body(o *Operation, r *openapi3.Response, a *exchange.Answer) []string {
	if len(r.Content) == 0 || o.Method == "HEAD" || a.Status == 204 || a.Status == 205 || a.Status == 304 {
		return nil
	}
	if len(a.Body) == 0 {
		for _, m := range r.Content {
			if m == nil || m.Schema == nil || m.Schema.Value == nil {
				// It may well be empty.
				return nil
			}
		}
		return []string{"the body is empty, and one is described"}
	}
	have := exchange.MediaType(a.Header.Get("Content-Type"))
	media := nearest(r.Content, a.Header.Get("Content-Type"))
	if media == nil {
		return []string{fmt.Sprintf("the answer is %s, described are %s", have, strings.Join(sorted(r.Content), ", "))}
	}
	if media.Schema == nil || media.Schema.Value == nil || !exchange.IsJSON(have) || a.Length > len(a.Body) || strings.Contains(string(a.Body), mask.Hidden) {
		return nil
	}
	v, err := value.Decode(string(a.Body), value.Limits{Lenient: true})
	if err != nil {
		return []string{"the body is not JSON: " + err.Error()}
	}
	return d.fits(media.Schema, v, false)
}

// nearest is the description of a media type: itself with its parameters, itself, one with
// the same suffix's range, and so on to any (RFC 9110 §12.5.1).
func nearest(c openapi3.Content, have string) *openapi3.MediaType {
	base := exchange.MediaType(have)
	kind, _, _ := strings.Cut(base, "/")
	var best *openapi3.MediaType
	score := 0
	for _, name := range sorted(c) {
		at := 0
		switch said := exchange.MediaType(name); {
		case strings.Contains(name, ";") && said == base && sameParameters(name, have):
			at = 5
		case !strings.Contains(name, ";") && said == base:
			at = 4
		case said == base:
			at = 3
		case said == kind+"/*":
			at = 2
		case said == "*/*":
			at = 1
		}
		if at > score && c[name] != nil {
			best, score = c[name], at
		}
	}
	return best
}

// sameParameters tells whether all parameters of a described type are those of another.
func sameParameters(said, have string) bool {
	_, rest, _ := strings.Cut(said, ";")
	for _, p := range strings.Split(rest, ";") {
		p = strings.ToLower(strings.ReplaceAll(strings.TrimSpace(p), `"`, ""))
		if p != "" && !strings.Contains(strings.ToLower(strings.ReplaceAll(strings.ReplaceAll(have, `"`, ""), " ", "")), strings.ReplaceAll(p, " ", "")) {
			return false
		}
	}
	return true
}

// fits says what of a value does not fit a schema.
func (d *Document) fits(ref *openapi3.SchemaRef, v *value.Value, asRequest bool) []string {
	way := openapi3.VisitAsResponse()
	if asRequest {
		way = openapi3.VisitAsRequest()
	}
	options := []openapi3.SchemaValidationOption{way, openapi3.MultiErrors()}
	if d.IsOpenAPI31OrLater() {
		options = append(options, openapi3.EnableJSONSchema2020())
	}
	var plain any
	if err := json.Unmarshal([]byte(v.JSON()), &plain); err != nil {
		return nil
	}
	var found []string
	if err := ref.Value.VisitJSON(plain, options...); err != nil {
		found = reasons(err)
	}
	for _, one := range d.precise(ref, v, "$", 0, asRequest) {
		at, _, _ := strings.Cut(one, ": ")
		if !slices.ContainsFunc(found, func(have string) bool { return strings.HasPrefix(have, at+":") }) {
			found = append(found, one)
		}
	}
	return slices.Compact(found)
}

func sorted[V any](m map[string]V) []string {
	var out []string
	for n := range m {
		out = append(out, n)
	}
	slices.Sort(out)
	return out
}
