package exchange

import "strconv"

// StatusText is a status code with its standard phrase, where it has one.
func StatusText(status int) string {
	if p := Phrase(status); p != "" {
		return strconv.Itoa(status) + " " + p
	}
	return strconv.Itoa(status)
}
