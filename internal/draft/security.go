package draft

import (
	"fmt"
	"net/url"
	"slices"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"

	"usualpath/internal/contract"
	"usualpath/internal/core/syntax"
)

// security is the scheme that a draft uses, and which operations need none.
type security struct {
	doc    *contract.Document
	scheme *openapi3.SecurityScheme
	name   string
	// always tells that operations need it unless they say otherwise.
	always bool
}

// Credits are the lines of the project file that have to do with credentials.
type Credits struct {
	// Secrets and Before are statements, Defaults lines of `defaults`.
	Secrets, Defaults []string
	Before            string
}

// securityOf chooses the scheme that most operations ask for.
func securityOf(d *contract.Document) security {
	out := security{doc: d}
	if d.Components == nil {
		return out
	}
	asked := map[string]int{}
	count := func(list openapi3.SecurityRequirements, by int) {
		for _, one := range list {
			for n := range one {
				asked[n] += by
			}
		}
	}
	count(d.Security, 1+len(d.Operations))
	for _, op := range d.Operations {
		if op.Spec.Security != nil {
			count(*op.Spec.Security, 1)
		}
	}
	best, rank := 0, 0
	for _, n := range sortedKeys(d.Components.SecuritySchemes) {
		ref := d.Components.SecuritySchemes[n]
		if ref == nil || ref.Value == nil || out.line(ref.Value) == "" {
			continue
		}
		if of := suits(ref.Value); asked[n] > best || asked[n] == best && of > rank {
			best, rank, out.scheme, out.name = asked[n], of, ref.Value, n
		}
	}
	out.always = out.scheme != nil && slices.ContainsFunc(d.Security, func(one openapi3.SecurityRequirement) bool { _, has := one[out.name]; return has })
	return out
}

// suits tells how well a scheme suits where several may be used: what a resource can carry,
// and what is made for signing in, goes first.
func suits(s *openapi3.SecurityScheme) int {
	switch {
	case s.Type == "http":
		return 5
	case s.Type == "apiKey" && s.In == "query":
		return 1
	case s.Type == "apiKey" && s.In == "cookie":
		return 2
	case s.Type == "apiKey" && !strings.EqualFold(s.Name, "Authorization"):
		return 3
	}
	return 4
}

// needs tells whether an operation asks for the scheme.
func (c *security) needs(op *contract.Operation) bool {
	list := c.doc.Security
	if op.Spec.Security != nil {
		list = *op.Spec.Security
	}
	return slices.ContainsFunc(list, func(one openapi3.SecurityRequirement) bool { _, has := one[c.name]; return has }) &&
		!slices.ContainsFunc(list, func(one openapi3.SecurityRequirement) bool { return len(one) == 0 })
}

// line is how a scheme sends credentials, "" for one that is not known.
func (c *security) line(s *openapi3.SecurityScheme) string {
	switch {
	case s.Type == "http" && strings.EqualFold(s.Scheme, "basic"):
		return "auth basic {user} {password}"
	case s.Type == "http" && strings.EqualFold(s.Scheme, "bearer"), s.Type == "oauth2", s.Type == "openIdConnect":
		return "auth bearer {token}"
	case s.Type == "apiKey" && s.In == "header" && syntax.IsMethod(s.Name):
		return "auth header " + syntax.Quoted(s.Name) + " {api_key}"
	case s.Type == "apiKey" && s.In == "cookie" && syntax.IsMethod(s.Name):
		return "header Cookie: " + s.Name + "={api_key}"
	case s.Type == "apiKey" && s.In == "query" && s.Name != "" && !strings.ContainsFunc(s.Name, odd):
		return "query " + fieldName(s.Name) + " = {api_key}"
	}
	return ""
}

// inQuery tells whether the credentials go into the query of each request.
func (c *security) inQuery() bool {
	return c.scheme != nil && c.scheme.Type == "apiKey" && c.scheme.In == "query"
}

// credits are what the project file says.
func (s *Suite) credits(allowed func(string) bool) Credits {
	c := &s.security
	if c.scheme == nil {
		if c.doc.Components != nil && len(c.doc.Components.SecuritySchemes) > 0 {
			s.left(must, "the document wants credentials of a kind that is not drafted: write `auth` and a `secret` into project.upath", "")
		}
		return Credits{}
	}
	out := Credits{}
	secret := func(name, variable string) {
		out.Secrets = append(out.Secrets, fmt.Sprintf("secret %s from env %s", name, variable))
		s.left(must, "set these before a run, in the environment or the file that `env file` names", variable)
	}
	line := c.line(c.scheme)
	if !c.inQuery() && c.always {
		out.Defaults = []string{line}
	}
	switch {
	case strings.Contains(line, "{user}"):
		out.Secrets = append(out.Secrets, "let user from env API_USER or \"user\"")
		secret("password", "API_PASSWORD")
	case strings.Contains(line, "{api_key}"):
		secret("api_key", "API_KEY")
	default:
		if at := c.tokenURL(); at != "" && allowed != nil {
			if u, err := url.Parse(at); err == nil && allowed(u.Hostname()) {
				secret("client_secret", "CLIENT_SECRET")
				out.Secrets = append(out.Secrets, "let client_id from env CLIENT_ID or \"client\"")
				w := &steps{}
				w.step("ask for a token", "send POST "+strings.NewReplacer("{", `\{`).Replace(at), "  auth none", "  form grant_type = client_credentials", "  form client_id = {client_id}", "  form client_secret = {client_secret}",
					"expect status 200", "keep secret token from $.access_token")
				out.Before = "before all \"sign in\"\n" + w.b.String()
				break
			}
		}
		secret("token", "API_TOKEN")
	}
	return out
}

// tokenURL is where a client gets a token by its own credentials (RFC 6749 §4.4).
func (c *security) tokenURL() string {
	if f := c.scheme.Flows; f != nil && f.ClientCredentials != nil {
		return f.ClientCredentials.TokenURL
	}
	return ""
}

// authOf are the lines of a step that has other credentials than the project.
func (s *Suite) authOf(op *contract.Operation) []string {
	c := &s.security
	switch {
	case c.scheme == nil:
		return nil
	case (c.inQuery() || !c.always) && c.needs(op):
		return []string{"  " + c.line(c.scheme)}
	case c.inQuery() || !c.always || c.needs(op):
		return nil
	case c.scheme.Type == "apiKey" && c.scheme.In == "cookie":
		return []string{"  without header Cookie"}
	}
	return []string{"  auth none"}
}

// public says which operations of a resource need no credentials.
func (s *Suite) public(g *collection) {
	c := &s.security
	if c.scheme == nil {
		return
	}
	if c.inQuery() {
		s.left(must, "a resource statement cannot put a key into each query: send it in a header, if the service takes it there", "")
	}
	some := false
	for _, w := range g.Supports {
		op := g.ops[w]
		if op == nil {
			continue
		}
		t := g.told[w]
		t.Lines = append(t.Lines, s.authOf(op)...)
		g.told[w] = t
		if c.needs(op) {
			some = true
		} else {
			g.Public = append(g.Public, w)
		}
	}
	if line := c.line(c.scheme); some && strings.HasPrefix(line, "auth ") {
		// The access checks know it by this line.
		g.Auth = line
	} else {
		g.Public = nil
	}
}
