package contract

import (
	"fmt"
	"net/url"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/mask"
	"usualpath/internal/core/value"
)

// Request says what of a request the document forbids, although it was answered with
// success: a parameter or a body that must be there, or one that does not fit its schema.
func (d *Document) Request(x *exchange.Exchange) []Departure {
	if x.Answer == nil || x.Answer.Status/100 != 2 || d.bare {
		return nil
	}
	o, _ := d.Find(x.Request.Method, x.Request.URL)
	u, err := url.Parse(x.Request.URL)
	if o == nil || err != nil {
		return nil
	}
	var out []Departure
	say := func(form string, args ...any) {
		out = append(out, Departure{Operation: o.Title(), Status: x.Answer.Status, Warns: true,
			Text: fmt.Sprintf("%s is answered %d, and the document forbids the request: %s", o.Title(), x.Answer.Status, fmt.Sprintf(form, args...))})
	}
	for _, ref := range o.Params {
		p := ref.Value
		if p == nil {
			continue
		}
		text, sent := parameter(x.Request, u, p)
		switch {
		case p.In == "path":
		case !sent && p.Required && !strings.EqualFold(p.Name, "Authorization") && !composed(p):
			say("the %s parameter %s is missing", p.In, p.Name)
		case sent && p.Schema != nil && p.Schema.Value != nil && !composed(p) && !strings.Contains(text, mask.Hidden):
			for _, why := range d.scalar(p.Schema, text, false) {
				say("the %s parameter %s%s", p.In, p.Name, strings.TrimPrefix(why, "body at $"))
			}
		}
	}
	if b := o.Spec.RequestBody; b != nil && b.Value != nil {
		d.sentBody(b.Value, x.Request, say)
	}
	return out
}

// composed tells whether a parameter may be sent as several, or in a way that is not
// taken apart here.
func composed(p *openapi3.Parameter) bool {
	return p.Schema == nil || p.Schema.Value == nil || p.Schema.Value.Type == nil || p.Schema.Value.Type.Includes("object") || p.Schema.Value.Type.Includes("array")
}

func parameter(r *exchange.Request, u *url.URL, p *openapi3.Parameter) (text string, sent bool) {
	switch p.In {
	case "query":
		list, there := u.Query()[p.Name]
		if there && len(list) > 0 {
			return list[0], true
		}
	case "header", "cookie":
		for _, h := range r.Header {
			switch {
			case p.In == "header" && strings.EqualFold(h.Name, p.Name):
				return h.Value, true
			case p.In == "cookie" && strings.EqualFold(h.Name, "Cookie"):
				for _, pair := range strings.Split(h.Value, ";") {
					if n, v, ok := strings.Cut(strings.TrimSpace(pair), "="); ok && n == p.Name {
						return v, true
					}
				}
			}
		}
	}
	return "", false
}

func (d *Document) sentBody(b *openapi3.RequestBody, r *exchange.Request, say func(string, ...any)) {
	if len(r.Body) == 0 {
		if b.Required {
			say("the body is missing")
		}
		return
	}
	have := ""
	for _, h := range r.Header {
		if strings.EqualFold(h.Name, "Content-Type") {
			have = h.Value
		}
	}
	media := nearest(b.Content, have)
	switch {
	case len(b.Content) == 0:
	case media == nil:
		say("the body is %s, described are %s", exchange.MediaType(have), strings.Join(sorted(b.Content), ", "))
	case media.Schema != nil && media.Schema.Value != nil && exchange.IsJSON(exchange.MediaType(have)) && !strings.Contains(string(r.Body), mask.Hidden) && r.Length <= len(r.Body):
		if v, err := value.Decode(string(r.Body), value.Limits{Lenient: true}); err == nil {
			for _, why := range d.fits(media.Schema, v, true) {
				say("%s", why)
			}
		}
	}
}
