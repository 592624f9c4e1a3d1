package traffic

import (
	"net/http"
	"net/url"
	"path"
	"slices"
	"strings"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/value"
	"usualpath/internal/draft"
)

// resources are the collections in which the recording makes an item and goes on with it.
func (d *drafting) resources() []*draft.Resource {
	var out []*draft.Resource
	for i, c := range d.calls {
		at, _, _ := strings.Cut(target(c.URL(), d.base), "?")
		// Below an item of another one there would have to be that one first.
		if c.Method() != http.MethodPost || c.Status()/100 != 2 || strings.ContainsAny(path.Dir(at), "0123456789") || slices.ContainsFunc(out, func(r *draft.Resource) bool { return r.Collection == at }) {
			continue
		}
		sent, bad := value.Decode(string(c.Exchange.Request.Body), value.Limits{})
		made, err := value.Decode(string(c.Exchange.Answer.Body), value.Limits{})
		if bad != nil || err != nil || sent.Kind != value.Object || made.Kind != value.Object || !exchange.IsJSON(c.header("Content-Type")) {
			continue
		}
		content := "$"
		if len(made.Items) == 1 && made.Items[0].Kind == value.Object {
			// The item stands in a wrapper.
			content, made = "$."+made.Names[0], made.Items[0]
		}
		id := draft.Identity(made)
		if id == "" {
			continue
		}
		own, _ := made.Get(id)
		r := &draft.Resource{Content: content, Name: draft.Name(path.Base(at), "items"), Collection: at, Make: sent, Members: "$[*]", Identity: "$." + id, Turn: draft.TurnIn(sent), Supports: []string{"create"}}
		if !d.life(r, i, own.Plain()) {
			continue
		}
		if d.session(i) {
			d.out.Notes = append(d.out.Notes, r.Name+" looks like a resource, and its requests carry what one scenario got from an answer (a cookie, or a header): none was drafted.")
			continue
		}
		for _, n := range made.Names {
			if _, was := sent.Get(n); !was {
				r.Assigned = append(r.Assigned, n)
			}
		}
		if len(d.out.SignIn)+len(d.out.Secrets) > 0 && len(d.out.Defaults) > 0 && d.auth[i] == "" {
			r.Auth = "auth none"
		}
		d.out.Notes = append(d.out.Notes, r.Name+": say which members are `required` and which `unique`, for the checks about them.")
		out = append(out, r)
	}
	return out
}

// session tells whether a call carries what belongs to one scenario: a cookie, or a header
// with a value that an answer gave, other than what signs in before all.
func (d *drafting) session(i int) bool {
	c := d.calls[i]
	return c.header("Cookie") != "" || slices.ContainsFunc(c.Exchange.Request.Header, func(f exchange.Field) bool { return d.uses[i][f.Value] != nil }) || strings.Contains(d.auth[i], "{") && len(d.out.SignIn)+len(d.out.Secrets) == 0
}

// life takes in what the recording does with the item that a call made, and tells whether it
// was more than making it.
func (d *drafting) life(r *draft.Resource, made int, id string) bool {
	item := strings.TrimSuffix(r.Collection, "/") + "/" + url.PathEscape(id)
	more := false
	for k, c := range d.calls {
		at, _, _ := strings.Cut(target(c.URL(), d.base), "?")
		body, err := value.Decode(string(c.Exchange.Request.Body), value.Limits{})
		operation := ""
		switch {
		case c.Status()/100 != 2:
		case at == r.Collection && c.Method() == http.MethodGet:
			operation = "list"
			if v, err := value.Decode(string(c.Exchange.Answer.Body), value.Limits{}); err == nil {
				if list, members := draft.ListIn(v); list != nil {
					r.Members = members
				}
			}
		case k <= made || at != item:
		case c.Method() == http.MethodGet:
			operation = "read"
		case c.Method() == http.MethodPut && err == nil && body.Kind == value.Object:
			operation, r.Remake = "replace", body
		case c.Method() == http.MethodPatch && err == nil && body.Kind == value.Object:
			operation, r.Amend = "amend", body
		case c.Method() == http.MethodDelete:
			operation = "delete"
		}
		if operation != "" && !slices.Contains(r.Supports, operation) {
			r.Supports = append(r.Supports, operation)
			more = more || operation != "list"
		}
	}
	if r.Remake != nil {
		// What the client sends back of what the service sets is not an example's.
		r.Remake = draft.Without(r.Remake, strings.TrimPrefix(r.Identity, "$."))
	}
	return more
}
