package bound

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestEveryBoundIsWidened(t *testing.T) {
	defer Widen(1)
	for n, says := range map[int]string{0: "4,000,000 3s 64 MiB 1,000,000", 1: "4,000,000 3s 64 MiB 1,000,000", Most: "400,000,000 5m0s 6400 MiB 100,000,000"} {
		Widen(n)
		assert.Equal(t, says, Millions(Nodes())+" "+Patience().Round(time.Second).String()+" "+MiB(Text())+" "+Millions(Values()))
	}
}
