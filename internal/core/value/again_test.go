package value

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAgain(t *testing.T) {
	const a, b, c, d, e = `{"id":1}`, `{"id":2,"in":[{"x":1}]}`, `{"id":3}`, `{"id":4}`, `{"id":5}`
	for now, same := range map[string][]int{
		"[" + a + "," + b + "," + c + "," + d + "," + e + "]":                    {0, 1, 2, 3, -1},
		"[ " + e + " , " + a + " ,\n" + b + "," + c + "," + d + " ]":             {-1, 0, 1, 2, 3},
		"[" + a + "," + c + "," + d + "]":                                        {0, 2, 3},
		"[" + a + "," + b + `,{"id":3,"n":1},` + d + "]":                         {0, 1, -1, 3},
		`{"total":[7],"items":[` + a + "," + b + "," + c + "," + d + "," + "1]}": {-1, -1, -1, -1, -1},
		"[" + e + "," + e + "," + e + "," + a + "]":                              {-1, -1, -1, -1},
		"[" + a + "," + b + "," + c + `,{"id":4,"id":4}]`:                        nil,
		"[" + a + "," + b + "," + c + ",":                                        nil,
	} {
		_, before, err := Again([]byte("["+a+","+b+","+c+","+d+"]"), Limits{}, nil)
		require.NoError(t, err)
		plain, wrong := Decode(now, Limits{})
		v, after, err := Again([]byte(now), Limits{}, before)
		if require.Equal(t, wrong, err, now); err != nil {
			continue
		}
		assert.Equal(t, plain, v, now)
		list := v
		if v.Kind == Object {
			list, _ = v.Get("items")
		}
		require.True(t, after.Are(list.Items), now)
		for i, want := range same {
			at, was := after.Was(i)
			if assert.Equal(t, want >= 0, was, "%d of %s", i, now); was {
				assert.Equal(t, want, at, now)
				assert.Same(t, before.items[at], list.Items[i], now)
			}
		}
	}
}

// However a body was changed, it reads as it does without the one before.
func FuzzAgain(f *testing.F) {
	f.Add(`[{"a":1},{"a":[2]},{"b":null}]`, 3, 9, `{"a":1},`)
	f.Add(`{"n":[1],"l":[{"a":1},{"a":"é"},{"b":{}}]}`, 10, 17, `{`)
	f.Fuzz(func(t *testing.T, text string, from, to int, put string) {
		if from < 0 || to < from || to > len(text) {
			return
		}
		now := text[:from] + put + text[to:]
		for _, limits := range []Limits{{}, {Depth: 2}, {Lenient: true}} {
			_, before, err := Again([]byte(text), limits, nil)
			if err != nil {
				continue
			}
			v, wrong := Decode(now, limits)
			again, _, err := Again([]byte(now), limits, before)
			require.Equal(t, wrong, err)
			if err == nil {
				require.True(t, v.JSON() == again.JSON())
			}
		}
	})
}
