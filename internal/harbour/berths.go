package harbour

import (
	"encoding/json"
	"errors"
	"net/http"
	"regexp"
)

// Berth is a berth as it is stored and shown.
type Berth struct {
	Code       string      `json:"code"`
	MaxLengthM json.Number `json:"max_length_m"`
	Power      bool        `json:"power"`
	Notes      *string     `json:"notes,omitempty"`
}

var codePattern = regexp.MustCompile(`^[A-F][1-9][0-9]?$`)

// berthFrom reads a berth; a code inside must be that of the path.
func berthFrom(w http.ResponseWriter, r *http.Request, m members) (*Berth, bool) {
	f := &form{m: m, known: map[string]bool{}}
	b := &Berth{Code: r.PathValue("code")}
	if s := f.text("code", false, 2, 3, nil, "is that of the path"); s != nil && *s != b.Code {
		f.wrong("code", "is that of the path")
	}
	if n := f.number("max_length_m", true, 0, 60); n != nil {
		b.MaxLengthM = *n
	}
	if p := f.truth("power", true); p != nil {
		b.Power = *p
	}
	b.Notes = f.text("notes", false, 0, 500, nil, "has at most 500 characters")
	return b, f.done(w, r)
}

func (h *harbour) berths() resource {
	return resource{"GET": func(w http.ResponseWriter, r *http.Request) {
		list, err := all[Berth](h.store, "berths")
		if err != nil {
			refuse(w, r, http.StatusInternalServerError, "the berths cannot be read")
			return
		}
		if list, ok := page(w, r, list); ok {
			show(w, r, http.StatusOK, list)
		}
	}}
}

func (h *harbour) berth() resource {
	return resource{
		"GET":    h.withBerth(true, func(w http.ResponseWriter, r *http.Request, b *Berth) { show(w, r, http.StatusOK, b) }),
		"PUT":    h.withBerth(false, h.putBerth),
		"PATCH":  h.withBerth(true, h.amendBerth),
		"DELETE": h.withBerth(true, h.deleteBerth),
	}
}

// withBerth finds the berth of the path; nil for one that is not there, unless
// it must be.
func (h *harbour) withBerth(must bool, next func(http.ResponseWriter, *http.Request, *Berth)) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		if r.Method != http.MethodGet && r.Method != http.MethodHead {
			h.store.writing.Lock()
			defer h.store.writing.Unlock()
		}
		code := r.PathValue("code")
		b := &Berth{}
		err := errNone
		if codePattern.MatchString(code) {
			err = h.store.get("berths", []byte(code), b)
		}
		switch {
		case errors.Is(err, errNone) && (must || !codePattern.MatchString(code)):
			refuse(w, r, http.StatusNotFound, "there is no such berth; codes are A1 to F99")
		case errors.Is(err, errNone):
			next(w, r, nil)
		case err != nil:
			refuse(w, r, http.StatusInternalServerError, "the berth cannot be read")
		default:
			next(w, r, b)
		}
	}
}

func (h *harbour) putBerth(w http.ResponseWriter, r *http.Request, old *Berth) {
	m, ok := read(w, r, "application/json")
	if !ok {
		return
	}
	var item any
	status := http.StatusCreated
	if old != nil {
		item, status = old, http.StatusOK
	}
	b, ok := berthFrom(w, r, m)
	if ok && precondition(w, r, item) {
		h.storeBerth(w, r, b, status)
	}
}

func (h *harbour) amendBerth(w http.ResponseWriter, r *http.Request, old *Berth) {
	patch, ok := read(w, r, "application/merge-patch+json", "application/json")
	if !ok {
		return
	}
	m, err := merged(old, patch)
	if err != nil {
		refuse(w, r, http.StatusInternalServerError, "the berth cannot be read")
		return
	}
	b, ok := berthFrom(w, r, m)
	if ok && precondition(w, r, old) {
		h.storeBerth(w, r, b, http.StatusOK)
	}
}

func (h *harbour) storeBerth(w http.ResponseWriter, r *http.Request, b *Berth, status int) {
	if err := h.store.put("berths", []byte(b.Code), b); err != nil {
		refuse(w, r, http.StatusInternalServerError, "the berth cannot be stored")
		return
	}
	if status == http.StatusCreated {
		w.Header().Set("Location", "/berths/"+b.Code)
	}
	show(w, r, status, b)
}

func (h *harbour) deleteBerth(w http.ResponseWriter, r *http.Request, b *Berth) {
	if !precondition(w, r, b) {
		return
	}
	if err := h.store.remove("berths", []byte(b.Code)); err != nil {
		refuse(w, r, http.StatusInternalServerError, "the berth cannot be removed")
		return
	}
	w.WriteHeader(http.StatusNoContent)
}
