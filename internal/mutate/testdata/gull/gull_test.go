package gull

import "testing"

func TestFlies(t *testing.T) {
	if !Flies(11, false) || Flies(9, false) || Flies(11, true) {
		t.Fail()
	}
}
