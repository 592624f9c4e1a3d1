package leak

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestFind(t *testing.T) {
	for text, what := range map[string]string{
		"goroutine 7 [running]:\nmain.main()":                                                       "a stack trace",
		`{"detail":"boom\n    at Boat.load (/srv/gull/boat.js:12:3)\n"}`:                            "a stack trace",
		"<pre>SyntaxError<br> &nbsp; &nbsp;at parse (/x/lib/json.js:93:21)<br>":                     "a stack trace",
		"<pre>Error<br> &nbsp; &nbsp;at process.run (node:internal/queues:82:21)</pre>":             "a stack trace",
		"java.lang.NullPointerException\n\tat gull.Boats.show(Boats.java:41)":                       "a stack trace",
		"Traceback (most recent call last):\n  File \"boats.py\", line 3, in show":                  "a stack trace",
		`{"file":"/srv/gull/register.go:118"}`:                                                      "a source path",
		`{"at":"/opt/x/node_modules/reader/index"}`:                                                 "a source path",
		"INSERT INTO boats (name) VALUES ('Tern')":                                                  "SQL",
		"UNIQUE constraint failed: boats.name":                                                      "SQL",
		"postgres://pilot:2468@db/gull":                                                             "a key or password",
		"<title>Whitelabel Error Page</title><h1>Whitelabel Error Page</h1>":                        "a debug page",
		`{"title":"Not Found","status":404,"detail":"there is no such boat"}`:                       "",
		`{"name":"Select Seafood from the Quay","notes":"at sea (since 3:12:41), see /boats/home"}`: "",
		`{"path":"/boats/17/photo.png","from":"2026-06-01"}`:                                        "",
	} {
		found := Find(text)
		if what == "" {
			assert.Empty(t, found, text)
			continue
		}
		if assert.NotEmpty(t, found, text) {
			assert.Equal(t, what, found[0].What, text)
			assert.NotEmpty(t, found[0].Excerpt)
		}
	}
}
