package harbour

import (
	"encoding/json"
	"fmt"
	"time"
)

// seed fills an empty store with a dozen boats and berths.
func (h *harbour) seed() error {
	there, err := all[Boat](h.store, "boats")
	if err != nil || len(there) > 0 {
		return err
	}
	text := func(s string) *string {
		if s == "" {
			return nil
		}
		return &s
	}
	for i, b := range []struct{ name, length, flag, port string }{
		{"Arctic Tern", "11.2", "NO", "Puffin Sound"}, {"Barnacle", "7.4", "", ""}, {"Cormorant", "14.85", "FR", ""},
		{"Dunlin", "6.1", "NL", "Reed Haven"}, {"Eider", "9.9", "IS", ""}, {"Fulmar", "12", "GB", "Skerry"},
		{"Gannet", "18.3", "GB", ""}, {"Kittiwake", "8.05", "DK", ""}, {"Lapwing", "5.5", "", "Reed Haven"},
		{"Oystercatcher", "10.4", "DE", ""}, {"Razorbill", "21.7", "IE", "Skerry"}, {"Whimbrel", "7.7", "SE", ""},
	} {
		id, err := h.store.next("boats")
		if err != nil {
			return err
		}
		boat := &Boat{ID: id, Name: b.name, LengthM: json.Number(b.length), Flag: text(b.flag), HomePort: text(b.port),
			RegisteredAt: time.Date(2026, time.March, 1+i, 8, 30, 0, 0, time.UTC)}
		if err := h.store.put("boats", number(id), boat); err != nil {
			return err
		}
	}
	for i, row := range "ABCDEF" {
		for n := 1; n <= 2; n++ {
			code := fmt.Sprintf("%c%d", row, n)
			berth := &Berth{Code: code, MaxLengthM: json.Number(fmt.Sprint(8 + 4*i)), Power: n == 1}
			if err := h.store.put("berths", []byte(code), berth); err != nil {
				return err
			}
		}
	}
	for _, st := range []Stay{{Boat: 1, Berth: "E1", From: "2026-06-01", Nights: "3"}, {Boat: 2, Berth: "B1", From: "2026-06-02", Nights: "1"},
		{Boat: 5, Berth: "C2", From: "2026-06-02", Nights: "5"}, {Boat: 1, Berth: "F1", From: "2026-07-10", Nights: "14"}} {
		var err error
		if st.ID, err = h.store.next("stays"); err != nil {
			return err
		}
		if err := h.store.put("stays", number(st.ID), st); err != nil {
			return err
		}
	}
	return nil
}
