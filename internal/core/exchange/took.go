package exchange

import (
	"fmt"
	"time"
)

// Took is a duration for people: 0.4 ms, 41 ms, 2.3 s.
func Took(d time.Duration) string {
	switch {
	case d < 10*time.Millisecond:
		return fmt.Sprintf("%.1f ms", float64(d)/1e6)
	case d < time.Second:
		return fmt.Sprintf("%d ms", d.Milliseconds())
	case d < 2*time.Minute:
		return fmt.Sprintf("%.1f s", d.Seconds())
	}
	return d.Round(time.Second).String()
}
