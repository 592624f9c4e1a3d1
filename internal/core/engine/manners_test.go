package engine

import (
	"net/http"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"usualpath/internal/core/exchange"
)

// How long a service asks to wait (RFC 9110 §10.2.3), in seconds or as a date, where that is not
// too long.
func TestWhenAServiceMayBeAskedAgain(t *testing.T) {
	const date = "Tue, 17 May 2031 08:30:00 GMT"
	for _, c := range []struct {
		status      int
		after, date string
		wait        time.Duration
		ok          bool
	}{
		{429, "0", "", 0, true}, {503, "2", "", 2 * time.Second, true}, {503, "5", "", 5 * time.Second, true}, {503, "6", "", 0, false}, {429, "-1", "", 0, false}, {429, "", "", 0, false}, {429, "soon", "", 0, false},
		{429, "Tue, 17 May 2031 08:30:03 GMT", date, 3 * time.Second, true}, {503, "Tue, 17 May 2031 08:29:00 GMT", date, 0, true}, {503, "Tue, 17 May 2031 09:30:00 GMT", date, 0, false},
		{200, "1", "", 0, false}, {500, "1", "", 0, false},
	} {
		wait, ok := comesAgain(&exchange.Answer{Status: c.status, Header: http.Header{"Retry-After": {c.after}, "Date": {c.date}}})
		assert.Equal(t, c.ok, ok, "%+v", c)
		if c.ok {
			assert.Equal(t, c.wait, wait, "%+v", c)
		}
	}
}
