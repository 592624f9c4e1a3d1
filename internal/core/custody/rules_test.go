package custody

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// Each row is what was there, the manners of the service, what is asked for, what of that is sent,
// what is at the service in the end, and what is told.
func TestWhatIsSentAndWhatIsHeldBack(t *testing.T) {
	const mine = `{"name": "Tern 123456"}`
	there := []string{`{"id": 1, "name": "Auk"}`, `{"id": 2, "name": "Smew"}`}
	for name, c := range map[string]struct {
		odd   string
		there []string
		// asked are lines of a request and what became of it, told is what is told in the end.
		asked, left, told string
		// whose is what is known before the last look, after so many requests.
		whose    string
		requests int
	}{
		"make and remove": {"", nil, `
			POST /boats MINE -> 201
			PATCH /boats/51 {"n": 1} -> 200
			DELETE /boats/51 -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 known to go, named, named so, removed; boats shown; whole, creates by 201", 5},
		"what was there is not written to": {"", nil, `
			DELETE /boats/1 -> held: was there before
			PUT /boats/2 {"n": 1} -> held: was there before
			PATCH /boats/1/ {"n": 1} -> held: was there before
			GET /boats/1 -> 200
			DELETE /BOATS/1 -> held: was there before
			DELETE /boats/%31 -> held: was there before
			DELETE /boats//1 -> held: was there before
			DELETE /x/../boats/1 -> held: was there before
			DELETE /boats/1/crew -> held: was not made here`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "unknown", 3},
		"the collection itself": {"", nil, `
			DELETE /boats -> held: is the collection itself
			PUT /boats [1] -> held: is the collection itself
			PATCH /boats/ {} -> held: is the collection itself
			BREW /boats -> no answer
			DELETE / -> held: is above the collection
			PUT / -> held: is above the collection`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "unknown", 2},
		"another service": {"", nil, `
			DELETE http://127.0.0.1:9/boats/51 -> held: leads to another service
			DELETE http://LOCALHOST:8123/boats/51 -> held: leads to another service`, "1 2", "", "unknown", 0},
		"an item with a path of its own": {"", nil, `
			DELETE /boat/1 -> held: was there before
			PUT /boat/99 {"n": 1} -> 404`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "99 gone; unknown", 3},
		"a name that nothing has": {"", nil, `
			GET /boats/77 -> 404
			PUT /boats/77 {"name": "x"} -> 201
			PUT /boats/77 {"name": "y"} -> 200
			DELETE /boats/77 -> 204
			PUT /boats/78 {"name": "x"} -> 201`, "1 2 78", `
			/boats: the 2 items that are there stay as they are
			left on the service: PUT /boats/78`, "77 known to go, put, removed; 78 left, proven, put; whole", 8},
		"a few names, in a list that leaves things out": {"shows what was there first", nil, `
			POST /boats MINE -> 201
			PATCH /boats/51 {"n": 1} -> 200
			PUT /boats/77 {"name": "x"} -> held: has one of a few names, and the list leaves out some of what is there; with 'disposable' it would be sent
			PUT /boats/boat123456 {"name": "x"} -> 201`, "1 2 51 boat123456", `
			/boats: the 2 items that are there stay as they are
			left on the service: POST /boats 51, PUT /boats/boat123456`, "51 left, named, named so, proven, shown; 77 gone; boat123456 left, proven, put; partial, creates by 201", 12},
		"a number that is given again, in such a list": {"shows what was there first, numbers are given again", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> 204
			GET /boats/51 -> 404
			POST /boats MINE -> 201
			DELETE /boats/51 -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 known to go, named, named so, removed, seen; partial, creates by 201", 12},
		"items elsewhere": {"items elsewhere", nil, `
			DELETE /boat/1.json -> held: was there before
			POST /boats MINE -> 201
			PATCH /boat/51.json {"n": 1} -> 200
			DELETE /boat/51.json -> 204
			PUT /boat/boat123456.json {"n": 1} -> 201`, "1 2 boat123456", `
			/boats: the 2 items that are there stay as they are
			left on the service: PUT /boat/boat123456.json`, "51 known to go, named, named so, removed; boat123456 left, proven, put; boats shown; whole, creates by 201", 7},
		"named in a field of its own": {"by a field of its own, only Location", nil, `
			POST /boats {"name": "Pram"} -> 201
			DELETE /boats/51 -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 known to go, named, named so, removed; whole", 4},
		"what is not there is forbidden": {"what is not there is forbidden", nil, `
			GET /boats/boat123456 -> 403
			PUT /boats/boat123456 {"n": 1} -> 201
			DELETE /boats/boat123456 -> 204
			GET /boats/boat123456 -> 403
			PUT /boats/boat123456 {"n": 2} -> 201
			DELETE /boats/boat-of-somebody -> held: was not made here
			PUT /boats/77 {"n": 1} -> held: was not made here`, "1 2 boat123456", `
			/boats: the 2 items that are there stay as they are
			left on the service: PUT /boats/boat123456`, "boat123456 known to go, left, proven, put; boats shown; whole, waited for", 11},
		"taken, and deleted twice": {"DELETE is taken", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> 202
			DELETE /boats/51 -> 404
			PUT /boats/51 {"n": 1} -> 201
			POST /boats MINE -> 201`, "1 2 51", `
			/boats: the 2 items that are there stay as they are
			left on the service: POST /boats 51`, "51 left, named, named so, proven, put; 52 left, named, named so, seen; boats shown; whole, creates by 201", 10},
		"a number that is given again": {"numbers are given again", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> 204
			POST /boats MINE -> 201
			PATCH /boats/51 {"n": 1} -> 200
			DELETE /boats/51 -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 known to go, named, named so, removed; boats shown; whole, creates by 201", 8},
		"taken, and made once more": {"creates say 202, creates are done once", nil, `
			POST /boats MINE -> 202
			DELETE /boats/51 -> 204
			POST /boats {"name": "Pram"} -> 202
			POST /boats {"name": "Pram"} -> 200
			DELETE /boats/52 -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 known to go, named, named so, removed, seen; 52 known to go, named, named so, removed, seen; boats shown; whole, creates by 202", 8},
		"a path with a suffix": {"Location with a suffix", nil, `
			POST /boats MINE -> 201
			POST /boats MINE -> 201
			DELETE /boats/51 -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 known to go, named, named so, removed, seen; 52 left, named, named so, seen; boats shown; whole, creates by 201", 5},
		"removed, and then again": {"", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> 204
			DELETE /boats/51 -> 404
			PUT /boats/51 {"name": "x"} -> 201`, "1 2 51", `
			/boats: the 2 items that are there stay as they are
			left on the service: PUT /boats/51`, "51 known to go, left, named, named so, proven, put; boats shown; whole, creates by 201", 9},
		"removed, and read as before": {"DELETE keeps", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> 204
			DELETE /boats/51 -> held: was removed, and reading it does not say that it is gone`, "1 2 51", `
			/boats: the 2 items that are there stay as they are
			left on the service: /boats 51`, "51 known to go, named, named so, removed, seen; boats shown; whole, creates by 201", 5},
		"removed, and kept in another state": {"DELETE marks", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> 204`, "1 2 51", `
			/boats: the 2 items that are there stay as they are
			left on the service: /boats 51`, "51 known to go, named, named so, removed, seen; boats shown; whole, creates by 201", 4},
		"removal is only taken": {"DELETE is taken, DELETE keeps", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> 202
			DELETE /boats/51 -> 202`, "1 2 51", `
			/boats: the 2 items that are there stay as they are
			left on the service: POST /boats 51`, "51 left, named, named so, seen; boats shown; whole, creates by 201", 6},
		"removal is taken, and done": {"DELETE is taken", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> 202`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 left, named, named so, seen; boats shown; whole, creates by 201", 4},
		"removal is taken, and reads as a state": {"DELETE is taken, DELETE marks, hides what is marked", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> 202`, "1 2 51", `
			/boats: the 2 items that are there stay as they are`, "51 left, named, named so, seen; boats shown; whole, creates by 201", 4},
		"removal is taken, and a state is not hidden": {"DELETE is taken, DELETE marks", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> 202`, "1 2 51", `
			/boats: the 2 items that are there stay as they are
			left on the service: POST /boats 51`, "51 left, named, named so, seen; boats shown; whole, creates by 201", 4},
		"removal is not answered, and done": {"DELETE is not answered", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> no answer`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 left, named, named so, proven, seen; boats shown; whole, creates by 201", 4},
		"removal is not answered, and not done": {"DELETE is not answered, DELETE keeps", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> no answer`, "1 2 51", `
			/boats: the 2 items that are there stay as they are
			left on the service: POST /boats 51`, "51 left, named, named so, proven, seen; boats shown; whole, creates by 201", 4},
		"removal is not answered, and reads as a state": {"DELETE is not answered, DELETE marks, hides what is marked", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> no answer`, "1 2 51", `
			/boats: the 2 items that are there stay as they are`, "51 left, named, named so, proven, seen; boats shown; whole, creates by 201", 4},
		"removal is not answered, and a state is not hidden": {"DELETE is not answered, DELETE marks", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> no answer`, "1 2 51", `
			/boats: the 2 items that are there stay as they are
			left on the service: POST /boats 51`, "51 left, named, named so, proven, seen; boats shown; whole, creates by 201", 4},
		"removal is not answered, in a list that leaves things out": {"DELETE is not answered, DELETE marks, shows what was there first", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> no answer`, "1 2 51", `
			/boats: the 2 items that are there stay as they are
			left on the service: POST /boats 51`, "51 left, named, named so, proven, seen, shown; partial, creates by 201", 9},
		"a state that only the item tells": {"lists are short, DELETE changes", nil, `
			POST /boats {"name": "Tern 123456", "state": "afloat"} -> 201
			GET /boats/51 -> 200
			DELETE /boats/51 -> 204`, "1 2 51", `
			/boats: the 2 items that are there stay as they are`, "51 known to go, named, named so, removed, seen; boats shown; whole, creates by 201", 5},
		"removed, and listed as before": {"lists are short, DELETE keeps", nil, `
			POST /boats MINE -> 201
			GET /boats/51 -> 200
			DELETE /boats/51 -> 204`, "1 2 51", `
			/boats: the 2 items that are there stay as they are
			left on the service: /boats 51`, "51 known to go, named, named so, removed, seen; boats shown; whole, creates by 201", 5},
		"a stranger is told nothing": {"asked by a stranger", nil, `
			POST /boats MINE -> 201
			GET /boats/51 -> 200
			- 51
			GET /boats/51 -> 404`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 left, named, named so, seen, shown; unknown", 4},
		"a create that is sent once more": {"creates are done once", nil, `
			POST /boats MINE -> 201
			POST /boats MINE -> 201
			DELETE /boats/51 -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 known to go, named, named so, removed, seen; boats shown; whole, creates by 201", 5},
		"a create that names another item": {"creates name the first", nil, `
			POST /boats MINE -> 201, which is false of 1
			DELETE /boats/1 -> held: was there before`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "unknown", 2},
		"a create that names another item, by 200": {"creates name the first, creates say 200", nil, `
			POST /boats MINE -> 200
			DELETE /boats/1 -> held: was there before`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "unknown", 2},
		"a plain item, new in a list that shows all": {"", nil, `
			POST /boats {"name": "Pram"} -> 201
			PATCH /boats/51 {"n": 1} -> 200
			DELETE /boats/51 -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 known to go, named, named so, removed; whole", 5},
		"a plain item by 200": {"creates say 200", nil, `
			POST /boats {"name": "Pram"} -> 200
			DELETE /boats/51 -> held: shows nothing of what was sent here, and the create was not answered with 201; a '{turn}' in a member of 'make' that is shown tells, or 'disposable' where all may be lost`, "1 2 51", `
			/boats: the 2 items that are there stay as they are
			left on the service: POST /boats 51 (it may have been there before)`, "51 left, named, named so, seen; whole", 4},
		"a plain item by 200, as those that were drawn": {"creates say 200", nil, `
			POST /boats MINE -> 200
			PATCH /boats/51 {"n": 1} -> 200
			POST /boats {"name": "Pram"} -> 200
			DELETE /boats/52 -> 204
			DELETE /boats/51 -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 known to go, named, named so, removed; 52 known to go, named, named so, removed, seen; boats shown; whole, creates by 200", 8},
		"a plain item in a list that leaves things out": {"shows what was there first", nil, `
			POST /boats {"name": "Pram"} -> 201
			DELETE /boats/51 -> held: shows nothing that only this run can have sent, and the list may leave out what was there before; a '{turn}' in a member of 'make' that is shown tells, or 'disposable' where all may be lost
			POST /boats {"name": "Pram"} -> 201
			POST /boats {"name": "Pram"} -> 201
			POST /boats {"name": "Pram"} -> held: 3 items that cannot be shown to be of this run have been made there; it goes on with a '{turn}' in a member of 'make' that the list or the item shows, or with 'disposable'`, "1 2 51 52 53", `
			/boats: the 2 items that are there stay as they are
			left on the service: POST /boats 51 (it may have been there before), POST /boats 52 (it may have been there before), POST /boats 53 (it may have been there before)`, "51 left, named, named so, seen; 52 left, named, named so, seen; 53 left, named, named so, seen; partial, waited for", 10},
		"a drawn item in a list that leaves things out": {"shows what was there first", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 known to go, named, named so, removed, seen; partial, creates by 201", 9},
		"shows nothing of what was sent": {"shows nothing of what was sent", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 known to go, named, named so, removed, seen; whole, creates by 201", 4},
		"shows nothing, in a list that leaves things out": {"shows nothing of what was sent, shows what was there first", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> held: shows nothing that only this run can have sent, and the list may leave out what was there before; a '{turn}' in a member of 'make' that is shown tells, or 'disposable' where all may be lost
			POST /boats MINE -> 201
			POST /boats MINE -> 201
			POST /boats MINE -> held: 3 items that cannot be shown to be of this run have been made there; it goes on with a '{turn}' in a member of 'make' that the list or the item shows, or with 'disposable'`, "1 2 51 52 53", `
			/boats: the 2 items that are there stay as they are
			left on the service: POST /boats 51 (it may have been there before), POST /boats 52 (it may have been there before), POST /boats 53 (it may have been there before)`, "51 left, named, named so, seen; 52 left, named, named so, seen; 53 left, named, named so, seen; partial, waited for", 10},
		"shows nothing, and items cannot be read": {"shows nothing of what was sent, items are forbidden", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 known to go, named, named so, removed, seen; whole, creates by 201", 4},
		"items are not answered": {"items are not answered, shows what was there first", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> held: shows nothing that only this run can have sent, and the list may leave out what was there before; a '{turn}' in a member of 'make' that is shown tells, or 'disposable' where all may be lost`, "1 2 51", `
			/boats: the 2 items that are there stay as they are
			left on the service: POST /boats 51 (it may have been there before)`, "51 left, named, named so, seen; partial, waited for", 8},
		"new ones show late": {"shows new ones late", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 known to go, named, named so, removed, seen; boats shown; whole, creates by 201", 6},
		"by 202": {"creates say 202", nil, `
			POST /boats MINE -> 202
			DELETE /boats/51 -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 known to go, named, named so, removed, seen; boats shown; whole, creates by 202", 4},
		"a list that is not read": {"the list is not read", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> 204
			PUT /boats/77 {"name": "x"} -> 201`, "1 2 77", `
			left on the service: PUT /boats/77`, "51 known to go, named, named so, removed, seen; 77 left, proven, put; unknown, creates by 201", 6},
		"named by Location": {"only Location", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 known to go, named, named so, removed; boats shown; whole, creates by 201", 4},
		"not named": {"no name", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 removed; boats shown; whole", 5},
		"a fixed name that stands there": {"", nil, `
			POST /boats {"name": "auk"} -> held: may write to an item that was there before: its name "auk" stands in the list already; write '{turn}' in it, or 'disposable' where all may be lost
			POST /boats {"name": "Pram"} -> 201
			PUT /boats/51 {"name": "Smew"} -> held: may write to an item that was there before: its name "Smew" stands in the list already; write '{turn}' in it, or 'disposable' where all may be lost
			PATCH /boats/51 {"name": "Smew"} -> held: may write to an item that was there before: its name "Smew" stands in the list already; write '{turn}' in it, or 'disposable' where all may be lost
			DELETE /boats/51 -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 known to go, named, named so, removed, seen; whole", 4},
		"an empty list": {"", []string{}, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> 204`, "", "", "51 known to go, named, named so, removed, seen; boats shown; whole, creates by 201", 4},
		"one item": {"", there[:1], `
			DELETE /boats/1 -> held: was there before`, "1", `
			/boats: the item that is there stays as it is`, "unknown", 1},
		"a second delete removes another": {"DELETE of nothing removes the first", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> 204
			BREW /boats/51 -> 405
			DELETE /boats/99 -> 204`, "2", `
			/boats: the 2 items that are there stay as they are
			what was there before this run is not left alone: it was there before DELETE http://127.0.0.1:8123/boats/51, BREW http://127.0.0.1:8123/boats/51, DELETE http://127.0.0.1:8123/boats/99, and is gone after that: 1 lost; - {"id": 1, "name": "Auk"}`, "51 gone, known to go, named, named so, removed, seen; 99 gone, removed; boats shown; whole, creates by 201", 9},
		"a delete removes another too": {"DELETE removes the first too", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> 204
			POST /boats MINE -> 201`, "2 52", `
			/boats: the 2 items that are there stay as they are
			what was there before this run is not left alone: it was there before DELETE http://127.0.0.1:8123/boats/51, POST http://127.0.0.1:8123/boats, and is gone after that: 1 lost; - {"id": 1, "name": "Auk"}
			left on the service: POST /boats 52`, "51 known to go, named, named so, removed, seen; 52 left, named, named so, seen; boats shown; whole, creates by 201", 5},
		"a change changes all": {"PATCH changes all", nil, `
			POST /boats MINE -> 201
			PATCH /boats/{id} {"n": 1} -> 200
			DELETE /boats/{id} -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are
			what was there before this run is not left alone: PATCH http://127.0.0.1:8123/boats/52 in step 2 of trip 1 changes what it does not name: 2 changed; ~ id 1  $.changed4 is new: true; ~ id 2  $.changed4 is new: true`, "51 known to go, named, named so, removed; boats shown; whole, creates by 201", 5},
		"no answer": {"mute", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> no answer`, "1 2 51", `
			/boats: the 2 items that are there stay as they are
			left on the service: POST /boats 51`, "51 left, named, named so, proven, seen; boats shown; whole, creates by 201", 4},
		"PUT that says 200": {"PUT says 200", nil, `
			GET /boats/77 -> 404
			PUT /boats/77 MINE -> 200
			DELETE /boats/77 -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "77 known to go, put, removed; boats shown; whole", 5},
		"left behind": {"", nil, `
			POST /boats MINE -> 201
			POST /boats MINE -> 201`, "1 2 51 52", `
			/boats: the 2 items that are there stay as they are
			left on the service: POST /boats 51, POST /boats 52`, "51 left, named, named so, seen; 52 left, named, named so, seen; unknown", 3},
		"left behind by PUT": {"", nil, `
			GET /boats/boat123456 -> 404
			PUT /boats/boat123456 {"n": 1} -> 201`, "1 2 boat123456", `
			/boats: the 2 items that are there stay as they are
			left on the service: PUT /boats/boat123456`, "boat123456 left, proven, put; unknown", 3},
		"ids in any case": {"ids in any case", nil, `
			GET /boats/AbC -> 404
			PUT /boats/AbC {"name": "x"} -> 201
			DELETE /boats/abc -> held: was not made here
			DELETE /boats/AbC -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "AbC known to go, put, removed; whole", 6},
		"with a suffix": {"", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51.json -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 known to go, named, named so, seen; 51.json removed; boats shown; whole, creates by 201", 4},
		"creates are refused": {"creates are refused", nil, `
			POST /boats MINE -> 422
			DELETE /boats/51 -> 404`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 gone; unknown", 4},
		"a list that shows its newest three": {"shows its newest three", nil, `
			POST /boats MINE -> 201
			POST /boats MINE -> 201
			POST /boats MINE -> 201
			DELETE /boats/51 -> 204
			DELETE /boats/52 -> 204
			DELETE /boats/53 -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 known to go, named, named so, removed, seen; 52 known to go, named, named so, removed, seen; 53 known to go, named, named so, removed, seen; boats shown; partial, slides, creates by 201", 14},
		"below an item of one's own": {"", nil, `
			POST /boats MINE -> 201
			PUT /boats/51/crew {"n": 1} -> 201
			DELETE /boats/52/crew -> 404`, "1 2 51 crew", `
			/boats: the 2 items that are there stay as they are
			left on the service: POST /boats 51, PUT /boats/51/crew`, "51 left, named, named so, proven, seen; 52 gone; boats shown; crew left, put; whole, creates by 201", 6},
		"a change changes all, and something else in what was there moves": {"PATCH changes all, ticks", nil, `
			POST /boats MINE -> 201
			PATCH /boats/{id} {"n": 1} -> 200`, "1 2 51 52", `
			/boats: the 2 items that are there stay as they are
			what was there before this run is not left alone: PATCH http://127.0.0.1:8123/boats/52 in step 2 of trip 1 changes what it does not name: 1 changed; ~ id 2  $.tick was 1, is 2
			left on the service: POST /boats 51, POST /boats 52`, "51 left, named, named so, proven; boats shown; whole, creates by 201", 4},
		"what was there moves by itself": {"ticks", nil, `
			POST /boats MINE -> 201
			DELETE /boats/{id} -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are
			/boats: what was there before has changed while the run went on, and no check of it did so again: 1 changed; ~ id 2  $.tick was 1, is 2`, "51 known to go, named, named so, removed, seen; boats shown; whole, creates by 201", 4},
		"a change that shows only at the end, of one that holds what is sent": {"PATCH changes all", nil, `
			PATCH /boats/1 {"n": 1} -> held: was there before
			POST /boats {"name": "Pram", "changed9": true} -> 201`, "1 2 51", `
			/boats: the 2 items that are there stay as they are
			left on the service: POST /boats 51 (it may have been there before)`, "51 left, named, named so, seen; unknown", 2},
		"another method that removes": {"BREW removes", nil, `
			POST /boats MINE -> 201
			BREW /boats/{id} -> 200`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 left, named, named so, proven, seen; boats shown; whole, creates by 201", 4},
		"a name of nothing in the path": {"", nil, `
			POST /boats MINE -> 201
			DELETE /boats/ -> held: is the collection itself
			DELETE /boats/. -> held: is the collection itself`, "1 2 51", `
			/boats: the 2 items that are there stay as they are
			left on the service: POST /boats 51`, "51 left, named, named so, seen; unknown", 2},
		"a header names it": {"only Location, by header", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 known to go, named, named so, removed; boats shown; whole, creates by 201", 4},
		"a header names another": {"Location of the first, by header", nil, `
			POST /boats MINE -> 201, which is false of /boats/1
			DELETE /boats/1 -> held: was there before`, "1 2 51", `
			/boats: the 2 items that are there stay as they are
			left on the service: /boats 51`, "unknown", 2},
		"a list of one's own in the body": {"creates take lists", nil, `
			POST /boats [1, 2] -> 200`, "1 2 51 52", `
			/boats: the 2 items that are there stay as they are
			left on the service: /boats 51, /boats 52`, "unknown", 2},
		"removed by another name": {"ids in any case", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> 204
			POST /boats MINE -> 201
			DELETE /boats/52 -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 known to go, named, named so, removed, seen; 52 known to go, named, named so, removed, seen; boats shown; whole, creates by 201", 7},
		"a read says that it is there again": {"DELETE keeps", nil, `
			POST /boats MINE -> 201
			DELETE /boats/51 -> 204
			GET /boats/51 -> 200`, "1 2 51", `
			/boats: the 2 items that are there stay as they are
			left on the service: POST /boats 51`, "51 left, named, named so, removed, seen, shown; boats shown; whole, creates by 201", 5},
		"a read of what was made says that it is gone": {"forgets", nil, `
			POST /boats MINE -> 201
			GET /boats/51 -> 404`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 free, gone, known to go, named, named so, seen; unknown", 3},
		"HEAD says that it is gone": {"HEAD is not served", nil, `
			POST /boats MINE -> 201
			HEAD /boats/51 -> 404
			PUT /boats/77 {"n": 1} -> 201`, "1 2 51 77", `
			/boats: the 2 items that are there stay as they are
			left on the service: PUT /boats/77, /boats 51`, "51 gone, known to go, named, named so, seen; 77 left, proven, put; unknown", 5},
		"read as gone, and there by somebody else": {"", nil, `
			GET /boats/77 -> 404
			! {"id": 77, "name": "x"}
			GET /boats/77 -> 200
			DELETE /boats/77 -> held: was there before`, "1 2 77", `
			/boats: the 3 items that are there stay as they are`, "77 free; unknown", 3},
		"it shows what was drawn, and nobody has named it": {"no name", nil, `
			POST /boats MINE -> 201
			GET /boats/51 -> 200
			DELETE /boats/51 -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 removed; boats shown; whole", 5},
		"it showed what was drawn, and is gone": {"no name", nil, `
			POST /boats MINE -> 201
			GET /boats/51 -> 200
			- 51
			GET /boats/51 -> 404
			! {"id": 51, "name": "x"}
			GET /boats/51 -> 200
			DELETE /boats/51 -> held: was not made here`, "1 2 51", `
			/boats: the 2 items that are there stay as they are`, "51 free; whole", 7},
		"proven, gone, and there by somebody else": {"shows what was there first", nil, `
			GET /boats/a-long-name -> 404
			PUT /boats/a-long-name {"n": 1} -> 201
			- a-long-name
			GET /boats/a-long-name -> 404
			! {"id": "a-long-name", "name": "x"}
			GET /boats/a-long-name -> 200
			DELETE /boats/a-long-name -> held: was not made here`, "1 2 a-long-name", `
			/boats: the 2 items that are there stay as they are
			left on the service: /boats a-long-name`, "a-long-name known to go, put; whole", 7},
		"by 202, and late": {"creates say 202, shows new ones late", nil, `
			POST /boats {"name": "Pram"} -> 202
			DELETE /boats/51 -> held: shows nothing of what was sent here, and the create was not answered with 201; a '{turn}' in a member of 'make' that is shown tells, or 'disposable' where all may be lost`, "1 2 51", `
			/boats: the 2 items that are there stay as they are
			left on the service: POST /boats 51 (it may have been there before)`, "51 left, named, named so, seen; whole", 6},
		"by 202, and not there": {"creates say 202, shows new ones late", nil, `
			POST /boats {"name": "Pram"} -> 202
			- 51
			DELETE /boats/51 -> held: shows nothing that only this run can have sent, and the list may leave out what was there before; a '{turn}' in a member of 'make' that is shown tells, or 'disposable' where all may be lost`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 gone, left, named, named so, seen; partial, waited for", 8},
		"by 201, and not there": {"", nil, `
			POST /boats {"name": "Pram"} -> 201
			- 51
			DELETE /boats/51 -> 404`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 gone, left, named, named so, seen; unknown", 5},
		"marked, and read before": {"only Location, DELETE marks", nil, `
			POST /boats MINE -> 201
			GET /boats/51 -> 200
			DELETE /boats/51 -> 204
			GET /boats/51 -> 200`, "1 2 51", `
			/boats: the 2 items that are there stay as they are
			left on the service: /boats 51`, "51 known to go, named, named so, removed, seen, shown; boats shown; whole, creates by 201", 6},
		"changed before it is removed, and kept": {"DELETE keeps", nil, `
			POST /boats MINE -> 201
			PATCH /boats/51 {"n": 1} -> 200
			DELETE /boats/51 -> 204
			GET /boats/51 -> 200`, "1 2 51", `
			/boats: the 2 items that are there stay as they are
			left on the service: /boats 51`, "51 known to go, named, named so, removed, shown; boats shown; whole, creates by 201", 6},
		"two that show nothing, by 200": {"creates say 200", nil, `
			POST /boats {"name": "Pram"} -> 200
			DELETE /boats/51 -> held: shows nothing of what was sent here, and the create was not answered with 201; a '{turn}' in a member of 'make' that is shown tells, or 'disposable' where all may be lost
			POST /boats MINE -> 200
			DELETE /boats/52 -> 204
			DELETE /boats/51 -> 204`, "1 2", `
			/boats: the 2 items that are there stay as they are`, "51 known to go, named, named so, removed, seen; 52 known to go, named, named so, removed, seen; boats shown; whole, creates by 200", 8},
		"OPTIONS says that nothing is there": {"", nil, `
			POST /boats MINE -> 201
			OPTIONS /boats/51 -> 405
			OPTIONS /berths/51 -> 404`, "1 2 51", `
			/boats: the 2 items that are there stay as they are
			left on the service: POST /boats 51`, "51 gone, left, named, named so, seen; unknown", 4},
		"items are not answered, in a list that is whole": {"items are not answered, shows nothing of what was sent, creates say 200", nil, `
			POST /boats MINE -> 200
			DELETE /boats/51 -> held: cannot be read: timed out waiting`, "1 2 51", `
			/boats: the 2 items that are there stay as they are
			left on the service: POST /boats 51`, "51 left, named, named so, seen; whole", 4},
	} {
		t.Run(name, func(t *testing.T) {
			if c.there == nil {
				c.there = there
			}
			q := newQuay(t, c.odd, c.there...)
			var harm []string
			run := NewRun(Options{Stopped: func() bool { return false }, Harmed: func(h *Harm) {
				harm = append(harm, "harm: "+h.Deed.Sent[h.At].Exchange.Request.Method+": "+strings.Join(h.Observed, "; "))
			}})
			tr := newTrip(t, q, run, 1, How{Check: true})
			for _, line := range lines(c.asked) {
				asked, want, _ := strings.Cut(line, " -> ")
				if somebody, puts := strings.CutPrefix(asked, "! "); puts {
					q.put(decode(t, somebody))
					continue
				}
				if id, drops := strings.CutPrefix(asked, "- "); drops {
					q.drop(id)
					continue
				}
				assert.Equal(t, want, tr.do(strings.ReplaceAll(asked, "MINE", mine)), asked)
			}
			assert.Equal(t, c.whose, tr.whose())
			assert.Equal(t, c.requests, len(q.asked), "requests")
			told := append(tr.told, harm...)
			for _, n := range run.LastLook(context.Background(), func() bool { return false }) {
				told = append(told, n.Text)
			}
			if text := run.TellLeft(); text != "" {
				told = append(told, text)
			}
			for i := range told {
				told[i] = strings.ReplaceAll(told[i], "`", "'")
			}
			assert.Equal(t, c.left, q.items())
			assert.Equal(t, lines(c.told), told)
		})
	}
}

// lines are those of a text in a table, without the tabs before them.
func lines(text string) []string {
	var out []string
	for line := range strings.SplitSeq(text, "\n") {
		if line = strings.TrimSpace(line); line != "" {
			out = append(out, line)
		}
	}
	return out
}
