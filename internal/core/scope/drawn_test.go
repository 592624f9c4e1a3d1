package scope

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"usualpath/internal/core/value"
)

func TestWhatWasDrawnIsKnownAgain(t *testing.T) {
	w := &World{}
	assert.False(t, w.Drawn.In(`{"name": "Tern 123456"}`), "nothing was drawn")
	w.drawn(value.NewInt(123456))
	w.drawn(value.NewInt(17))
	w.Drawn.counted(value.NewInt(123456), value.NewInt(123857))
	w.Drawn.counted(value.NewInt(123857), value.NewInt(123858))
	w.Drawn.counted(value.NewInt(200000), value.NewInt(200001))
	w.drawn(value.NewString("K3f9x2"))
	w.drawn(value.NewString("ab"))
	for text, want := range map[string]bool{
		`{"name": "Tern 123456"}`: true, `{"n": 123457}`: false, `{"n": 123857}`: true, `{"n": 123858}`: true, `{"n": 200001}`: false, `{"n": 1234567}`: false,
		`{"code": "k3F9X2"}`: true, `{"code": "k3f9x"}`: false, `{"n": 17, "t": "ab"}`: false, "": false, "99999999999999999999999999": false,
	} {
		assert.Equal(t, want, w.Drawn.In(text), text)
	}
}
