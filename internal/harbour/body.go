package harbour

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math/big"
	"mime"
	"net/http"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"
)

// maxBody is the longest request body taken, in bytes.
const maxBody = 2 << 20

// members are those of a JSON object that a client sent.
type members map[string]json.RawMessage

// read takes a JSON object from a request, and refuses everything else itself.
func read(w http.ResponseWriter, r *http.Request, types ...string) (members, bool) {
	kind, params, err := mime.ParseMediaType(r.Header.Get("Content-Type"))
	known := false
	for _, t := range types {
		known = known || kind == t
	}
	if err != nil || !known || params["charset"] != "" && !strings.EqualFold(params["charset"], "utf-8") {
		if r.Method == http.MethodPatch {
			w.Header().Set("Accept-Patch", strings.Join(types, ", "))
		}
		refuse(w, r, http.StatusUnsupportedMediaType, "send "+strings.Join(types, " or ")+" in UTF-8")
		return nil, false
	}
	if coding := r.Header.Get("Content-Encoding"); coding != "" && !strings.EqualFold(coding, "identity") {
		w.Header().Set("Accept-Encoding", "identity")
		refuse(w, r, http.StatusUnsupportedMediaType, "send the body without a content coding")
		return nil, false
	}
	data, err := io.ReadAll(http.MaxBytesReader(w, r.Body, maxBody))
	if err != nil {
		var long *http.MaxBytesError
		if errors.As(err, &long) {
			refuse(w, r, http.StatusRequestEntityTooLarge, "a body has 2 MiB at most")
		} else {
			refuse(w, r, http.StatusBadRequest, "the body could not be read")
		}
		return nil, false
	}
	m, err := object(data)
	if err != nil {
		refuse(w, r, http.StatusBadRequest, err.Error())
		return nil, false
	}
	return m, true
}

var escaped = regexp.MustCompile(`\\(?:u[0-9a-fA-F]{4}|.)`)

// object reads exactly one JSON object without duplicate members, lone
// surrogates or bad UTF-8, which the standard decoder would let pass.
func object(data []byte) (members, error) {
	if len(bytes.TrimSpace(data)) == 0 {
		return nil, errors.New("the body is empty; a JSON object is expected")
	}
	if !utf8.Valid(data) {
		return nil, errors.New("the body is not valid UTF-8")
	}
	if !json.Valid(data) {
		return nil, errors.New("the body is not JSON")
	}
	if lone(data) {
		return nil, errors.New("the body holds half of a surrogate pair")
	}
	d := json.NewDecoder(bytes.NewReader(data))
	first, err := d.Token()
	if err != nil || first != json.Delim('{') {
		return nil, errors.New("a JSON object is expected")
	}
	m := members{}
	for d.More() {
		name, err := d.Token()
		if err != nil {
			return nil, errors.New("the body is not JSON")
		}
		var v json.RawMessage
		if err := d.Decode(&v); err != nil {
			return nil, errors.New("the body is not JSON")
		}
		key, _ := name.(string)
		if _, twice := m[key]; twice {
			return nil, fmt.Errorf("member %q appears twice", key)
		}
		m[key] = v
	}
	return m, nil
}

// lone finds an escaped surrogate without its other half.
func lone(data []byte) bool {
	high := -1
	for _, at := range escaped.FindAllIndex(data, -1) {
		var unit int
		if n, _ := fmt.Sscanf(string(data[at[0]:at[1]]), `\u%04x`, &unit); n != 1 {
			unit = 0
		}
		low := unit >= 0xdc00 && unit <= 0xdfff
		if high >= 0 {
			if !low || at[0] != high {
				return true
			}
			high = -1
			continue
		}
		if low {
			return true
		}
		if unit >= 0xd800 && unit <= 0xdbff {
			high = at[1]
		}
	}
	return high >= 0
}

// form reads members into Go values and gathers all that is wrong with them.
type form struct {
	m      members
	known  map[string]bool
	errors []memberError
}

func (f *form) wrong(name, detail string) {
	f.errors = append(f.errors, memberError{name, detail})
}

// take gives a member; nil when it is not there, or null.
func (f *form) take(name string, required bool) json.RawMessage {
	f.known[name] = true
	raw, ok := f.m[name]
	if ok && string(raw) != "null" {
		return raw
	}
	if required {
		f.wrong(name, "is required")
	}
	return nil
}

func (f *form) text(name string, required bool, least, most int, pattern *regexp.Regexp, says string) *string {
	raw := f.take(name, required)
	if raw == nil {
		return nil
	}
	var s string
	if json.Unmarshal(raw, &s) != nil {
		f.wrong(name, "is a string")
		return nil
	}
	if n := utf8.RuneCountInString(s); n < least || n > most || pattern != nil && !pattern.MatchString(s) {
		f.wrong(name, says)
		return nil
	}
	return &s
}

func (f *form) number(name string, required bool, above, most int64) *json.Number {
	raw := f.take(name, required)
	if raw == nil {
		return nil
	}
	if raw[0] != '-' && (raw[0] < '0' || raw[0] > '9') {
		f.wrong(name, "is a number")
		return nil
	}
	says := fmt.Sprintf("is more than %d and at most %d", above, most)
	// A far exponent is out of range; big.Rat would write it out.
	if e := strings.IndexAny(string(raw), "eE"); e >= 0 && len(raw)-e > 4 || len(raw) > 400 {
		f.wrong(name, says)
		return nil
	}
	x, ok := new(big.Rat).SetString(string(raw))
	if !ok || x.Cmp(big.NewRat(above, 1)) <= 0 || x.Cmp(big.NewRat(most, 1)) > 0 {
		f.wrong(name, says)
		return nil
	}
	n := json.Number(raw)
	return &n
}

func (f *form) truth(name string, required bool) *bool {
	raw := f.take(name, required)
	if raw == nil {
		return nil
	}
	var b bool
	if json.Unmarshal(raw, &b) != nil {
		f.wrong(name, "is true or false")
		return nil
	}
	return &b
}

// done refuses what is wrong, members that nobody knows among it.
func (f *form) done(w http.ResponseWriter, r *http.Request) bool {
	var names []string
	for n := range f.m {
		if !f.known[n] {
			names = append(names, n)
		}
	}
	slices.Sort(names)
	for _, n := range names {
		f.wrong(n, "is not a known member")
	}
	if len(f.errors) == 0 {
		return true
	}
	var says []string
	for _, e := range f.errors {
		says = append(says, e.Member+" "+e.Detail)
	}
	refuse(w, r, http.StatusUnprocessableEntity, strings.Join(says, "; "), f.errors...)
	return false
}

// merged is an item after a merge patch (RFC 7396 §2): null removes.
func merged(item any, patch members) (members, error) {
	data, err := encode(item)
	if err != nil {
		return nil, err
	}
	var now members
	if err := json.Unmarshal(data, &now); err != nil {
		return nil, err
	}
	for n, v := range patch {
		if string(v) == "null" {
			delete(now, n)
		} else {
			now[n] = v
		}
	}
	return now, nil
}
