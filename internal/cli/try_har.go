package cli

import (
	"fmt"

	"usualpath/internal/core/event"
	"usualpath/internal/traffic"
)

// recorded puts a request of a recording in place of what would be typed. Without a number
// the requests are listed, and there is nothing to send: no arguments are given then.
func (f *tryFlags) recorded(a *app, args []string) ([]string, error) {
	switch {
	case f.har == "" && f.entry != 0:
		return nil, usage("--entry is the number of a request in a recording", "write --from-har FILE")
	case f.har == "":
		if args == nil {
			args = []string{}
		}
		return args, nil
	case len(args) > 0:
		return nil, usage("--from-har says what is sent: "+args[0]+" is too much", "usualpath try --from-har FILE --entry 3")
	}
	r, err := readHAR(f.har)
	if err != nil {
		return nil, err
	}
	if f.entry == 0 {
		return nil, a.listCalls(r, traffic.Choice{})
	}
	for _, c := range r.Calls {
		if c.Number != f.entry {
			continue
		}
		t := c.Typed(f.base)
		f.header, f.query = append(t.Header, f.header...), append(t.Query, f.query...)
		if f.json+f.text+f.bodyFile == "" && len(f.fields)+len(f.parts)+len(f.attached) == 0 {
			f.json, f.text, f.media, f.fields, f.parts = t.JSON, t.Text, t.Media, t.Fields, t.Parts
		}
		return []string{t.Method, t.Target}, nil
	}
	return nil, usage(fmt.Sprintf("there is no request %d that can be sent among the %s of %s", f.entry, event.Count(len(r.Calls), "request"), f.har), "without --entry they are listed")
}
