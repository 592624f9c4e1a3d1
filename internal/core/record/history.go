package record

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"time"

	"usualpath/internal/core/event"
	"usualpath/internal/core/source"
)

// History is the last runs of a project, kept in a folder.
type History struct {
	// Dir is the folder; Keep how many records stay in it.
	Dir  string
	Keep int
}

// HistoryOf is the history of the project in a folder.
func HistoryOf(root string) History {
	return History{Dir: filepath.Join(root, ".usualpath", "history"), Keep: 20}
}

// Records are the kept records, the oldest first.
func (h History) Records() []string {
	names, err := filepath.Glob(filepath.Join(h.Dir, "*.jsonl"))
	if err != nil {
		return nil
	}
	slices.Sort(names)
	return names
}

// Next is where the record of a run that begins now goes.
func (h History) Next(now time.Time) (string, error) {
	if err := source.PrivateFolder(filepath.Dir(h.Dir)); err != nil {
		return "", err
	}
	if err := os.MkdirAll(h.Dir, 0o700); err != nil {
		return "", err
	}
	return filepath.Join(h.Dir, now.UTC().Format("2006-01-02T15-04-05.000")+".jsonl"), nil
}

// Prune removes the oldest records beyond those that are kept.
func (h History) Prune() error {
	names := h.Records()
	for len(names) > h.Keep {
		if err := os.Remove(names[0]); err != nil {
			return err
		}
		names = names[1:]
	}
	return nil
}

// Past is what earlier runs say of scenarios.
type Past struct{ runs []*Run }

// Past reads the kept records; those that are not records are left out.
func (h History) Past() *Past {
	p := &Past{}
	for _, n := range h.Records() {
		if r, err := Load(n); err == nil || Damaged(err) {
			p.runs = append(p.runs, r)
		}
	}
	return p
}

// Since says how long a scenario fails already, when it failed in the last
// runs too; "" when it did not.
func (p *Past) Since(file, pattern string) string {
	key := file + "\x00" + pattern
	n := 0
	var first time.Time
	for i := len(p.runs) - 1; i >= 0; i-- {
		o := p.runs[i].Outcomes[key]
		if o == nil {
			continue
		}
		if !failing(o.Verdict) {
			break
		}
		n++
		first = p.runs[i].Time
	}
	if n == 0 {
		return ""
	}
	runs := "the run before this"
	if n > 1 {
		runs = fmt.Sprintf("the %d runs before this", n)
	}
	return fmt.Sprintf("failing since %s, in %s too", first.Local().Format("2006-01-02 15:04"), runs)
}

// Flickering are scenarios whose verdict flipped between runs of the same
// files, this one among them, at least twice.
func (p *Past) Flickering(now *Run) []string {
	runs := append(append([]*Run(nil), p.runs...), now)
	var out []string
	for _, k := range now.Order {
		flips := 0
		var last *Run
		for _, r := range runs {
			o := r.Outcomes[k]
			if o == nil {
				continue
			}
			if last != nil && last.Sources == r.Sources && r.Sources != "" && failing(last.Outcomes[k].Verdict) != failing(o.Verdict) {
				flips++
			}
			last = r
		}
		if flips >= 2 {
			o := now.Outcomes[k]
			out = append(out, fmt.Sprintf("%s: %s (flipped %d times)", o.File, o.Title, flips))
		}
	}
	return out
}

// Weights are how long scenarios took in a record, by file and title, for
// dealing them out evenly.
func Weights(name string) (map[string]time.Duration, error) {
	out := map[string]time.Duration{}
	var now *event.ScenarioStarted
	err := Read([]string{name}, func(e event.Event) {
		switch e := e.(type) {
		case *event.ScenarioStarted:
			now = e
		case *event.ScenarioFinished:
			if now != nil {
				out[now.File+"\x00"+now.Pattern] += e.Took
			}
		}
	})
	if Damaged(err) {
		// What it holds of times is true all the same.
		err = nil
	}
	return out, err
}
