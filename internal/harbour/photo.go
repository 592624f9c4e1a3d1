package harbour

import (
	"errors"
	"io"
	"mime"
	"net/http"
	"strconv"
	"strings"
)

// photo is a picture as it was sent.
type photo struct {
	Type string `json:"type"`
	Data []byte `json:"data"`
}

// maxPhoto is the largest picture taken, in bytes.
const maxPhoto = 1 << 20

func (h *harbour) photo() resource {
	return resource{
		"GET": h.withBoat(func(w http.ResponseWriter, r *http.Request, b *Boat) {
			p := &photo{}
			switch err := h.store.get("photos", number(b.ID), p); {
			case errors.Is(err, errNone):
				refuse(w, r, http.StatusNotFound, "this boat has no photo")
			case err != nil:
				refuse(w, r, http.StatusInternalServerError, "the photo cannot be read")
			default:
				send(w, r, p.Type, p.Data)
			}
		}),
		"POST": h.withBoat(h.takePhoto),
		"DELETE": h.withBoat(func(w http.ResponseWriter, r *http.Request, b *Boat) {
			switch err := h.store.get("photos", number(b.ID), &photo{}); {
			case errors.Is(err, errNone):
				refuse(w, r, http.StatusNotFound, "this boat has no photo")
			case err != nil || h.store.remove("photos", number(b.ID)) != nil:
				refuse(w, r, http.StatusInternalServerError, "the photo cannot be removed")
			default:
				w.WriteHeader(http.StatusNoContent)
			}
		}),
	}
}

// takePhoto reads the part `photo` of a form (RFC 7578).
func (h *harbour) takePhoto(w http.ResponseWriter, r *http.Request, b *Boat) {
	if kind, _, err := mime.ParseMediaType(r.Header.Get("Content-Type")); err != nil || kind != "multipart/form-data" {
		refuse(w, r, http.StatusUnsupportedMediaType, "send multipart/form-data with a part called photo")
		return
	}
	r.Body = http.MaxBytesReader(w, r.Body, maxPhoto+64<<10)
	parts, err := r.MultipartReader()
	for err == nil {
		part, e := parts.NextPart()
		if e != nil {
			err = e
			break
		}
		if part.FormName() != "photo" {
			continue
		}
		data, e := io.ReadAll(part)
		if e != nil {
			err = e
			break
		}
		kind := part.Header.Get("Content-Type")
		if !strings.HasPrefix(kind, "image/") || len(data) == 0 {
			refuse(w, r, http.StatusUnprocessableEntity, "the photo is a picture", memberError{"photo", "is of an image type and not empty"})
			return
		}
		if e := h.store.put("photos", number(b.ID), photo{kind, data}); e != nil {
			refuse(w, r, http.StatusInternalServerError, "the photo cannot be stored")
			return
		}
		w.Header().Set("Location", "/boats/"+strconv.FormatUint(b.ID, 10)+"/photo")
		w.WriteHeader(http.StatusCreated)
		return
	}
	var long *http.MaxBytesError
	if errors.As(err, &long) {
		refuse(w, r, http.StatusRequestEntityTooLarge, "a photo has 1 MiB at most")
		return
	}
	refuse(w, r, http.StatusBadRequest, "there is no part called photo")
}
