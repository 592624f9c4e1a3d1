package variety

import (
	"bufio"
	"bytes"
	"cmp"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"usualpath/internal/between"
)

// Handler is the service on a connection. What bends it stands between the service and its
// manners of sending; nil for nothing.
func (s *Service) Handler(bend func(http.Handler) http.Handler) http.Handler {
	var inner http.Handler = s
	if bend != nil {
		inner = bend(s)
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch s.option("pace") {
		case "slow start":
			s.mu.Lock()
			first := s.asked == 0
			s.mu.Unlock()
			if first {
				time.Sleep(300 * time.Millisecond)
			}
		case "uneven":
			if len(r.URL.Path)%7 == 0 && r.Method != http.MethodGet {
				time.Sleep(2 * time.Millisecond)
			}
		}
		a := between.New()
		inner.ServeHTTP(a, r)
		a.WriteHeader(http.StatusOK)
		s.send(w, r, a)
	})
}

// ServeHTTP is the service before its manners of sending.
func (s *Service) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	read := false
	var body []byte
	whole := func() []byte {
		if !read {
			body, read = readAll(r), true
		}
		return body
	}
	if s.option("early") == "" {
		whole()
	}
	if s.Has("accept 406") && !wanted(r.Header.Get("Accept")) {
		a := s.fail(406, "this is JSON")
		s.speak(w, a)
		return
	}
	if s.Has("expect 417") && r.Header.Get("Expect") != "" {
		s.speak(w, s.fail(417, "nothing is waited for"))
		return
	}
	a := s.answer(r, whole)
	if s.Has("accept XML beside") {
		a.header.Set("Vary", "Accept")
	}
	if accept := r.Header.Get("Accept"); s.Has("accept XML beside") && a.value != nil && strings.Contains(accept, "xml") && !wanted(accept) {
		a.text, a.kind = "<lamp/>", "application/xml"
	}
	s.speak(w, a)
}

// wanted tells whether a client takes JSON.
func wanted(accept string) bool {
	if accept == "" {
		return true
	}
	for _, one := range strings.Split(accept, ",") {
		kind, params, _ := strings.Cut(strings.ToLower(strings.TrimSpace(one)), ";")
		kind = strings.TrimSpace(kind)
		if strings.ReplaceAll(strings.ReplaceAll(params, " ", ""), ".0", "") == "q=0" {
			continue
		}
		if kind == "*/*" || kind == "application/*" || strings.HasSuffix(kind, "json") {
			return true
		}
	}
	return false
}

// speak writes an answer in the service's spelling.
func (s *Service) speak(w http.ResponseWriter, a *answer) {
	for n, v := range a.header {
		w.Header()[n] = v
	}
	var body []byte
	switch {
	case a.text != "":
		body = []byte(a.text + "\n")
		w.Header().Set("Content-Type", cmp.Or(a.kind, "text/plain; charset=utf-8"))
	case a.value != nil:
		body = s.spell(a.value)
		kind := "application/json"
		switch {
		case a.kind != "":
			kind = a.kind
		case s.Has("type vendor"):
			kind = "application/vnd.lamps+json"
		case s.Has("type charset"):
			kind = `application/json;Charset="UTF-8"`
		}
		w.Header().Set("Content-Type", kind)
	}
	if a.status != 204 && a.status != 304 {
		w.Header().Set("Content-Length", strconv.Itoa(len(body)))
	}
	w.WriteHeader(a.status)
	_, _ = w.Write(body) // it is kept
}

func (s *Service) spell(v any) []byte {
	data, err := json.Marshal(v)
	if s.Has("order of members any") {
		data = s.reordered(v)
	}
	if s.Has("spelling indented") && err == nil {
		var b bytes.Buffer
		if json.Indent(&b, data, "", "  ") == nil {
			data = append(b.Bytes(), '\n')
		}
	}
	if s.Has("spelling escaped") {
		var b bytes.Buffer
		for _, r := range string(data) {
			switch {
			case r < 0x80:
				b.WriteRune(r)
			case r > 0xffff:
				fmt.Fprintf(&b, `\u%04x\u%04X`, 0xd800+(r-0x10000)>>10, 0xdc00+(r-0x10000)&0x3ff)
			default:
				fmt.Fprintf(&b, `\u%04X`, r)
			}
		}
		data = b.Bytes()
	}
	return data
}

// reordered writes an object with its members in another order each time: a map of Go has none.
func (s *Service) reordered(v any) []byte {
	switch v := v.(type) {
	case map[string]any:
		var parts []string
		for n, one := range v {
			name, _ := json.Marshal(n) // a text can be written
			parts = append(parts, string(name)+":"+string(s.reordered(one)))
		}
		return []byte("{" + strings.Join(parts, ",") + "}")
	case []any:
		var parts []string
		for _, one := range v {
			parts = append(parts, string(s.reordered(one)))
		}
		return []byte("[" + strings.Join(parts, ",") + "]")
	}
	data, _ := json.Marshal(v) // what came as JSON can be written
	return data
}

// send puts an answer on the wire.
func (s *Service) send(w http.ResponseWriter, r *http.Request, a *between.Reply) {
	bodied := r.Method != http.MethodHead && a.Status != 204 && a.Status != 304
	if s.Has("framing gzip") && strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") && bodied && len(a.Body) > 0 {
		var b bytes.Buffer
		z := gzip.NewWriter(&b)
		_, _ = z.Write(a.Body) // memory takes it
		_ = z.Close()
		a.Body = b.Bytes()
		a.Fields.Set("Content-Encoding", "gzip")
		a.Fields.Set("Vary", "Accept-Encoding")
		a.Fields.Set("Content-Length", strconv.Itoa(len(a.Body)))
	}
	how := s.option("connection")
	if how == "closed" || how == "HTTP/1.0" || s.Has("framing lower-case fields") {
		s.raw(w, a, bodied, how)
		return
	}
	for n, v := range a.Fields {
		w.Header()[n] = v
	}
	if how == "closed and said" {
		w.Header().Set("Connection", "close")
	}
	half := len(a.Body)
	if s.Has("framing chunked") && bodied && half > 0 {
		w.Header().Del("Content-Length")
		half /= 2
	}
	w.WriteHeader(a.Status)
	if !bodied {
		return
	}
	_, _ = w.Write(a.Body[:half]) // whoever has gone away does not read it
	if half < len(a.Body) {
		if f, ok := w.(http.Flusher); ok {
			f.Flush()
		}
		_, _ = w.Write(a.Body[half:])
	}
}

// raw writes an answer by hand, and closes the connection behind it.
func (s *Service) raw(w http.ResponseWriter, a *between.Reply, bodied bool, how string) {
	conn, buffered, err := w.(http.Hijacker).Hijack()
	if err != nil {
		panic(err)
	}
	defer func() { _ = conn.Close() }() // it may be closed
	out := bufio.NewWriter(conn)
	version := "HTTP/1.1"
	if how == "HTTP/1.0" {
		version = "HTTP/1.0"
		if len(a.Body) > 0 && bodied {
			a.Fields.Del("Content-Length") // the end of the connection ends it
		}
	}
	fmt.Fprintf(out, "%s %d %s\r\n", version, a.Status, http.StatusText(a.Status))
	for n, list := range a.Fields {
		for _, v := range list {
			if s.Has("framing lower-case fields") {
				n = strings.ToLower(n)
			}
			fmt.Fprintf(out, "%s: %s\r\n", n, v)
		}
	}
	if how == "" {
		fmt.Fprint(out, "connection: close\r\n")
	}
	fmt.Fprint(out, "\r\n")
	if bodied {
		_, _ = out.Write(a.Body) // whoever has gone away does not read it
	}
	_ = out.Flush()
	_ = buffered.Flush()
}
