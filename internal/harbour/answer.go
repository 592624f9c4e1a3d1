package harbour

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"net/http"
	"strconv"
	"strings"
)

// problem is an error as every client gets it (RFC 9457 §3.1).
type problem struct {
	Type     string        `json:"type"`
	Title    string        `json:"title"`
	Status   int           `json:"status"`
	Detail   string        `json:"detail,omitempty"`
	Instance string        `json:"instance,omitempty"`
	Errors   []memberError `json:"errors,omitempty"`
}

// memberError names a member at fault.
type memberError struct {
	Member string `json:"member"`
	Detail string `json:"detail"`
}

func refuse(w http.ResponseWriter, r *http.Request, status int, detail string, members ...memberError) {
	p := problem{Type: "about:blank", Title: http.StatusText(status), Status: status, Detail: detail, Instance: r.URL.EscapedPath(), Errors: members}
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(status)
	// A client that has gone away is not our error.
	_ = json.NewEncoder(w).Encode(p)
}

// encode is the one representation of an item, without HTML escapes.
func encode(item any) ([]byte, error) {
	var b strings.Builder
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	err := e.Encode(item)
	return []byte(strings.TrimSuffix(b.String(), "\n")), err
}

// tag is the strong entity tag of a representation (RFC 9110 §8.8.3).
func tag(data []byte) string {
	sum := sha256.Sum256(data)
	return `"` + hex.EncodeToString(sum[:8]) + `"`
}

// show answers with an item and its tag.
func show(w http.ResponseWriter, r *http.Request, status int, item any) {
	data, err := encode(item)
	if err != nil {
		refuse(w, r, http.StatusInternalServerError, "the item cannot be shown")
		return
	}
	w.Header().Set("Content-Type", "application/json")
	etag := tag(data)
	w.Header().Set("ETag", etag)
	if status == http.StatusOK && (r.Method == http.MethodGet || r.Method == http.MethodHead) && listed(r.Header.Values("If-None-Match"), etag) {
		w.Header().Del("Content-Type")
		w.WriteHeader(http.StatusNotModified)
		return
	}
	w.Header().Set("Content-Length", strconv.Itoa(len(data)))
	w.WriteHeader(status)
	_, _ = w.Write(data)
}

// listed tells whether a list of entity tags holds one, or is `*`.
func listed(lines []string, etag string) bool {
	for _, line := range lines {
		for _, one := range strings.Split(line, ",") {
			if one = strings.TrimSpace(one); one == "*" || strings.TrimPrefix(one, "W/") == etag {
				return true
			}
		}
	}
	return false
}

// precondition holds If-Match and If-None-Match of a write against the item as
// it is, nil when there is none (RFC 9110 §13.2.2). It answers 412 itself.
func precondition(w http.ResponseWriter, r *http.Request, item any) bool {
	etag := ""
	if item != nil {
		data, err := encode(item)
		if err != nil {
			refuse(w, r, http.StatusInternalServerError, "the item cannot be read")
			return false
		}
		etag = tag(data)
	}
	if want := r.Header.Values("If-Match"); len(want) > 0 && (item == nil || !matches(want, etag)) {
		refuse(w, r, http.StatusPreconditionFailed, "the item has changed since it was read")
		return false
	}
	if not := r.Header.Values("If-None-Match"); len(not) > 0 && item != nil && listed(not, etag) {
		refuse(w, r, http.StatusPreconditionFailed, "there is such an item already")
		return false
	}
	return true
}

// matches is the strong comparison that If-Match wants (RFC 9110 §13.1.1).
func matches(lines []string, etag string) bool {
	for _, line := range lines {
		for _, one := range strings.Split(line, ",") {
			if one = strings.TrimSpace(one); one == "*" || one == etag {
				return true
			}
		}
	}
	return false
}

// preferred is the type among those offered that a client likes best, the
// first one when it does not care, "" when it takes none (RFC 9110 §12.5.1).
func preferred(r *http.Request, offers ...string) string {
	lines := r.Header.Values("Accept")
	if len(lines) == 0 {
		return offers[0]
	}
	best, bestQ := "", 0.0
	for _, offer := range offers {
		if q := quality(lines, offer); q > bestQ {
			best, bestQ = offer, q
		}
	}
	return best
}

// quality is the weight of a type: that of the narrowest range that holds it.
func quality(lines []string, offer string) float64 {
	family, _, _ := strings.Cut(offer, "/")
	rank := map[string]int{"*/*": 1, family + "/*": 2, offer: 3}
	best, q := 0, 0.0
	for _, one := range strings.Split(strings.Join(lines, ","), ",") {
		kind, params, _ := strings.Cut(strings.TrimSpace(one), ";")
		n := rank[strings.ToLower(strings.TrimSpace(kind))]
		if n == 0 || n < best {
			continue
		}
		best, q = n, 1
		for _, p := range strings.Split(params, ";") {
			if v, found := strings.CutPrefix(strings.TrimSpace(p), "q="); found {
				if f, err := strconv.ParseFloat(v, 64); err == nil {
					q = f
				}
			}
		}
	}
	return q
}

// page cuts a list by limit and offset and links to the pages beside it
// (RFC 8288). It answers 400 itself.
func page[T any](w http.ResponseWriter, r *http.Request, list []T) ([]T, bool) {
	q := r.URL.Query()
	number := func(name string, least, most, without int) (int, bool) {
		raw := q.Get(name)
		if !q.Has(name) {
			return without, true
		}
		n, err := strconv.Atoi(raw)
		if err != nil || n < least || n > most {
			refuse(w, r, http.StatusBadRequest, fmt.Sprintf("%s is a whole number from %d to %d", name, least, most),
				memberError{name, "not " + strconv.Quote(raw)})
			return 0, false
		}
		return n, true
	}
	limit, ok := number("limit", 1, 1000, 0)
	if !ok {
		return nil, false
	}
	offset, ok := number("offset", 0, 1<<31-1, 0)
	if !ok {
		return nil, false
	}
	from := min(offset, len(list))
	to := len(list)
	if limit > 0 {
		to = min(from+limit, len(list))
		link := func(rel string, at int) {
			q.Set("offset", strconv.Itoa(at))
			w.Header().Add("Link", fmt.Sprintf(`<%s?%s>; rel="%s"`, r.URL.EscapedPath(), q.Encode(), rel))
		}
		if to < len(list) {
			link("next", to)
		}
		if from > 0 {
			link("prev", max(0, from-limit))
		}
	}
	return list[from:to], true
}
