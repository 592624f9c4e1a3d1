package tests

import (
	"io"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"usualpath/internal/variety"
)

// drawn starts a legal service that follows these lines, with what stands in its answers rewritten, and
// gives it with the folder of its file.
func drawn(t *testing.T, rewrite func(r *http.Request, body string) string, lines ...string) (*variety.Service, string) {
	t.Helper()
	m, err := variety.Of(lines...)
	require.NoError(t, err)
	s := variety.New(m, 1)
	base := service(t, s.Handler(func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			a := httptest.NewRecorder()
			next.ServeHTTP(a, r)
			for n, v := range a.Header() {
				w.Header()[n] = v
			}
			body := a.Body.String()
			if rewrite != nil {
				body = rewrite(r, body)
				w.Header().Del("Content-Length")
			}
			w.WriteHeader(a.Code)
			_, _ = io.WriteString(w, body) // a client that has gone away does not read it
		})
	}).ServeHTTP)
	return s, folder(t, "lamps.upath", s.Statement(base))
}

// What is sent empty may be left out of answers, and not filled.
func TestWhatIsSentEmptyIsNotFilled(t *testing.T) {
	t.Parallel()
	_, dir := drawn(t, func(r *http.Request, body string) string {
		if r.Method == http.MethodGet && r.URL.Path != "/lamps" {
			return strings.Replace(body, `"kind"`, `"marks":["drawn"],"kind"`, 1)
		}
		return body
	}, "empty list left out")
	r, found := missed(t, dir, "run", "--check", "lifecycle/create-keeps-values")
	assert.Contains(t, found, "lifecycle/create-keeps-values")
	assert.Contains(t, r.out, "$.marks[0] is extra")
}

// A member that reads as another type from the start is a form of the service's own: it is told
// once, and nothing that must hold fails.
func TestNumbersThatReadAsTexts(t *testing.T) {
	t.Parallel()
	number := regexp.MustCompile(`"depth":\s*(-?[0-9][0-9.eE+-]*)`)
	_, dir := drawn(t, func(_ *http.Request, body string) string { return number.ReplaceAllString(body, `"depth": "$1"`) }, "identity text")
	r, found := missed(t, dir, "run", "-v", "--seed", "11")
	assert.Equal(t, 0, r.code, "%s", tail(r.out))
	assert.Contains(t, found, "lifecycle/types-are-kept")
	assert.Contains(t, r.out, "depth is sent as number and reads as string")
}

// Of a member that no item shows it is said how that is told to be meant.
func TestAMemberThatIsNeverShown(t *testing.T) {
	t.Parallel()
	note := regexp.MustCompile(`"note":\s*"[^"]*",?`)
	_, dir := drawn(t, func(_ *http.Request, body string) string { return note.ReplaceAllString(body, "") }, "identity text")
	r := run(t, dir, "run")
	assert.Equal(t, 1, r.code, r.out)
	assert.Contains(t, r.out, "`hidden note` says of a member that it is taken, and never shown")
}

// tail is what a run says at its end: the grid and what is below it.
func tail(out string) string {
	if i := strings.LastIndex(out, "lifecycle  repeat"); i >= 0 {
		return out[i:]
	}
	return out
}
