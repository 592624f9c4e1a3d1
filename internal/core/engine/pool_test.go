package engine

import (
	"context"
	"fmt"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/core/event"
	"usualpath/internal/core/mask"
	"usualpath/internal/core/project"
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
				o.Sending = func(request string) {
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

// Rows name files while several workers read them.
func TestWorkersShareFiles(t *testing.T) {
	dir := t.TempDir()
	var rows strings.Builder
	for i := range 40 {
		name := fmt.Sprintf("%d.json", i)
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), fmt.Appendf(nil, `{"n": %d}`, i), 0o644))
		fmt.Fprintf(&rows, "    { \"file\": %q, \"n\": %d }\n", name, i)
	}
	name := filepath.Join(dir, "a.upath")
	text := "scenario \"row {n}\"\n  for each case\n" + rows.String() + "  step \"one\"\n    send POST /list\n      json {file(file)}\n    expect status 2xx\n"
	require.NoError(t, os.WriteFile(name, []byte(text), 0o644))
	p := &pier{}
	s := httptest.NewServer(p)
	defer s.Close()
	loaded := project.Load([]string{name}, project.Options{})
	require.Empty(t, loaded.Diagnostics)
	done := Run(context.Background(), loaded, Options{Base: s.URL, Timeout: 2 * time.Second, MaxBody: 1 << 20, Workers: 8, Emit: func(event.Event) {}})
	assert.Equal(t, event.Verdicts{All: 40, Held: 40}, done.Counts.Scenarios)
}

// What is told of a request while it is under way hides secrets too.
func TestBeginsIsMasked(t *testing.T) {
	var told []string
	ran(t, "secret token from env TOKEN\nscenario \"s\"\n  step \"one\"\n    send GET /list?key={token}\n    expect status 2xx\n", func(o *Options) {
		o.Sending = func(request string) { told = append(told, request) }
	})
	require.Len(t, told, 1)
	assert.Contains(t, told[0], "/list?key="+mask.Hidden)
}
