package harbour

import (
	"encoding/json"
	"errors"
	"fmt"
	"math/big"
	"net/http"
	"regexp"
	"strconv"
	"time"
)

// Boat is a boat as it is stored and shown.
type Boat struct {
	ID           uint64       `json:"id"`
	Name         string       `json:"name"`
	LengthM      json.Number  `json:"length_m"`
	DraughtM     *json.Number `json:"draught_m,omitempty"`
	Flag         *string      `json:"flag,omitempty"`
	HomePort     *string      `json:"home_port,omitempty"`
	RegisteredAt time.Time    `json:"registered_at"`
}

var flagPattern = regexp.MustCompile(`^[A-Z]{2}$`)

// boatFrom reads a boat; id and registered_at are given by the harbour and
// disregarded when a client sends them.
func boatFrom(w http.ResponseWriter, r *http.Request, m members) (*Boat, bool) {
	f := &form{m: m, known: map[string]bool{"id": true, "registered_at": true}}
	b := &Boat{}
	if s := f.text("name", true, 1, 60, nil, "has 1 to 60 characters"); s != nil {
		b.Name = *s
	}
	if n := f.number("length_m", true, 0, 60); n != nil {
		b.LengthM = *n
	}
	b.DraughtM = f.number("draught_m", false, 0, 60)
	b.Flag = f.text("flag", false, 2, 2, flagPattern, "is two capital letters")
	b.HomePort = f.text("home_port", false, 1, 60, nil, "has 1 to 60 characters")
	return b, f.done(w, r)
}

func (h *harbour) boats() resource {
	return resource{
		"GET":  h.listBoats,
		"POST": h.createBoat,
	}
}

func (h *harbour) boat() resource {
	return resource{
		"GET":    h.withBoat(func(w http.ResponseWriter, r *http.Request, b *Boat) { show(w, r, http.StatusOK, b) }),
		"PUT":    h.withBoat(h.replaceBoat),
		"PATCH":  h.withBoat(h.amendBoat),
		"DELETE": h.withBoat(h.deleteBoat),
	}
}

// withBoat finds the boat of the path, or answers 404. Writes are done one at
// a time, so that what was found is what is written over.
func (h *harbour) withBoat(next func(http.ResponseWriter, *http.Request, *Boat)) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		if r.Method != http.MethodGet && r.Method != http.MethodHead {
			h.store.writing.Lock()
			defer h.store.writing.Unlock()
		}
		b := &Boat{}
		err := h.numbered("boats", r.PathValue("id"), b)
		switch {
		case errors.Is(err, errNone):
			refuse(w, r, http.StatusNotFound, "there is no such boat")
		case err != nil:
			refuse(w, r, http.StatusInternalServerError, "the boat cannot be read")
		default:
			next(w, r, b)
		}
	}
}

func (h *harbour) listBoats(w http.ResponseWriter, r *http.Request) {
	list, err := all[Boat](h.store, "boats")
	if err != nil {
		refuse(w, r, http.StatusInternalServerError, "the boats cannot be read")
		return
	}
	q := r.URL.Query()
	least := new(big.Rat)
	if raw := q.Get("min_length"); q.Has("min_length") {
		if _, ok := least.SetString(raw); !ok || len(raw) > 20 {
			refuse(w, r, http.StatusBadRequest, "min_length is a number", memberError{"min_length", "not " + strconv.Quote(raw)})
			return
		}
	}
	chosen := []Boat{}
	for _, b := range list {
		length, _ := new(big.Rat).SetString(string(b.LengthM))
		if q.Has("flag") && (b.Flag == nil || *b.Flag != q.Get("flag")) || length.Cmp(least) < 0 {
			continue
		}
		chosen = append(chosen, b)
	}
	if chosen, ok := page(w, r, chosen); ok {
		show(w, r, http.StatusOK, chosen)
	}
}

// taken tells whether another boat has the name, and says so.
func (h *harbour) taken(w http.ResponseWriter, r *http.Request, name string, self uint64) bool {
	list, err := all[Boat](h.store, "boats")
	if err != nil {
		refuse(w, r, http.StatusInternalServerError, "the boats cannot be read")
		return true
	}
	for _, b := range list {
		if b.Name == name && b.ID != self {
			refuse(w, r, http.StatusConflict, "another boat has this name", memberError{"name", "is taken"})
			return true
		}
	}
	return false
}

func (h *harbour) createBoat(w http.ResponseWriter, r *http.Request) {
	m, ok := read(w, r, "application/json")
	if !ok {
		return
	}
	b, ok := boatFrom(w, r, m)
	if !ok {
		return
	}
	h.store.writing.Lock()
	defer h.store.writing.Unlock()
	if h.taken(w, r, b.Name, 0) {
		return
	}
	if h.add(w, r, b) {
		w.Header().Set("Location", fmt.Sprintf("/boats/%d", b.ID))
		show(w, r, http.StatusCreated, b)
	}
}

// add stores a new boat under a fresh id.
func (h *harbour) add(w http.ResponseWriter, r *http.Request, b *Boat) bool {
	id, err := h.store.next("boats")
	if err == nil {
		b.ID, b.RegisteredAt = id, time.Now().UTC().Truncate(time.Second)
		err = h.store.put("boats", number(id), b)
	}
	if err != nil {
		refuse(w, r, http.StatusInternalServerError, "the boat cannot be stored")
	}
	return err == nil
}

func (h *harbour) replaceBoat(w http.ResponseWriter, r *http.Request, old *Boat) {
	m, ok := read(w, r, "application/json")
	if ok {
		h.write(w, r, old, m)
	}
}

func (h *harbour) amendBoat(w http.ResponseWriter, r *http.Request, old *Boat) {
	patch, ok := read(w, r, "application/merge-patch+json", "application/json")
	if !ok {
		return
	}
	m, err := merged(old, patch)
	if err != nil {
		refuse(w, r, http.StatusInternalServerError, "the boat cannot be read")
		return
	}
	h.write(w, r, old, m)
}

// write puts members over a boat, if nothing stands against it.
func (h *harbour) write(w http.ResponseWriter, r *http.Request, old *Boat, m members) {
	b, ok := boatFrom(w, r, m)
	if !ok || !precondition(w, r, old) || h.taken(w, r, b.Name, old.ID) {
		return
	}
	b.ID, b.RegisteredAt = old.ID, old.RegisteredAt
	if err := h.store.put("boats", number(b.ID), b); err != nil {
		refuse(w, r, http.StatusInternalServerError, "the boat cannot be stored")
		return
	}
	show(w, r, http.StatusOK, b)
}

func (h *harbour) deleteBoat(w http.ResponseWriter, r *http.Request, b *Boat) {
	if !precondition(w, r, b) {
		return
	}
	// What belongs to a boat goes with it.
	stays, err := h.staysOf(b.ID)
	for _, one := range stays {
		err = errors.Join(err, h.store.remove("stays", number(one.ID)))
	}
	err = errors.Join(err, h.store.remove("photos", number(b.ID)), h.store.remove("boats", number(b.ID)))
	if err != nil {
		refuse(w, r, http.StatusInternalServerError, "the boat cannot be removed")
		return
	}
	w.WriteHeader(http.StatusNoContent)
}
