package engine

import (
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
)

// A mistake of the tool ends the run, wherever it happens; what was made before
// is removed all the same.
func TestAPanicInAScenarioCleansUp(t *testing.T) {
	var text strings.Builder
	for _, title := range []string{"one", "two", "three"} {
		text.WriteString("scenario \"" + title + "\"\n  step \"make\"\n    send POST /list\n    expect status 2xx\nafterwards\n  step \"clean " + title + "\"\n    send DELETE /list/" + title + "\n")
	}
	for _, workers := range []int{1, 3} {
		var mu sync.Mutex
		var begun []string
		var what any
		func() {
			defer func() { what = recover() }()
			ran(t, text.String(), func(o *Options) {
				o.Workers = workers
				o.Begins = func(request string) {
					mu.Lock()
					begun = append(begun, request)
					first := len(begun) == 1
					mu.Unlock()
					if first {
						panic("a mistake")
					}
				}
			})
		}()
		m, ok := what.(*mistake)
		if assert.True(t, ok, "%v", what) {
			assert.Equal(t, "a mistake", m.Error())
			assert.Contains(t, string(m.Stack()), "TestAPanicInAScenarioCleansUp")
		}
		assert.Contains(t, strings.Join(begun, " "), "DELETE", "%d workers", workers)
	}
}
