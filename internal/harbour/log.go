package harbour

import (
	"crypto/rand"
	"crypto/subtle"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"
)

// crew are the made-up people who may sign in, with their pins.
var crew = []struct{ name, pin, role string }{
	{"pilot", "2468", "pilot"},
	{"harbourmaster", "1357", "harbourmaster"},
}

// session is who a token belongs to.
type session struct {
	Name string `json:"name"`
	Role string `json:"role"`
}

// Entry is a line of the harbour's log.
type Entry struct {
	ID   uint64    `json:"id"`
	Text string    `json:"text"`
	By   string    `json:"by"`
	At   time.Time `json:"at"`
}

func (h *harbour) sessions() resource {
	return resource{"POST": func(w http.ResponseWriter, r *http.Request) {
		m, ok := read(w, r, "application/json")
		if !ok {
			return
		}
		f := &form{m: m, known: map[string]bool{}}
		name, pin := f.text("name", true, 1, 60, nil, "has 1 to 60 characters"), f.text("pin", true, 1, 20, nil, "has 1 to 20 characters")
		if !f.done(w, r) {
			return
		}
		for _, c := range crew {
			if c.name == *name && subtle.ConstantTimeCompare([]byte(c.pin), []byte(*pin)) == 1 {
				token := rand.Text()
				if err := h.store.put("tokens", []byte(token), session{c.name, c.role}); err != nil {
					refuse(w, r, http.StatusInternalServerError, "the session cannot be stored")
					return
				}
				show(w, r, http.StatusCreated, map[string]string{"token": token, "role": c.role})
				return
			}
		}
		challenge(w)
		refuse(w, r, http.StatusUnauthorized, "name and pin do not match")
	}}
}

// challenge says how to sign in (RFC 9110 §11.6.1).
func challenge(w http.ResponseWriter) {
	w.Header().Set("WWW-Authenticate", `Bearer realm="Gull Point"`)
}

// signedIn finds who asks, or answers 401.
func (h *harbour) signedIn(next func(http.ResponseWriter, *http.Request, session)) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		scheme, token, _ := strings.Cut(r.Header.Get("Authorization"), " ")
		var who session
		if !strings.EqualFold(scheme, "Bearer") || h.store.get("tokens", []byte(strings.TrimSpace(token)), &who) != nil {
			challenge(w)
			refuse(w, r, http.StatusUnauthorized, "sign in at /sessions and send the token")
			return
		}
		next(w, r, who)
	}
}

func (h *harbour) entries() resource {
	return resource{
		"GET": h.signedIn(func(w http.ResponseWriter, r *http.Request, _ session) {
			list, err := all[Entry](h.store, "log")
			if err != nil {
				refuse(w, r, http.StatusInternalServerError, "the log cannot be read")
				return
			}
			if list, ok := page(w, r, list); ok {
				show(w, r, http.StatusOK, list)
			}
		}),
		"POST": h.signedIn(h.createEntry),
	}
}

func (h *harbour) createEntry(w http.ResponseWriter, r *http.Request, who session) {
	m, ok := read(w, r, "application/json")
	if !ok {
		return
	}
	f := &form{m: m, known: map[string]bool{"id": true, "by": true, "at": true}}
	text := f.text("text", true, 1, 2000, nil, "has 1 to 2000 characters")
	if !f.done(w, r) {
		return
	}
	h.store.writing.Lock()
	defer h.store.writing.Unlock()
	id, err := h.store.next("log")
	e := &Entry{ID: id, By: who.Name, At: time.Now().UTC().Truncate(time.Second)}
	if err == nil {
		e.Text = *text
		err = h.store.put("log", number(id), e)
	}
	if err != nil {
		refuse(w, r, http.StatusInternalServerError, "the entry cannot be stored")
		return
	}
	w.Header().Set("Location", fmt.Sprintf("/log/%d", id))
	show(w, r, http.StatusCreated, e)
}

func (h *harbour) entry() resource {
	return resource{
		"GET": h.withEntry(func(w http.ResponseWriter, r *http.Request, _ session, e *Entry) { show(w, r, http.StatusOK, e) }),
		"DELETE": h.withEntry(func(w http.ResponseWriter, r *http.Request, who session, e *Entry) {
			switch {
			case who.Role != "harbourmaster":
				refuse(w, r, http.StatusForbidden, "only the harbourmaster takes entries out of the log")
			case !precondition(w, r, e):
			case h.store.remove("log", number(e.ID)) != nil:
				refuse(w, r, http.StatusInternalServerError, "the entry cannot be removed")
			default:
				w.WriteHeader(http.StatusNoContent)
			}
		}),
	}
}

func (h *harbour) withEntry(next func(http.ResponseWriter, *http.Request, session, *Entry)) http.HandlerFunc {
	return h.signedIn(func(w http.ResponseWriter, r *http.Request, who session) {
		if r.Method == http.MethodDelete {
			h.store.writing.Lock()
			defer h.store.writing.Unlock()
		}
		e := &Entry{}
		switch err := h.numbered("log", r.PathValue("id"), e); {
		case errors.Is(err, errNone):
			refuse(w, r, http.StatusNotFound, "there is no such entry")
		case err != nil:
			refuse(w, r, http.StatusInternalServerError, "the entry cannot be read")
		default:
			next(w, r, who, e)
		}
	})
}
