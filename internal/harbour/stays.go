package harbour

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"math/big"
	"net/http"
	"strconv"
	"time"
)

// Stay is a boat's stay at a berth, as it is stored and shown.
type Stay struct {
	ID     uint64      `json:"id"`
	Boat   uint64      `json:"boat"`
	Berth  string      `json:"berth"`
	From   string      `json:"from"`
	Nights json.Number `json:"nights"`
}

func stayFrom(w http.ResponseWriter, r *http.Request, m members) (*Stay, bool) {
	f := &form{m: m, known: map[string]bool{"id": true, "boat": true}}
	s := &Stay{}
	if code := f.text("berth", true, 2, 3, codePattern, "is a berth's code, A1 to F99"); code != nil {
		s.Berth = *code
	}
	if day := f.text("from", true, 10, 10, nil, "is a date such as 2026-06-01"); day != nil {
		s.From = *day
		if _, err := time.Parse(time.DateOnly, s.From); err != nil {
			f.wrong("from", "is a date such as 2026-06-01")
		}
	}
	if n := f.number("nights", true, 0, 60); n != nil {
		if _, err := n.Int64(); err != nil {
			f.wrong("nights", "is a whole number from 1 to 60")
		}
		s.Nights = *n
	}
	return s, f.done(w, r)
}

// until is the day after the last night.
func (s *Stay) until() string {
	from, err := time.Parse(time.DateOnly, s.From)
	n, e := s.Nights.Int64()
	if err != nil || e != nil {
		return s.From
	}
	return from.AddDate(0, 0, int(n)).Format(time.DateOnly)
}

func (h *harbour) stays() resource {
	return resource{
		"GET": h.withBoat(func(w http.ResponseWriter, r *http.Request, b *Boat) {
			list, err := h.staysOf(b.ID)
			if err != nil {
				refuse(w, r, http.StatusInternalServerError, "the stays cannot be read")
				return
			}
			if list, ok := page(w, r, list); ok {
				show(w, r, http.StatusOK, list)
			}
		}),
		"POST": h.withBoat(h.createStay),
	}
}

func (h *harbour) staysOf(boat uint64) ([]Stay, error) {
	every, err := all[Stay](h.store, "stays")
	out := []Stay{}
	for _, s := range every {
		if s.Boat == boat {
			out = append(out, s)
		}
	}
	return out, err
}

func (h *harbour) stay() resource {
	return resource{
		"GET":    h.withStay(func(w http.ResponseWriter, r *http.Request, _ *Boat, s *Stay) { show(w, r, http.StatusOK, s) }),
		"PUT":    h.withStay(h.replaceStay),
		"PATCH":  h.withStay(h.amendStay),
		"DELETE": h.withStay(h.deleteStay),
	}
}

func (h *harbour) withStay(next func(http.ResponseWriter, *http.Request, *Boat, *Stay)) http.HandlerFunc {
	return h.withBoat(func(w http.ResponseWriter, r *http.Request, b *Boat) {
		s := &Stay{}
		err := h.numbered("stays", r.PathValue("stay"), s)
		switch {
		case errors.Is(err, errNone) || err == nil && s.Boat != b.ID:
			refuse(w, r, http.StatusNotFound, "this boat has no such stay")
		case err != nil:
			refuse(w, r, http.StatusInternalServerError, "the stay cannot be read")
		default:
			next(w, r, b, s)
		}
	})
}

// fits tells whether a stay can be had, and says so if not.
func (h *harbour) fits(w http.ResponseWriter, r *http.Request, b *Boat, s *Stay) bool {
	berth := &Berth{}
	err := h.store.get("berths", []byte(s.Berth), berth)
	if errors.Is(err, errNone) {
		refuse(w, r, http.StatusUnprocessableEntity, "there is no such berth", memberError{"berth", "is not there"})
		return false
	}
	every, e := all[Stay](h.store, "stays")
	if err != nil || e != nil {
		refuse(w, r, http.StatusInternalServerError, "the stays cannot be read")
		return false
	}
	length, _ := new(big.Rat).SetString(string(b.LengthM))
	room, _ := new(big.Rat).SetString(string(berth.MaxLengthM))
	if length.Cmp(room) > 0 {
		refuse(w, r, http.StatusConflict, "the berth is too short for this boat", memberError{"berth", "is too short"})
		return false
	}
	for _, o := range every {
		if o.ID != s.ID && o.Berth == s.Berth && o.From < s.until() && s.From < o.until() {
			refuse(w, r, http.StatusConflict, "the berth is taken on some of these nights", memberError{"berth", "is taken"})
			return false
		}
	}
	return true
}

// kept is an answer that an idempotency key gives again.
type kept struct {
	Sent     string          `json:"sent"`
	Location string          `json:"location"`
	Body     json.RawMessage `json:"body"`
}

func (h *harbour) createStay(w http.ResponseWriter, r *http.Request, b *Boat) {
	m, ok := read(w, r, "application/json")
	if !ok {
		return
	}
	key, sent := r.Header.Get("Idempotency-Key"), m.digest()
	slot := []byte(r.URL.Path + "\x00" + key)
	if key != "" {
		var before kept
		switch err := h.store.get("keys", slot, &before); {
		case err == nil && before.Sent != sent:
			refuse(w, r, http.StatusUnprocessableEntity, "this Idempotency-Key came with another body before")
			return
		case err == nil:
			w.Header().Set("Location", before.Location)
			show(w, r, http.StatusCreated, before.Body)
			return
		case !errors.Is(err, errNone):
			refuse(w, r, http.StatusInternalServerError, "the key cannot be looked up")
			return
		}
	}
	s, ok := stayFrom(w, r, m)
	if !ok || !h.fits(w, r, b, s) {
		return
	}
	id, err := h.store.next("stays")
	s.ID, s.Boat = id, b.ID
	at := fmt.Sprintf("/boats/%d/stays/%d", b.ID, id)
	if err == nil {
		err = h.store.put("stays", number(id), s)
	}
	if err == nil && key != "" {
		body, e := encode(s)
		err = errors.Join(e, h.store.put("keys", slot, kept{sent, at, body}))
	}
	if err != nil {
		refuse(w, r, http.StatusInternalServerError, "the stay cannot be stored")
		return
	}
	w.Header().Set("Location", at)
	show(w, r, http.StatusCreated, s)
}

// digest tells bodies apart by what they mean, not by their white space.
func (m members) digest() string {
	// A map of valid JSON always encodes, its keys sorted.
	data, _ := json.Marshal(m)
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

func (h *harbour) replaceStay(w http.ResponseWriter, r *http.Request, b *Boat, old *Stay) {
	if m, ok := read(w, r, "application/json"); ok {
		h.writeStay(w, r, b, old, m)
	}
}

func (h *harbour) amendStay(w http.ResponseWriter, r *http.Request, b *Boat, old *Stay) {
	patch, ok := read(w, r, "application/merge-patch+json", "application/json")
	if !ok {
		return
	}
	m, err := merged(old, patch)
	if err != nil {
		refuse(w, r, http.StatusInternalServerError, "the stay cannot be read")
		return
	}
	h.writeStay(w, r, b, old, m)
}

func (h *harbour) writeStay(w http.ResponseWriter, r *http.Request, b *Boat, old *Stay, m members) {
	s, ok := stayFrom(w, r, m)
	if !ok || !precondition(w, r, old) {
		return
	}
	s.ID, s.Boat = old.ID, old.Boat
	if !h.fits(w, r, b, s) {
		return
	}
	if err := h.store.put("stays", number(s.ID), s); err != nil {
		refuse(w, r, http.StatusInternalServerError, "the stay cannot be stored")
		return
	}
	show(w, r, http.StatusOK, s)
}

func (h *harbour) deleteStay(w http.ResponseWriter, r *http.Request, _ *Boat, s *Stay) {
	if !precondition(w, r, s) {
		return
	}
	if err := h.store.remove("stays", number(s.ID)); err != nil {
		refuse(w, r, http.StatusInternalServerError, "the stay cannot be removed")
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

// numbered reads an item by the number in a path, written as we write it.
func (h *harbour) numbered(bucket, raw string, into any) error {
	id, err := strconv.ParseUint(raw, 10, 64)
	if err != nil || strconv.FormatUint(id, 10) != raw {
		return errNone
	}
	return h.store.get(bucket, number(id), into)
}
