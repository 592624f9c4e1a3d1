package draft

import (
	"encoding/json"
	"net/http"
	"path/filepath"
	"time"

	"usualpath/internal/core/exchange"
	"usualpath/internal/core/source"
)

// Last is the request that was tried last in a folder, as a file would say it, with its
// answer: an editor can file it without sending it again. Credentials are not in it.
type Last struct {
	Typed *Typed `json:"typed"`
	// Secrets are the lines that bind names which Typed uses in place of credentials.
	Secrets []string `json:"secrets,omitempty"`
	// Base is the URL that the target was relative to, "" where the project says it.
	Base   string      `json:"base,omitempty"`
	Status int         `json:"status"`
	Header http.Header `json:"header,omitempty"`
	Body   []byte      `json:"body,omitempty"`
	At     time.Time   `json:"at"`
}

// lastName is the file in which it is remembered, and mostRemembered bounds its body,
// in bytes.
const (
	lastName       = "last.json"
	mostRemembered = 1 << 20
)

func lastIn(dir string) string { return filepath.Join(dir, ".usualpath", lastName) }

// LoadLast is what was tried last in a folder, nil for nothing.
func LoadLast(dir string) *Last {
	data, err := source.ReadFile(lastIn(dir))
	if err != nil {
		return nil
	}
	var out Last
	if json.Unmarshal(data, &out) != nil || out.Typed == nil {
		return nil
	}
	return &out
}

// Remember keeps it in a folder; one with a long answer is not kept.
func (l *Last) Remember(dir string) error {
	if len(l.Body) > mostRemembered {
		return nil
	}
	data, err := json.Marshal(l)
	if err != nil {
		return err
	}
	if err := source.PrivateFolder(filepath.Dir(lastIn(dir))); err != nil {
		return err
	}
	return source.WritePrivate(lastIn(dir), append(data, '\n'))
}

// File files it in a scenario of a text, the last one for "", as Insert does. taken and
// bound tell names that the text has, anywhere and at its top.
func (l *Last) File(name, text, scenario string, known Known, titled func(title string) bool, taken, bound func(name string) bool) (*Inserted, error) {
	x := &exchange.Exchange{Request: &exchange.Request{Method: l.Typed.Method, URL: l.Base + l.Typed.Target}, Answer: &exchange.Answer{Status: l.Status, Header: l.Header, Body: l.Body}}
	p := Step(FreeTitle(l.Typed, "", titled), l.Typed, x, known, taken)
	in, err := Insert(name, text, scenario, l.Base, p.Lines)
	if err == nil {
		err = in.Afterwards(name, p.After)
	}
	if err != nil {
		return nil, err
	}
	in.WithSecrets(l.Secrets, bound)
	return in, nil
}
