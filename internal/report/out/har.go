package out

import (
	"bufio"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"net/url"
	"time"
	"unicode/utf8"

	"usualpath/internal/core/event"
	"usualpath/internal/core/exchange"
	"usualpath/internal/report"
)

// har writes every exchange as an entry of an HTTP Archive, version 1.2.
type har struct {
	gather
	w   *bufio.Writer
	n   int
	err error
}

type (
	harPair struct {
		Name  string `json:"name"`
		Value string `json:"value"`
	}
	harContent struct {
		Size     int    `json:"size"`
		MimeType string `json:"mimeType"`
		Text     string `json:"text,omitempty"`
		Encoding string `json:"encoding,omitempty"`
		Comment  string `json:"comment,omitempty"`
	}
	harPost struct {
		MimeType string    `json:"mimeType"`
		Params   []harPair `json:"params"`
		Text     string    `json:"text"`
		Comment  string    `json:"comment,omitempty"`
	}
	harRequest struct {
		Method      string    `json:"method"`
		URL         string    `json:"url"`
		HTTPVersion string    `json:"httpVersion"`
		Cookies     []harPair `json:"cookies"`
		Headers     []harPair `json:"headers"`
		QueryString []harPair `json:"queryString"`
		PostData    *harPost  `json:"postData,omitempty"`
		HeadersSize int       `json:"headersSize"`
		BodySize    int       `json:"bodySize"`
	}
	harResponse struct {
		Status      int        `json:"status"`
		StatusText  string     `json:"statusText"`
		HTTPVersion string     `json:"httpVersion"`
		Cookies     []harPair  `json:"cookies"`
		Headers     []harPair  `json:"headers"`
		Content     harContent `json:"content"`
		RedirectURL string     `json:"redirectURL"`
		HeadersSize int        `json:"headersSize"`
		BodySize    int        `json:"bodySize"`
		Comment     string     `json:"comment,omitempty"`
	}
	harTimings struct {
		Blocked float64 `json:"blocked"`
		DNS     float64 `json:"dns"`
		Connect float64 `json:"connect"`
		Send    float64 `json:"send"`
		Wait    float64 `json:"wait"`
		Receive float64 `json:"receive"`
		SSL     float64 `json:"ssl"`
	}
	harEntry struct {
		Started  string      `json:"startedDateTime"`
		Time     float64     `json:"time"`
		Request  harRequest  `json:"request"`
		Response harResponse `json:"response"`
		Cache    struct{}    `json:"cache"`
		Timings  harTimings  `json:"timings"`
		Comment  string      `json:"comment"`
	}
)

var _ = format("har", newHAR)

func newHAR(w io.Writer) (Sink, error) {
	h := &har{w: bufio.NewWriter(w)}
	h.begin = func(e *event.RunStarted) {
		name, version := "usualpath", e.Tool
		if len(version) > len(name) && version[:len(name)] == name {
			version = version[len(name)+1:]
		}
		head, _ := json.Marshal(map[string]string{"name": name, "version": version})
		fmt.Fprintf(h.w, "{\"log\": {\"version\": \"1.2\", \"creator\": %s, \"entries\": [", head)
	}
	h.each = h.scenario
	h.end = func(*event.RunFinished) { fmt.Fprint(h.w, "\n]}}\n") }
	return h, nil
}

func millis(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }

func (h *har) scenario(s *scenario) {
	for _, st := range s.steps {
		for _, x := range st.Sent {
			if h.n++; h.n > 1 {
				fmt.Fprint(h.w, ",")
			}
			data, err := json.Marshal(entry(s, st, x))
			if err != nil {
				h.err = err
				data = []byte("null")
			}
			fmt.Fprintf(h.w, "\n%s", report.Escaped(data))
		}
	}
}

func entry(s *scenario, st *event.StepFinished, sent event.Sent) harEntry {
	x := sent.Exchange
	t := x.Timing
	comment := fmt.Sprintf("%s: %s: step %d %q: %s", s.File, s.name(), st.Index, st.Title, sent.Role)
	if sent.Name != "" {
		comment += " of " + sent.Name
	}
	e := harEntry{Started: x.Start.Format("2006-01-02T15:04:05.000Z07:00"), Comment: comment,
		Timings:  harTimings{Blocked: -1, DNS: -1, Connect: -1, SSL: -1, Wait: millis(t.Wait), Receive: millis(t.Read)},
		Request:  harRequest{Method: x.Request.Method, URL: x.Request.URL, HTTPVersion: "HTTP/1.1", Cookies: []harPair{}, Headers: []harPair{}, QueryString: []harPair{}, HeadersSize: -1, BodySize: max(x.Request.Length, len(x.Request.Body))},
		Response: harResponse{HTTPVersion: "HTTP/1.1", Cookies: []harPair{}, Headers: []harPair{}, HeadersSize: -1, BodySize: -1}}
	if t.Connect > 0 {
		e.Timings.Connect = millis(t.Connect)
	}
	e.Time = max(0, e.Timings.Connect) + e.Timings.Wait + e.Timings.Receive
	for _, f := range x.Request.Header {
		e.Request.Headers = append(e.Request.Headers, harPair{f.Name, f.Value})
	}
	if u, err := url.Parse(x.Request.URL); err == nil {
		for n, values := range u.Query() {
			for _, v := range values {
				e.Request.QueryString = append(e.Request.QueryString, harPair{n, v})
			}
		}
	}
	sortPairs(e.Request.QueryString)
	if len(x.Request.Body) > 0 {
		e.Request.PostData = &harPost{MimeType: headerOf(x.Request.Header, "Content-Type"), Params: []harPair{}, Text: asText(x.Request.Body), Comment: cutNote(x.Request.Length, len(x.Request.Body))}
	}
	a := x.Answer
	if a == nil {
		e.Response.Comment = x.Failure.Error()
		return e
	}
	e.Response.Status, e.Response.StatusText, e.Response.HTTPVersion = a.Status, exchange.Phrase(a.Status), a.Proto
	e.Response.RedirectURL, e.Response.BodySize = a.Header.Get("Location"), a.Wire
	e.Response.Content = harContent{Size: max(a.Length, len(a.Body)), MimeType: a.Header.Get("Content-Type"), Comment: cutNote(a.Length, len(a.Body))}
	if utf8.Valid(a.Body) {
		e.Response.Content.Text = string(a.Body)
	} else {
		e.Response.Content.Text, e.Response.Content.Encoding = base64.StdEncoding.EncodeToString(a.Body), "base64"
	}
	for _, n := range a.Names() {
		for _, v := range a.Header[n] {
			e.Response.Headers = append(e.Response.Headers, harPair{n, v})
		}
	}
	return e
}

func asText(b []byte) string {
	if utf8.Valid(b) {
		return string(b)
	}
	return base64.StdEncoding.EncodeToString(b)
}

// cutNote says that only the beginning of a body is there.
func cutNote(whole, kept int) string {
	if whole > kept {
		return fmt.Sprintf("the first %d of %d bytes", kept, whole)
	}
	return ""
}

func (h *har) Close() error {
	if err := h.w.Flush(); err != nil {
		return err
	}
	return h.err
}
