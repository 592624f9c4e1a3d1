package harbour

import (
	"encoding/csv"
	"encoding/xml"
	"net/http"
	"strconv"
	"strings"
)

// Tide is a day's two high waters, made up.
type Tide struct {
	XMLName struct{} `json:"-" xml:"tide"`
	Day     string   `json:"day" xml:"day"`
	Morning string   `json:"morning" xml:"morning"`
	Evening string   `json:"evening" xml:"evening"`
	HeightM string   `json:"height_m" xml:"height_m"`
}

var tides = []Tide{
	{Day: "2026-06-01", Morning: "03:12", Evening: "15:41", HeightM: "4.1"}, {Day: "2026-06-02", Morning: "04:01", Evening: "16:29", HeightM: "4.3"},
	{Day: "2026-06-03", Morning: "04:48", Evening: "17:15", HeightM: "4.6"}, {Day: "2026-06-04", Morning: "05:33", Evening: "17:59", HeightM: "4.8"},
	{Day: "2026-06-05", Morning: "06:17", Evening: "18:42", HeightM: "4.7"}, {Day: "2026-06-06", Morning: "07:01", Evening: "19:26", HeightM: "4.5"},
}

// tideTypes are the representations of the tides, the default first.
var tideTypes = []string{"application/json", "application/xml", "text/csv"}

func (h *harbour) tideList() resource {
	return resource{"GET": func(w http.ResponseWriter, r *http.Request) { showTides(w, r, tides, true) }}
}

func (h *harbour) tide() resource {
	return resource{"GET": func(w http.ResponseWriter, r *http.Request) {
		for _, t := range tides {
			if t.Day == r.PathValue("day") {
				showTides(w, r, []Tide{t}, false)
				return
			}
		}
		refuse(w, r, http.StatusNotFound, "no tides are known for this day")
	}}
}

func showTides(w http.ResponseWriter, r *http.Request, list []Tide, many bool) {
	w.Header().Set("Vary", "Accept")
	var item any = list[0]
	if many {
		item = list
	}
	switch preferred(r, tideTypes...) {
	case "application/json":
		show(w, r, http.StatusOK, item)
	case "application/xml":
		if many {
			item = struct {
				XMLName struct{} `xml:"tides"`
				Tides   []Tide   `xml:"tide"`
			}{Tides: list}
		}
		data, err := xml.Marshal(item)
		if err != nil {
			refuse(w, r, http.StatusInternalServerError, "the tides cannot be shown")
			return
		}
		send(w, r, "application/xml; charset=utf-8", append([]byte(xml.Header), data...))
	case "text/csv":
		var b strings.Builder
		rows := csv.NewWriter(&b)
		// Writing to a strings.Builder does not fail.
		_ = rows.Write([]string{"day", "morning", "evening", "height_m"})
		for _, t := range list {
			_ = rows.Write([]string{t.Day, t.Morning, t.Evening, t.HeightM})
		}
		rows.Flush()
		send(w, r, "text/csv; charset=utf-8", []byte(b.String()))
	}
}

func send(w http.ResponseWriter, r *http.Request, kind string, data []byte) {
	etag := tag(data)
	w.Header().Set("ETag", etag)
	if listed(r.Header.Values("If-None-Match"), etag) {
		w.WriteHeader(http.StatusNotModified)
		return
	}
	w.Header().Set("Content-Type", kind)
	w.Header().Set("Content-Length", strconv.Itoa(len(data)))
	w.WriteHeader(http.StatusOK)
	_, _ = w.Write(data)
}
