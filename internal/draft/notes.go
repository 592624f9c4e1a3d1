package draft

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
)

// rank orders what is left for a person: what stops a run first.
type rank int

const (
	must rank = iota
	missing
	guessed
	hint
)

// note is something left for a person, with all that it is about.
type note struct {
	rank     rank
	text     string
	subjects []string
}

type notes []*note

// left notes something; what is said of several operations is said once.
func (s *Suite) left(r rank, text, subject string) {
	if s.mute {
		return
	}
	for _, n := range s.notes {
		if n.text == text {
			if subject != "" && !slices.Contains(n.subjects, subject) {
				n.subjects = append(n.subjects, subject)
			}
			return
		}
	}
	n := &note{rank: r, text: text}
	if subject != "" {
		n.subjects = []string{subject}
	}
	s.notes = append(s.notes, n)
}

// mostNamed is how many operations a note names, and mostNotes how many notes are told.
const (
	mostNamed = 2
	mostNotes = 12
)

// Left is what could not be drafted, or had to be guessed: the most useful first, each
// with what it is about.
func (s *Suite) Left() []string {
	list := slices.Clone(s.notes)
	slices.SortStableFunc(list, func(a, b *note) int {
		return cmp.Or(cmp.Compare(a.rank, b.rank), cmp.Compare(len(b.subjects), len(a.subjects)))
	})
	var out []string
	for i, n := range list {
		if i == mostNotes && len(list) > mostNotes+1 {
			rest := 0
			for _, m := range list[i:] {
				rest += max(1, len(m.subjects))
			}
			out = append(out, fmt.Sprintf("and %d more of %d kinds, which the files say in comments", rest, len(list)-i))
			break
		}
		text := inLine(n.text)
		if len(n.subjects) > 0 {
			named := n.subjects[:min(len(n.subjects), mostNamed)]
			text += ": " + inLine(strings.Join(named, ", "))
			if more := len(n.subjects) - len(named); more > 0 {
				text += fmt.Sprintf(" and %d more", more)
			}
		}
		out = append(out, text)
	}
	return out
}
