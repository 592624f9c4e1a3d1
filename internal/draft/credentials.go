package draft

import (
	"fmt"
	"slices"
	"strings"

	"usualpath/internal/core/late"
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

// secretMember finds a member of a JSON text that holds a secret, with its value.
var secretMember = late.Regexp(`(?i)"((?:pass(?:word|wd|phrase)?|pin|secret|token|api_?key|(?:access|refresh|id)_token|client_secret))"(\s*:\s*)"([^"{\\]{4,})"`)

// holdsCredentials finds headers that no file should hold.
func holdsCredentials(name string) bool {
	return strings.EqualFold(name, "Cookie") || strings.Contains(strings.ToLower(name), "authorization") || keyName().MatchString(name)
}

// WithoutCredentials is a request as it may be filed: credentials in its headers
// and members become names, which the secrets bind; notes say what is left out,
// and hidden which values have which names.
func (t *Typed) WithoutCredentials() (out *Typed, secrets, notes []string, hidden map[string]string) {
	typed := *t
	hidden = map[string]string{}
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
	typed.JSON = secretMember().ReplaceAllStringFunc(t.JSON, func(found string) string {
		m := secretMember().FindStringSubmatch(found)
		name := strings.ToLower(m[1])
		hidden[m[3]] = name
		line := fmt.Sprintf("secret %s from env %s", name, strings.ToUpper(name))
		if !slices.Contains(secrets, line) {
			secrets = append(secrets, line)
			notes = append(notes, "Credentials come from the environment: set "+strings.ToUpper(name)+" before a run.")
		}
		return `"` + m[1] + `"` + m[2] + "{" + name + "}"
	})
	return &typed, secrets, notes, hidden
}
