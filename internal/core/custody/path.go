package custody

import (
	"maps"
	"net/url"
	"path"
	"slices"
	"strings"
)

// PlainPath is a URL's path as a lenient server might read it: decoded, dots and double slashes
// resolved, without an end slash, in lower case.
func PlainPath(raw string) string {
	u, err := url.Parse(raw)
	if err != nil {
		return raw
	}
	p := u.Path
	if again, err := url.PathUnescape(p); err == nil {
		p = again
	}
	return strings.ToLower(path.Clean("/" + strings.TrimSpace(p)))
}

// exactPath is a URL's path as it was meant, decoded and without an end slash: names that differ in
// case are two.
func exactPath(raw string) string {
	u, err := url.Parse(raw)
	if err != nil {
		return raw
	}
	return path.Clean("/" + u.Path)
}

// exact and plain are the paths of a URL, those of items as if they were below their lists.
func (t *turn) exact(raw string) string { return t.asListed(exactPath(raw)) }
func (t *turn) plain(raw string) string { return t.asListed(PlainPath(raw)) }

func (t *turn) asListed(at string) string {
	if !t.how.Elsewhere {
		return at
	}
	lists := slices.Collect(maps.Keys(t.before))
	if t.Step != nil {
		lists, _ = t.Lists() // lists whose names have no values are not written to
	}
	for _, l := range lists {
		if below, its := l.plainly(at); its {
			return below
		}
	}
	return at
}

// HostOf is the host and port of a URL in lower case, "" where it has none.
func HostOf(raw string) string {
	u, err := url.Parse(raw)
	if err != nil {
		return ""
	}
	return strings.ToLower(u.Host)
}

// sameName tells whether an identity, which may be a URL, is the name of an item in a path.
func sameName(identity, name string) bool {
	identity = strings.ToLower(identity)
	return identity == name || strings.Contains(identity, "/") && path.Base(PlainPath(identity)) == name
}

// below is the rest of a path below a list.
func below(at, list string) (rest string, is bool) {
	return strings.CutPrefix(at, strings.TrimSuffix(list, "/")+"/")
}

// known tells whether a server may have a meaning for a method that changes something.
func known(method string) bool {
	switch method {
	case "POST", "PUT", "PATCH", "DELETE":
		return true
	}
	return false
}

// absent tells of a status that nothing is there.
func absent(status int) bool { return status == 404 || status == 410 }

// absent tells whether a status says that nothing is at a path. A service may hide what is not there behind
// 403 (RFC 9110 §15.5.4), as it hides what is somebody else's: it counts for what this scenario has
// removed, and for names that nobody but this run can have drawn. Of a stranger everything may be hidden.
func (t *turn) absent(at string, status int) bool {
	if t.Step != nil && t.About().Stranger {
		return false
	}
	name := path.Base(at)
	return absent(status) || status == 403 && (t.removed[at] || !few(name) && t.drawn.In(name))
}
