package harbour

import (
	"bytes"
	"encoding/json"
	"encoding/xml"
	"io"
	"mime"
	"net/http"
	"strconv"
	"strings"
	"time"

	"usualpath/internal/between"
)

// boatXML is a boat in XML.
type boatXML struct {
	XMLName      struct{}     `xml:"boat"`
	ID           uint64       `xml:"id,attr,omitempty"`
	RegisteredAt *time.Time   `xml:"registered_at,attr,omitempty"`
	Name         *string      `xml:"name,omitempty"`
	LengthM      *json.Number `xml:"length_m,omitempty"`
	DraughtM     *json.Number `xml:"draught_m,omitempty"`
	Flag         *string      `xml:"flag,omitempty"`
	HomePort     *string      `xml:"home_port,omitempty"`
}

// boatTypes are the representations of boats, the default first.
var boatTypes = []string{"application/json", "application/xml"}

// tagOfXML marks the entity tags of representations in XML: they are others than those of
// the same boats in JSON (RFC 9110 §8.8.3).
const tagOfXML = `-xml"`

// alsoXML offers a resource of boats in XML too, and takes boats in it.
func alsoXML(res resource) resource {
	out := resource{}
	for method, handle := range res {
		out[method] = func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Vary", "Accept")
			if !readXML(w, r) {
				return
			}
			if preferred(r, boatTypes...) != "application/xml" {
				handle(w, r)
				return
			}
			for _, name := range []string{"If-Match", "If-None-Match"} {
				for i, line := range r.Header[name] {
					r.Header[name][i] = strings.ReplaceAll(line, tagOfXML, `"`)
				}
			}
			inner := &reply{*between.New()}
			handle(inner, r)
			showXML(w, r, inner)
		}
	}
	return out
}

// readXML turns a boat in XML into one in JSON. It refuses what is none itself.
func readXML(w http.ResponseWriter, r *http.Request) bool {
	kind, _, err := mime.ParseMediaType(r.Header.Get("Content-Type"))
	if err != nil || kind != "application/xml" && kind != "text/xml" || r.Method == http.MethodPatch {
		return true
	}
	data, err := io.ReadAll(http.MaxBytesReader(w, r.Body, maxBody))
	if err != nil {
		refuse(w, r, http.StatusRequestEntityTooLarge, "a body has 2 MiB at most")
		return false
	}
	var boat boatXML
	if err := xml.Unmarshal(data, &boat); err != nil {
		refuse(w, r, http.StatusBadRequest, "the body is not a boat in XML")
		return false
	}
	m := map[string]any{}
	for name, text := range map[string]*string{"name": boat.Name, "flag": boat.Flag, "home_port": boat.HomePort} {
		if text != nil {
			m[name] = *text
		}
	}
	for name, number := range map[string]*json.Number{"length_m": boat.LengthM, "draught_m": boat.DraughtM} {
		switch {
		case number == nil:
		case json.Valid([]byte(*number)):
			m[name] = *number
		default:
			m[name] = string(*number)
		}
	}
	data, err = encode(m)
	if err != nil {
		refuse(w, r, http.StatusBadRequest, "the body is not a boat in XML")
		return false
	}
	r.Body, r.ContentLength = io.NopCloser(bytes.NewReader(data)), int64(len(data))
	r.Header.Set("Content-Type", "application/json")
	return true
}

// showXML answers with what was said in JSON; errors stay what they are.
func showXML(w http.ResponseWriter, r *http.Request, inner *reply) {
	for name, lines := range inner.Fields {
		w.Header()[name] = lines
	}
	if etag := w.Header().Get("ETag"); etag != "" {
		w.Header().Set("ETag", strings.TrimSuffix(etag, `"`)+tagOfXML)
	}
	body := inner.Body
	if w.Header().Get("Content-Type") == "application/json" {
		data, err := boatsInXML(body)
		if err != nil {
			refuse(w, r, http.StatusInternalServerError, "the boats cannot be shown")
			return
		}
		body = data
		w.Header().Set("Content-Type", "application/xml")
		w.Header().Set("Content-Length", strconv.Itoa(len(body)))
	}
	w.WriteHeader(inner.Status)
	_, _ = w.Write(body)
}

// boatsInXML is a boat, or a list of boats, in XML.
func boatsInXML(body []byte) ([]byte, error) {
	one := func(b Boat) boatXML {
		return boatXML{ID: b.ID, RegisteredAt: &b.RegisteredAt, Name: &b.Name, LengthM: &b.LengthM, DraughtM: b.DraughtM, Flag: b.Flag, HomePort: b.HomePort}
	}
	var item any
	if bytes.HasPrefix(body, []byte("[")) {
		var list []Boat
		if err := json.Unmarshal(body, &list); err != nil {
			return nil, err
		}
		out := struct {
			XMLName struct{} `xml:"boats"`
			Boats   []boatXML
		}{}
		for _, b := range list {
			out.Boats = append(out.Boats, one(b))
		}
		item = out
	} else {
		var b Boat
		if err := json.Unmarshal(body, &b); err != nil {
			return nil, err
		}
		item = one(b)
	}
	data, err := xml.Marshal(item)
	return append([]byte(xml.Header), data...), err
}
