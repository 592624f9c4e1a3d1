package custody

// Listing is what is known of a list: whether it shows all that is there.
type Listing int

// The listings. Partial is a list of which it was seen that it leaves something out, or that
// does not show what was made.
const (
	Unknown Listing = iota
	Whole
	Partial
)

// Shown tells whether a list shows an item.
type Shown int

// Of a list that was not read nothing is known.
const (
	NotRead Shown = iota
	Missing
	There
)

// Evidence is what is known of an item that is about to be written to, and that was not in its
// list before the scenario's first write.
type Evidence struct {
	// Named tells that the answer to a create of this scenario names the item, Status what it
	// was, and Usual that a create which certainly made something was answered so too.
	Named  bool
	Status int
	Usual  bool
	// List is what is known of the list, and Now whether it shows the item.
	List Listing
	Now  Shown
	// Drawn tells that the item, or its entry in the list, shows a value that only this run
	// can have drawn.
	Drawn bool
}

// Ours tells whether the item is certainly of this run, and else why it is not certain. Where
// the list is whole, what a create names has to be new in it: a service may name another item
// than the one it made (RFC 9110 §15.3.2). Elsewhere only a drawn value tells.
func (e Evidence) Ours() (bool, string) {
	switch {
	case !e.Named && !e.Drawn:
		return false, "was not made here"
	case e.List == Whole && e.Now == Missing:
		return false, "is not in the list, which shows all that is there"
	case e.Drawn:
		return true, ""
	case e.List == Whole && e.Now == There && (e.Status == 201 || e.Usual):
		return true, ""
	case e.List == Whole && e.Now == There:
		return false, "shows nothing of what was sent here, and the create was not answered with 201; " + Advice
	case e.List == Whole:
		return false, "shows nothing of what was sent here"
	}
	return false, "shows nothing that only this run can have sent, and the list may leave out what was there before; " + Advice
}

// Advice is the line that lets an item be told from others.
const Advice = "a `{turn}` in a member of `make` that is shown tells, or `disposable` where all may be lost"

// Learn tells what a list is that gained and lost members around creates, of which this many
// were taken and one is named: whole where it grew by just them. Where others work on the same
// list, one that did not grow so tells nothing.
func Learn(gained, lost, made int, named, alone bool) Listing {
	switch {
	case made == 0:
		return Unknown
	case gained == made && lost == 0 && named:
		return Whole
	case alone:
		return Partial
	}
	return Unknown
}

// Few tells whether there are fewer than 100,000 names of the form of this one: its digits are
// what differs, or its letters where it has none.
func Few(name string) bool {
	digits, letters := 0, 0
	for _, c := range name {
		switch {
		case c >= '0' && c <= '9':
			digits++
		case c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z':
			letters++
		case c > 0x7f:
			letters++
		}
	}
	if digits > 0 {
		return digits < 5
	}
	return letters < 4
}
