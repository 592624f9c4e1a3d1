package draft

import (
	"cmp"
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strings"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/late"
	"usualpath/internal/core/mask"
	"usualpath/internal/core/value"
)

// keyName finds headers of a service's own that carry a key.
var keyName = late.Regexp(`(?i)(api-?key|token|auth|secret|session)`)

// Credentials are the lines that send what a header on the command line sent,
// without its value: that comes from the environment. Headers that cannot be
// said so are noted.
func Credentials(headers []string) (secrets []string, auth string, notes []string) {
	for _, h := range headers {
		name, v, _ := strings.Cut(h, ":")
		name, v = strings.TrimSpace(name), strings.TrimSpace(v)
		scheme, _, spaced := strings.Cut(v, " ")
		secret := func(what, variable string) {
			secrets = append(secrets, fmt.Sprintf("secret %s from env %s", what, variable))
			notes = append(notes, "Credentials come from the environment: set "+variable+" before a run.")
		}
		switch {
		case auth != "":
		case strings.EqualFold(name, "Authorization") && spaced && strings.EqualFold(scheme, "Bearer"):
			auth = "auth bearer {token}"
			secret("token", "TOKEN")
			continue
		case strings.EqualFold(name, "Authorization") && spaced && strings.EqualFold(scheme, "Basic"):
			auth = "auth basic {user} {password}"
			secrets = append(secrets, "let user from env SERVICE_USER")
			notes = append(notes, "Credentials come from the environment: set SERVICE_USER before a run.")
			secret("password", "SERVICE_PASSWORD")
			continue
		case strings.EqualFold(name, "Authorization") || keyName().MatchString(name):
			auth = fmt.Sprintf("auth header %q {key}", name)
			secret("key", "SERVICE_KEY")
			continue
		}
		notes = append(notes, "The header "+name+" was given and is not written down, since it may be secret: write `header "+name+": …` into project.upath.")
	}
	return secrets, auth, notes
}

// holdsCredentials finds headers that no file should hold.
func holdsCredentials(name string) bool {
	return mask.HeaderNamed(name) || keyName().MatchString(name)
}

// Concealed are secrets that were found, by their value, with the names that stand for them.
type Concealed struct {
	names map[string]string
	taken map[string]bool
	// Secrets are lines that bind the names.
	Secrets []string
}

// find takes in secrets that stand in a request or an answer.
func (c *Concealed) find(list []mask.Found) {
	for _, f := range list {
		text := strings.TrimSpace(f.Value)
		if len(text) < mask.Shortest || strings.HasPrefix(text, "{") || c.names[text] != "" {
			continue
		}
		if c.names == nil {
			c.names, c.taken = map[string]string{}, map[string]bool{}
		}
		name := free(Name(f.Name, "secret"), func(n string) bool { return c.taken[n] })
		c.names[text], c.taken[name] = name, true
	}
}

// Add takes in a secret under a name.
func (c *Concealed) Add(name, text string) { c.find([]mask.Found{{Name: name, Value: text}}) }

// Names are those that stand for secrets.
func (c *Concealed) Names() map[string]bool { return c.taken }

// Find takes in what an exchange shows of secrets, without the headers that `auth` stands for.
func (c *Concealed) Find(x *exchange.Exchange) {
	c.find(mask.InURL(x.Request.URL))
	for _, h := range x.Request.Header {
		if !strings.EqualFold(h.Name, "Authorization") && !strings.EqualFold(h.Name, "Cookie") {
			c.find(mask.InHeader(h.Name, h.Value))
		}
	}
	c.find(mask.InBody(x.Request.Body))
}

// line is a line with names in place of secrets. Short ones are replaced only where they stand by
// themselves.
func (c *Concealed) line(l string) string {
	for _, text := range slices.SortedFunc(maps.Keys(c.names), func(a, b string) int { return cmp.Or(len(b)-len(a), strings.Compare(a, b)) }) {
		name := "{" + c.names[text] + "}"
		quoted := value.Quoted(text)
		with := l
		if len(text) < mask.Free {
			with = strings.ReplaceAll(with, quoted, name)
			for _, before := range []string{"= ", "=", ": ", ":"} {
				if head, is := strings.CutSuffix(with, before+text); is {
					with = head + before + name
				}
			}
			with = strings.ReplaceAll(with, ": "+text+" }", ": "+name+" }")
			with = strings.ReplaceAll(with, ": "+text+",", ": "+name+",")
		} else {
			for _, spelt := range []string{text, strings.Trim(quoted, `"`), url.QueryEscape(text), url.PathEscape(text)} {
				with = strings.ReplaceAll(with, strings.ReplaceAll(spelt, "{", `\{`), name)
				with = strings.ReplaceAll(with, spelt, name)
			}
			with = strings.ReplaceAll(with, `"`+name+`"`, name)
		}
		if with != l {
			line := fmt.Sprintf("secret %s from env %s", c.names[text], strings.ToUpper(c.names[text]))
			if !slices.Contains(c.Secrets, line) {
				c.Secrets = append(c.Secrets, line)
			}
			l = with
		}
	}
	return l
}

// Lines are lines with names in place of secrets.
func (c *Concealed) Lines(lines []string) []string {
	out := make([]string, len(lines))
	for i, l := range lines {
		out[i] = c.line(l)
	}
	return out
}

// Typed is a request with names in place of secrets.
func (c *Concealed) Typed(t *Typed) *Typed {
	out := *t
	out.Target, out.JSON, out.Text = c.line(t.Target), c.line(t.JSON), c.line(t.Text)
	out.Header, out.Query, out.Fields, out.Parts = c.Lines(t.Header), c.Lines(t.Query), c.Lines(t.Fields), c.Lines(t.Parts)
	return &out
}

// Shows tells whether a text has a secret in it.
func (c *Concealed) Shows(text string) bool {
	for v := range c.names {
		if strings.Contains(text, v) {
			return true
		}
	}
	return false
}

// WithoutCredentials is a request as it may be filed: credentials in its headers become names,
// which the secrets bind; notes say what is left out.
func (t *Typed) WithoutCredentials() (out *Typed, secrets, notes []string) {
	typed := *t
	typed.Header = nil
	var held []string
	for _, h := range t.Header {
		name, v, _ := strings.Cut(h, ":")
		if !holdsCredentials(strings.TrimSpace(name)) || strings.Contains(v, "{") {
			typed.Header = append(typed.Header, h)
			continue
		}
		held = append(held, h)
	}
	secrets, typed.Auth, notes = Credentials(held)
	return &typed, secrets, notes
}
