// Package remark says what is noteworthy about one answer by itself, before
// anybody has written down what is expected.
package remark

import (
	"fmt"
	"net/http"
	"strings"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/leak"
	"usualpath/internal/core/value"
)

// Remark is one thing worth a look.
type Remark struct {
	Text string
	// Source is the standard that says so; may be empty.
	Source string
}

// look is what the rules look at.
type look struct {
	x    *exchange.Exchange
	a    *exchange.Answer
	ct   string
	text string
	// json is the body when it is JSON, bad why it is not.
	json *value.Value
	bad  error
}

type rule struct {
	source string
	see    func(l *look) string
}

// Of gives the remarks about an exchange, in the order of the rules.
func Of(x *exchange.Exchange) []Remark {
	if x.Answer == nil {
		return nil
	}
	l := &look{x: x, a: x.Answer, ct: x.Answer.Header.Get("Content-Type")}
	l.text, _ = l.a.Text()
	l.json, l.bad = value.Decode(l.text, value.Limits{})
	var out []Remark
	for _, r := range rules {
		if text := r.see(l); text != "" {
			out = append(out, Remark{text, r.source})
		}
	}
	return out
}

var rules = []rule{
	{"RFC 9110 §15.3.2", func(l *look) string {
		if l.a.Status == 201 && l.a.Header.Get("Location") == "" {
			if _, ok := l.json.Get("id"); ok {
				return "201 without Location: only the body tells where the new item is"
			}
			return "201 without Location: the client does not learn where the new item is"
		}
		return ""
	}},
	{"RFC 9110 §15.5.6", func(l *look) string {
		if l.a.Status == 405 && len(l.a.Header.Values("Allow")) == 0 {
			return "405 without Allow: the client does not learn which methods work"
		}
		return ""
	}},
	{"RFC 9110 §11.6.1", func(l *look) string {
		if l.a.Status == 401 && l.a.Header.Get("WWW-Authenticate") == "" {
			return "401 without WWW-Authenticate: the client does not learn how to sign in"
		}
		return ""
	}},
	{"RFC 9110 §12.5.1", func(l *look) string {
		if wantsJSON(l.x.Request) && (strings.HasPrefix(exchange.MediaType(l.ct), "text/html") || looksLikeHTML(l.text)) {
			return "HTML where JSON was asked for"
		}
		return ""
	}},
	{"RFC 9110 §8.3", func(l *look) string {
		container := l.bad == nil && (l.json.Kind == value.Object || l.json.Kind == value.Array)
		switch {
		case container && l.ct == "":
			return "JSON without a Content-Type"
		case container && !exchange.IsJSON(l.ct):
			return "JSON that is labelled " + l.ct
		}
		return ""
	}},
	{"RFC 8259", func(l *look) string {
		if exchange.IsJSON(l.ct) && len(l.a.Body) > 0 && l.bad != nil {
			return "labelled " + l.ct + ", but not JSON: " + l.bad.Error()
		}
		return ""
	}},
	{"RFC 9110 §15.3.5", func(l *look) string {
		if l.a.Status == 200 && len(l.a.Body) == 0 && l.x.Request.Method != "HEAD" && l.x.Request.Method != "OPTIONS" {
			return "200 with an empty body: 204 means that there is no content, 404 that nothing was found"
		}
		return ""
	}},
	{"", func(l *look) string {
		if l.a.Status == 200 && l.x.Request.Method == "GET" && l.bad == nil && l.json.Kind == value.Null {
			return "200 with `null`: a missing item is 404"
		}
		return ""
	}},
	{"", func(l *look) string {
		if l.a.Status/100 != 2 {
			return ""
		}
		if sign := errorInside(l.json); sign != "" {
			return "an error inside a success: " + sign
		}
		return ""
	}},
	{"RFC 9457 §3.1.2", func(l *look) string {
		n, ok := statusInside(l.json)
		if ok && n != l.a.Status && l.a.Status/100 != 2 {
			return fmt.Sprintf("the body says status %d, the answer %d", n, l.a.Status)
		}
		return ""
	}},
	{"", func(l *look) string {
		for _, f := range leak.Find(l.text) {
			return "the body shows " + f.What + ": " + value.Cut(f.Excerpt, 100)
		}
		return ""
	}},
	{"RFC 9110 §15.5.16", func(l *look) string {
		if len(l.x.Request.Body) == 0 || l.a.Status/100 == 2 {
			return ""
		}
		for _, h := range l.x.Request.Header {
			if strings.EqualFold(h.Name, "Content-Type") {
				return ""
			}
		}
		return "the request had a body and no Content-Type: --json sends one"
	}},
	{"RFC 9110 §15.4", func(l *look) string {
		if l.a.Status >= 300 && l.a.Status < 400 && l.a.Status != 304 && l.a.Header.Get("Location") != "" {
			return "redirects to " + l.a.Header.Get("Location") + ", which was not followed"
		}
		return ""
	}},
}

func wantsJSON(r *exchange.Request) bool {
	asked := false
	for _, h := range r.Header {
		if strings.EqualFold(h.Name, "Accept") {
			asked = true
			if strings.Contains(h.Value, "json") {
				return true
			}
		}
	}
	// Who sends JSON and asks for nothing expects JSON.
	for _, h := range r.Header {
		if !asked && strings.EqualFold(h.Name, "Content-Type") && exchange.IsJSON(h.Value) {
			return true
		}
	}
	return false
}

func looksLikeHTML(text string) bool {
	start := strings.ToLower(strings.TrimSpace(text[:min(len(text), 200)]))
	return strings.HasPrefix(start, "<!doctype html") || strings.HasPrefix(start, "<html")
}

// errorInside finds what marks an object as an error, whatever the status; ""
// when nothing does.
func errorInside(v *value.Value) string {
	if v == nil || v.Kind != value.Object {
		return ""
	}
	for i, name := range v.Names {
		item := v.Items[i]
		switch strings.ToLower(name) {
		case "error", "errors":
			if item.Kind == value.Null || item.Kind == value.Bool && !item.Bool ||
				(item.Kind == value.Array || item.Kind == value.Object) && len(item.Items) == 0 ||
				item.Kind == value.String && item.Text == "" || item.Kind == value.Number && value.CompareNumbers(item.Text, "0") == 0 {
				continue
			}
			return name + " is " + value.Cut(item.String(), 80)
		case "success", "ok":
			if item.Kind == value.Bool && !item.Bool {
				return name + " is false"
			}
		case "status", "result", "state":
			if item.Kind == value.String {
				switch strings.ToLower(item.Text) {
				case "error", "fail", "failed", "failure":
					return name + " is " + item.String()
				}
			}
		}
	}
	if n, ok := statusInside(v); ok && n >= 400 {
		return fmt.Sprintf("status is %d", n)
	}
	return ""
}

// statusInside is an HTTP status that an object repeats in `status`,
// `statusCode`, `status_code` or `code`.
func statusInside(v *value.Value) (int, bool) {
	for _, name := range []string{"status", "statusCode", "status_code", "code"} {
		if item, ok := v.Get(name); ok {
			if n, whole := item.Int(); whole && http.StatusText(n) != "" {
				return n, true
			}
		}
	}
	return 0, false
}
