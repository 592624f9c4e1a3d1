package mask

import "strings"

// Credential is the value of a header field as it is shown: of Authorization
// the scheme, of cookies the names and attributes, of other fields that hold
// credentials nothing. more are further such fields, in lower case.
func Credential(name, value string, more map[string]bool) string {
	switch key := strings.ToLower(name); {
	case key == "authorization" || key == "proxy-authorization":
		if scheme, _, ok := strings.Cut(value, " "); ok {
			return scheme + " " + Hidden
		}
		return Hidden
	case key == "set-cookie":
		pair, attributes, more := strings.Cut(value, ";")
		if more {
			attributes = ";" + attributes
		}
		return cookie(pair) + attributes
	case key == "cookie":
		pairs := strings.Split(value, ";")
		for i := range pairs {
			pairs[i] = cookie(pairs[i])
		}
		return strings.Join(pairs, ";")
	case more[key]:
		return Hidden
	}
	return value
}

// cookie is a pair with its value hidden.
func cookie(pair string) string {
	if name, value, ok := strings.Cut(pair, "="); ok && value != "" {
		return name + "=" + Hidden
	}
	return pair
}
