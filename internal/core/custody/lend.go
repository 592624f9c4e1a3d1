package custody

import "maps"

// Lend makes what this scenario has made, and the values it has drawn, those of another one too.
// What was there before is read first: what the other makes is not to be taken for it.
func (s *Scenario) Lend(step Step, to *Scenario) {
	t := &turn{s, step}
	// A list that cannot be read holds nothing that is known.
	lists, _ := t.Lists()
	for _, l := range lists {
		_, _ = t.listed(l)
	}
	to.own = newOwned()
	maps.Copy(to.own.paths, s.own.paths)
	maps.Copy(to.own.names, s.own.names)
	maps.Copy(to.own.gone, s.own.gone)
	maps.Copy(to.own.shown, s.own.shown)
	maps.Copy(to.own.proven, s.own.proven)
	*to.drawn = *s.drawn
	to.before, to.how.Guarded = maps.Clone(s.before), s.how.Guarded
}

// Return makes what this scenario has made, while it was lent another one's items, that other
// one's too, so that it can remove it.
func (s *Scenario) Return(to *Scenario) {
	maps.Copy(to.own.paths, s.own.paths)
	maps.Copy(to.own.names, s.own.names)
	for list, n := range s.own.made {
		to.own.made[list] += n
	}
	for at := range s.own.proven {
		// Another may have removed it since.
		if s.run.ledger.has(at) {
			to.own.proven[at] = true
		}
	}
	to.drawn.Take(s.drawn)
	// Lists as they were seen before do not show it.
	clear(to.own.seen)
}

// Forget drops what is known of lists that are gone with what they were below, and of what was
// asked for: all that this scenario has made is removed.
func (s *Scenario) Forget(step Step) {
	// A list whose names have no values is not known.
	lists, _ := step.Lists()
	w := s.run.watch
	w.mu.Lock()
	defer w.mu.Unlock()
	clear(w.asked)
	for _, l := range lists {
		if l.Below() {
			delete(w.lists, l.key())
		}
	}
}
