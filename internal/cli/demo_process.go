package cli

import (
	"context"
	"strings"

	"usualpath/internal/harbour"
)

// harbourProcess is the harbour of a demo as a service under test: it can be
// stopped and started again, so that the checks of durability mean something.
type harbourProcess struct {
	o harbour.Options
	s *harbour.Server
}

func (p *harbourProcess) Base() string { return p.s.URL }

func (p *harbourProcess) Dead() (bool, string) { return false, "" }

// Restart ends the harbour and starts it again on its port and data; with kill
// it has no time to put anything in order.
func (p *harbourProcess) Restart(_ context.Context, kill bool) error {
	p.o.Listen = strings.TrimPrefix(p.s.URL, "http://")
	end := p.s.Close
	if kill {
		end = p.s.Abort
	}
	if err := end(); err != nil {
		return err
	}
	s, err := harbour.Start(p.o)
	if err != nil {
		return err
	}
	p.s = s
	return nil
}
