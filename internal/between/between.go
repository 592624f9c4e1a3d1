// Package between is for services that are bent on their way out: an answer that is held before it is sent,
// and what is remembered between requests.
package between

import (
	"maps"
	"net/http"
	"sync"
)

// Reply is an answer that is not sent yet: an http.ResponseWriter.
type Reply struct {
	// Status is 0 until something was written.
	Status int
	Fields http.Header
	Body   []byte
}

// New is an answer of which nothing was said yet.
func New() *Reply { return &Reply{Fields: http.Header{}} }

// Header gives the fields.
func (a *Reply) Header() http.Header { return a.Fields }

// WriteHeader sets the status, once.
func (a *Reply) WriteHeader(status int) {
	if a.Status == 0 {
		a.Status = status
	}
}

func (a *Reply) Write(p []byte) (int, error) {
	a.WriteHeader(http.StatusOK)
	a.Body = append(a.Body, p...)
	return len(p), nil
}

// Say replaces body and type.
func (a *Reply) Say(kind, body string) {
	a.Fields.Set("Content-Type", kind)
	a.Fields.Del("ETag")
	a.Body = []byte(body)
}

// Memory is what is remembered between requests, by keys.
type Memory[T any] struct {
	mu   sync.Mutex
	last map[string]T
}

// Swap gives what was remembered, and remembers something else.
func (m *Memory[T]) Swap(key string, now T) (before T, known bool) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.last == nil {
		m.last = map[string]T{}
	}
	before, known = m.last[key]
	m.last[key] = now
	return before, known
}

// All is a copy of what is remembered.
func (m *Memory[T]) All() map[string]T {
	m.mu.Lock()
	defer m.mu.Unlock()
	return maps.Clone(m.last)
}

// Get gives what is remembered.
func (m *Memory[T]) Get(key string) (now T, known bool) {
	m.mu.Lock()
	defer m.mu.Unlock()
	now, known = m.last[key]
	return now, known
}
