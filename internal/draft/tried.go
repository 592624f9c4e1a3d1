package draft

import (
	"encoding/json"
	"path/filepath"

	"usualpath/internal/core/source"
	"usualpath/internal/core/value"
)

// Tried is what earlier tries have kept, by file, beside the project.
type Tried struct {
	at    string
	names map[string]map[string]json.RawMessage
}

// triedName is the file in which kept values are remembered.
const triedName = "tried.json"

// LoadTried reads what was kept by tries into the files of a folder.
func LoadTried(dir string) *Tried {
	t := &Tried{at: filepath.Join(dir, ".usualpath", triedName), names: map[string]map[string]json.RawMessage{}}
	if data, err := source.ReadFile(t.at); err == nil {
		// What cannot be read is begun anew.
		_ = json.Unmarshal(data, &t.names)
	}
	return t
}

// Known are the names that tries into a file have kept.
func (t *Tried) Known(file string) Known {
	out := Known{}
	for n, raw := range t.names[file] {
		if v, err := value.Decode(string(raw), value.Limits{}); err == nil {
			out[n] = v
		}
	}
	return out
}

// Keep remembers more of them.
func (t *Tried) Keep(file string, k Known) error {
	if len(k) == 0 {
		return nil
	}
	if t.names[file] == nil {
		t.names[file] = map[string]json.RawMessage{}
	}
	for n, v := range k {
		t.names[file][n] = json.RawMessage(v.JSON())
	}
	data, err := json.MarshalIndent(t.names, "", "  ")
	if err != nil {
		return err
	}
	if err := source.PrivateFolder(filepath.Dir(t.at)); err != nil {
		return err
	}
	return source.WritePrivate(t.at, append(data, '\n'))
}
