package harbour

import (
	_ "embed"
	"net/http"
)

// office is a page for people that uses the harbour's API.
//
//go:embed office.html
var office []byte

func (h *harbour) office() resource {
	return resource{"GET": func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		// What fails then fails in the reader's browser: there is nothing else to tell.
		_, _ = w.Write(office)
	}}
}
