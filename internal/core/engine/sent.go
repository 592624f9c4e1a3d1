package engine

import (
	"net/http"
	"net/url"
	"slices"
	"strings"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/expect"
	"usualpath/internal/core/value"
)

// sentNames are the names of members that a scenario has sent; all is set where a body had names
// that cannot be told.
type sentNames struct {
	names map[string]bool
	all   bool
}

// sends notes the names of the members in a request's body (RFC 9110 §9.2.2 speaks of what was
// requested).
func (s *sentNames) sends(r *exchange.Request) {
	if len(r.Body) == 0 {
		return
	}
	if s.names == nil {
		s.names = map[string]bool{}
	}
	media := ""
	for _, h := range r.Header {
		if strings.EqualFold(h.Name, "Content-Type") {
			media = h.Value
		}
	}
	switch kind := exchange.MediaType(media); {
	case kind == "application/x-www-form-urlencoded":
		fields, err := url.ParseQuery(string(r.Body))
		s.all = s.all || err != nil
		for name := range fields {
			s.names[name] = true
		}
	case exchange.IsXML(media) || exchange.IsJSON(media):
		answer := &exchange.Answer{Status: http.StatusOK, Header: http.Header{"Content-Type": {media}}, Body: r.Body}
		v, err := expect.Reading{XML: true}.Value(answer)
		if err != nil {
			// What cannot be read is refused, or taken for something else.
			s.all = true
			return
		}
		s.within(v)
	case strings.HasPrefix(kind, "text/"):
		// A text has no members.
	default:
		s.all = true
	}
}

// membered tells whether a value is, or holds, an object with members.
func membered(v *value.Value) bool {
	return v.Kind == value.Object && len(v.Items) > 0 || v.Kind == value.Array && slices.ContainsFunc(v.Items, membered)
}

func (s *sentNames) within(v *value.Value) {
	for i, one := range v.Items {
		if v.Kind == value.Object {
			// What a service keeps beside the members of an object that was sent is its own.
			s.names[v.Names[i]] = s.names[v.Names[i]] || !membered(one)
		}
		s.within(one)
	}
}
