package variety

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"usualpath/internal/cli"
)

// Trial is what becomes of a drawn service under the tool.
type Trial struct {
	Manners Manners
	Seed    uint64
	// Bend stands between the service and its manners of sending; nil for nothing.
	Bend func(s *Service) func(http.Handler) http.Handler
}

// Outcome is what was said of a service, and what was done to it.
type Outcome struct {
	Code int
	// Out is all that was printed, File the resource's file.
	Out, File string
	// Failed, Warned and Blocked are the checks with such a verdict.
	Failed, Warned, Blocked []string
	// Held are the checks that held back a request, since it might touch what is not the run's.
	Held []string
	// State is what is there at the end, Took how long it was.
	State string
	Took  time.Duration
	// Kept tells whether what was there before is there as it was, and nothing else.
	Kept bool
}

// False lists what is wrong with a verdict on a legal service; nothing is right.
func (o *Outcome) False(m Manners) (out []string) {
	allowed := m.Warnings()
	for _, one := range o.Failed {
		out = append(out, "failed "+one)
	}
	for _, one := range o.Warned {
		if !allowed[one] {
			out = append(out, "warned "+one)
		}
	}
	for _, one := range o.Blocked {
		out = append(out, "blocked "+one)
	}
	for _, one := range o.Held {
		out = append(out, "held back "+one)
	}
	if o.Code != 0 && len(out) == 0 {
		out = append(out, fmt.Sprintf("exit %d", o.Code))
	}
	if strings.Contains(o.Out, "left on the service") || strings.Contains(o.Out, "has changed") {
		out = append(out, "told as left or changed")
	}
	if !o.Kept {
		out = append(out, "items changed or left")
	}
	return out
}

// Run starts the service, runs a command of the tool on its file, in this process, and looks at
// what came of it. An error is one of the trial itself.
func (t Trial) Run(dir, command string, args ...string) (*Outcome, error) {
	s := New(t.Manners, t.Seed)
	var bend func(http.Handler) http.Handler
	if t.Bend != nil {
		bend = t.Bend(s)
	}
	server := httptest.NewServer(s.Handler(bend))
	defer server.Close()
	o := &Outcome{File: s.Statement(server.URL)}
	name, table := filepath.Join(dir, "lamps.upath"), filepath.Join(dir, "table.csv")
	if err := os.WriteFile(name, []byte(o.File), 0o644); err != nil {
		return nil, err
	}
	before, began := s.State(), time.Now()
	var out bytes.Buffer
	o.Code = cli.Main(append([]string{command, name, "--report", "csv=" + table}, args...), &out, &out)
	o.Took, o.State = time.Since(began), s.State()
	o.Out, o.Kept = out.String(), o.State == before
	data, err := os.ReadFile(table)
	if err != nil {
		// Nothing was sent: the file has an error.
		first, _, _ := strings.Cut(strings.TrimPrefix(o.Out, name+":"), "\n")
		o.Failed = append(o.Failed, "the file: "+first)
		return o, nil
	}
	rows, err := csv.NewReader(bytes.NewReader(data)).ReadAll()
	if err != nil {
		return nil, err
	}
	check, verdict, why := slices.Index(rows[0], "check"), slices.Index(rows[0], "verdict"), slices.Index(rows[0], "why")
	for _, row := range rows[1:] {
		list := map[string]*[]string{"failed": &o.Failed, "warned": &o.Warned, "blocked": &o.Blocked}[row[verdict]]
		if row[verdict] == "skipped" && strings.Contains(row[why], "not ours") {
			list = &o.Held
		}
		if list != nil && !slices.Contains(*list, row[check]) {
			*list = append(*list, strings.TrimSpace(row[check]))
		}
	}
	return o, os.Remove(table)
}

// mostMinding bounds how long is looked for the lines that matter.
const mostMinding = 30 * time.Second

// Matter leaves out one line after the other, as long as something is still said that is false,
// and gives what is left.
func (t Trial) Matter(still func(Manners) bool) Manners {
	m, began := t.Manners, time.Now()
	for again := true; again; {
		again = false
		for _, name := range m.Names() {
			if time.Since(began) > mostMinding {
				return m
			}
			if fewer := m.Without(name); still(fewer) {
				m, again = fewer, true
			}
		}
	}
	return m
}
