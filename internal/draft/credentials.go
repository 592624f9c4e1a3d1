package draft

import (
	"fmt"
	"regexp"
	"strings"
)

// keyName finds headers of a service's own that carry a key.
var keyName = regexp.MustCompile(`(?i)(api-?key|token|auth|secret|session)`)

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
			secret("user", "SERVICE_USER")
			secret("password", "SERVICE_PASSWORD")
			continue
		case strings.EqualFold(name, "Authorization") || keyName.MatchString(name):
			auth = fmt.Sprintf("auth header %q {key}", name)
			secret("key", "SERVICE_KEY")
			continue
		}
		notes = append(notes, "The header "+name+" was given and is not written down, since it may be secret: write `header "+name+": …` into project.upath.")
	}
	return secrets, auth, notes
}
