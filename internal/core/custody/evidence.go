package custody

// listing is what is known of a list: whether it shows all that is there.
type listing int

// The listings. Partial is a list of which it was seen that it leaves something out, or that
// does not show what was made.
const (
	unknown listing = iota
	whole
	partial
)

// shown tells whether a list shows an item.
type shown int

// Of a list that was not read nothing is known.
const (
	notRead shown = iota
	missing
	there
)

// evidence is what is known of an item that is about to be written to, and that was not in its
// list before the scenario's first write.
type evidence struct {
	// Named tells that the answer to a create of this scenario names the item, Status what it
	// was, and Usual that a create which certainly made something was answered so too.
	Named  bool
	Status int
	Usual  bool
	// List is what is known of the list, and Now whether it shows the item.
	List listing
	Now  shown
	// Drawn tells that the item, or its entry in the list, shows a value that only this run
	// can have drawn.
	Drawn bool
}

// Ours tells whether the item is certainly of this run, and else why it is not certain. Where
// the list is whole, what a create names has to be new in it: a service may name another item
// than the one it made (RFC 9110 §15.3.2). Elsewhere only a drawn value tells.
func (e evidence) Ours() (bool, string) {
	switch {
	case !e.Named && !e.Drawn:
		return false, "was not made here"
	case e.List == whole && e.Now == missing:
		return false, "is not in the list, which shows all that is there"
	case e.Drawn:
		return true, ""
	case e.List == whole && e.Now == there && (e.Status == 201 || e.Usual):
		return true, ""
	case e.List == whole && e.Now == there:
		return false, "shows nothing of what was sent here, and the create was not answered with 201; " + Advice
	case e.List == whole:
		return false, "shows nothing of what was sent here"
	}
	return false, "shows nothing that only this run can have sent, and the list may leave out what was there before; " + Advice
}

// Advice is the line that lets an item be told from others.
const Advice = "a `{turn}` in a member of `make` that is shown tells, or `disposable` where all may be lost"

// learn tells what a list is that gained and lost members around creates, of which this many
// were taken and one is named: whole where it grew by just them. Where others work on the same
// list, one that did not grow so tells nothing.
func learn(gained, lost, made int, named, alone bool) listing {
	switch {
	case made == 0:
		return unknown
	case gained == made && lost == 0 && named:
		return whole
	case alone:
		return partial
	}
	return unknown
}

// few tells whether there are fewer than 100,000 names of the form of this one: its digits are
// what differs, or its letters where it has none.
func few(name string) bool {
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
