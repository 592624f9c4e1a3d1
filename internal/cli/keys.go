package cli

import (
	"os"
	"strings"

	"golang.org/x/term"
)

// interruptKey is what Ctrl+C gives where keys are read one by one.
const interruptKey = 3

// keys are what is pressed while nothing runs, on a terminal.
type keys struct {
	pressed chan byte
	on      bool
}

func (a *app) newKeys() *keys {
	tty, _ := terminal(a.out)
	k := &keys{pressed: make(chan byte), on: tty && term.IsTerminal(int(os.Stdin.Fd()))}
	if !k.on {
		return k
	}
	go func() {
		one := make([]byte, 1)
		for {
			if n, err := os.Stdin.Read(one); err != nil || n == 0 {
				return
			}
			k.pressed <- one[0]
		}
	}()
	return k
}

// help says what can be pressed.
func (k *keys) help() string {
	if !k.on {
		return "Ctrl+C ends it"
	}
	return "press r to run again, f for what failed, a for all, q to end"
}

// while waits with keys read one by one, and gives the key that ended it, 0 for
// none.
func (k *keys) while(wait func(pressed <-chan byte) ([]string, byte)) ([]string, byte) {
	if !k.on {
		return wait(nil)
	}
	in := int(os.Stdin.Fd())
	before, err := term.MakeRaw(in)
	if err != nil {
		return wait(nil)
	}
	defer func() { _ = term.Restore(in, before) }()
	ours := make(chan byte)
	end := make(chan struct{})
	defer close(end)
	go func() {
		for {
			select {
			case key := <-k.pressed:
				if key == '\r' || key == ' ' {
					key = 'r'
				}
				if !strings.ContainsRune("rfaq"+string(rune(interruptKey)), rune(key)) {
					continue
				}
				select {
				case ours <- key:
				case <-end:
					return
				}
			case <-end:
				return
			}
		}
	}()
	return wait(ours)
}
