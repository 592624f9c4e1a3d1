package exchange

import "strings"

// Link is one link of a Link header (RFC 8288 §3).
type Link struct {
	Target string
	// Params are its parameters, names in lower case.
	Params map[string]string
}

// Has tells whether the link is of a relation type; several may be in one
// parameter, and case does not matter.
func (l Link) Has(rel string) bool {
	for _, r := range strings.Fields(l.Params["rel"]) {
		if strings.EqualFold(r, rel) {
			return true
		}
	}
	return false
}

// Links reads the Link headers of an answer; what is not a link is passed over.
func Links(values []string) []Link {
	var out []Link
	for _, item := range splitLinks(values) {
		if !strings.HasPrefix(item, "<") {
			continue
		}
		target, rest, ok := strings.Cut(item[1:], ">")
		if !ok {
			continue
		}
		l := Link{Target: strings.TrimSpace(target), Params: map[string]string{}}
		for _, p := range splitOutside(rest, ';') {
			name, v, _ := strings.Cut(p, "=")
			name = strings.ToLower(strings.TrimSpace(name))
			if name == "" {
				continue
			}
			if _, twice := l.Params[name]; !twice {
				l.Params[name] = unquote(strings.TrimSpace(v))
			}
		}
		out = append(out, l)
	}
	return out
}

// splitLinks splits at commas outside quotes and outside <…>.
func splitLinks(values []string) []string {
	var out []string
	for _, v := range values {
		angle := false
		quoted := false
		from := 0
		for i := 0; i <= len(v); i++ {
			if i == len(v) || v[i] == ',' && !angle && !quoted {
				if item := strings.TrimSpace(v[from:i]); item != "" {
					out = append(out, item)
				}
				from = i + 1
				continue
			}
			switch {
			case v[i] == '\\' && quoted:
				i++
			case v[i] == '"' && !angle:
				quoted = !quoted
			case v[i] == '<' && !quoted:
				angle = true
			case v[i] == '>' && !quoted:
				angle = false
			}
		}
	}
	return out
}

func splitOutside(v string, sep byte) []string {
	var out []string
	quoted := false
	from := 0
	for i := 0; i < len(v); i++ {
		switch {
		case v[i] == '\\' && quoted:
			i++
		case v[i] == '"':
			quoted = !quoted
		case v[i] == sep && !quoted:
			out = append(out, v[from:i])
			from = i + 1
		}
	}
	return append(out, v[min(from, len(v)):])
}

// unquote undoes a quoted string (RFC 9110 §5.6.4).
func unquote(s string) string {
	if len(s) < 2 || s[0] != '"' || s[len(s)-1] != '"' {
		return s
	}
	var b strings.Builder
	for i := 1; i < len(s)-1; i++ {
		if s[i] == '\\' && i+1 < len(s)-1 {
			i++
		}
		b.WriteByte(s[i])
	}
	return b.String()
}
