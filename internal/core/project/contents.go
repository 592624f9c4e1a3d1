package project

import (
	"maps"
	"slices"
	"sync"

	"usualpath/internal/core/source"
)

// contents are files as they were when they were first read, so that all
// scenarios of a run see the same. It may be used by several workers at once.
type contents struct {
	// laid are texts in place of files.
	laid map[string]string
	mu   sync.Mutex
	data map[string][]byte
}

// newContents begins with texts that replace files, by absolute path.
func newContents(overlay map[string]string) *contents {
	c := &contents{data: map[string][]byte{}, laid: overlay}
	for path, text := range overlay {
		c.data[path] = []byte(text)
	}
	return c
}

func (c *contents) has(abs string) bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	_, ok := c.data[abs]
	return ok
}

// read gives a file's bytes, which must not be changed.
func (c *contents) read(abs string) ([]byte, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if data, ok := c.data[abs]; ok {
		return data, nil
	}
	data, err := source.ReadFile(abs)
	if err == nil {
		c.data[abs] = data
	}
	return data, err
}

// names are the files that have been read, by absolute path.
func (c *contents) names() []string {
	c.mu.Lock()
	defer c.mu.Unlock()
	return slices.Collect(maps.Keys(c.data))
}

// forget drops a file that will not be asked for again: its text is kept by
// what was made of it. What stands in place of a file cannot be read again.
func (c *contents) forget(abs string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if _, laid := c.laid[abs]; !laid {
		delete(c.data, abs)
	}
}
